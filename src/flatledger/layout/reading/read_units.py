"""Reading `unit`: what a column is measured in, and how its values come into it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from decimal import Decimal
from typing import NamedTuple

from ...values.factors import Factor
from ...values.literals import TIME_UNITS
from ...values.numbers import unit_of
from ..model.column import Conversion
from ..model.names import proposal
from ..model.text import Item, Scalar
from .forms import TEXT, read_text
from .reading import Form, Key, Reading, Section, either, object_schema, pairs_of

MINOR_UNIT = "minor-unit"  # of a currency, as ISO 4217 calls it
_BY_ONE_OF = "by one of `from`, `factor` or `factors`"
_FACTOR = re.compile(r"[0-9]{1,30}(?:\.[0-9]{1,30})?(?:/[1-9][0-9]{0,29})?")


class Unit(NamedTuple):
    """A unit for the heading, and what brings values into it, if anything does. An ``open`` one
    does not say what its values are in, which their field says."""

    unit: str = ""
    conversion: Conversion | None = None
    open: bool = False


def read_factor(item: Item, _: str, reading: Reading) -> Factor:
    """A number above 0, exact: a decimal, or a fraction."""
    text = item.text if isinstance(item, Scalar) else ""
    times, _, over = text.partition("/")
    if not _FACTOR.fullmatch(text) or not Decimal(times):
        reading.fault(item, "a factor is a number above 0, such as 0.001 or 1/60")
        return Factor()
    return Factor(Decimal(times), int(over or 1))


def _factors(item: Item, where: str, reading: Reading) -> dict[str, Factor]:
    if not pairs_of(item):
        reading.fault(item, "`factors` takes units with their factors: {g: 0.001, t: 1000}")
    return {unit.text: read_factor(factor, where, reading) for unit, factor in pairs_of(item)}


_FACTOR_FORM = Form(read_factor, TEXT.schema)
_UNIT_KEYS: Section = {
    "to": Key(TEXT, "The unit of the column."),
    "from": Key(TEXT, f"A unit of time, or {MINOR_UNIT} where the column's unit is a currency."),
    "factor": Key(_FACTOR_FORM, "What values are multiplied by: a decimal or a fraction."),
    "factors": Key(
        Form(_factors, {"type": "object", "additionalProperties": TEXT.schema}),
        "A factor for each unit that can stand with the number.",
    ),
}


def _unit(item: Item, where: str, reading: Reading) -> Unit:
    """A unit for the heading; in long with where its values come from."""
    if isinstance(item, Scalar):
        return Unit(read_text(item, where, reading))
    keys = reading.mapping(item, where, _UNIT_KEYS)
    to = read_text(keys["to"], "`to`", reading) if "to" in keys else ""
    ways = [key for key in _UNIT_KEYS if key in keys and key != "to"]
    if to and not ways:
        return Unit(to, open=True)
    if not to or len(ways) != 1:
        reading.fault(item, f"`unit` goes `to` a unit, {_BY_ONE_OF}")
        return Unit()
    value = keys[ways[0]]
    if "from" in keys:
        return Unit(to, _from(value, to, reading))
    if "factor" in keys:
        return Unit(to, Conversion("factor", to, factor=read_factor(value, "", reading)))
    factors = {to: Factor(), **_factors(value, "", reading)}
    return Unit(to, Conversion("factors", to, factors=factors))


def settled_unit(item: Item, unit: Unit, given: str, reading: Reading) -> Unit:
    """The unit of a column whose values are in a ``given`` one by their field; blank where that is
    not declared."""
    how = unit.conversion
    if unit.open and not given:
        reading.fault(item, f"`unit` goes `to` a unit, {_BY_ONE_OF}, or from that of its field")
    elif unit.open:
        if unit.unit == given:
            return Unit(given)
        return Unit(unit.unit, _from(Scalar(given, item.line, item.column), unit.unit, reading))
    elif given and how is not None and how.kind == "time" and not _are_one(how.given, given):
        reading.fault(item, f"the field is in {given}, and not in {how.given}")
    return unit


def _are_one(one: str, other: str) -> bool:
    return TIME_UNITS.get(one, one) == TIME_UNITS.get(other, other)


UNIT = Form(_unit, either(TEXT.schema, object_schema(_UNIT_KEYS)))


def _from(item: Item, to: str, reading: Reading) -> Conversion | None:
    """From another unit of time, or from a currency's minor unit."""
    given = read_text(item, "`from`", reading)
    if given == MINOR_UNIT:
        return _from_minor_unit(item, to, reading)
    for unit in (given, to):
        if unit not in TIME_UNITS:
            known = (*dict.fromkeys(TIME_UNITS.values()), MINOR_UNIT)
            hint = proposal(unit, known) or f"; those are {', '.join(known)}"
            others = "others go by `factor` or `factors`"
            reading.fault(item, f"no unit of time `{unit}`{hint}; {others}")
            return None
    return Conversion("time", to, given)


def _from_minor_unit(item: Item, to: str, reading: Reading) -> Conversion | None:
    """The minor unit of a currency: so many digits after the mark as ISO 4217 gives it."""
    from iso4217 import Currency

    try:
        digits = Currency(to).exponent
    except ValueError:
        what = f"`{to}` is no currency of ISO 4217; give a `factor`, such as 0.01"
        reading.fault(item, what)
        return None
    if digits is None:
        what = f"ISO 4217 gives {to} no minor unit; give a `factor`, such as 0.01"
        reading.fault(item, what)
        return None
    return Conversion("factor", to, factor=Factor(unit_of(digits)))


def check_unit(
    item: Item, unit: Unit, datatype: str, reads: Sequence[str], reading: Reading
) -> None:
    """What is converted is a number or a duration, read in a way that goes with it."""
    how = unit.conversion
    if how is None:
        return
    if datatype not in ("integer", "decimal"):
        reading.fault(item, "only numbers and durations are converted; leave out the datatype")
    if how.kind == "time" and reads:
        reading.fault(item, "durations are read with their units; leave out `reads`")
    if how.kind == "factors" and "amount" not in reads:
        reading.fault(item, "`factors` go with `reads: amount`")
