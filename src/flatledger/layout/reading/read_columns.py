"""Reading the columns of a layout."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from typing import Any

from msgspec.structs import replace

from ...bounds import LARGEST_COLUMN_WIDTH, MOST_COLUMNS, MOST_DECIMALS
from ...errors import LayoutError, ShelfError
from ...language.nodes import Call, Cast, Concatenation, FieldPath, Heading, Node, rebuilt
from ...values.aggregates import AGGREGATES
from ...values.field_values import NUMBERS
from ...values.functions import FUNCTIONS
from ..model.column import Column, ColumnTotal, Expression, Spread
from ..model.declared import as_declared, field_at
from ..model.text import Item, ItemList, ItemMap, Scalar
from .forms import (
    CHARACTER,
    CHARACTERS_OR_NAME,
    EXPRESSION,
    SWITCH,
    TEXT,
    choice,
    choice_of,
    list_of,
    whole_number,
)
from .read_units import UNIT, Unit, check_unit, settled_unit
from .read_values import CLEAN, CODES, DATATYPE, LOCALE, TRANSLATE, check_values
from .reading import (
    Form,
    Key,
    Reading,
    Schema,
    Section,
    either,
    items_of,
    object_schema,
    one_or_more,
    pairs_of,
    read_keys,
)
from .spreading import spread_column, spread_problems

ROUNDING = {
    name: f"ROUND_{name.replace('-', '_').upper()}"
    for name in ("half-even", "half-up", "half-down", "up", "down", "ceiling", "floor")
}


WAYS = ("exact", "leaves", "tops", "all")  # of a total: how it is rounded, which nodes it takes


def total_kinds() -> tuple[str, ...]:
    """The aggregates that can be a column's total."""
    return tuple(name for name, aggregate in AGGREGATES.items() if aggregate.totals)


def _total(item: Item, where: str, reading: Reading) -> ColumnTotal:
    """The aggregate of a total, or that and how it is rounded."""
    kinds = choice(total_kinds())
    if not pairs_of(item):
        return ColumnTotal(kinds.read(item, where, reading))
    (kind, how), *others = pairs_of(item)
    for extra, _ in others:
        reading.fault(extra, "`total` takes one kind of total")
    ways = [choice(WAYS).read(one, f"`{kind.text}`", reading) for one in items_of(how)]
    if "exact" in ways and kind.text not in ("sum", "avg"):
        reading.fault(kind, "only `sum` and `avg` can be exact")
    nodes: list[Any] = [way for way in ways if way != "exact"]
    if len(nodes) > 1 or len(ways) > len({*ways}):
        reading.fault(how, f"`{kind.text}` takes leaves, tops or all, one of them")
    name = kinds.read(kind, where, reading)
    return ColumnTotal(name, exact="exact" in ways, nodes=nodes[0] if nodes else "")


def _totals(item: Item, where: str, reading: Reading) -> tuple[ColumnTotal, ...]:
    """The totals of a column, each in a total row of its own."""
    found = [_total(one, where, reading) for one in items_of(item)]
    for at, one in enumerate(found):
        if one in found[:at]:
            reading.fault(item, f"{where} has {one.name} twice")
    return tuple(found)


def _values(item: Item, where: str, reading: Reading) -> list[tuple[str, Expression | None]]:
    if not pairs_of(item):
        reading.fault(item, f"{where} takes names with expressions: {{Qty: options.qty}}")
    return [(name.text, EXPRESSION.read(one, where, reading)) for name, one in pairs_of(item)]


def _allowed(item: Item, where: str, reading: Reading) -> tuple[str, ...]:
    """Values that may be filled in: as they are typed, or those of a file."""
    if not isinstance(item, Scalar):
        return tuple(TEXT.read(one, where, reading) for one in items_of(item))
    try:
        return reading.files.values(TEXT.read(item, where, reading), None)
    except (LayoutError, ShelfError) as error:
        reading.fault(item, str(error))
        return ()


ALLOWED = Form(_allowed, one_or_more(TEXT.schema))
_WAYS = {name: one_or_more({"enum": list(WAYS)}) for name in total_kinds()}
TOTAL = Form(
    _totals,
    one_or_more(
        either(
            {"enum": list(total_kinds())},
            {"type": "object", "properties": _WAYS, "additionalProperties": False},
        )
    ),
)
VALUES = Form(_values, {"type": "object", "additionalProperties": TEXT.schema})
SPREAD_KEYS: Section = {
    "columns-from": Key(EXPRESSION, "A level: there is a column for each of its keys.", "level"),
    "named-by": Key(EXPRESSION, "What tells its entries apart."),
    "values": Key(VALUES, "Several values for each key, by their names."),
    "keys": Key(list_of(TEXT), "The keys, in their order."),
    "labels": Key(CODES, "What keys are called in the headings."),
    "at-most": Key(whole_number(MOST_COLUMNS), "How many keys there may be."),
}
PROPERTIES: Section = {
    "value": Key(EXPRESSION, "A path or an expression."),
    "text": Key(TEXT, "The same text on every row."),
    "datatype": Key(DATATYPE, "What a value is (CSVW)."),
    "reads": Key(list_of(TEXT), "How its sender writes it: amount, or patterns for dates."),
    "clean": Key(CLEAN, "What is done to a text."),
    "decimals": Key(whole_number(MOST_DECIMALS), "How many digits are after the decimal mark."),
    "rounding": Key(choice_of(ROUNDING), "How it is rounded."),
    "unit": Key(UNIT, "The unit, in the heading."),
    "total": Key(TOTAL, "What stands in total rows: of several in a row each."),
    "separator": Key(CHARACTERS_OR_NAME, "What joins several values."),
    "separator-in-value": Key(
        choice(("report", "quote", "replace")), "What becomes of a value that holds it."
    ),
    "aligned": Key(SWITCH, "Whether an entry without a value keeps its place."),
    "translate": Key(TRANSLATE, "What codes are called."),
    "format": Key(TEXT, "A pattern for numbers or dates (UTS #35), or what is true and false."),
    "locale": Key(LOCALE, "Whose way of writing it is (BCP 47)."),
    "default": Key(TEXT, "What stands where there is no value."),
    "null": Key(TEXT, "What no value is called."),
    "suppress-output": Key(
        SWITCH, "Whether it is only sorted, grouped or filtered by.", "suppressed"
    ),
    "width": Key(whole_number(LARGEST_COLUMN_WIDTH, 1), "How many characters wide it is."),
    "align": Key(choice(("left", "right", "center")), "Where a cell stands in its width."),
    "fill": Key(CHARACTER, "What fills the rest of its width, in text of fixed width."),
    "required": Key(SWITCH, "Whether a specimen says that it may not be empty."),
    "allowed": Key(ALLOWED, "The values that may be filled in: a list, or a file of them."),
    "titles": Key(list_of(TEXT), "Other names for the heading."),
    **SPREAD_KEYS,
}

# ---- columns ---------------------------------------------------------------------------------


def read_columns(
    item: Item | None, layout: Item, reading: Reading, row_per: Item | None = None
) -> tuple[Column, ...]:
    """The columns of a layout; those of listed keys are several. Those by level come in the order
    of the levels of ``row_per``."""
    before = len(reading.problems)
    if isinstance(item, ItemMap) and all(isinstance(one, ItemList) for _, one in item.pairs):
        order = [one.text.strip() for one in items_of(row_per) if isinstance(one, Scalar)]
        return _by_level(item, order, reading)
    columns = [column for entry in items_of(item) for column in _column(entry, reading)]
    if not items_of(item) and len(reading.problems) == before:
        says = "`columns` is missing; list at least one `Heading: path`"
        reading.fault(item or layout, says)
    _check_headings(columns, reading)
    return tuple(columns)


def _by_level(item: ItemMap, order: list[str], reading: Reading) -> tuple[Column, ...]:
    """The columns of each level of stacked rows. A heading that several levels have is another
    column on each; an expression means that of its own level, or the nearest above it."""
    places = {name: at for at, name in enumerate(order)}
    pairs = list(item.pairs)
    if {level.text.strip() for level, _ in pairs} <= places.keys():
        pairs.sort(key=lambda pair: places[pair[0].text.strip()])
    levels = [
        (level.text.strip(), [one for entry in items_of(of) for one in _column(entry, reading)])
        for level, of in pairs
    ]
    for _, columns in levels:
        _check_headings(columns, reading)
    reading.column_levels = [level for level, _ in pairs]
    met = Counter(column.heading for _, columns in levels for column in columns)
    reading.doubled = frozenset(heading for heading, count in met.items() if count > 1)
    found: list[Column] = []
    known: dict[str, str] = {}
    for at, (name, columns) in enumerate(levels):
        known |= {
            one.heading: f"{one.heading} ({name})" if met[one.heading] > 1 else one.heading
            for one in columns
        }
        found += [_of_level(one, at, known) for one in columns]
    return tuple(found)


def _of_level(column: Column, level: int, known: Mapping[str, str]) -> Column:
    """A column of a level; ``known`` are the columns that it may refer to, by their headings."""
    heading, value = known[column.heading], column.value
    if value is not None:

        def own(node: Node) -> Node | None:
            if not isinstance(node, Heading) or node.heading not in known:
                return None
            return replace(node, heading=known[node.heading])

        value = replace(value, node=rebuilt(value.node, own))
    called = column.heading if heading != column.heading else ""
    return replace(column, heading=heading, called=called, value=value, level=level)


def _check_headings(columns: list[Column], reading: Reading) -> None:
    """No heading comes twice, with its unit or without."""
    seen: dict[str, Column] = {}
    for column in columns:
        first = seen.setdefault(column.heading, column)
        if first is not column:
            place = f" (first at line {first.place[0]})" if first.place[0] else ""
            message = f"the heading `{column.heading}` comes twice{place}; rename one"
            reading.problems.append(column.problem(message))
    titles: dict[str, Column] = {}
    for column in (one for one in seen.values() if not one.suppressed):
        other = titles.setdefault(column.title, column)
        if other is not column:
            message = f"`{column.heading}` and `{other.heading}` are both headed {column.title}"
            reading.problems.append(column.problem(f"{message}; rename one"))


def _column(item: Item, reading: Reading) -> list[Column]:
    """A column; several, where it says for which keys it is made into columns."""
    if not pairs_of(item):
        reading.fault(item, "a column is `Heading: expression`")
        return []
    (heading, value), *others = pairs_of(item)
    for extra, _ in others:
        reading.fault(extra, _extra_key(heading.text, extra.text))
    if not heading.text.strip():
        reading.fault(heading, "a column needs a heading")
    place = (heading.line, heading.column, heading.file)
    if isinstance(value, ItemMap):
        return _with_properties(value, heading.text, place, reading)
    if isinstance(value, Scalar) and not value.text.strip() and not value.style:
        return [Column(heading.text, place=place)]
    expression = EXPRESSION.read(value, f"column `{heading.text}`", reading)
    return [as_declared(Column(heading.text, expression, place=place), reading.fields)]


def _extra_key(heading: str, extra: str) -> str:
    if extra in PROPERTIES:
        return f"`{extra}` stands level with the heading `{heading}`; indent it further"
    return f"`{extra}` stands in the column `{heading}`; each column begins with its own `-`"


def _with_properties(item: ItemMap, heading: str, place: Any, reading: Reading) -> list[Column]:
    where = f"column `{heading}`"
    keys = reading.mapping(item, where, PROPERTIES)
    # what is said of a value names its column
    value = EXPRESSION.read(keys["value"], where, reading) if "value" in keys else None
    found = read_keys({k: one for k, one in keys.items() if k != "value"}, PROPERTIES, reading)
    of_keys = {PROPERTIES[key].field or key.replace("-", "_") for key in SPREAD_KEYS}
    spread = {name: found.pop(name) for name in of_keys & found.keys()}
    if value is not None and found.get("datatype") in NUMBERS and "reads" not in found:
        value = _as_number(value, found["datatype"])
    unit = found.pop("unit", Unit())
    totals = found.pop("total", ())
    found |= {"total": totals[0]} if totals else {}
    field = field_at(value.node, reading.fields) if value is not None else None
    if "unit" in keys:
        unit = settled_unit(keys["unit"], unit, field.declared.unit if field else "", reading)
    declared = field.declared.datatype if field and "reads" not in keys else ""
    if value is not None and "format" in keys and "datatype" not in keys and _is_period(value):
        found["datatype"] = "date"  # its first day
    typed = {"datatype": declared} if declared and "clean" not in keys else {}
    _check_column(item, keys, {**typed, **found}, unit, where, reading)
    column = Column(
        heading,
        value,
        **found,
        unit=unit.unit,
        conversion=unit.conversion,
        joined="separator" in keys,
        place=place,
    )
    if "columns-from" not in keys:
        own = as_declared(column, reading.fields)
        return [own, *_further_totals(own, totals[1:], keys, reading)]
    if totals[1:]:
        says = f"{where}: of columns that are made for keys `total` takes one kind"
        reading.fault(keys["total"], says)
    return _spread(item, keys, column, spread, reading)


def _further_totals(
    column: Column, totals: tuple[ColumnTotal, ...], keys: Mapping[str, Item], reading: Reading
) -> Iterator[Column]:
    """The columns that hold further totals of one: they are written in no row."""
    for at, total in enumerate(totals, 1):
        numbers = total.name not in ("sum", "avg") or column.datatype in (None, *NUMBERS)
        if not numbers:
            what = f"`{total.name}` adds up numbers, and a {column.datatype} is none"
            reading.fault(keys["total"], f"{what}; it can have min, max or count")
        heading = f"{column.heading} ({total.name})"
        further = {"further_of": column.heading, "total_row": at, "suppressed": True}
        yield replace(column, heading=heading, total=total, titles=(), **further)


def _is_period(value: Expression) -> bool:
    return isinstance(value.node, Call) and value.node.name == "period_of"


def _as_number(value: Expression, datatype: str) -> Expression:
    """An expression that gives a text, where its column is to have numbers: cast to one."""
    node = value.node
    is_text = isinstance(node, Concatenation) or (
        isinstance(node, Call) and node.name in FUNCTIONS and FUNCTIONS[node.name].result == "text"
    )
    return replace(value, node=Cast(node.position, node, datatype, ())) if is_text else value


def _check_column(
    item: Item,
    keys: Mapping[str, Item],
    found: Mapping[str, Any],
    unit: Unit,
    where: str,
    reading: Reading,
) -> None:
    """The properties of a column go together."""
    if "value" in keys and "text" in keys:
        reading.fault(item, f"{where} has both `value` and `text`; keep one")
    for key in SPREAD_KEYS:
        if key in keys and "columns-from" not in keys:
            reading.fault(keys[key], f"`{key}` goes with `columns-from`")
    if "rounding" in keys and "decimals" not in keys:
        reading.fault(item, f"{where} has `rounding` but no `decimals` to round to")
    datatype = found.get("datatype", "decimal")
    if "clean" in keys and (found.get("datatype", "string") != "string" or "decimals" in keys):
        reading.fault(item, f"{where}: `clean` is for texts, and this is a number or a date")
    if "unit" in keys:
        check_unit(keys["unit"], unit, datatype, found.get("reads", ()), reading)
    if not keys.keys() & {"value", "values"}:
        _check_without_value(item, keys, unit, where, reading)
    total = found.get("total")
    if total is not None and total.name in ("sum", "avg") and datatype not in NUMBERS:
        what = f"`{total.name}` adds up numbers, and a {datatype} is none"
        reading.fault(keys["total"], f"{what}; it can have min, max or count")
    check_values(keys, found, where, reading)


def _check_without_value(
    item: Item, keys: Mapping[str, Item], unit: Unit, where: str, reading: Reading
) -> None:
    if "total" in keys:
        reading.fault(item, f"{where} has a total but no `value` to add up")
    if unit.conversion is not None or keys.keys() & {"datatype", "reads", "clean"}:
        what = "a conversion" if unit.conversion is not None else "a datatype"
        reading.fault(item, f"{where} has {what} but no `value`")


# ---- columns for keys ------------------------------------------------------------------------


def _spread(
    item: Item,
    keys: Mapping[str, Item],
    column: Column,
    given: dict[str, Any],
    reading: Reading,
) -> list[Column]:
    """`columns-from` a level, `named-by` what tells its entries apart, with `value`."""
    level, named_by = given["level"], given.get("named_by")
    values = [("", column.value)] if "value" in keys else []
    values += given.get("values", [])
    if named_by is None or not values:
        says = "`columns-from` goes with `named-by` and `value`"
        reading.fault(item, f"column `{column.heading}`: {says}")
    if level is None or named_by is None or not all(value for _, value in values):
        return [column]
    if not isinstance(level.node, FieldPath):
        says = "`columns-from` takes a level, such as lines.options"
        reading.fault(keys["columns-from"], says)
        return [column]
    reading.spread_levels.append(level)
    ways = {name: given[name] for name in ("labels", "at_most") if name in given}
    how = Spread(level, named_by, tuple((n, v) for n, v in values if v is not None), **ways)
    reading.problems += spread_problems(how)
    for key in ("keys", "labels"):
        if how.numbered and key in keys:
            says = f"numbered columns take `at-most`, and no `{key}`"
            reading.fault(keys[key], says)
    listed = given.get("keys") or tuple(how.labels)
    if how.numbered or not listed:
        return [_to_be_spread(column, how)]
    return spread_column(_to_be_spread(column, how), how, listed)


def _to_be_spread(column: Column, how: Spread) -> Column:
    from msgspec.structs import replace

    return replace(column, value=None, spread=how)


LIST_SCHEMA = one_or_more(
    either(
        TEXT.schema,  # a heading alone stands for a column of the layout that this one starts from
        {
            "type": "object",
            "minProperties": 1,
            "maxProperties": 1,
            "additionalProperties": either(TEXT.schema, object_schema(PROPERTIES)),
        },
    )
)
_LIST: Schema = {"$ref": "#/$defs/columns"}  # which is LIST_SCHEMA
COLUMNS_SCHEMA = either(  # those of each level of stacked rows, where they differ
    _LIST, {"type": "object", "minProperties": 1, "additionalProperties": _LIST}
)
