"""Cells that are too long for a spreadsheet, which cuts them off: they are pointed out."""

from __future__ import annotations

from collections.abc import Sequence

from ...layout.model.column import Column
from ...run.protocols import Row

LONGEST = 32_767  # characters that a cell of a spreadsheet holds


class LongCells:
    """Counts the cells of a table that are too long, and remembers the first.

    >>> found = LongCells([Column("Note")])
    >>> found.look_at([("x" * 40_000,)], [1])
    >>> found.notes()[0][:57]
    '1 cell holds more than 32,767 characters, which a spreads'
    """

    def __init__(self, columns: Sequence[Column]) -> None:
        self._columns = columns
        self._looked_at = -1  # rows as far as which the cells are counted
        self._count = 0
        self._first = ""

    def look_at(self, rows: Sequence[Row], numbers: Sequence[int]) -> None:
        """Look at rows that have these numbers; what was seen is passed over."""
        if numbers[0] <= self._looked_at:
            return
        self._looked_at = numbers[0]
        for row_number, row in zip(numbers, rows, strict=True):
            for place, cell in enumerate(row):
                if isinstance(cell, str) and len(cell) > LONGEST:
                    self._count += 1
                    title = self._columns[place].title if place < len(self._columns) else ""
                    self._first = self._first or f"row {row_number:,}, {title} ({len(cell):,})"

    def notes(self) -> list[str]:
        """What to say of them."""
        if not self._count:
            return []
        cells = "1 cell holds" if self._count == 1 else f"{self._count:,} cells hold"
        return [
            f"{cells} more than {LONGEST:,} characters, which a spreadsheet cuts off; the first is "
            f"{self._first}"
        ]
