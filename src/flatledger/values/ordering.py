"""How values that are written as texts are ordered and told apart: moments, times, durations.

Moments go by the instant, one without a zone being in UTC; a day stands before the moment that it
begins with. A duration goes by its length, a month being the mean one (DESIGN, rule 22).
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from functools import lru_cache
from typing import Any

from . import times
from .functions import text_of
from .literals import Interval
from .numbers import ValueFaultError

ORDERED_KINDS = ("moment", "time", "interval")
Canonical = Callable[[str], Any]


@lru_cache(maxsize=50_000)
def instant(text: str) -> str:
    """A day or moment as a text that goes by the instant.

    >>> instant("2026-03-31T01:30:00+02:00") < instant("2026-03-31T00:00:00")
    True
    """
    try:
        moment = times.as_moment(text)
    except ValueFaultError:
        return text
    if not isinstance(moment, dt.datetime) or moment.tzinfo is None:
        return moment.isoformat()
    try:
        return moment.astimezone(dt.UTC).replace(tzinfo=None).isoformat()
    except OverflowError:  # at the ends of the calendar
        return moment.replace(tzinfo=None).isoformat()


@lru_cache(maxsize=50_000)
def clock(text: str) -> int:
    """A time of day in microseconds, in UTC where it has a zone."""
    time = times.as_time(text)
    offset = time.utcoffset() or dt.timedelta(0)
    whole = dt.timedelta(
        hours=time.hour, minutes=time.minute, seconds=time.second, microseconds=time.microsecond
    )
    return (whole - offset) // dt.timedelta(microseconds=1)


@lru_cache(maxsize=50_000)
def length(text: str) -> int:
    """A duration by its length."""
    return times.length(times.as_interval(text))


CANONICAL: dict[str, Canonical] = {"moment": instant, "time": clock, "interval": length}


class Alike(str):
    """The text of a moment, time or duration: those that are equal are one, however written.

    ``place`` is that of its kind in the order of all values.

    >>> Alike.of("PT1H", "interval") == Alike.of("PT60M", "interval")
    True
    """

    __slots__ = ("canonical", "place")
    canonical: Any
    place: int

    @classmethod
    def of(cls, text: str, kind: str) -> Alike:
        """A text of a kind of value."""
        return cls._made(text, CANONICAL[kind](text), ORDERED_KINDS.index(kind))

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Alike):
            return False
        return bool((self.place, self.canonical) == (other.place, other.canonical))

    def __ne__(self, other: object) -> bool:
        return not self == other

    def __hash__(self) -> int:
        return hash(self.canonical)

    def __lt__(self, other: Any) -> bool:
        return bool(self.canonical < other.canonical)

    def __gt__(self, other: Any) -> bool:
        return bool(self.canonical > other.canonical)

    def __reduce__(self) -> Any:
        return Alike._made, (str(self), self.canonical, self.place)

    @classmethod
    def _made(cls, text: str, canonical: Any, place: int) -> Alike:
        made = cls(text)
        made.canonical, made.place = canonical, place
        return made


def alike_of(value: Any) -> Alike:
    """A moment, time or duration as the text that stands for it."""
    kind = "interval" if isinstance(value, Interval) else "moment"
    return Alike.of(text_of(value), "time" if isinstance(value, dt.time) else kind)


def order_key(value: Any) -> tuple[int, Any]:
    """What a moment, time or interval is ordered by: its kind, then its value (DESIGN, rule 22).

    >>> order_key(dt.date(2026, 3, 31)) < order_key(dt.datetime(2026, 3, 31, 10))
    True
    """
    alike = alike_of(value)
    return alike.place, alike.canonical


def distinct_key(value: Any) -> Any:
    """What tells a value apart from others: true is not 1; a whole value goes by its content."""
    if isinstance(value, bool):
        return bool, value
    if isinstance(value, dict):
        return dict, tuple((key, distinct_key(part)) for key, part in value.items())
    if isinstance(value, list):
        return list, tuple(map(distinct_key, value))
    return value
