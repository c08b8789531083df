"""Families in stacked rows: an entry of the first level with all rows below it stays together."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from itertools import pairwise
from operator import itemgetter

from ..plan.row_order import sort_rows
from ..plan.row_type import RowType
from .protocols import Row


def is_below_first(row_type: RowType) -> Callable[[Row], bool]:
    """Tells rows that belong to the family of the row before them."""
    slot, first = row_type.level_slot, row_type.first
    return lambda row: row[slot] > first


class Families:
    """Orders the rows of lower levels below their parents."""

    def __init__(self, row_type: RowType) -> None:
        self._row_type, within = row_type, row_type.within
        self._keys = [[key for key in within if key.home == level] for level in row_type.stack]

    def arranged(self, rows: list[Row]) -> list[Row]:
        """Rows in the order of their entries, those of each parent as the keys say."""
        return self._below(rows, 0)

    def _below(self, rows: list[Row], at: int) -> list[Row]:
        """What stands below one parent: the entries of a level of the stack, in order."""
        if at == len(self._keys):
            return rows
        parts = self._split(rows, self._row_type.stack[at])
        if keys := self._keys[at]:
            heads = [(*part[0], place) for place, part in enumerate(parts)]
            sort_rows(heads, keys)
            parts = [parts[head[-1]] for head in heads]
        return [row for part in parts for row in (part[0], *self._below(part[1:], at + 1))]

    def _split(self, rows: Sequence[Row], level: int) -> list[list[Row]]:
        """Rows cut before each that is of a level, or of one above it."""
        slot, parts = self._row_type.level_slot, list[list[Row]]()
        for row in rows:
            if not parts or row[slot] <= level:
                parts.append([])
            parts[-1].append(row)
        return parts


class FamilyWatch:
    """Follows stacked rows as they are given: each stands below its own parent, and none is lost.

    ``counts`` are the rows of each level; one without entries counts with those of the first.
    """

    def __init__(self, row_type: RowType) -> None:
        self._slot, start = row_type.level_slot, row_type.address.start
        pairs = [*pairwise(row_type.stack)]
        self._own = {above: slice(start, start + above + 1) for above, _ in pairs}
        self._above = {level: (above, self._own[above]) for above, level in pairs}
        self._open: dict[int, Row] = {}  # of a level the entry of the row that came last
        self.counts = Counter(dict.fromkeys(row_type.stack, 0))
        self.wrong: set[int] = set()  # levels of which a row stands elsewhere

    def given(self, rows: list[Row]) -> None:
        """Take note of rows in the order in which they stand."""
        self.cut(rows)
        slot, own, above, stands = self._slot, self._own, self._above, self._open
        for row in rows:
            level = row[slot]
            if level in above:
                parent, address = above[level]
                if stands.get(parent) != row[address]:  # mutant: torn-family
                    self.wrong.add(level)
            if level in own:
                stands[level] = row[own[level]]

    def cut(self, rows: list[Row]) -> None:
        """Take note of rows that are not given."""
        self.counts.update(map(itemgetter(self._slot), rows))
