"""A plan in the making: where each path is reached from, what each aggregate runs over.

What is found out is kept here by the identity of the nodes, until it is written on them.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import msgspec

from ..language import nodes as n
from ..layout.model.model import SettledLayout
from ..structure.levels import Access, Chain, Names, plain_steps
from ..structure.missing_fields import MissingPath
from ..structure.trees import OF_AN_ARGUMENT, TREE_KINDS
from ..values.field_values import FieldDeclaration
from ..values.functions import CAST_KINDS, FUNCTIONS
from .kinds import (
    AGGREGATE_KINDS,
    DATATYPES,
    INNER,
    LEVEL,
    OF_THE_SOURCE,
    TIMES,
    arithmetic_kind,
    common_kind,
    kind_of_literal,
)
from .known import Known
from .plan import AggregatePlan, ConditionPlan, OpeningPlan
from .row_type import ColumnPlan, KeyPlan


@dataclass(slots=True)
class PlanDraft:
    """What the planner and the resolver know so far."""

    layout: SettledLayout
    chain: Chain
    columns: list[ColumnPlan] = field(default_factory=list)
    conditions: list[ConditionPlan] = field(default_factory=list)
    sort: list[KeyPlan] = field(default_factory=list)
    group: list[KeyPlan] = field(default_factory=list)
    within: list[KeyPlan] = field(default_factory=list)  # the order of lower levels of a stack
    extra_keys: list[tuple[n.Node, int]] = field(default_factory=list)
    accesses: dict[int, tuple[Access, Chain]] = field(default_factory=dict)
    aggregates: dict[int, AggregatePlan] = field(default_factory=dict)
    nodes: dict[int, int] = field(default_factory=dict)  # of functions of a tree: the node's level
    openings: list[OpeningPlan] = field(default_factory=list)
    made_trees: set[Names] = field(default_factory=set)  # levels that such functions take for one
    whole: set[int] = field(default_factory=set)  # paths that are wanted with their attributes
    counted: set[int] = field(default_factory=set)  # paths of which the entries alone are wanted
    texts: dict[int, str] = field(default_factory=dict)
    lists_matter: set[Names] = field(default_factory=set)  # of any length
    several_matter: set[Names] = field(default_factory=set)  # lists of several
    inside: set[int] = field(default_factory=set)  # paths that stand in an aggregate
    fields: dict[Names, FieldDeclaration] = field(default_factory=dict)  # by their places
    declared: dict[int, FieldDeclaration] = field(default_factory=dict)  # paths that end at one
    notices: list[str] = field(default_factory=list)
    missing: list[MissingPath] = field(default_factory=list)
    used: set[Names] = field(default_factory=set)
    referred_homes: dict[str, tuple[int, ...]] = field(default_factory=dict)
    referred_kinds: dict[str, str] = field(default_factory=dict)

    def column(self, heading: str) -> ColumnPlan:
        return next(plan for plan in self.columns if plan.column.heading == heading)

    # ---- expressions

    def homes_within(self, node: n.Node, chain: Chain) -> bool:
        """Whether a path is told of a chain's last entry alone; no aggregate is."""
        if isinstance(node, n.Call) and node.name in AGGREGATE_KINDS:
            return False
        return not isinstance(node, n.FieldPath) or self.access(node).anchor == chain.row

    def places(self) -> Iterator[Names]:
        """The places that expressions read, with what they read of names after a selector."""
        yield from self.chain.levels
        for aggregate in self.aggregates.values():
            yield from aggregate.chain.levels
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

    def access(self, path: n.FieldPath) -> Access:
        """How a path is reached from where it stands."""
        return self.accesses[id(path)][0]

    def aggregate(self, call: n.Call) -> AggregatePlan:
        return self.aggregates[id(call)]

    def text_of(self, node: n.Node) -> str:
        """How an expression is called in a fault: a path by its names, others by their text."""
        if isinstance(node, n.FieldPath):
            names, rest = plain_steps(node, self.chain)
            return self.chain.called(names) + ("…" if rest else "")
        return self.texts.get(id(node), "")

    def home(self, node: n.Node) -> int:
        """The deepest level among an expression's paths; the row's, where it has none."""
        homes = list(self.homes(node))
        return max(homes) if homes else self.chain.row

    def homes(self, node: n.Node) -> Iterator[int]:
        """The levels that an expression's parts belong to; an aggregate's is what it runs under."""
        if isinstance(node.known, Known):
            yield from node.known.homes
        elif isinstance(node, n.FieldPath):
            yield self.access(node).anchor
        elif isinstance(node, n.Call) and node.name in AGGREGATE_KINDS:
            yield self.aggregate(node).base
        elif isinstance(node, n.Call) and node.name in OF_THE_SOURCE:
            yield 0
        elif id(node) in self.nodes:
            yield self.nodes[id(node)]
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
        if isinstance(node.known, Known):
            return node.known.kind
        match node:
            case n.Literal():
                return kind_of_literal(node.value)
            case n.FieldPath():
                return self.declared[id(node)].kind if id(node) in self.declared else "any"
            case n.Asked():
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

    def may_be_timed(self, node: n.Node) -> bool:
        """Whether a value of any kind may turn out to be a moment, a time or an interval."""
        if self.chain.structure.has_moments and any(
            isinstance(p, n.FieldPath) for p in node.walk()
        ):
            return True
        return any(
            self.kind(part) in TIMES for part in node.walk() if not isinstance(part, n.Asked)
        )

    def _kind_of_call(self, node: n.Call) -> str:
        if node.name == "coalesce":
            return common_kind(self.kind(part) for part in node.arguments)
        if node.name == "nullif":
            return self.kind(node.arguments[0])
        if node.name in OF_AN_ARGUMENT:
            return self.kind(node.arguments[0])
        if AGGREGATE_KINDS.get(node.name) == "any" and node.name not in INNER:
            return self.kind(node.arguments[0])
        fixed = {
            "current_date": "moment",
            LEVEL: "text",
            "ordinal": "number",
            "key": "text",
            **OF_THE_SOURCE,
        }
        kinds = {**fixed, **AGGREGATE_KINDS, **TREE_KINDS}
        return kinds.get(node.name) or FUNCTIONS[node.name].result

    def _kind_of_column(self, plan: ColumnPlan) -> str:
        column = plan.column
        if column.typed:
            return DATATYPES.get(column.datatype or "", "text")
        if column.numeric:
            return "number"
        return self.kind(column.value.node) if column.value else "text"

    # ---- what is found out, written on the nodes

    def annotated(self, node: n.Node) -> Any:
        """The same tree; each node says what is known of it, the steps of a path excepted."""
        whole = node
        if not isinstance(node, n.FieldPath):
            parts = {
                name: self._annotated_part(getattr(node, name))
                for name in node.__struct_fields__
                if name != "known"
            }
            whole = msgspec.structs.replace(node, **parts)
        return msgspec.structs.replace(whole, known=self._known(node, whole))

    def _annotated_part(self, value: Any) -> Any:
        if isinstance(value, n.Node):
            return self.annotated(value)
        return tuple(map(self._annotated_part, value)) if isinstance(value, tuple) else value

    def _known(self, node: n.Node, whole: n.Node) -> Known:
        """What is known of a node; ``whole`` is the same, of whose parts it is known already."""
        text, expression = self.text_of(node), self.texts.get(id(node), "")
        if isinstance(node, n.FieldPath):
            access, chain = self.accesses[id(node)]
            start, own = chain.levels[access.anchor], chain is self.chain
            inside = id(node) in self.inside
            kind, declared = self.kind(node), self.declared.get(id(node))
            return Known(
                *(kind, (access.anchor,), text, expression, access, start, own, inside, declared)
            )
        aggregate = self.aggregates.get(id(node))
        homes = (aggregate.base,) if aggregate else tuple(dict.fromkeys(self.homes(whole)))
        at = self.nodes.get(id(node))
        return Known(self.kind(whole), homes, text, expression, aggregate=aggregate, node=at)
