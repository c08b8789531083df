"""Columns by level: where the cells of stacked rows stand, each level having columns of its own.

A row of the table has the columns of all levels; one that is written has those of its own level
alone, and lower levels may be indented. A total row is written once for each level with a total.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ...layout.model.model import LayoutParts
from ...run.protocols import GroupHeading, Row, StackedRow, TotalRow

Part = tuple[int, list[int]]  # a level, by its place in the stack, and the slots of its columns


class Arrangement:
    """Where cells stand. ``active``: there are columns by level; else a row is written as it is.

    ``width`` is how many cells a row that is written has, ``before`` how many stand before those
    of the columns: one, where the level's name comes first (``named``).
    """

    def __init__(self, layout: LayoutParts, *, named: bool = False) -> None:
        columns = layout.written
        self.active = layout.by_level
        self.names = [one.text.strip() for one in layout.row_per]
        self._named, self.before = named, int(named)
        self._repeats = layout.output.headings == "each-family" and layout.output.header
        self._begun = False  # whether a family has begun by now
        levels = range(len(layout.row_per)) if self.active else ()
        self.slots = [[at for at, one in enumerate(columns) if one.level == own] for own in levels]
        self.places = [self.before + place for place in layout.places]
        self.width = max(self.places, default=0) + 1
        self._totalled = [
            level for level in levels if any(columns[at].total for at in self.slots[level])
        ]

    def headed(self, row: Row) -> bool:
        """Whether the headings stand above a row again; asked of each row once, in their order."""
        if not (self._repeats and isinstance(row, StackedRow) and row.place == 0):
            return False
        begun, self._begun = self._begun, True
        return begun

    def parts(self, row: Row) -> list[Part]:
        """The levels whose cells are written of a row, one row for each."""
        if isinstance(row, GroupHeading):
            levels = [0]
        elif isinstance(row, TotalRow):
            levels = self._totalled
        else:
            levels = [row.place] if isinstance(row, StackedRow) else []
        return [(level, self.slots[level]) for level in levels]

    def rows(self, row: Row, cells: Sequence[Any]) -> list[tuple[Any, ...]]:
        """What is written of a row whose cells are these."""
        return [self._arranged(*part, cells) for part in self.parts(row)]

    def headings(self, rows: Sequence[Sequence[str]]) -> list[tuple[str, ...]]:
        """The rows of headings, one for each level, with the level's name if that comes first."""
        names = [(name,) if self._named else () for name in self.names]
        return [(*name, *row) for name, row in zip(names, rows, strict=False)]

    def _arranged(self, level: int, slots: list[int], cells: Sequence[Any]) -> tuple[Any, ...]:
        found: list[Any] = [None] * self.width
        if self._named:
            found[0] = self.names[level]
        for slot in slots:
            found[self.places[slot]] = cells[slot]
        return tuple(found)

    def back(self, row: Row, read: Sequence[Sequence[Any]]) -> list[Any] | None:
        """The cells of a row from those that are read of it again; None where others are there."""
        found: list[Any] = [None] * len(self.places)
        for (level, slots), cells in zip(self.parts(row), read, strict=True):
            places = {self.places[slot]: slot for slot in slots}
            if self._named and (not cells or cells[0] != self.names[level]):
                return None
            for place, cell in enumerate(cells[self.before :], self.before):
                if place in places:
                    found[places[place]] = cell
                elif cell not in (None, ""):
                    return None
        return found
