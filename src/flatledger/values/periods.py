"""Periods of whole days: a day, week, month, quarter or year, a span, or one relative to today."""

from __future__ import annotations

import datetime as dt
import re
from typing import NamedTuple

from .numbers import ValueFaultError

_ABSOLUTE = re.compile(
    r"(?P<year>\d{4})(?:-(?:Q(?P<quarter>[1-4])|W(?P<week>\d\d)|(?P<month>\d\d)(?:-(?P<day>\d\d))?))?"
)
_RELATIVE = re.compile(r"(this|previous|next)[ -](day|week|month|quarter|year)")
_DAYS = {"yesterday": "previous day", "today": "this day", "tomorrow": "next day"}
_STEPS = {"previous": -1, "this": 0, "next": 1}
FORMS = (
    "2026, 2026-Q1, 2026-03, 2026-W12, 2026-03-31, 2026-01-05/2026-02-10 (either end may be `..`), "
    "today, yesterday, or this, previous or next with day, week, month, quarter or year"
)


class Period(NamedTuple):
    """The first and the last day, both in it, and a name that says it without today."""

    first: dt.date
    last: dt.date
    name: str

    def __str__(self) -> str:
        return f"{self.first} to {self.last}"


def parse_period(text: str, today: dt.date) -> Period:
    """Read a period. Days, weeks and months are ISO 8601's, an open end `..` is ISO 8601-2's.

    Raises ValueError, in words for the one who wrote it.

    >>> str(parse_period("2026-Q1", dt.date(2026, 5, 4)))
    '2026-01-01 to 2026-03-31'
    >>> parse_period("previous month", dt.date(2026, 1, 15)).name
    '2025-12'
    """
    bare = " ".join(text.split())
    start, slash, end = bare.partition("/")
    if slash:
        return _span(start.strip(), end.strip(), today)
    lowered = _DAYS.get(bare.lower(), bare.lower())
    relative = _RELATIVE.fullmatch(lowered)
    if relative:
        try:
            return _relative(_STEPS[relative[1]], relative[2], today)
        except (OverflowError, ValueError):
            raise ValueError(f"there is no '{text}' in the calendar") from None
    found = _ABSOLUTE.fullmatch(bare.upper())
    if not found:
        raise ValueError(f"no period '{text}'; the forms are {FORMS}")
    try:
        return _absolute(found, bare.upper())
    except ValueError:
        raise ValueError(f"there is no '{text}' in the calendar") from None


UNITS = ("day", "week", "month", "quarter", "year")


def period_of(moment: dt.date, unit: str) -> str:
    """The period that a day or moment lies in, as ISO 8601 writes it; quarters as `in period` does.

    The texts of one unit are ordered as the periods are. Raises ValueFaultError.

    >>> day = dt.date(2026, 3, 31)
    >>> [period_of(day, unit) for unit in UNITS]
    ['2026-03-31', '2026-W14', '2026-03', '2026-Q1', '2026']
    """
    if unit == "day":
        return f"{moment:%Y-%m-%d}" if moment.year > 999 else moment.isoformat()[:10]
    if unit == "week":
        year, week, _ = moment.isocalendar()
        return f"{year:04d}-W{week:02d}"
    if unit == "month":
        return f"{moment.year:04d}-{moment.month:02d}"
    if unit == "quarter":
        return f"{moment.year:04d}-Q{(moment.month + 2) // 3}"
    if unit == "year":
        return f"{moment.year:04d}"
    raise ValueFaultError(f"`{unit}` is no period; there are {', '.join(UNITS)}")


def period_start(moment: dt.date, unit: str) -> dt.date:
    """The first day of the period that a day or moment lies in. Raises ValueFaultError.

    >>> period_start(dt.datetime(2026, 3, 31, 10), "quarter")
    datetime.date(2026, 1, 1)
    """
    text = period_of(moment, unit)
    try:
        return parse_period(text, dt.date.min).first
    except ValueError:  # a week that begins before the calendar does
        return dt.date.min


def _span(start: str, end: str, today: dt.date) -> Period:
    first = dt.date.min if start == ".." else parse_period(start, today).first
    last = dt.date.max if end == ".." else parse_period(end, today).last
    if last < first:
        raise ValueError(f"the period ends before it begins: {first} to {last}")
    return Period(first, last, f"{first}--{last}")


def _absolute(found: re.Match[str], name: str) -> Period:
    year = int(found["year"])
    if year < dt.MINYEAR:
        raise ValueError("the calendar begins with the year 1")
    if found["day"]:
        day = dt.date.fromisoformat(name)
        return Period(day, day, name)
    if found["week"]:
        monday = dt.date.fromisocalendar(year, int(found["week"]), 1)
        to_end = (dt.date.max - monday).days
        return Period(monday, monday + dt.timedelta(days=min(6, to_end)), name)
    if found["month"]:
        return _months(year, int(found["month"]), 1, name)
    if found["quarter"]:
        return _months(year, 3 * int(found["quarter"]) - 2, 3, name)
    return _months(year, 1, 12, name)


def _months(year: int, month: int, count: int, name: str) -> Period:
    following = year * 12 + month - 1 + count
    after = dt.date(following // 12, following % 12 + 1, 1) if following < 120_000 else None
    last = after - dt.timedelta(days=1) if after else dt.date.max
    return Period(dt.date(year, month, 1), last, name)


def _relative(step: int, unit: str, today: dt.date) -> Period:
    if unit == "day":
        day = today + dt.timedelta(days=step)
        return Period(day, day, str(day))
    if unit == "week":
        year, week, _ = (today + dt.timedelta(weeks=step)).isocalendar()
        return parse_period(f"{year:04d}-W{week:02d}", today)
    if unit == "year":
        return parse_period(f"{today.year + step:04d}", today)
    months = today.year * 12 + today.month - 1 + step * (3 if unit == "quarter" else 1)
    year, month = divmod(months, 12)
    form = f"Q{month // 3 + 1}" if unit == "quarter" else f"{month + 1:02d}"
    return parse_period(f"{year:04d}-{form}", today)
