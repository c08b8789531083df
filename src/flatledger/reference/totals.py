"""Totals: each kept entry of a column's home once (rules 15, 16 and 19)."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from ..language import nodes as n
from ..layout.model.column import Column
from ..plan.plan import Plan
from ..structure.structure import MEMBERS
from .aggregates import result
from .entries import Entry
from .exact import is_number, rounded
from .faults import Raw
from .reading import Reading, RowRead
from .trees import is_leaf, is_top


class Row(NamedTuple):
    """A row with the reading of its record."""

    read: RowRead
    reading: Reading

    @property
    def cells(self) -> tuple[Any, ...]:
        return self.read.cells


class Totalled:
    """One column with a total."""

    def __init__(self, plan: Plan, place: int) -> None:
        self._plan, self._place = plan, place
        self.column: Column = plan.columns[place].column

    def home(self, reading: Reading) -> int:
        """The level whose entries are added: the column's home. A value of a higher level, which is
        shown where a key is met, is added once for each entry of its own level (rule 21)."""
        home = reading.home(self.column)
        if self.column.once and self.column.value is not None:
            node = self.column.value.node
            assert isinstance(node, n.Case)
            return min(home, reading.homes.of(node.branches[0][1], reading.levels))
        return home

    def values(self, rows: Iterable[Row]) -> list[Any]:
        """The cells that are added up, blanks among them: of each entry that is new, one."""
        met: set[int] = set()
        found = []
        for row in rows:
            home = self.home(row.reading)
            if home >= len(row.read.here):
                continue
            entry, cell = row.read.here[home], row.cells[self._place]
            if id(entry) in met or not self._takes(row.reading, entry):
                continue
            if self.column.once and cell is None:
                continue
            met.add(id(entry))
            found.append(cell)
        return found

    def _takes(self, reading: Reading, entry: Entry) -> bool:
        """Of a tree some nodes alone are added: the leaves, unless the layout says otherwise."""
        level = self._plan.chain.levels[self.home(reading)]
        total = self.column.total
        assert total is not None
        if level not in self._plan.chain.known.trees or level[-1:] == (MEMBERS,):
            return True
        nodes = total.nodes or ("all" if total.part else nodes_by_default(self.column, reading))
        if nodes == "leaves":
            return is_leaf(reading.record, entry)
        return nodes == "all" or is_top(reading.record, entry)

    def figure(self, rows: Iterable[Row]) -> Any:
        """What the cells add up to, as the balance has it."""
        assert self.column.total is not None
        values = [one for one in self.values(rows) if one is not None and not isinstance(one, Raw)]
        if self.column.total.aggregate.unknown:
            values = self.values(rows)
        return result(self.column.total.name, values, "", distinct=self.column.total.distinct)

    def cell(self, rows: Iterable[Row]) -> Any:
        """The cell of a total row: the exact sum of the rounded cells (rule 16)."""
        figure = self.figure(rows)
        decimals = self.column.decimals
        assert self.column.total is not None
        if decimals is None or not is_number(figure) or self.column.total.name == "count":
            return figure
        return rounded(figure, decimals, self.column.rounding)


def nodes_by_default(column: Column, reading: Reading) -> str:
    """Which nodes a total takes where the layout does not say: sums and means the leaves, since
    what is above them may sum them up; a column that counts what a node has itself, all (rule 19).
    """
    assert column.total is not None
    if column.total.name not in ("sum", "avg"):
        return "all"
    return "all" if counts_own_entries(column, reading) else "leaves"


def counts_own_entries(column: Column, reading: Reading) -> bool:
    """Whether a column is a count of entries that each node has at a side level."""
    node = column.value.node if column.value is not None else None
    if not isinstance(node, n.Call) or node.name != "count":
        return False
    reach = reading.expressions.aggregates.reach(node, reading.levels)
    return reach.under is None and reach.base == reading.home(column)


def totalled(plan: Plan) -> list[Totalled]:
    """The columns with a total, suppressed ones included."""
    return [Totalled(plan, at) for at, one in enumerate(plan.columns) if one.column.total]
