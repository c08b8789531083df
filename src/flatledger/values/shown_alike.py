"""Telling of keys that a pattern of dates shows alike though they differ: days by their month."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Iterable
from typing import Any

from .times import days

_QUOTED = re.compile(r"'[^']*'")
_UNITS = (  # letters of UTS #35, what they show of a moment, the period of which they show the name
    ("yYuUr", lambda day: day.year, "year"),
    ("Qq", lambda day: (day.month - 1) // 3, "quarter"),
    ("ML", lambda day: day.month, "month"),
    ("w", lambda day: tuple(day.isocalendar()[:2]), "week"),
    ("dDgEec", lambda day: day, "day"),
)
_MOST = 50_000
_DAYS = days()


def period_shown(pattern: str) -> str:
    """The shortest period that a pattern shows; blank where it shows a day, or none.

    >>> period_shown("yyyy-MM"), period_shown("d MMM"), period_shown("'day' Q yyyy")
    ('month', '', 'quarter')
    """
    letters = {*_QUOTED.sub("", pattern)}
    found = [name for fields, _, name in _UNITS if letters & {*fields}]
    return "" if not found or found[-1] == "day" else found[-1]


def _shown_by(pattern: str) -> Callable[[dt.date], Any]:
    letters = {*_QUOTED.sub("", pattern)}
    parts = [show for fields, show, _ in _UNITS if letters & {*fields}]
    return lambda day: tuple(show(day) for show in parts)


class AlikeWatch:
    """Follows the days of one key that a pattern shows.

    >>> watch = AlikeWatch("group by `Month`", "raised", "yyyy-MM")
    >>> watch.look([dt.date(2026, 3, 1), dt.date(2026, 3, 2), None])
    >>> watch.notice()[:62]
    'group by `Month`: 2 days are shown as 1 by the format yyyy-MM;'
    """

    def __init__(self, what: str, value: str, pattern: str) -> None:
        self.what, self._value, self._pattern = what, value, pattern
        self._show = _shown_by(pattern)
        self._met: set[dt.date] = set()

    def look(self, values: Iterable[Any]) -> None:
        """Take note of values of the key."""
        if len(self._met) < _MOST:
            found = (_DAYS[value] if value.__class__ is str else value for value in values)
            self._met.update(value for value in found if isinstance(value, dt.date))

    def taken(self) -> AlikeWatch:
        """What was seen since this was last asked."""
        found = AlikeWatch(self.what, self._value, self._pattern)
        found._met, self._met = self._met, set()
        return found

    def merge(self, later: AlikeWatch) -> None:
        """Take in what was seen elsewhere."""
        self._met |= later._met

    def notice(self) -> str:
        """What to point out, or nothing."""
        shown = len({self._show(day) for day in self._met})
        if shown == len(self._met):
            return ""
        period = period_shown(self._pattern)
        return (
            f"{self.what}: {len(self._met):,} days are shown as {shown:,} by the format "
            f"{self._pattern}; period_of({self._value}, '{period}') makes those of a {period} one"
        )
