"""Group values that stand on the first row of their group alone, or on a row of their own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..plan.plan import Plan
from ..plan.row_type import RowType
from ..values.ordering import told_apart
from .groups import GroupKeys, Key
from .protocols import PartialRow, Row
from .totalling import Made, TotalMade


class FirstOnly:
    """Blanks the values of keys on all rows of a group but the first, as rows go by.

    ``active``: some key is written so.
    """

    def __init__(self, plan: Plan, row_type: RowType) -> None:
        width = len(plan.written)
        pairs = zip(plan.layout.group, plan.group, strict=True)
        innermost = 0 if plan.layout.totals.detail else len(plan.group)  # which has no other row
        self._places = [  # by the depth of the groups, and whether they have a row of their own
            (depth, key.place, said.shown == "row")
            for depth, (said, key) in enumerate(pairs, 1)
            if said.shown != "each" and key.place < width and depth != innermost
        ]
        self.active = bool(self._places)
        self._keys = GroupKeys(row_type)
        self._last: Key | None = None
        self._all = frozenset(range(width))

    def of(self, given: list[Row], whole: list[Row]) -> list[Row]:
        """Rows as they are given, whose ``whole`` ones say their groups."""
        key_of = self._keys.of(whole)
        return [self._blanked(row, key_of(own)) for row, own in zip(given, whole, strict=True)]

    def of_group(self, made: Made, rows: Sequence[Row]) -> Sequence[Row]:
        """The rows of a group whose own rows are not written, or of another total."""
        if not (self.active and isinstance(made, TotalMade) and made.innermost):
            return rows
        return [self._blanked(rows[0], tuple(map(told_apart, made.group))), *rows[1:]]

    def _blanked(self, row: Row, key: Key) -> Row:
        """A row in which nothing stands of groups that the row before was in."""
        last, self._last = self._last, key
        again = [
            place
            for depth, place, named in self._places
            if named or (last is not None and last[:depth] == key[:depth])
        ]
        if not again:
            return row
        cells: list[Any] = list(row)
        for place in again:
            cells[place] = None
        return PartialRow(cells).owning(self._all - frozenset(again))
