"""Ledgers: a list of parts for each group, filled as entries or rows pass.

Ledgers of parts of the records are merged part by part; only the whole is read.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any, NamedTuple

from ...plan.plan import Plan
from ...plan.row_type import ColumnPlan
from ...values.aggregates import Aggregate
from ..expressions.blocks import indented

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


class Posting:
    """Posts a ledger of later records into one of earlier ones.

    Of the parts of a group some are ``added`` and others merged as their aggregates are; the rest
    stays as it was. Lists of the later ledger may become part of the first.

    >>> whole, posting = {"a": ["first", 1]}, Posting([1])
    >>> posting.post(whole, {"a": ["second", 2], "b": ["third", 4]})
    >>> whole
    {'a': ['first', 3], 'b': ['third', 4]}
    """

    def __init__(
        self, added: Collection[int], merged: Collection[tuple[int, Aggregate]] = ()
    ) -> None:
        self._parts = added, merged
        self.post = self._written()

    def __reduce__(self) -> tuple[Any, ...]:
        return Posting, self._parts

    def _written(self) -> Callable[[Ledger, Ledger], None]:
        """A function for just these parts: there are as many postings as groups in a batch."""
        added, merged = self._parts
        steps = [f"{part_name(place)} += parts[{place}]" for place in added]
        for place, _ in merged:
            own = part_name(place)
            steps.append(f"{own} = merge_{place}({own}, parts[{place}])")
        lines = [
            "def post(ledger, later):",
            "    for key, parts in later.items():",
            f"        {OWN} = ledger.setdefault(key, parts)",
            f"        if {OWN} is not parts:",
            *indented(steps or ["pass"], 3),
        ]
        made: dict[str, Any] = {f"merge_{place}": one.merge for place, one in merged}
        exec("\n".join(lines), made)
        post: Callable[[Ledger, Ledger], None] = made["post"]
        return post


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
        states = {place for place, _ in self.states}
        added = [place for place in range(len(self.starts)) if place not in states]
        self._posting = Posting(added, self.states)

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
        """Take in what a ledger of later records has; its lists may become part of the first."""
        self._posting.post(ledger, later)

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
