"""Converting values into the unit of their column."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..layout.column import Conversion
from ..layout.model import Calendar
from ..values.factors import scaled
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
