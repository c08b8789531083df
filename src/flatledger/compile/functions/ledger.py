"""Ledgers of control sums: a list of parts for each group, filled as entries pass.

Ledgers of parts of the records are merged part by part; only the whole is read.
"""

from __future__ import annotations

from operator import add
from typing import Any, NamedTuple

from ...plan.plan import Plan
from ...plan.row_type import ColumnPlan
from ...values.aggregates import Aggregate

Sums = tuple[int, Any, int] | tuple[int, Any, int, int]  # see `Tally.grow`
Key = tuple[Any, ...]
Ledger = dict[Key, list[Any]]
OWN = "own"  # the variable that holds the list of an entry's group


class ColumnParts(NamedTuple):
    """The places of a column's parts in a list: the state of its aggregate (none where that is
    known without one), blanks, texts among numbers, how many entries were met and, of a tree, how
    many of its nodes are taken."""

    state: int | None
    blank: int
    text: int
    met: int
    counted: int | None = None

    @property
    def names(self) -> tuple[str, str, str]:
        """The state, blanks and texts in generated code."""
        state = part_name(self.state) if self.state is not None else ""
        return state, part_name(self.blank), part_name(self.text)


def part_name(place: int) -> str:
    """A part of the list in generated code."""
    return f"{OWN}[{place}]"


class LedgerForm:
    """The parts of a plan's groups: those of columns that are proved group by group, and those of
    columns whose entries can be in several groups. ``met`` and ``split_met`` have the parts that
    count the entries of a level."""

    def __init__(self, plan: Plan) -> None:
        self._plan = plan
        self.starts: list[str] = []
        self.states: list[tuple[int, Aggregate]] = []  # that hold values until they are taken
        self.grouped, self.split = plan.grouped_totals, plan.split_totals
        totalled = plan.totalled
        self.met = {home: self._part() for home in sorted({totalled[i].home for i in self.grouped})}
        homes = sorted({totalled[i].home for i in self.split})
        self.split_met = {home: self._part() for home in homes}
        met = {i: self.met[totalled[i].home] for i in self.grouped}
        met |= {i: self.split_met[totalled[i].home] for i in self.split}
        self.parts = {i: self._parts(totalled[i], met[i]) for i in [*self.grouped, *self.split]}
        merged = dict(self.states)
        self._merges = [
            merged[place].merge if place in merged else add for place in range(len(self.starts))
        ]

    def _part(self, start: str = "0") -> int:
        self.starts.append(start)
        return len(self.starts) - 1

    def _parts(self, column: ColumnPlan, met: int) -> ColumnParts:
        aggregate = aggregate_of(column)
        state: int | None = None
        if aggregate.start != "None":
            state = self._part(aggregate.start)
            if not aggregate.adds:
                self.states.append((state, aggregate))
        counted = self._part() if column.nodes else None
        return ColumnParts(state, self._part(), self._part(), met, counted)

    def post(self, ledger: Ledger, later: Ledger) -> None:
        """Take in what a ledger of later records has; its lists may become part of the first.

        Ledgers of tallies are posted in another way, so that a slip in one is seen by the other.
        """
        for key, parts in later.items():
            own = ledger.get(key)
            if own is None:
                ledger[key] = parts
            elif self.states:
                ledger[key] = [
                    merge(*pair) for merge, *pair in zip(self._merges, own, parts, strict=True)
                ]
            else:
                ledger[key] = [*map(add, own, parts)]  # mutant: control-posted

    def read(self, parts: list[Any] | None) -> dict[int, Sums]:
        """What a group's list says of each column, by its index among those with a total."""
        return {} if parts is None else {i: self._read(i, parts) for i in self.parts}

    def _read(self, index: int, parts: list[Any]) -> Sums:
        places = self.parts[index]
        met, blank, text = parts[places.met], parts[places.blank], parts[places.text]
        state = None if places.state is None else parts[places.state]
        if places.counted is None:
            return met - blank - text, state, blank
        counted = parts[places.counted]
        return counted - blank - text, state, blank, met - counted


def aggregate_of(plan: ColumnPlan) -> Aggregate:
    """The aggregate of a column's total."""
    assert plan.column.total is not None
    return plan.column.total.aggregate
