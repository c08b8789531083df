"""The plan of a run: what will be done, and the home level of everything.

It is made (in `planner`) from a layout and the structure of the records read so far, before any
row is made.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import msgspec

from ..language import nodes as n
from ..layout.column import Column, Expression
from ..layout.model import Condition, LayoutModel
from ..structure.levels import Access, Chain, Names, level_name, plain_steps
from ..structure.missing_fields import MissingPath
from ..structure.shape import Shape
from ..values.functions import CAST_KINDS, FUNCTIONS
from ..values.periods import Period, parse_period
from .kinds import (
    AGGREGATE_KINDS,
    COLLECT,
    DATATYPES,
    Ready,
    arithmetic_kind,
    common_kind,
    kind_of_literal,
)

if TYPE_CHECKING:
    from .groups import OverGroups


class ColumnPlan(msgspec.Struct, frozen=True):
    """A column with its home (the index of a level of the chain) and its place in a row."""

    column: Column
    home: int
    numeric: bool
    place: int
    kind: str = "any"

    @property
    def shows_texts(self) -> bool:
        """Whether it is a field itself, so that what is no number is shown among its numbers."""
        return self.column.value is not None and isinstance(self.column.value.node, n.Path)


class KeyPlan(msgspec.Struct, frozen=True):
    """A sort or group key: its place in a row, its home, and which way it goes."""

    place: int
    home: int
    text: str
    descending: bool = False
    nulls_first: bool = False
    collation: str = ""
    kind: str = "any"


class ConditionPlan(msgspec.Struct, frozen=True):
    """A condition with the level of the chain whose entries it judges.

    With ``side`` it judges a level beside or below the row: ``level`` is then the chain's level
    above it, and ``side`` the chain down to the entries that are judged.
    """

    condition: Condition
    level: int
    side: Chain | None = None

    def judged(self, chain: Chain) -> Names:
        """The level whose entries it judges."""
        return self.side.levels[-1] if self.side else chain.levels[self.level]


class AggregatePlan(msgspec.Struct, frozen=True):
    """An aggregate: the level it runs under (by index), and the chain down to what it takes in.

    ``counts_entries``: its argument is a level, and it counts entries rather than values.
    """

    base: int
    chain: Chain
    counts_entries: bool


@dataclass(slots=True)
class Plan:
    """Everything that a run needs to know.

    A row is a tuple: the written columns, the suppressed ones, the keys that are no columns
    (``extra_keys``), one mark for each level of ``marked``, and the ``address`` of its entry.
    """

    model: LayoutModel
    chain: Chain
    columns: list[ColumnPlan] = field(default_factory=list)
    conditions: list[ConditionPlan] = field(default_factory=list)
    sort: list[KeyPlan] = field(default_factory=list)
    group: list[KeyPlan] = field(default_factory=list)
    extra_keys: list[tuple[Expression, int]] = field(default_factory=list)
    marked: list[int] = field(default_factory=list)
    shape: Shape = field(init=False)
    over: OverGroups | None = None  # where a row stands for a group of the rows of this plan
    today: dt.date = field(default_factory=dt.date.today)
    # what the resolver found out, by the identity of the node
    accesses: dict[int, tuple[Access, Chain]] = field(default_factory=dict)
    aggregates: dict[int, AggregatePlan] = field(default_factory=dict)
    texts: dict[int, str] = field(default_factory=dict)
    missing: list[MissingPath] = field(default_factory=list)  # that no record read so far has
    used: set[Names] = field(default_factory=set)  # places that the layout uses
    referred_homes: dict[str, tuple[int, ...]] = field(default_factory=dict)
    referred_kinds: dict[str, str] = field(default_factory=dict)

    @property
    def expressions(self) -> Iterator[Expression]:
        """Every expression of the layout."""
        return expressions_in(self.model)

    @property
    def written(self) -> list[ColumnPlan]:
        """The columns that are written, in their order."""
        return [plan for plan in self.columns if not plan.column.suppressed]

    @property
    def totalled(self) -> list[ColumnPlan]:
        """The columns with a total, suppressed ones included."""
        return [plan for plan in self.columns if plan.column.total]

    @property
    def shows_totals(self) -> bool:
        """Whether some column of the layout's own has a total."""
        return any(not plan.column.checks for plan in self.totalled)

    @property
    def drops_without_entries(self) -> bool:
        """Whether a record without entries gives no row (DESIGN, rule 7)."""
        if self.model.without_entries is not None:
            return self.model.without_entries == "drop"
        at_row = any(c.level == self.chain.row and c.side is None for c in self.conditions)
        return self.chain.row > 0 and at_row

    def mark_place(self, home: int) -> int | None:
        """Where in a row the mark of a level stands; None for the row's own level."""
        if home == self.chain.row:
            return None
        return len(self.columns) + len(self.extra_keys) + self.marked.index(home)

    @property
    def address(self) -> slice:
        """Where in a row the address of its entry stands: the record's number, and the place of
        the entry at each level (0 where the row has none)."""
        start = len(self.columns) + len(self.extra_keys) + len(self.marked)
        return slice(start, start + self.chain.row + 1)

    def splits(self, home: int) -> bool:
        """Whether the rows of one entry of a level can fall into several groups."""
        return any(key.home > home for key in self.group)

    @property
    def grouped_totals(self) -> list[int]:
        """The totalled columns, by index, whose sums are proved group by group: without detail,
        those whose values are each in one group only."""
        if self.model.totals.detail or not self.group:
            return []
        return [i for i, plan in enumerate(self.totalled) if not self.splits(plan.home)]

    def column(self, heading: str) -> ColumnPlan:
        return next(plan for plan in self.columns if plan.column.heading == heading)

    def period(self, node: n.InPeriod) -> Period:
        """The days of a period, relative ones counted from the day of the run."""
        assert isinstance(node.period, n.Literal)
        return parse_period(node.period.value, self.today)

    def periods(self) -> dict[str, Period]:
        """The periods that the layout names, with their days."""
        nodes = [part for e in self.expressions for part in e.node.walk()]
        found = [part for part in nodes if isinstance(part, n.InPeriod)]
        return {str(getattr(part.period, "value", "")): self.period(part) for part in found}

    # ---- expressions

    def places(self) -> Iterator[Names]:
        """The places that expressions read, with what they read of names after a selector."""
        yield from self.chain.levels
        for access, chain in self.accesses.values():
            names = (*chain.levels[access.anchor], *access.names)
            yield names
            for segment in access.rest:
                only = segment.selectors[0]
                if segment.descendant or len(segment.selectors) > 1:
                    break
                if isinstance(only, n.Name):
                    names = (*names, only.name)
                    yield names

    def repeating(self) -> list[Names]:
        """The levels that the plan reads, from the outermost."""
        read = {names[:length] for names in self.places() for length in range(1, len(names) + 1)}
        return sorted(names for names in read if self.chain.is_level(names))

    def access(self, path: n.Path) -> Access:
        """How a path is reached from where it stands."""
        return self.accesses[id(path)][0]

    def chain_of(self, path: n.Path) -> Chain:
        """The chain that a path's access refers to: the row's, or an aggregate's."""
        return self.accesses[id(path)][1]

    def aggregate(self, call: n.Call) -> AggregatePlan:
        return self.aggregates[id(call)]

    def text_of(self, node: n.Node) -> str:
        """How an expression is called in a fault: a path by its names, others by their text."""
        if isinstance(node, n.Path):
            names, rest = plain_steps(node, self.chain)
            return level_name(names) + ("…" if rest else "")
        return self.texts.get(id(node), "")

    def home(self, node: n.Node) -> int:
        """The deepest level among an expression's paths; the row's, where it has none."""
        homes = list(self.homes(node))
        return max(homes) if homes else self.chain.row

    def homes(self, node: n.Node) -> Iterator[int]:
        """The levels that an expression's parts belong to; an aggregate's is what it runs under."""
        if isinstance(node, n.Path):
            yield self.access(node).anchor
        elif isinstance(node, n.Call) and node.name in AGGREGATE_KINDS:
            yield self.aggregate(node).base
        elif isinstance(node, n.Heading):
            yield from self._homes_of_column(node.heading)
        else:
            for part in node.children():
                yield from self.homes(part)

    def _homes_of_column(self, heading: str) -> tuple[int, ...]:
        """The home of a column that is referred to; kept, since references may be many."""
        if heading not in self.referred_homes:
            value = self.column(heading).column.value
            self.referred_homes[heading] = (self.home(value.node),) if value else ()
        return self.referred_homes[heading]

    def kind(self, node: n.Node) -> str:
        """The kind of an expression's value; ``any`` where only the data can tell."""
        match node:
            case Ready():
                return node.operand.kind
            case n.Literal():
                return kind_of_literal(node.value)
            case n.Path() | n.Asked():
                return "any"
            case n.Heading():
                if node.heading not in self.referred_kinds:
                    kind = self._kind_of_column(self.column(node.heading))
                    self.referred_kinds[node.heading] = kind
                return self.referred_kinds[node.heading]
            case n.Sign():
                return "number"
            case n.Arithmetic():
                kinds = self.kind(node.left), self.kind(node.right)
                return arithmetic_kind(node.operator, *kinds)
            case n.Concatenation() | n.Collate():
                return "text"
            case n.Case():
                outcomes = [outcome for _, outcome in node.branches]
                others = [node.otherwise] if node.otherwise is not None else []
                return common_kind(self.kind(part) for part in (*outcomes, *others))
            case n.Cast():
                return CAST_KINDS[node.type]
            case n.Call():
                return self._kind_of_call(node)
            case _:
                return "truth"

    def _kind_of_call(self, node: n.Call) -> str:
        if node.name == "coalesce":
            return common_kind(self.kind(part) for part in node.arguments)
        if node.name == "nullif":
            return self.kind(node.arguments[0])
        if AGGREGATE_KINDS.get(node.name) == "any" and node.name != COLLECT:
            return self.kind(node.arguments[0])
        fixed = {"current_date": "moment", "ordinal": "number", "key": "text", **AGGREGATE_KINDS}
        return fixed.get(node.name) or FUNCTIONS[node.name].result

    def _kind_of_column(self, plan: ColumnPlan) -> str:
        column = plan.column
        if column.typed:
            return DATATYPES.get(column.datatype or "", "text")
        if column.numeric:
            return "number"
        return self.kind(column.value.node) if column.value else "text"


def expressions_in(model: LayoutModel) -> Iterator[Expression]:
    """Every expression of a layout."""
    yield from (column.value for column in model.columns if column.value)
    yield from (condition.value for condition in model.conditions)
    yield from (key.value for key in model.sort if key.value)
    yield from (key.value for key in model.group if key.value)
