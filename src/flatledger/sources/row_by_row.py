"""Rows of delimited text one by one, where it is not all as RFC 4180 has it."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterator
from typing import Any


class RowByRow:
    """Takes rows out of lines. ``reader`` makes a reader of lines, a strict one or one that takes
    what it finds; ``width`` is how many cells a row should have, or 0.

    ``starts`` are the places of the lines that the rows begin on. ``wrong`` are lines on which a
    quote opens that does not end: each with how many rows stand before it, and its place. ``odd``
    are rows (by their places) with text after a closing quote.
    """

    def __init__(
        self, reader: Callable[[Iterator[str], bool], Any], width: int, comment_prefix: str
    ) -> None:
        self.rows: list[list[str]] = []
        self.starts: list[int] = []
        self.wrong: list[tuple[int, int]] = []
        self.odd: list[int] = []
        self._reader, self._width, self._comment = reader, width, comment_prefix

    def read(self, lines: list[str], final: bool) -> int:
        """Read some lines, as far as is certain; the place of the first that is not read.

        Where they are not the ``final`` ones, a quote may end in those that follow. One that never
        ends is told, and what follows its line is to be read for itself.
        """
        source = _From(lines)
        rows = self._reader(source, True)
        while source.at < len(lines):
            at = source.at
            if self._comment and lines[at].startswith(self._comment):
                source.at += 1
                continue
            row = self._next(rows, source)
            if row is None and source.ran_out and not final:
                return at
            if row is None:
                several, endless = source.at - at > 1 or source.ran_out, source.ran_out
                source.at, source.ran_out = at + 1, False
                rows = self._reader(source, True)
                if several:
                    self.wrong.append((len(self.rows), at))
                    if endless:
                        return at + 1
                    continue
                row = next(self._reader(iter([lines[at]]), False))
                self.odd.append(len(self.rows))
            if row:
                self.rows.append(row)
                self.starts.append(at)
        return len(lines)

    def _next(self, rows: Any, source: _From) -> list[str] | None:
        """The next row; None where it is none, or where it goes over several lines and has another
        number of cells than it should."""
        at = source.at
        try:
            row: list[str] = next(rows)
        except csv.Error:
            return None
        fits = source.at - at == 1 or not self._width or len(row) in (0, self._width)
        return row if fits else None


class _From(Iterator[str]):
    """Lines from a place on. ``ran_out``: more were asked for than there are."""

    def __init__(self, lines: list[str]) -> None:
        self._lines = lines
        self.at = 0
        self.ran_out = False

    def __next__(self) -> str:
        if self.at == len(self._lines):
            self.ran_out = True
            raise StopIteration
        self.at += 1
        return self._lines[self.at - 1]
