"""How values are ordered and told apart: truth values, moments, times of day, durations.

Moments go by the instant, one without a zone being in UTC; a day stands before the moment that it
begins with. A duration goes by its length, a month being the mean one (docs/rules.md, 22).
"""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from functools import lru_cache
from typing import Any

from . import times
from .literals import Interval

TRUTH, NUMBER, MOMENT, TIME, INTERVAL, TEXT, WHOLE, FAULT = range(8)  # the order of all values


@lru_cache(maxsize=50_000)
def instant(moment: dt.date) -> str:
    """A day or moment as a text that goes by the instant.

    >>> late = dt.datetime.fromisoformat("2026-03-31T01:30:00+02:00")
    >>> instant(late) < instant(dt.datetime(2026, 3, 31))
    True
    """
    if not isinstance(moment, dt.datetime) or moment.tzinfo is None:
        return moment.isoformat()
    try:
        return moment.astimezone(dt.UTC).replace(tzinfo=None).isoformat()
    except OverflowError:  # at the ends of the calendar
        return moment.replace(tzinfo=None).isoformat()


def clock(time: dt.time) -> int:
    """A time of day in microseconds, in UTC where it has a zone."""
    offset = time.utcoffset() or dt.timedelta(0)
    whole = dt.timedelta(
        hours=time.hour, minutes=time.minute, seconds=time.second, microseconds=time.microsecond
    )
    return (whole - offset) // dt.timedelta(microseconds=1)


def order_key(value: Any) -> tuple[int, Any]:
    """What a truth value, moment, time or interval is ordered by: its kind, then its value.

    >>> order_key(dt.date(2026, 3, 31)) < order_key(dt.datetime(2026, 3, 31, 10))
    True
    """
    if isinstance(value, bool):
        return TRUTH, value
    if isinstance(value, dt.date):
        return MOMENT, instant(value)
    if isinstance(value, dt.time):
        return TIME, clock(value)
    return INTERVAL, times.length(value)


_PLAIN = frozenset((str, int, Decimal, type(None)))  # classes that are told apart as they are


def told_apart(value: Any) -> Any:
    """What equal values have in common and others have not: true is not 1, PT1H is PT60M.

    >>> told_apart(True) == told_apart(1), told_apart("a")
    (False, 'a')
    """
    if value.__class__ in _PLAIN or not isinstance(value, bool | dt.date | dt.time | Interval):
        return value
    return order_key(value)


def distinct_key(value: Any) -> Any:
    """The same of any value: a whole one goes by its content, however deep.

    >>> distinct_key({"no": [1, True]}) == distinct_key({"no": [1, 1]})
    False
    """
    if not isinstance(value, dict | list):
        return told_apart(value)
    found: list[Any] = []
    waiting = [value]
    while waiting:
        item = waiting.pop()
        if isinstance(item, dict):
            found.append((dict, len(item)))
            for pair in reversed(item.items()):
                waiting += reversed(pair)
        elif isinstance(item, list):
            found.append((list, len(item)))
            waiting += reversed(item)
        else:
            found.append(told_apart(item))
    return tuple(found)
