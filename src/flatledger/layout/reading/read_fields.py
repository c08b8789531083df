"""Reading `fields`: what the values of a place are, said once for all that use it."""

from __future__ import annotations

from typing import Any

from ...values.field_values import AMOUNT, NUMBERS, FieldDeclaration
from ..model.declared import DeclaredField, place_of
from ..model.text import Item, ItemMap, Scalar
from .forms import EXPRESSION, TEXT, list_of
from .read_units import UNIT, Unit
from .read_values import CLEAN, DATATYPE, LOCALE, check_reads
from .reading import Form, Key, Reading, Section, either, object_schema, read_keys

KEYS: Section = {
    "datatype": Key(DATATYPE, "What its values are (CSVW)."),
    "reads": Key(
        list_of(TEXT), "How its sender writes them: patterns for dates, amount, or numeral."
    ),
    "locale": Key(LOCALE, "Whose way of writing it is (BCP 47)."),
    "unit": Key(UNIT, "The unit that its numbers are in, with factors for others."),
    "null": Key(list_of(TEXT), "What stands for no value.", "nulls"),
    "clean": Key(CLEAN, "What is done to its texts."),
}


def _fields(item: Item, where: str, reading: Reading) -> tuple[DeclaredField, ...]:
    if not isinstance(item, ItemMap):
        reading.fault(item, f"{where} takes fields with what they are: {{raised: date}}")
        return ()
    found: dict[tuple[str, ...], DeclaredField] = {}
    for key, value in item.pairs:
        one = _field(key, value, reading)
        if one is None:
            continue
        if one.names in found:
            first = found[one.names].expression.text
            reading.fault(key, f"`{key.text}` is declared twice (first as `{first}`); keep one")
        found.setdefault(one.names, one)
    for names, one in found.items():
        around = next(
            (found[names[:at]] for at in range(1, len(names)) if names[:at] in found), None
        )
        if around is not None and around.declared.datatype:
            says = f"is a part of `{around.expression.text}`, which is declared as one value"
            reading.problems.append(one.expression.problem(f"`{one.expression.text}` {says}"))
    return tuple(found.values())


def _field(key: Scalar, item: Item, reading: Reading) -> DeclaredField | None:
    expression = EXPRESSION.read(key, "a field", reading)
    names = place_of(expression.node) if expression is not None else None
    if expression is None or names is None:
        if expression is not None:
            says = "is no place: names, `[*]` and `.*` lead to one, and no index, filter or `..`"
            reading.fault(key, f"`{key.text}` {says}")
        return None
    where = f"field `{key.text}`"
    found: dict[str, Any] = {}
    keys: dict[str, Item] = {}
    if isinstance(item, ItemMap):
        keys = reading.mapping(item, where, KEYS)
        found = read_keys(keys, KEYS, reading)
    else:
        found["datatype"] = DATATYPE.read(item, where, reading)
    unit: Unit = found.pop("unit", Unit())
    how = unit.conversion
    if unit.open:
        unit = Unit(unit.unit)
    if how is not None and how.kind != "factors":
        what = f"{where}: its unit is what its values are in; a column converts from it"
        reading.fault(keys["unit"], f"{what}. Write `unit: {how.given or how.unit}`")
    factors = how.factors if how is not None else {}
    locale = found.pop("locale", "")
    declared = FieldDeclaration(**found, unit=unit.unit, factors=factors)
    _check(key, keys, declared, where, reading)
    return DeclaredField(names, expression, declared, locale)


def _check(
    key: Scalar, keys: dict[str, Item], declared: FieldDeclaration, where: str, reading: Reading
) -> None:
    """The keys of a field go together."""
    datatype = declared.datatype
    if "reads" in keys:
        check_reads(keys["reads"], declared.reads, datatype, where, reading)
    if "clean" in keys and datatype not in ("", "string"):
        reading.fault(keys["clean"], f"{where}: `clean` is for texts, and a {datatype} is none")
    if "unit" in keys and datatype not in NUMBERS:
        reading.fault(keys["unit"], f"{where}: a `unit` goes with `datatype: decimal` or `integer`")
    if declared.factors and AMOUNT not in declared.reads:
        reading.fault(keys["unit"], f"{where}: `factors` go with `reads: amount`")


def _schema() -> dict[str, Any]:
    one = either(DATATYPE.schema, object_schema(KEYS))
    return {"type": "object", "additionalProperties": one}


FIELDS: Form[tuple[DeclaredField, ...]] = Form(_fields, _schema())
