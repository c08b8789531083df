"""Patterns, lists and spans in conditions: like, like_regex, in list, mentions, overlaps."""

from __future__ import annotations

import datetime as dt
import re
import unicodedata
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache
from typing import Any

from . import patterns, times
from .literals import Interval
from .numbers import ValueFaultError
from .parts import parts


class ListWatch:
    """A list that values are looked up in; it notes which of its own were met, and values that
    differ from one of them by case alone (``near``, with what stands on the list).

    >>> watch = ListWatch(["R-1", "R-2"])
    >>> "R-1" in watch, "R-3" in watch, list(watch.unmet())
    (True, False, ['R-2'])
    """

    MOST_NEAR = 20

    def __init__(self, values: Iterable[str] | dict[str, None]) -> None:
        self.values = values if isinstance(values, dict) else dict.fromkeys(values)
        self.met: set[Any] = set()
        self.near: dict[str, str] = {}
        self._folded: dict[str, str] | None = None

    def __contains__(self, value: object) -> bool:
        if value in self.values:
            self.met.add(value)
            return True
        if value.__class__ is str and len(self.near) < self.MOST_NEAR:
            self._look_near(str(value))
        return False

    def _look_near(self, value: str) -> None:
        if self._folded is None:
            texts = (one for one in self.values if isinstance(one, str))
            self._folded = {one.casefold(): one for one in texts}
        listed = self._folded.get(value.casefold())
        if listed is not None:
            self.near[value] = listed

    def unmet(self) -> Iterator[str]:
        """The values that were not asked after, in the order of the list."""
        return (value for value in self.values if value not in self.met)

    def taken(self) -> ListWatch:
        """What was met since this was last asked."""
        found = ListWatch(self.values)
        found.met, self.met = self.met, set()
        found.near, self.near = self.near, {}
        return found

    def merge(self, later: ListWatch) -> None:
        """Take in what was met elsewhere."""
        self.met |= later.met
        self.near = {**later.near, **self.near}


class ValuesSeen:
    """The values of one field that a condition turned away, up to so many different ones."""

    MOST = 200
    SHOWN = 8

    def __init__(self, field: str) -> None:
        self.field = field
        self._counts: Counter[str] = Counter()

    def __call__(self, value: Any) -> None:
        """Take note of a value."""
        if isinstance(value, dict | list):
            return
        text = "blank" if value is None or value == "" else str(value)[:60]
        if text in self._counts or len(self._counts) < self.MOST:
            self._counts[text] += 1

    def taken(self) -> ValuesSeen:
        """What was seen since this was last asked."""
        found = ValuesSeen(self.field)
        found._counts, self._counts = self._counts, Counter()
        return found

    def merge(self, later: ValuesSeen) -> None:
        """Take in what was seen elsewhere, after this."""
        for text, count in later._counts.items():
            if text in self._counts or len(self._counts) < self.MOST:
                self._counts[text] += count

    def most_common(self) -> dict[str, int]:
        """The commonest values with their counts."""
        return dict(self._counts.most_common(self.SHOWN))


def like(text: str, pattern: str, escape: str | None = None) -> bool:
    """`text like pattern escape escape` (ISO 9075)."""
    try:
        return patterns.like(pattern, escape).full(text)
    except ValueError as error:
        raise ValueFaultError(str(error)) from None


def like_regex(text: str, pattern: str) -> bool:
    """Whether a part of the text matches an I-Regexp; `^` and `$` tie it to start and end."""
    compiled = patterns.interoperable(pattern)
    if compiled is None:
        raise ValueFaultError("the pattern is no I-Regexp (RFC 9485)")
    return compiled.part(text)


def mentions(value: Any, words: str) -> bool | None:
    """Whether some text within a value has words in it, whatever their case and accents.

    Words stand whole and next to each other; one that ends in `*` is the beginning of a word.

    >>> mentions({"note": ["A LAMP, and Åse's oil"]}, "lamp"), mentions("lamps", "lamp")
    (True, False)
    >>> mentions("Åse's lamps", "ase's lam*")
    True
    """
    if value is None:
        return None
    has = _words(words)
    return any(has(folded(text)) for text in _texts(value))


@lru_cache(maxsize=1_000)
def _words(words: str) -> Callable[[str], object]:
    """Whether a text has words in it. Of words that begin or end with signs the time is bounded:
    nobody can say at once which of the signs in a text belong to them."""
    parts = folded(words).split()
    if not any(part.strip("*") for part in parts):
        raise ValueFaultError("no word to look for")
    ends = (re.escape(part.rstrip("*")) + (r"\w*" if part[-1] == "*" else "") for part in parts)
    source = r"(?<!\w)" + r"\W+".join(ends) + r"(?!\w)"
    plain = all(re.fullmatch(r"\w(?:.*\w)?\*?", part, re.DOTALL) for part in parts)
    return re.compile(source).search if plain else patterns.Pattern(source).part


def folded(text: str) -> str:
    """A text without case and accents.

    >>> folded("Ångström STRASSE"), folded("Straße")
    ('angstrom strasse', 'strasse')
    """
    if text.isascii():
        return text.lower()
    parted = unicodedata.normalize("NFKD", text.casefold())
    return "".join(letter for letter in parted if not unicodedata.combining(letter))


def _texts(value: Any) -> Iterator[str]:
    """Every text and number within a value."""
    for part in parts(value):
        if part is not None and not isinstance(part, bool):
            yield part if isinstance(part, str) else str(part)


def overlap(start: Any, end: Any, other_start: Any, other_end: Any) -> bool:
    """Whether two spans have a moment in common; an end may be an interval after the start.

    Days are whole: a span that ends on a day and one that begins on it overlap. Between times a
    span does not hold its end (ISO 9075).
    """
    first, second = _span(start, end), _span(other_start, other_end)
    return _begins_before_end(first, second) and _begins_before_end(second, first)


def _span(start: dt.date, end: Any) -> tuple[dt.date, dt.date]:
    if isinstance(end, Interval):
        end = times.calculate(start, "+", end)
    return (end, start) if times.compare(end, "<", start) else (start, end)


def _begins_before_end(one: tuple[dt.date, dt.date], other: tuple[dt.date, dt.date]) -> bool:
    start, end = one[0], other[1]
    timed = isinstance(start, dt.datetime) and isinstance(end, dt.datetime)
    if timed and times.compare(other[0], "<", other[1]):
        return times.compare(start, "<", end)
    return times.compare(start, "<=", end)
