"""The guard of texts that a spreadsheet would take for formulas: an apostrophe before them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from ...layout.model.column import Column
from ...layout.model.output_options import Output
from ...run.protocols import Row, TotalRow
from ...values.faults import FaultText
from ...values.formulas import SIGNS, looks_like_formula

_NO_TEXT = ("date", "dateTime", "time", "duration", "boolean")


class FormulaGuard:
    """Guards the text cells of a table's rows. Values of number and date columns are none.

    ``count`` is how many were guarded; ``first`` says which was the first.
    """

    def __init__(self, columns: Sequence[Column], output: Output) -> None:
        self.count = 0
        self.first = ""
        self._columns = columns
        self._marks = (output.delimiter or ",") + output.line_terminator
        self._returns = output.line_terminator.count("\r")
        quotes = f"\"'{output.quote_char or ''}{output.escape_char}"
        before = {(output.delimiter or ",")[-1], output.line_terminator[-1], "\n", *quotes}
        number = rf"[\d.]++(?:[{re.escape(self._marks + quotes)}]|\Z)"
        self._starts = [  # by the letters that come first, which are found fast
            (sign, mark, re.compile(rf"{re.escape(mark + sign)}(?!{number})"))
            for sign in SIGNS
            for mark in sorted(before)
        ]

    def may_matter(self, text: str, rows: int) -> bool:
        """Whether there may be something to guard in the text of some rows; quickly told."""
        if "=" in text or "\uff1d" in text or text.count("\r") > rows * self._returns:
            return True
        if "\t" not in self._marks and "\t" in text:
            return True
        return text.startswith((*SIGNS,)) or any(
            sign in text and mark in text and mark + sign in text and pattern.search(text)
            for sign, mark, pattern in self._starts
        )

    def guarded(self, rows: Sequence[Row], numbers: Sequence[int]) -> list[Row]:
        """The rows that have these numbers; 0 is that of the headings."""
        return [self._row(*pair) for pair in zip(rows, numbers, strict=True)]

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        if not self.count:
            return []
        texts = "1 text" if self.count == 1 else f"{self.count:,} texts"
        begin = "begins" if self.count == 1 else "begin"
        return [
            f"{texts} that a spreadsheet would take for a formula {begin} with an apostrophe; the "
            f"first is {self.first} "
            "(`output: {formula-guard: no}` leaves them as they are)"
        ]

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
        return not typed or cell.__class__ is FaultText or isinstance(row, TotalRow)

    def _note(self, place: int, cell: str, number: int) -> None:
        self.count += 1
        if not self.first:
            heading = self._columns[place].title if place < len(self._columns) else ""
            where = f"row {number:,}, {heading}" if number else "a heading"
            self.first = f"{where}: {cell[:60]}"
