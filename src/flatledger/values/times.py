"""Dates, times, intervals (ISO 8601, ISO 9075) and working time.

A moment is a date, or a date with a time. Where a moment with a zone meets one without, the one
without is taken to be in the other's zone. A day against a time compares the day.
"""

from __future__ import annotations

import calendar
import datetime as dt
import operator
import re
from collections.abc import Callable
from decimal import Decimal
from functools import lru_cache
from typing import Any

from .literals import TIME_UNITS, Interval, duration_parts, iso_duration
from .numbers import QUOTIENT, ValueFaultError, plain, read_decimal
from .text_values import TextValues

_AMOUNT = re.compile(r"\s*([+-]?\d+(?:[.,]\d+)?)\s*([a-zA-Z]+)\.?\s*,?")
COMPARISONS: dict[str, Callable[[Any, Any], bool]] = {
    "==": operator.eq,
    "!=": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}


# ---- reading ---------------------------------------------------------------------------------


@lru_cache(maxsize=10_000)
def _moment(text: str) -> dt.date | None:
    for read in (dt.date.fromisoformat, dt.datetime.fromisoformat):
        try:
            return read(text.strip())
        except ValueError:
            continue
    return None


def days() -> TextValues[dt.date | None]:
    """What has the days that texts are by ISO 8601; of any other text None.

    >>> days()["2026-03-31"], days()["2026-03-31T14:30"], days()["soon"]
    (datetime.date(2026, 3, 31), None, None)
    """
    return TextValues(_day)


def _day(text: str) -> dt.date | None:
    moment = _moment(text)
    return moment if moment.__class__ is dt.date else None


def as_moment(value: Any) -> dt.date:
    """A date or timestamp; text is read by ISO 8601."""
    moment = value if isinstance(value, dt.date) else None
    if isinstance(value, str):
        moment = _moment(value)
    if moment is None:
        raise ValueFaultError("is not a date (ISO 8601: 2026-03-31)")
    return moment


def as_date(value: Any) -> dt.date:
    """The day of a moment.

    >>> as_date("2026-03-31T14:30")
    datetime.date(2026, 3, 31)
    """
    moment = as_moment(value)
    return moment.date() if isinstance(moment, dt.datetime) else moment


def as_timestamp(value: Any) -> dt.datetime:
    """A moment with its time; a day begins at midnight."""
    moment = as_moment(value)
    if isinstance(moment, dt.datetime):
        return moment
    return dt.datetime(moment.year, moment.month, moment.day)


def as_time(value: Any) -> dt.time:
    """A time of day; of a timestamp, its time."""
    if isinstance(value, dt.time):
        return value
    if isinstance(value, dt.datetime):
        return value.timetz()
    try:
        return dt.time.fromisoformat(value.strip())
    except (ValueError, AttributeError):
        pass
    moment = _moment(value) if isinstance(value, str) else None
    if not isinstance(moment, dt.datetime):
        raise ValueFaultError("is not a time (ISO 8601: 14:30:00)")
    return moment.timetz()


def as_interval(value: Any) -> Interval:
    """An interval; text is read as an ISO 8601 duration.

    >>> as_interval("P1DT12H")
    Interval(months=0, time=datetime.timedelta(days=1, seconds=43200))
    """
    if isinstance(value, Interval):
        return value
    try:
        return iso_duration(value if isinstance(value, str) else "")
    except ValueError as error:
        raise ValueFaultError(str(error)) from None


def as_when(value: Any) -> Any:
    """A moment, a time or an interval, whichever the text is.

    >>> as_when("P30D").time.days, as_when("14:30").minute
    (30, 30)
    """
    if not isinstance(value, str):
        return as_moment(value)
    for read in (as_interval, as_time, as_moment):
        if read is as_time and len(value) > 5 and value[4] == "-":
            continue  # a timestamp has a time too, but is more than that
        try:
            return read(value)
        except ValueFaultError:
            continue
    raise ValueFaultError("is neither a date, a time nor a duration (ISO 8601)")


def compare(left: Any, sign: str, right: Any) -> bool:
    """Compare two moments, two times or two intervals.

    >>> compare(dt.datetime(2026, 3, 31, 23), "<=", dt.date(2026, 3, 31))
    True
    """
    return COMPARISONS[sign](*_alike(left, right))


def _alike(left: Any, right: Any) -> tuple[Any, Any]:
    if isinstance(left, Interval) and isinstance(right, Interval):
        return length(left), length(right)
    if isinstance(left, dt.datetime) and isinstance(right, dt.datetime):
        return _same_zone(left, right)
    if isinstance(left, dt.date) and isinstance(right, dt.date):
        return as_date(left), as_date(right)
    if isinstance(left, dt.time) and isinstance(right, dt.time):
        if (left.tzinfo is None) != (right.tzinfo is None):
            return left.replace(tzinfo=None), right.replace(tzinfo=None)
        return left, right
    raise ValueFaultError("a date, a time and a duration can't be compared with each other")


def length(interval: Interval) -> int:
    """How long an interval is, for comparing: in 4800ths of a microsecond.

    A month counts as the mean of 400 Gregorian years, 146097/4800 days.

    >>> length(Interval(4800, dt.timedelta(0))) == length(Interval(0, dt.timedelta(days=146_097)))
    True
    """
    microsecond = dt.timedelta(microseconds=1)
    month = dt.timedelta(days=146_097) // microsecond
    return interval.months * month + interval.time // microsecond * 4_800


def _same_zone(left: dt.datetime, right: dt.datetime) -> tuple[dt.datetime, dt.datetime]:
    if left.tzinfo is None:
        left = left.replace(tzinfo=right.tzinfo)
    elif right.tzinfo is None:
        right = right.replace(tzinfo=left.tzinfo)
    return left, right


def calculate(left: Any, sign: str, right: Any) -> Any:
    """Sums and differences of moments and intervals; an interval times or by a number.

    >>> calculate(dt.date(2026, 1, 31), "+", Interval(1, dt.timedelta(0)))
    datetime.date(2026, 2, 28)
    """
    try:
        if isinstance(left, dt.date) and isinstance(right, dt.date) and sign == "-":
            return _difference(left, right)
        if isinstance(left, dt.date) and isinstance(right, Interval) and sign in "+-":
            return _shifted(left, right, 1 if sign == "+" else -1)
        if isinstance(left, Interval) and isinstance(right, dt.date) and sign == "+":
            return _shifted(right, left, 1)
        if isinstance(left, Interval) and isinstance(right, Interval) and sign in "+-":
            way = 1 if sign == "+" else -1
            months, time = left.months + way * right.months, left.time + way * right.time
            return Interval(months, time, (left.days or 0) + way * (right.days or 0))
        if isinstance(left, Interval) and isinstance(right, int | Decimal) and sign in "*/":
            return _scaled(left, sign, right)
    except (OverflowError, ValueError, ArithmeticError):
        raise ValueFaultError("a date or duration beyond the calendar") from None
    raise ValueFaultError(f"`{sign}` can't be used on these dates or durations")


def _difference(left: dt.date, right: dt.date) -> Interval:
    if isinstance(left, dt.datetime) and isinstance(right, dt.datetime):
        first, second = _same_zone(left, right)
        return Interval(0, first - second, 0)
    return Interval(0, as_date(left) - as_date(right))


def _shifted(moment: dt.date, interval: Interval, way: int) -> dt.date:
    months = moment.year * 12 + moment.month - 1 + way * interval.months
    year, month = divmod(months, 12)
    last = calendar.monthrange(year, month + 1)[1]
    moved = moment.replace(year=year, month=month + 1, day=min(moment.day, last))
    time = way * interval.time
    if not isinstance(moved, dt.datetime) and time % dt.timedelta(days=1):
        moved = as_timestamp(moved)
    return moved + time


def _scaled(interval: Interval, sign: str, factor: int | Decimal) -> Interval:
    """An interval times or by a number; a part of a month has no length, and is a fault."""
    if sign == "/" and not factor:
        raise ValueFaultError("a division by zero")
    microseconds = Decimal(interval.time // dt.timedelta(microseconds=1))
    months = Decimal(interval.months)
    if sign == "*":
        microseconds, months = microseconds * factor, months * factor
    else:
        microseconds = QUOTIENT.divide(microseconds, factor)
        months = QUOTIENT.divide(months, factor)
    if months != int(months):
        raise ValueFaultError("a part of a month has no fixed length; count in days")
    days = Decimal(interval.days or 0)
    days = days * factor if sign == "*" else QUOTIENT.divide(days, factor)
    return Interval(int(months), dt.timedelta(microseconds=round(microseconds)), int(days))


def field(name: str, value: Any) -> int | Decimal:
    """A field of a moment, time or interval: year, month, day, hour, minute, second."""
    if isinstance(value, Interval):
        return _interval_field(name, value)
    if name == "second" and hasattr(value, "second"):
        return _seconds(value.second, value.microsecond)
    found = getattr(value, name, None)
    if not isinstance(found, int):
        raise ValueFaultError(f"has no {name}")
    return found


def _interval_field(name: str, value: Interval) -> int | Decimal:
    months, time, days = abs(value.months), abs(value.time), abs(value.days or 0)
    parts: dict[str, int | Decimal] = {
        "year": months // 12,
        "month": months % 12,
        "day": days,
        "hour": (time.days - days) * 24 + time.seconds // 3_600,
        "minute": time.seconds // 60 % 60,
        "second": _seconds(time.seconds % 60, time.microseconds),
    }
    negative = value.months < 0 if name in ("year", "month") else value.time < dt.timedelta(0)
    return -parts[name] if negative else parts[name]


def _seconds(seconds: int, microseconds: int) -> int | Decimal:
    return seconds + Decimal(microseconds).scaleb(-6) if microseconds else seconds


# ---- working time ----------------------------------------------------------------------------


def working_time(
    value: Any,
    wanted: str,
    unit: str = "hours",
    hours_per_day: int | Decimal = 8,
    days_per_week: int | Decimal = 5,
) -> int | Decimal | None:
    """A duration in hours, days or weeks of a working calendar.

    ``value`` is an ISO 8601 duration, a text with units ("3 days", "1 wk 2 d"), an interval, or a
    number in ``unit``. A day is so many working hours, a week so many working days.

    >>> working_time("2 wk", "hours"), working_time("PT12H", "days")
    (80, Decimal('1.5'))
    >>> working_time("PT50M", "minutes"), working_time("7 h", "seconds")
    (50, 25200)
    """
    if value is None or value == "":
        return None
    day = Decimal(hours_per_day) * 3_600
    seconds = {
        "milliseconds": Decimal("0.001"),
        "seconds": Decimal(1),
        "minutes": Decimal(60),
        "hours": Decimal(3_600),
        "days": day,
        "weeks": day * days_per_week,
    }
    if not seconds["weeks"]:
        raise ValueFaultError("a working calendar without hours")
    if TIME_UNITS.get(wanted) is None or TIME_UNITS.get(unit) is None:
        units = ", ".join(dict.fromkeys(TIME_UNITS.values()))
        raise ValueFaultError(f"working_time counts in {units}")
    whole = sum((amount * seconds[name] for name, amount in _amounts(value, unit)), Decimal(0))
    result = QUOTIENT.divide(whole, seconds[TIME_UNITS[wanted]]).normalize(QUOTIENT)
    return int(result) if result == int(result) else plain(result)


def _amounts(value: Any, unit: str) -> list[tuple[str, Decimal]]:
    """The parts of a duration: (unit, amount)."""
    if isinstance(value, Interval):
        value = str(value)
    if isinstance(value, int | Decimal) and not isinstance(value, bool):
        return [(TIME_UNITS[unit], Decimal(value))]
    text = str(value).strip()
    number = read_decimal(text)
    if number is not None:
        return [(TIME_UNITS[unit], number)]
    parts = duration_parts(text)
    if parts is not None:
        if parts["years"] or parts["months"]:
            raise ValueFaultError("months have no fixed working time")
        sign = parts["sign"]
        return [
            (name, sign * parts[name]) for name in ("weeks", "days", "hours", "minutes", "seconds")
        ]
    return _mixed(text)


def _mixed(text: str) -> list[tuple[str, Decimal]]:
    found, place = [], 0
    while place < len(text):
        part = _AMOUNT.match(text, place)
        name = TIME_UNITS.get(part[2].lower()) if part else None
        if part is None or name is None:
            raise ValueFaultError("is not a duration (such as PT40H, 3 days, 90 min)")
        found.append((name, Decimal(part[1].replace(",", "."))))
        place = part.end()
    return found
