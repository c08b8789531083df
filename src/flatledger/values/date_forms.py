"""Watching for dates in several forms that are compared as texts: 28/03/2026 comes after 2026."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

from .numerals import NumeralWatch
from .visible import shell_quoted

_FORMS = {
    "yyyy-MM-dd": re.compile(r"\d{4}-\d\d-\d\d(?:[T ].*)?"),
    "yyyy/MM/dd": re.compile(r"\d{4}/\d\d?/\d\d?"),
    "yyyyMMdd": re.compile(r"(?:19|20)\d\d[01]\d[0-3]\d"),
    "dd/MM/yyyy": re.compile(r"\d\d?/\d\d?/\d{4}"),
    "dd.MM.yyyy": re.compile(r"\d\d?\.\d\d?\.\d{4}"),
    "dd-MM-yyyy": re.compile(r"\d\d?-\d\d?-\d{4}"),
}
_ENOUGH = 50  # texts that are no dates, where none was met


def form_of(text: str) -> str:
    """The form of a date, as a pattern of UTS #35; blank for any other text. Which of two small
    numbers is the day, nobody can tell.

    >>> form_of("28/03/2026"), form_of("2026-03-28T10:00"), form_of("R-12")
    ('dd/MM/yyyy', 'yyyy-MM-dd', '')
    """
    text = text.strip()
    return next((name for name, form in _FORMS.items() if form.fullmatch(text)), "")


class DateFormWatch:
    """Follows the texts that one comparison is about. ``on``: it need look on.

    >>> watch = DateFormWatch("`raised > '2026-03-01'`", "raised")
    >>> watch.look(["28/03/2026", "2026-03-01"])
    >>> print(watch.notice())
    `raised > '2026-03-01'`: dates are compared as texts in the forms dd/MM/yyyy (28/03/2026) and \
yyyy-MM-dd (2026-03-01); say what they are: --field 'raised: {datatype: date, reads: [dd/MM/yyyy, \
yyyy-MM-dd]}'
    """

    __slots__ = ("_field", "_met", "_others", "on", "what")

    def __init__(self, what: str, field: str) -> None:
        self.what, self._field = what, field
        self.on = True
        self._met: dict[str, str] = {}
        self._others = 0

    def look(self, values: Iterable[Any]) -> None:
        """Take note of values that are compared."""
        for value in values:
            form = form_of(value) if isinstance(value, str) else ""
            if form:
                self._met.setdefault(form, value.strip())
            else:
                self._others += 1
        if (self._others > _ENOUGH and not self._met) or len(self._met) > 1:
            self.on = False

    def taken(self) -> DateFormWatch:
        """What was seen since this was last asked."""
        found = DateFormWatch(self.what, self._field)
        found._met = dict(self._met)
        return found

    def merge(self, later: DateFormWatch) -> None:
        """Take in what was seen elsewhere, after this."""
        self._met = {**later._met, **self._met}

    def notice(self) -> str:
        """What to point out, or nothing."""
        if len(self._met) < 2:
            return ""
        forms = " and ".join(f"{form} ({first})" for form, first in self._met.items())
        declared = f"{self._field}: {{datatype: date, reads: [{', '.join(self._met)}]}}"
        return (
            f"{self.what}: dates are compared as texts in the forms {forms}; say what they are: "
            f"--field {shell_quoted(declared)}"
        )


class ComparisonWatch:
    """What watches one comparison: whether numbers, or dates of several forms, are texts in it."""

    __slots__ = ("_watches", "on")

    def __init__(self, numerals: NumeralWatch, dates: DateFormWatch) -> None:
        self._watches = numerals, dates
        self.on = True

    def look(self, values: Iterable[Any]) -> None:
        """Take note of values that are compared."""
        found = list(values)
        for watch in self._watches:
            if watch.on:
                watch.look(found)
        self.on = any(watch.on for watch in self._watches)
