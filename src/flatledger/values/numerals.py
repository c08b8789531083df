"""Watching for numbers that are compared as texts: "9" comes after "100" (docs/rules.md, 24)."""

from __future__ import annotations

import re
from collections.abc import Iterable
from decimal import Decimal
from typing import Any

from .numbers import read_decimal

_CODE = re.compile(r"([^\d]+)\d+")
WAYS = "`datatype: integer` makes them numbers, `datatype: string` says that they are texts"


class NumeralWatch:
    """Follows the values that one key, comparison or extreme is about. ``on``: it need look on.

    Where they are not ``ordered``, as in groups, only numbers beside texts of digits are told. With
    ``codes`` letters before the digits are looked at too (R1, R20), where all have the same.

    >>> watch = NumeralWatch("max(ref)")
    >>> watch.look(["9", "10", "100"])
    >>> watch.notice()[:70]
    'max(ref): 3 values are compared as texts, and all are numerals of diff'
    >>> watch.look(["A1"])
    >>> watch.on, watch.notice()
    (False, '')
    """

    __slots__ = (
        *("_codes", "_count", "_digits", "_first", "_lengths", "_numbers", "_ordered", "_prefix"),
        *("on", "what"),
    )

    def __init__(self, what: str, ordered: bool = True, codes: bool = False) -> None:
        self.what = what
        self.on = True
        self._ordered, self._codes = ordered, codes
        self._prefix: str | None = None  # the letters before the digits, once a value was met
        self._lengths: set[int] = set()
        self._first: list[str] = []
        self._count = self._numbers = self._digits = 0

    def look(self, values: Iterable[Any]) -> None:
        """Take note of values that are compared or ordered."""
        for value in values:
            if isinstance(value, str):
                text = value.strip()
                if not text:
                    continue
                prefix = self._prefix_of(text)
                if prefix is None or prefix != (prefix if self._prefix is None else self._prefix):
                    self.on = False
                    return
                self._prefix = prefix
                self._digits += 1
                self._count += 1
                if len(text) not in self._lengths and len(self._first) < 2:
                    self._first.append(text)
                self._lengths.add(len(text))
            elif isinstance(value, int | Decimal) and not isinstance(value, bool):
                self._numbers += 1

    def _prefix_of(self, text: str) -> str | None:
        """The letters before the digits of a code, blank for a number; None for other texts."""
        if read_decimal(text) is not None:
            return ""
        code = _CODE.fullmatch(text) if self._codes else None
        return None if code is None else code[1]

    def taken(self) -> NumeralWatch:
        """What was seen since this was last asked; where it need not look on, it says so."""
        found = NumeralWatch(self.what, self._ordered, self._codes)
        found.merge(self)
        self._lengths, self._first = set(), []
        self._count = self._numbers = self._digits = 0
        return found

    def merge(self, later: NumeralWatch) -> None:
        """Take in what was seen elsewhere, after this."""
        prefixes = {self._prefix, later._prefix} - {None}
        self.on = self.on and later.on and len(prefixes) < 2
        self._prefix = next(iter(prefixes), None)
        self._first += [
            text for text in later._first if len(text) not in self._lengths and len(self._first) < 2
        ]
        self._first = self._first[:2]
        self._lengths |= later._lengths
        self._count += later._count
        self._numbers += later._numbers
        self._digits += later._digits

    def notice(self) -> str:
        """What to point out, or nothing."""
        if not self.on or not self._digits:
            return ""
        if self._numbers:
            counts = f"{self._numbers:,} values are numbers and {self._digits:,} texts of digits"
            return f"{self.what}: {counts}; {WAYS}"
        if not self._ordered or len(self._lengths) < 2:
            return ""
        shown = ", ".join(self._first)
        if self._prefix:
            return (
                f"{self.what}: values have numbers of different length ({shown}) and are compared "
                "as texts; `collate natural` compares them as numbers"
            )
        return (
            f"{self.what}: {self._count:,} values are compared as texts, and all are numerals of "
            f"different length ({shown}); {WAYS}"
        )


class Unwatched:
    """Stands for a watch where values are met a second time."""

    on = False

    def look(self, values: Iterable[Any]) -> None:
        """Nothing."""

    def note(self, unit: str, number: int) -> None:
        """Nothing."""
