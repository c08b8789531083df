"""Tallies: what is known of the values of a column, and the cell that its total shows."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from ..plan.plan import Plan
from ..plan.row_type import ColumnPlan, RowType
from ..values.aggregates import Aggregate
from ..values.faults import FaultText
from ..values.numbers import plain, round_to, unit_of
from .protocols import Row


class Tally:
    """How many values there are, how many blanks, and the state of their aggregate.

    Nodes of a tree that a total does not take are ``passed_over``. Tallies of parts, merged in
    their order, are the tally of the whole.

    >>> from flatledger.values.aggregates import AGGREGATES
    >>> tally = Tally(AGGREGATES["sum"])
    >>> tally.add([1, None, 2])
    >>> tally.count, tally.result()
    (2, 3)
    """

    __slots__ = ("aggregate", "blank", "count", "passed_over", "state")

    def __init__(
        self, aggregate: Aggregate, count: int = 0, state: Any = None, blank: int = 0
    ) -> None:
        self.aggregate = aggregate
        self.count = count
        self.state = aggregate.zero() if state is None else state
        self.blank = blank
        self.passed_over = 0

    @classmethod
    def of(
        cls, aggregate: Aggregate, count: int, state: Any, blank: int, passed_over: int = 0
    ) -> Tally:
        """The tally of so many values; as `grow` makes it of none."""
        tally = cls(aggregate, count, state, blank)
        tally.passed_over = passed_over
        return tally

    def add(self, cells: list[Any]) -> None:
        """Add cells. Blank ones don't count, nor does a text among numbers (a fault)."""
        if self.aggregate.adds:
            try:
                self.state += sum(cells)
            except TypeError:  # one that is no number, which is rare
                pass
            else:
                self.count += len(cells)
                return
        if not self.aggregate.unknown:
            cells = [cell for cell in cells if is_value(cell)]
        self.count += len(cells)
        if cells:
            self.state = self.aggregate.merge(self.state, self.aggregate.of(cells))

    def merge(self, later: Tally) -> None:
        """Take in the tally of values that came later."""
        self.grow(later.count, later.state, later.blank, later.passed_over)

    def grow(self, count: int, state: Any, blank: int, passed_over: int = 0) -> None:
        """Take in so many values that came later, the state of their aggregate, how many blanks,
        and how many nodes that are not taken."""
        self.count += count
        self.blank += blank
        self.passed_over += passed_over
        if self.aggregate.adds:
            self.state += state
        else:
            self.state = self.aggregate.merge(self.state, state)

    def and_then(self, later: Tally) -> Tally:
        """The tally of these and of later values together."""
        whole = Tally(self.aggregate)
        whole.merge(self)
        whole.merge(later)
        return whole

    def result(self, *options: Any) -> Any:
        """What the values result in. Raises ValueFaultError."""
        return self.aggregate.result(self.state, self.count, *options)

    def figure(self) -> Any:
        """The figure by which the balance shows them."""
        return self.aggregate.figure(self.state, self.count)

    def proof(self) -> tuple[Any, ...]:
        """What must be equal on both sides of the balance."""
        return self.aggregate.proof(self.state, self.count)


def is_value(cell: Any) -> bool:
    """Whether a cell holds a value: it is neither blank nor a fault."""
    return cell is not None and cell.__class__ is not FaultText  # mutant: fault-in-total


def tally_of(plan: ColumnPlan) -> Tally:
    """An empty tally for a column with a total."""
    assert plan.column.total is not None
    return Tally(plan.column.total.aggregate)


def total_cell(tally: Tally, plan: ColumnPlan) -> Any:
    """What a total shows: its result, rounded as the column is."""
    value, column = tally.result(), plan.column
    if tally.aggregate.name == "count" or not isinstance(value, int | Decimal):
        return value
    if column.decimals is not None:
        # mutant: total-rounding
        return round_to(value, unit_of(column.decimals), column.rounding)
    return plain(value) if isinstance(value, Decimal) else value


def goes_by_order(plan: Plan) -> bool:
    """Whether some total is another one where the rows come in another order."""
    totals = (column.column.total for column in plan.totalled)
    return any(total.aggregate.ordered for total in totals if total)


class Tallies:
    """One tally for each totalled column, at one depth of groups (0: the whole table); how many
    ``rows`` there are, and how many of them stand for ``entries``."""

    __slots__ = ("columns", "depth", "entries", "rows", "tallies")

    def __init__(self, row_type: RowType, depth: int) -> None:
        self.depth = depth
        self.rows = self.entries = 0
        self.columns = row_type.totalled
        self.tallies = [*map(Tally, row_type.aggregates)]

    def merge(self, later: Tallies) -> None:
        """Take in those of rows that came later."""
        self.count(later.rows, later.entries)
        for own, other in zip(self.tallies, later.tallies, strict=True):
            own.merge(other)

    def count(self, rows: int, entries: int) -> None:
        """Count rows, and those of them that stand for entries."""
        self.rows += rows
        self.entries += entries

    def cells(self) -> list[Any]:
        """The cell of each total, in the order of the columns that have one."""
        return [*map(total_cell, self.tallies, self.columns)]


def cells_of(rows: list[Row], column: ColumnPlan, row_type: RowType) -> list[Any]:
    """A column's cells; where a null is a value too, only of rows that have an entry there."""
    place = column.slot
    if column.column.total and column.column.total.aggregate.unknown:
        entry = row_type.address.start + column.home
        return [row[place] for row in rows if row[entry]]
    return [row[place] for row in rows]


def entries_among(rows: list[Row], row_type: RowType) -> int:
    """How many of some rows stand for an entry: of stacked ones for one of the first level."""
    at = row_type.address.start + row_type.first
    if row_type.stack:
        rows = [row for row in rows if row[row_type.level_slot] == row_type.first]
    return sum(1 for row in rows if row[at])


class Adder:
    """Adds rows to tallies; an entry that several rows repeat is added where its mark says that it
    is new.

    What an entry has falls into one group only, as a rule; of columns that are ``split`` it can
    fall into several.
    """

    def __init__(self, row_type: RowType) -> None:
        self._row_type = row_type
        self._counts = row_type.counted
        self._whole: list[tuple[int, ColumnPlan, int | None]] = []
        self._split: list[tuple[int, ColumnPlan, int]] = []
        for index, column in enumerate(row_type.totalled):
            mark = row_type.mark_slot(column)
            if mark is not None and row_type.splits(column.home):
                self._split.append((index, column, mark))
            else:
                self._whole.append((index, column, mark))

    def add(self, depths: list[Tallies], rows: list[Row]) -> None:
        """Add the same rows to the tallies of several depths of groups."""
        part = Tallies(self._row_type, 0)
        self.add_whole(part, rows)
        for tallies in depths:
            self.merge_whole(tallies, part)
        self.add_split(depths, rows)

    def add_whole(self, tallies: Tallies, rows: list[Row]) -> None:
        """Add rows in the columns that are not split."""
        if self._counts:
            tallies.count(len(rows), entries_among(rows, self._row_type))
        for index, column, mark in self._whole:
            # mutant: once-each
            new = rows if mark is None else [row for row in rows if not row[mark]]
            tallies.tallies[index].add(cells_of(new, column, self._row_type))

    def merge_whole(self, tallies: Tallies, later: Tallies) -> None:
        """Take in tallies in the columns that are not split."""
        tallies.count(later.rows, later.entries)
        for index, _, _ in self._whole:
            tallies.tallies[index].merge(later.tallies[index])

    def add_split(self, depths: list[Tallies], rows: list[Row]) -> None:
        """Add rows in the columns that are split, to the tallies of several depths of groups."""
        for index, column, mark in self._split:
            for tallies in depths:
                new = [row for row in rows if row[mark] <= tallies.depth]  # mutant: split-marks
                tallies.tallies[index].add(cells_of(new, column, self._row_type))
