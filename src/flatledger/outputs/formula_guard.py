"""Texts that a spreadsheet would take for formulas get an apostrophe before them.

A text is taken for one where it begins with ``=``, a tab or a carriage return; or where it begins
with ``+``, ``-`` or ``@`` and holds ``|``, a name directly before ``(``, or ``!`` between two
names. One that begins with apostrophes before such a form gets one more, so that it can be told
which was added.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from ..compile.plain_data import FaultText
from ..layout.column import Column
from ..run.protocols import Row, TotalRow

_FORMULA = re.compile(r"'*+(?:[=\t\r]|[-+@].*?(?:\||[\w.]\(|[\w']!\$?\w))", re.DOTALL)
_NO_TEXT = ("date", "dateTime", "time", "duration", "boolean")


def looks_like_formula(text: str) -> bool:
    """Whether a spreadsheet might take a text for a formula.

    >>> [looks_like_formula(text) for text in ("=A1", "-cmd|' /C x'!A0", "'=A1", "@sum(A1)")]
    [True, True, True, True]
    >>> [looks_like_formula(text) for text in ("-20 °C", "+44 20 (home)", "- wick", "@keeper")]
    [False, False, False, False]
    """
    return _FORMULA.match(text) is not None


class FormulaGuard:
    """Guards the text cells of a table's rows. Values of number and date columns are none.

    ``count`` is how many were guarded; ``first`` says which was the first.
    """

    def __init__(self, columns: Sequence[Column], delimiter: str) -> None:
        self.count = 0
        self.first = ""
        self._columns = columns
        self._delimiter = delimiter
        mark = re.escape(delimiter)
        number = rf"[\d.]++(?:{mark}|[\r\n]|\Z)"
        self._starts = re.compile(rf"(?:\A|[\r\n]|{mark})[\"']*+[-+@](?!{number})")

    def may_matter(self, text: str, rows: int) -> bool:
        """Whether there may be something to guard in the text of some rows; quickly told."""
        if "=" in text or text.count("\r") > rows:
            return True
        if self._delimiter != "\t" and "\t" in text:
            return True
        holds = "(" in text or "!" in text or "|" in text
        return holds and self._starts.search(text) is not None

    def guarded(self, rows: Sequence[Row], number: int) -> list[Row]:
        """The rows, of which the first has this number; 0 is that of the headings."""
        return [self._row(row, place) for place, row in enumerate(rows, number)]

    def _row(self, row: Row, number: int) -> Row:
        cells = list(row)
        for place, cell in enumerate(row):
            if isinstance(cell, str) and looks_like_formula(cell):
                if number and not self._is_text(place, cell, row):
                    continue
                cells[place] = f"'{cell}"
                self._note(place, cell, number)
        return tuple(cells)

    def _is_text(self, place: int, cell: Any, row: Row) -> bool:
        """Whether a cell holds a text: of a number or date column only what could not be read."""
        column = self._columns[place] if place < len(self._columns) else Column("")
        typed = column.numeric or column.datatype in _NO_TEXT
        return not typed or cell.__class__ is FaultText or row.__class__ is TotalRow

    def _note(self, place: int, cell: str, number: int) -> None:
        self.count += 1
        if not self.first:
            heading = self._columns[place].title if place < len(self._columns) else ""
            where = f"row {number:,}, {heading}" if number else "a heading"
            self.first = f"{where}: {cell[:60]}"
