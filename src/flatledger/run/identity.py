"""The primary key: the columns that identify a row. Doubles and blanks in them are faults."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..plan.plan import Plan
from ..plan.row_type import KeyPlan, RowType
from ..values.faults import Fault
from ..values.functions import text_of
from .protocols import Row, RowStore
from .sorting import Sorter

_TOGETHER = 2_000  # keys that are sorted in at once
_BLANK = "blank, and it is part of the primary key"


class IdentityWatch:
    """Follows the keys of the rows. Those that do not fit into memory are kept in the store."""

    def __init__(
        self,
        plan: Plan,
        row_type: RowType,
        faults: Callable[[Fault], None],
        store: RowStore | None,
    ) -> None:
        self._headings = plan.layout.primary_key
        self._columns = [row_type.column(heading) for heading in self._headings]
        self._address, self._row_type = row_type.address, row_type
        self._add = faults
        keys = [KeyPlan(place, 0, "") for place in range(len(self._headings) + 1)]
        self._sorter = Sorter(keys, store)
        self._held: list[Row] = []

    def rows(self, rows: list[Row]) -> None:
        """Take note of the keys of rows, which know their entries; of stacked ones only those of
        the level that the key is of."""
        if self._row_type.stack:
            level = self._row_type.home_row_of_all(self._columns)
            rows = [row for row in rows if row[self._row_type.level_slot] == level]
        start = self._address.start
        numbers = [row[start] for row in rows]
        cells = [[row[plan.slot] for row in rows] for plan in self._columns]
        if any(None in column for column in cells):
            self._tell_blanks(rows)
        self._held += zip(*map(_texts, cells), numbers, strict=True)
        self._take_in()

    def _tell_blanks(self, rows: list[Row]) -> None:
        """Tell of entries whose key is blank in part."""
        for row in rows:
            number, *ordinals = row[self._address]
            for heading, plan in zip(self._headings, self._columns, strict=True):
                if row[plan.slot] is None and row[self._address.start + plan.at]:
                    known = tuple(ordinal for ordinal in ordinals if ordinal)
                    self._add(Fault(number, heading, "", _BLANK, ordinals=known))

    def group(self, cells: list[Any], number: int) -> None:
        """Take note of the key of a group's row."""
        for heading, cell in zip(self._headings, cells, strict=True):
            if cell is None:
                self._add(Fault(number, heading, "", _BLANK))
        self._held.append((*_texts(cells), number))
        self._take_in()

    def _take_in(self) -> None:
        if len(self._held) >= _TOGETHER:
            self._sorter.add(self._held)
            self._held = []

    def merge(self, later: IdentityWatch) -> None:
        """Take in the keys of rows that came later."""
        self._sorter.add(self._held)
        self._held = []
        later._sorter.add(later._held)
        self._sorter.merge(later._sorter)

    def tell_doubles(self) -> None:
        """Tell of the keys that came more than once, when all rows have been met."""
        self._sorter.add(self._held)
        self._held = []
        before: Row = ()
        for block in self._sorter.blocks():
            for row in block:
                if row[:-1] == before[:-1] and any(row[:-1]):
                    where = " and ".join(self._headings)
                    value = ", ".join(row[:-1])
                    reason = f"this primary key stands in record {before[-1]:,} too"
                    self._add(Fault(row[-1], where, value, reason))
                else:
                    before = row


def _texts(cells: list[Any]) -> list[str]:
    """Cells as texts; nulls as blank ones."""
    classes = {*map(type, cells)}
    if classes <= {str}:
        return cells
    if classes <= {int}:
        return [*map(str, cells)]
    return ["" if cell is None else text_of(cell) for cell in cells]
