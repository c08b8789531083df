"""The plan of a run: what will be done, and the home level of everything.

It is made (in `planner`) from a layout and the structure of the records read so far, before any
row is made.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import msgspec

from ..language import nodes as n
from ..layout.model import Column, Condition, Expression, LayoutModel
from .kinds import kind_of
from .levels import Access, Chain, Names, level_name, plain_steps
from .shape import Shape


class ColumnPlan(msgspec.Struct, frozen=True):
    """A column with its home (the index of a level of the chain) and its place in a row."""

    column: Column
    home: int
    numeric: bool
    place: int


class KeyPlan(msgspec.Struct, frozen=True):
    """A sort or group key: its place in a row, its home, and which way it goes."""

    place: int
    home: int
    text: str
    descending: bool = False
    nulls_first: bool = False


class ConditionPlan(msgspec.Struct, frozen=True):
    """A condition with the level of the chain whose entries it judges."""

    condition: Condition
    level: int


@dataclass(slots=True)
class Plan:
    """Everything that a run needs to know.

    A row is a tuple: the written columns, the suppressed ones, the keys that are no columns
    (``extra_keys``), then one mark for each level of ``marked``.
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
    _accesses: dict[int, Access] = field(default_factory=dict)
    _texts: dict[int, str] = field(default_factory=dict)

    @property
    def written(self) -> list[ColumnPlan]:
        """The columns that are written, in their order."""
        return [plan for plan in self.columns if not plan.column.suppressed]

    @property
    def totalled(self) -> list[ColumnPlan]:
        """The columns with a total, suppressed ones included."""
        return [plan for plan in self.columns if plan.column.total]

    @property
    def drops_without_entries(self) -> bool:
        """Whether a record without entries gives no row (DESIGN, rule 7)."""
        if self.model.without_entries is not None:
            return self.model.without_entries == "drop"
        return self.chain.row > 0 and any(c.level == self.chain.row for c in self.conditions)

    def mark_place(self, home: int) -> int | None:
        """Where in a row the mark of a level stands; None for the row's own level."""
        if home == self.chain.row:
            return None
        return len(self.columns) + len(self.extra_keys) + self.marked.index(home)

    def splits(self, home: int) -> bool:
        """Whether the rows of one entry of a level can fall into several groups."""
        return any(key.home > home for key in self.group)

    def column(self, heading: str) -> ColumnPlan:
        return next(plan for plan in self.columns if plan.column.heading == heading)

    def access(self, path: n.Path) -> Access:
        key = id(path)
        if key not in self._accesses:
            self._accesses[key] = self.chain.access(path)
        return self._accesses[key]

    def path_key(self, path: n.Path) -> tuple[int, Names, tuple[n.Segment, ...]]:
        """The same for paths that lead to the same value."""
        access = self.access(path)
        return access.anchor, access.names, access.rest

    def kind(self, node: n.Node) -> str:
        """The kind of an expression's value."""
        if isinstance(node, n.Heading):
            plan = self.column(node.heading)
            if plan.numeric:
                return "number"
            return self.kind(plan.column.value.node) if plan.column.value else "text"
        return kind_of(node)

    def text_of(self, node: n.Node) -> str:
        """How an expression is called in a fault: a path by its names, others by their text."""
        if isinstance(node, n.Path):
            names, rest = plain_steps(node, self.chain)
            return level_name(names) + ("…" if rest else "")
        return self._texts.get(id(node), "")

    def home(self, node: n.Node) -> int:
        """The deepest level among an expression's paths; the row's, where it has none."""
        homes = list(self._homes(node))
        return max(homes) if homes else self.chain.row

    def _homes(self, node: n.Node) -> Iterator[int]:
        for part in node.walk():
            if isinstance(part, n.Path):
                yield self.access(part).anchor
            elif isinstance(part, n.Heading):
                referred = self.column(part.heading)
                if referred.column.value:
                    yield self.home(referred.column.value.node)

    def remember(self, expression: Expression) -> None:
        """Keep the text of an expression for the faults of its parts."""
        for node in expression.node.walk():
            self._texts[id(node)] = expression.text
