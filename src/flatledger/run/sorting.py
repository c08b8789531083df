"""Putting rows in order. Those that do not fit into memory are sorted run by run; the runs are
kept elsewhere and merged."""

from __future__ import annotations

import heapq
import sys
from collections.abc import Callable, Iterator, Sequence
from itertools import chain, islice

from ..bounds import MOST_BYTES_SORTED
from ..plan.plan import KeyPlan
from ..plan.row_order import merging_key, sort_rows
from .protocols import Row, RowStore

BLOCK = 2_000
_LOOKED_AT = 8  # rows of a block that are measured


class Sorter:
    """Takes rows in any order, and gives them in theirs as often as they are asked for.

    ``store`` keeps sorted runs once the rows take more than ``most_bytes``; without one, all stay
    in memory.
    """

    def __init__(
        self,
        keys: Sequence[KeyPlan],
        store: RowStore | None = None,
        most_bytes: int = MOST_BYTES_SORTED,
    ) -> None:
        self._keys = keys
        self._store = store
        self._most_bytes = most_bytes
        self._rows: list[Row] = []
        self._bytes = 0
        self._runs: list[Callable[[], Iterator[Row]]] = []

    def add(self, rows: list[Row]) -> None:
        """Take in rows."""
        self._rows += rows
        if self._store is None:
            return
        self._bytes += _size(rows)
        if self._bytes > self._most_bytes:
            self._keep()

    def merge(self, later: Sorter) -> None:
        """Take in the rows of another one, which came later."""
        if later._runs and self._rows:
            self._keep()
        self._runs += later._runs
        self.add(later._rows)

    def _keep(self) -> None:
        """Put what is in memory away, in order."""
        assert self._store is not None
        sort_rows(self._rows, self._keys)
        self._runs.append(self._store.keep(self._rows))
        self._rows, self._bytes = [], 0

    def blocks(self) -> Iterator[list[Row]]:
        """The rows in order, some at a time."""
        if not self._runs:
            sort_rows(self._rows, self._keys)
            for start in range(0, len(self._rows), BLOCK):
                yield self._rows[start : start + BLOCK]
            return
        sort_rows(self._rows, self._keys)
        runs = [*(run() for run in self._runs), iter(self._rows)]
        merged = heapq.merge(*runs, key=merging_key(self._keys)) if self._keys else chain(*runs)
        while block := list(islice(merged, BLOCK)):
            yield block


def _size(rows: list[Row]) -> int:
    """About how many bytes rows take, by some of them."""
    some = rows[:: max(len(rows) // _LOOKED_AT, 1)]
    if not some:
        return 0
    taken = sum(sys.getsizeof(row) + sum(map(sys.getsizeof, row)) for row in some)
    return taken * len(rows) // len(some)
