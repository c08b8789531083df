"""The primary key: the columns that identify a row. Doubles and blanks in them are faults."""

from __future__ import annotations

from typing import Any

from .faults import Fault, FaultLog
from .functions import text_of
from .plan import KeyPlan, Plan
from .protocols import Row, RowStore
from .sorting import Sorter

_TOGETHER = 2_000  # keys that are sorted in at once


class Absent:
    """Stands in a key for a column of a level at which a row has no entry."""


ABSENT = Absent()


class IdentityWatch:
    """Follows the keys of the rows. Those that do not fit into memory are kept in the store."""

    def __init__(self, plan: Plan, log: FaultLog, store: RowStore | None) -> None:
        self._headings = plan.model.primary_key
        self._log = log
        keys = [KeyPlan(place, 0, "") for place in range(len(self._headings) + 1)]
        self._sorter = Sorter(keys, store)
        self._held: list[Row] = []

    def __call__(self, cells: tuple[Any, ...], number: int) -> None:
        """Take note of the key of a row, made from a record."""
        texts = tuple("" if cell is None or cell is ABSENT else text_of(cell) for cell in cells)
        for heading, cell in zip(self._headings, cells, strict=True):
            if cell is None:
                reason = "blank, and it is part of the primary key"
                self._log.add(Fault(number, heading, "", reason))
        self._held.append((*texts, number))
        if len(self._held) >= _TOGETHER:
            self._sorter.add(self._held)
            self._held = []

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
                    self._log.add(Fault(row[-1], where, value, reason))
                else:
                    before = row
