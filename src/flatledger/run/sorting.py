"""Putting rows in order. Those that do not fit into memory are sorted run by run; the runs are
kept elsewhere and merged."""

from __future__ import annotations

import sys
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterator, Sequence
from itertools import chain, islice
from typing import Any

from ..bounds import MOST_BYTES_SORTED
from ..plan.row_order import classes_met, merging_key, sort_rows
from ..plan.row_type import KeyPlan
from .protocols import Row, RowStore

BLOCK = 2_000
_MERGED = 1_000  # rows of each run that are held at once
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
        self._met: list[set[type]] = [set() for _ in keys]  # classes of the keys' values in runs

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
        self._note(later._met)
        self.add(later._rows)

    def _keep(self) -> None:
        """Put what is in memory away, in order."""
        assert self._store is not None
        sort_rows(self._rows, self._keys)
        self._note(classes_met(self._rows, self._keys))
        self._runs.append(self._store.keep(self._rows))
        self._rows, self._bytes = [], 0

    def _note(self, met: list[set[type]]) -> None:
        for own, other in zip(self._met, met, strict=True):
            own |= other

    def blocks(self) -> Iterator[list[Row]]:
        """The rows in order, some at a time."""
        if not self._runs:
            sort_rows(self._rows, self._keys)
            for start in range(0, len(self._rows), BLOCK):
                yield self._rows[start : start + BLOCK]
            return
        sort_rows(self._rows, self._keys)
        runs = [*(run() for run in self._runs), iter(self._rows)]
        if not self._keys:
            everything = chain(*runs)
            while block := list(islice(everything, BLOCK)):
                yield block
            return
        met = classes_met(self._rows, self._keys)
        for own, other in zip(met, self._met, strict=True):
            own |= other
        yield from merged(runs, merging_key(self._keys, met))


def merged(
    runs: Sequence[Iterator[Row]], key: Callable[[Row], Any], together: int = _MERGED
) -> Iterator[list[Row]]:
    """The rows of sorted runs in order, some at a time; of equal ones those of earlier runs first.

    Some rows of each run are looked at. Those of all runs can be given as far as the least of the
    last ones: what stands in its own run after it comes later. Putting them in order is what
    sorting a list does fastest, since each run is in order already.

    >>> runs = [(1, "a"), (3, "a")], [(1, "b"), (2, "b")]
    >>> [row for block in merged([iter(run) for run in runs], lambda row: row[0]) for row in block]
    [(1, 'a'), (1, 'b'), (2, 'b'), (3, 'a')]
    """
    held = [(run, list(islice(run, together))) for run in runs]
    while held := [(run, rows) for run, rows in held if rows]:
        if len(held) == 1:
            run, rows = held[0]
            yield rows
            held = [(run, list(islice(run, together)))]
            continue
        lasts = [key(rows[-1]) for _, rows in held]
        least = min(lasts)
        first = lasts.index(least)  # of runs after it, equal rows wait for what it still has
        taken: list[Row] = []
        for place, (run, rows) in enumerate(held):
            cut = bisect_right if place <= first else bisect_left
            end = cut(rows, least, key=key)
            taken += rows[:end]
            held[place] = run, rows[end:] or list(islice(run, together))
        taken.sort(key=key)
        yield taken


def _size(rows: list[Row]) -> int:
    """About how many bytes rows take, by some of them."""
    some = rows[:: max(len(rows) // _LOOKED_AT, 1)]
    if not some:
        return 0
    taken = sum(sys.getsizeof(row) + sum(map(sys.getsizeof, row)) for row in some)
    return taken * len(rows) // len(some)
