"""Converting values into the unit of their column."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from ..layout.column import Conversion, Factor
from ..layout.model import Calendar
from ..values.numbers import QUOTIENT, plain
from ..values.times import working_time


def converter(conversion: Conversion, calendar: Calendar) -> Callable[[Any], Any]:
    """A function from a value to the number in the wanted unit.

    >>> from flatledger.layout.column import Conversion
    >>> from flatledger.layout.model import Calendar
    >>> converter(Conversion("time", "hours", "minutes"), Calendar())(90)
    Decimal('1.5')
    """
    if conversion.kind == "time":
        wanted, given = conversion.unit, conversion.given
        hours, days = calendar.hours_per_day, calendar.days_per_week
        return lambda value: working_time(value, wanted, given, hours, days)
    return lambda value: scaled(value, conversion.factor)


def scaled(number: int | Decimal, factor: Factor) -> int | Decimal:
    """A number times a factor, exact; a quotient has 34 digits.

    >>> scaled(1250, Factor(Decimal("0.01"))), scaled(90, Factor(over=60)), scaled(2, Factor())
    (Decimal('12.50'), Decimal('1.5'), 2)
    """
    times = factor.times
    whole = number * (int(times) if times == int(times) else times)
    return whole if factor.over == 1 else plain(QUOTIENT.divide(Decimal(whole), factor.over))
