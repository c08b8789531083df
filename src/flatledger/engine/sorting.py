"""Putting rows in order: several keys, each its own way, stable, with values of any kinds.

Rows that do not fit into memory are sorted run by run; the runs are kept elsewhere and merged.
"""

from __future__ import annotations

import heapq
import sys
from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal
from itertools import chain, islice
from typing import Any

import msgspec

from ..language.nodes import SortKey
from ..values.collations import collation_key
from ..values.functions import text_of
from ..values.ordering import FAULT, NUMBER, TEXT, WHOLE, order_key
from .plan import KeyPlan
from .protocols import Row, RowStore

BLOCK = 2_000
MOST_BYTES = 64_000_000  # of rows that are held in memory, as far as their cells tell
_LAST = 9
_LOOKED_AT = 8  # rows of a block that are measured

Rank = Callable[[Row], tuple[Any, ...]]


class Sorter:
    """Takes rows in any order, and gives them in theirs as often as they are asked for.

    ``store`` keeps sorted runs once the rows take more than ``most_bytes``; without one, all stay
    in memory.
    """

    def __init__(
        self, keys: Sequence[KeyPlan], store: RowStore | None = None, most_bytes: int = MOST_BYTES
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


def sort_rows(rows: list[Row], keys: Sequence[KeyPlan]) -> None:
    """Sort rows in place: numbers, moments, times, durations, texts, faults; nulls come last.

    Sorting by the last key first, each time stably, gives the order by all of them; a key that
    goes downwards is quicker that way.
    """
    if not keys:
        return
    if not any(key.descending for key in keys):
        rows.sort(key=merging_key(keys))
        return
    for key in reversed(keys):
        upwards = msgspec.structs.replace(key, descending=False)
        if key.descending:
            upwards = msgspec.structs.replace(upwards, nulls_first=not key.nulls_first)
        rows.sort(key=_rank(upwards), reverse=key.descending)


def pair_order(order: SortKey) -> KeyPlan:
    """The key of pairs of a value and what it is ordered by."""
    return KeyPlan(1, 0, "", order.descending, order.nulls_first is True, order.collation)


def in_order(pairs: list[Row], key: KeyPlan) -> list[Any]:
    """The values of pairs, in the order of what they are ordered by.

    >>> in_order([("Bo", 3), ("Ann", 1), ("Cy", None)], KeyPlan(1, 0, ""))
    ['Ann', 'Bo', 'Cy']
    """
    sort_rows(pairs, [key])
    return [value for value, _ in pairs]


def merging_key(keys: Sequence[KeyPlan]) -> Rank:
    """One key for all: comparing it orders rows as `sort_rows` does."""
    ranks = [_rank(key) for key in keys]
    if len(ranks) == 1:
        return ranks[0]

    def whole(row: Row) -> tuple[Any, ...]:
        found: tuple[Any, ...] = ()
        for rank in ranks:
            found += rank(row)
        return found

    return whole


def _json(value: Any) -> str:
    return msgspec.json.encode(value, enc_hook=text_of).decode()


class _Backwards:
    """A text whose order is turned round."""

    __slots__ = ("key",)

    def __init__(self, key: Any) -> None:
        self.key = key

    def __lt__(self, other: _Backwards) -> bool:
        return bool(other.key < self.key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Backwards) and bool(other.key == self.key)


def _rank(key: KeyPlan) -> Rank:
    place, down = key.place, key.descending
    null = (-_LAST, 0) if key.nulls_first else (_LAST, 0)
    if key.collation:
        return _collated(key, null, collation_key(key.collation))

    def rank(row: Row) -> tuple[int, Any]:
        value = row[place]
        if value.__class__ is str:
            return (-TEXT, _Backwards(value)) if down else (TEXT, value)
        if value is None:
            return null
        if isinstance(value, int | Decimal) and value.__class__ is not bool:
            return (-NUMBER, -value) if down else (NUMBER, value)
        if isinstance(value, str):
            order, own = FAULT, str(value)
        elif isinstance(value, dict | list):
            order, own = WHOLE, _json(value)
        else:
            order, own = order_key(value)
        return (-order, _Backwards(own)) if down else (order, own)

    return rank


def _collated(key: KeyPlan, null: tuple[int, Any], collate: Callable[[str], Any]) -> Rank:
    """A rank by the text of a value; what the collation holds equal goes by code point."""
    place, down = key.place, key.descending

    def rank(row: Row) -> tuple[int, Any]:
        value = row[place]
        if value is None:
            return null
        text = value if isinstance(value, str) else text_of(value)
        whole = collate(text), text
        return 4, _Backwards(whole) if down else whole

    return rank


def grouped_order(sort: Sequence[KeyPlan], group: Sequence[KeyPlan]) -> list[KeyPlan]:
    """The order of rows in groups: by the groups first, so that none comes in pieces.

    A group key that is also a sort key goes the way that the sort says.
    """
    ways = {key.place: key for key in reversed(sort)}
    groups = [ways.get(key.place, key) for key in group]
    places = {key.place for key in groups}
    return groups + [key for key in sort if key.place not in places]
