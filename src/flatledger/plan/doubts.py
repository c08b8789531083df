"""Aggregates whose figure depends on whether a place is a level that has held lone objects only.

Such a place may be a part of its entry, or a level whose entries happen to be single: the records
do not tell (docs/rules.md, 1). Where it can make a difference, both figures are worked out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from ..errors import LayoutError
from ..language import nodes as n
from ..language.extents import taken_by
from ..structure.levels import Chain, Names, plain_steps
from ..values.aggregates import AGGREGATES
from .groups import call_text
from .kinds import AGGREGATE_KINDS, INNER
from .known import Known, text_of_node
from .plan import AggregatePlan, Doubt, Plan, expressions_in


def doubts_of(plan: Plan, planned: Callable[[Names], Plan]) -> Iterator[Doubt]:
    """The doubts of a plan; ``planned`` makes the plan in which a place is a level."""
    if plan.chain.known.stated is not None or not _may_differ(plan):
        return
    for names in sorted(plan.lists_matter):
        if _may_be_lone(names, plan.chain):
            try:
                other = planned(names)
            except LayoutError:  # if a list comes there, the layout is refused
                continue
            same_trees = other.chain.known.trees == plan.chain.known.trees
            if same_trees and other.chain.levels == plan.chain.levels:
                yield from _differing(names, plan, other)


def _may_differ(plan: Plan) -> bool:
    """Whether some expression can be another one in another plan, so that this has to be made: an
    aggregate, or a path that chooses."""
    if plan.over is not None:
        return True
    return any(
        (isinstance(node, n.Call) and node.name in AGGREGATE_KINDS)
        or (isinstance(node, n.FieldPath) and node.names() is None)
        for expression in expressions_in(plan.layout)
        for node in expression.node.walk()
    )


def _may_be_lone(names: Names, chain: Chain) -> bool:
    """Whether a place is no level, and lone objects were met there, or nothing yet."""
    if chain.is_level(names) or chain.levels[-1][: len(names)] == names:
        return False
    place = chain.structure.find(names)
    return place is None or place.kinds[dict] > 0


def _differing(names: Names, plan: Plan, other: Plan) -> Iterator[Doubt]:
    for value, counterpart, deepest in _pairs(plan, other):
        for one, another in _counterparts(names, value, counterpart):
            homes = [_home(one), _home(another)]
            if max(homes) <= deepest and _can_matter(names, one, another, plan.chain):
                met = plan.chain.structure.find(names) is not None
                home = homes[0] if met else max(homes)
                text, known = _text_of(one), other.chain.known
                yield Doubt(names, text, one, another, known, home, max(homes))


def _text_of(node: n.Node) -> str:
    """How an aggregate was typed."""
    known = node.known
    if isinstance(node, n.Call) and isinstance(known, Known) and known.expression:
        return call_text(known.expression, node.position)
    return text_of_node(node)


def _pairs(plan: Plan, other: Plan) -> Iterator[tuple[n.Node, n.Node, int]]:
    """The expressions of a plan, each with what it is in the other, and the deepest level of the
    row's chain that it is told by: a condition on a side level goes its own way below that."""
    row = plan.chain.row
    columns = {one.column.heading: one.value for one in other.columns}
    for column in plan.columns:
        heading = column.column.heading
        counterpart = columns.get(heading, columns.get(f"sum of {heading}"))
        if column.value is not None and counterpart is not None:
            yield column.value, counterpart, row
    for a, b in zip(plan.conditions, other.conditions, strict=True):
        yield a.value, b.value, row if a.side is None else a.level
    keys = zip(plan.extra_keys, other.extra_keys, strict=False)
    yield from ((one, another, row) for (one, _), (another, _) in keys)


def _home(node: n.Node) -> int:
    """The level of the chain on whose entries a value is known."""
    return max(node.known.homes, default=0) if isinstance(node.known, Known) else 0


def _runs(node: n.Node) -> bool:
    return isinstance(node.known, Known) and node.known.aggregate is not None


def _counterparts(names: Names, value: n.Node, other: n.Node) -> Iterator[tuple[n.Node, n.Node]]:
    """The outermost aggregates of an expression, and paths that choose at a place, with what they
    are in the other; the whole, where it is an aggregate there alone."""
    if _runs(other) or _chooses(other, names):
        yield value, other
        return
    for one, another in zip(value.children(), other.children(), strict=False):
        yield from _counterparts(names, one, another)


def _chooses(node: n.Node, names: Names) -> bool:
    """Whether a path has a selector that chooses at a place."""
    known = node.known
    if not isinstance(known, Known) or known.access is None or not known.access.rest:
        return False
    return (*known.start, *known.access.names) == names


def _can_matter(names: Names, value: n.Node, other: n.Node, chain: Chain) -> bool:
    """Whether there can be another figure: it runs under another entry, or passes over entries
    without the place that have a value all the same."""
    if not _runs(value) or not _runs(other):
        return True
    one, another = value.known.aggregate, other.known.aggregate
    if _shape(one) != _shape(another) and one.base != another.base:
        return True
    inner = [
        pair
        for a, b in zip(value.children(), other.children(), strict=False)
        for pair in _counterparts(names, a, b)
    ]
    if any(_can_matter(names, a, b, chain) for a, b in inner):
        return True
    assert isinstance(value, n.Call)
    if _shape(one) == _shape(another):
        return False
    passes_nulls = value.name in (*INNER, "count") or not AGGREGATES[value.name].unknown
    return not (passes_nulls and _spreads_null(taken_by(value)[0], names, chain))


def _shape(aggregate: AggregatePlan) -> tuple[Any, ...]:
    return aggregate.base, aggregate.chain.levels, aggregate.under


def _spreads_null(node: n.Node, names: Names, chain: Chain) -> bool:
    """Whether an expression is null wherever a place is missing."""
    match node:
        case n.FieldPath():
            return plain_steps(node, chain)[0][: len(names)] == names
        case n.Arithmetic() | n.Concatenation():
            return any(_spreads_null(part, names, chain) for part in (node.left, node.right))
        case n.Sign() | n.Cast():
            return _spreads_null(node.operand, names, chain)
    return False
