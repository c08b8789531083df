"""The plan of a run: what will be done, as data.

It is made (in `planner`) from a layout, the structure of the records and the day, before any row is
made. It can be compared, explained, and sent to another process.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

import msgspec

from ..language import nodes as n
from ..layout.model.asking import COUNTS
from ..layout.model.column import Column, Expression
from ..layout.model.model import Condition, LayoutParts, SettledLayout
from ..structure.levels import Chain, KnownLevels, Names
from ..structure.missing_fields import MissingPath
from ..structure.record_types import RecordTypes, Want
from ..values.lazily import lazily
from ..values.periods import Period, parse_period
from .row_type import ColumnPlan, KeyPlan, Mark, RowType


class ConditionPlan(msgspec.Struct, frozen=True):
    """A condition with the level of the chain whose entries it judges.

    With ``side`` it judges a level beside or below the row: ``level`` is then the chain's level
    above it, and ``side`` the chain down to the entries that are judged.
    """

    condition: Condition
    level: int
    side: Chain | None = None
    value: n.Node = n.Literal(0, None)

    def judged(self, chain: Chain) -> Names:
        """The level whose entries it judges."""
        return self.side.levels[-1] if self.side else chain.levels[self.level]


class OpeningPlan(msgspec.Struct, frozen=True):
    """How far the nodes at the end of a chain are opened: to a depth, or until ``value`` is true
    of one."""

    chain: Chain
    to_depth: int | None = None
    value: n.Node | None = None


class AggregatePlan(msgspec.Struct, frozen=True):
    """An aggregate: the level it runs under (by index), and the chain down to what it takes in.

    ``counts_entries``: its argument is a level, and it counts entries rather than values. In a tree
    it can run over what is below the node of a level (``under``, by index), itself included
    (``from_here``), and take no more than ``leaves``: nodes without another one below them.
    """

    base: int
    chain: Chain
    counts_entries: bool
    under: int | None = None
    from_here: bool = False
    leaves: bool = False

    @property
    def start(self) -> int:
        """The level from which its loops go down."""
        return self.base if self.under is None else self.base - 1


class Doubt(msgspec.Struct, frozen=True):
    """A place that has held lone objects only, and an aggregate that may be another one if it is a
    level: ``value`` is what the plan has, at the ``home`` of the chain, ``other`` what it would
    have by its ``known`` levels. ``level`` is that of the chain on whose entries both are known.
    """

    names: Names
    text: str
    value: n.Node
    other: n.Node
    known: KnownLevels
    home: int
    level: int


@dataclass(frozen=True)
class Plan:
    """Everything that a run needs to know.

    ``row_type`` says what its rows are made of.
    ``places`` are those that expressions read, ``wants`` what records are decoded for. ``used`` are
    the places that the layout names, and ``missing`` those that no record looked at has;
    ``made_trees`` are levels that it takes for trees though the records show none. It would be
    another plan if a list stood at a place of ``lists_matter``, of whatever length, or one of
    several at one of ``several_matter``; it is in ``doubts`` about places that have held lone
    objects only. ``notices`` are what the layout says that may be meant otherwise. ``over``
    is there where a row of the table stands for a group of the rows of this plan. Rows have an
    address where they are ``addressed``: where something asks which entry a row stands for. The
    rows of several levels of the chain are a ``stack``; ``within`` orders those of lower ones below
    the same parent.
    """

    layout: SettledLayout
    chain: Chain
    today: dt.date
    columns: tuple[ColumnPlan, ...] = ()
    conditions: tuple[ConditionPlan, ...] = ()
    sort: tuple[KeyPlan, ...] = ()
    group: tuple[KeyPlan, ...] = ()
    extra_keys: tuple[tuple[n.Node, int], ...] = ()
    marked: tuple[Mark, ...] = ()
    places: tuple[Names, ...] = ()
    wants: tuple[Want, ...] = ()
    missing: tuple[MissingPath, ...] = ()
    used: frozenset[Names] = frozenset()
    made_trees: frozenset[Names] = frozenset()
    lists_matter: frozenset[Names] = frozenset()
    several_matter: frozenset[Names] = frozenset()
    doubts: tuple[Doubt, ...] = ()
    notices: tuple[str, ...] = ()
    openings: tuple[OpeningPlan, ...] = ()
    over: OverGroups | None = None
    addressed: bool = False
    stack: tuple[int, ...] = ()
    within: tuple[KeyPlan, ...] = ()

    @lazily
    def repeating(self) -> list[Names]:
        """The levels that the plan reads, from the outermost."""
        read = {names[:length] for names in self.places for length in range(1, len(names) + 1)}
        return sorted(names for names in read if self.chain.is_level(names))

    @lazily
    def written(self) -> list[ColumnPlan]:
        """The columns that are written, in their order."""
        return [plan for plan in self.columns if not plan.column.suppressed]

    @lazily
    def row_type(self) -> RowType:
        """What a row is made of."""
        return RowType(
            self.chain.row,
            self.columns,
            self.extra_keys,
            self.sort,
            self.group,
            self.marked,
            self.addressed,
            stack=self.stack,
            within=self.within,
            repeats=self.layout.repeat_parents,
            counted=counts_in_labels(self.layout),
        )

    @lazily
    def totalled(self) -> list[ColumnPlan]:
        """The columns with a total, suppressed ones included."""
        return [plan for plan in self.columns if plan.column.total]

    @lazily
    def shows_totals(self) -> bool:
        """Whether some column of the layout's own has a total."""
        return any(not plan.column.checks for plan in self.totalled)

    @property
    def drops_without_entries(self) -> bool:
        """Whether a record without entries gives no row (docs/rules.md, 7)."""
        return any(map(self.drops_at, range(self.chain.row)))

    def drops_at(self, level: int) -> bool:
        """Whether an entry of a level goes that has none below it."""
        if self.layout.without_entries is not None:
            return self.layout.without_entries == "drop"
        first = self.row_type.first
        at_row = any(c.level == first and c.side is None for c in self.conditions)
        return level < first and at_row

    def empties_at(self, level: int) -> bool:
        """Whether an entry of a level goes that has lost all that was below it."""
        return level < self.row_type.first or self.drops_at(level)

    @lazily
    def grouped_totals(self) -> list[int]:
        """The totalled columns, by index, whose sums are proved group by group: without detail,
        those whose values are each in one group only."""
        if self.layout.totals.detail or not self.group:
            return []
        return [i for i, plan in enumerate(self.totalled) if not self.row_type.splits(plan.home)]

    @lazily
    def split_totals(self) -> list[int]:
        """The totalled columns, by index, whose values can be in several groups: without detail,
        what each group shows is proved, and what the whole is."""
        if self.layout.totals.detail or not self.group:
            return []
        columns = enumerate(self.totalled)
        return [i for i, plan in columns if self.row_type.splits(plan.home) and plan.once is None]

    @property
    def sums_of_own(self) -> list[int]:
        """The totalled columns, by index, that add up what each node of a tree has itself, of which
        the layout does not say which nodes count (rule 19)."""
        return [
            index
            for index, one in enumerate(self.totalled)
            if one.nodes == "leaves"
            and one.home == self.chain.row
            and one.column.total is not None
            and not one.column.total.nodes
            and isinstance(one.value, n.Call)
            and one.value.name in ("sum", "avg")
        ]

    def column(self, heading: str) -> ColumnPlan:
        return next(plan for plan in self.columns if plan.column.heading == heading)

    def period(self, node: n.InPeriod) -> Period:
        """The days of a period, relative ones counted from the day of the run."""
        assert isinstance(node.period, n.Literal)
        return parse_period(node.period.value, self.today)

    def periods(self) -> dict[str, Period]:
        """The periods that the layout names, with their days."""
        nodes = [part for one in expressions_in(self.layout) for part in one.node.walk()]
        found = [part for part in nodes if isinstance(part, n.InPeriod)]
        return {str(getattr(part.period, "value", "")): self.period(part) for part in found}

    # ---- what records are decoded into

    @lazily
    def record_types(self) -> RecordTypes:
        """The types that records are decoded into."""
        return RecordTypes([(self.chain, self.wants)])

    @lazily
    def exactly(self) -> Plan | None:
        """The same plan over records in exact types; None where it takes some of them apart, or
        looks at a whole record."""
        return exactly([self])[0]

    @property
    def takes_exact(self) -> bool:
        """Whether it takes records as they are, and looks at none of them as plain data."""
        return not (self.layout.expects or any(one.side is not None for one in self.conditions))

    def sharing(self, other: Plan) -> Plan:
        """The same plan over records that are decoded for another plan, which reads the same."""
        return self.over_types(other.record_types)

    def over_types(self, types: RecordTypes) -> Plan:
        """The same plan over records in such types."""
        made = replace(self)
        made.__dict__["record_types"] = types
        return made

    def __getstate__(self) -> dict[str, Any]:
        """What is worked out of it is worked out anew wherever the plan is taken."""
        names = {one.name for one in fields(self)}
        return {name: value for name, value in self.__dict__.items() if name in names}


def exactly(plans: Sequence[Plan]) -> list[Plan | None]:
    """Plans over records in the same exact types; none where one of them does not take these."""
    types = RecordTypes([(one.chain, one.wants) for one in plans], exact=True)
    if types.root.whole or not all(one.takes_exact for one in plans):
        return [None for _ in plans]
    return [one.over_types(types) for one in plans]


def together(plans: Sequence[Plan]) -> list[Plan]:
    """Plans over the same records, which are decoded once for all of them."""
    types = RecordTypes([(one.chain, one.wants) for one in plans])
    found = [one.over_types(types) for one in plans]
    for one, exact in zip(found, exactly(plans), strict=True):
        one.__dict__["exactly"] = exact
    return found


class Part(msgspec.Struct, frozen=True):
    """One aggregate of the columns: its text, the call, and the columns that it is made of."""

    text: str
    call: n.Call
    columns: tuple[Column, ...]


class OverGroups(msgspec.Struct, frozen=True):
    """What is done with groups: ``keys`` and ``parts`` are the fields of each, ``plan`` makes rows
    of them. ``layout`` is the layout as it was written.
    """

    layout: SettledLayout
    keys: tuple[Expression, ...]
    parts: tuple[Part, ...]
    plan: Plan

    def lone_sum(self, column: Column) -> str | None:
        """The part that a column is, where that is a plain sum and nothing else."""
        node = column.value.node if column.value else None
        if not isinstance(node, n.Call) or node.name != "sum" or node.distinct:
            return None
        found = (part.columns[0].heading for part in self.parts if n.same(part.call, node))
        return next(found, None)


def counts_in_labels(layout: LayoutParts) -> bool:
    """Whether a label says how many rows or entries its group has."""
    rows, depths = range(len(layout.total_rows)), range(len(layout.group) + 1)
    labels = " ".join(layout.label(depth, at) for depth in depths for at in rows)
    return any(f"{{{name}}}" in labels for name in COUNTS)


def expressions_in(layout: LayoutParts) -> Iterator[Expression]:
    """Every expression of a layout."""
    yield from (column.value for column in layout.columns if column.value)
    yield from (condition.value for condition in layout.conditions)
    yield from (key.value for key in layout.sort if key.value)
    yield from (key.value for key in layout.group if key.value)
    yield from (opening.until for opening in layout.openings if opening.until)


def reads_everything(layout: LayoutParts) -> bool:
    """Whether a path of a layout reads more than it names: the whole record, all members of
    something, or what is below it at any depth."""
    paths = (
        part
        for expression in expressions_in(layout)
        for part in expression.node.walk()
        if isinstance(part, n.FieldPath) and not part.relative
    )
    return any(not path.segments or any(map(_reaches_further, path.segments)) for path in paths)


def _reaches_further(segment: n.Segment) -> bool:
    return segment.descendant or any(isinstance(one, n.Wildcard) for one in segment.selectors)
