"""Columns that have no value in any row: what may be a slip is pointed out."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ..compile.plain_data import FaultText
from ..plan.plan import ColumnPlan
from .protocols import Row, TotalRow


class BlankColumns:
    """Follows the rows of a table; what is left at the end are columns without a value.

    ``faulty`` are those of them in which something stood that could not be read.
    """

    def __init__(self, columns: Sequence[ColumnPlan], detail: bool) -> None:
        """With ``detail`` total rows say nothing of a column."""
        self._left = {place: one for place, one in enumerate(columns) if one.column.value}
        self._detail = detail
        self._faulty: set[int] = set()
        self.rows = 0

    def look(self, rows: Iterable[Row]) -> None:
        """Take note of what stands in some rows."""
        found = [one for one in rows if not (self._detail and isinstance(one, TotalRow))]
        self.rows += len(found)
        for place in list(self._left):
            cells = [row[place] for row in found if row[place] is not None]
            faulty = sum(cell.__class__ is FaultText for cell in cells)
            if faulty:
                self._faulty.add(place)
            if len(cells) > faulty:
                del self._left[place]

    def found(self) -> list[tuple[ColumnPlan, bool]]:
        """The columns without a value, each with whether something could not be read in it."""
        if not self.rows:
            return []
        return [(one, place in self._faulty) for place, one in self._left.items()]
