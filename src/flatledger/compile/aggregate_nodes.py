"""What the calls of aggregates in expressions are, before any code is made of them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..language import nodes as n
from ..plan.kinds import AGGREGATE_KINDS, COUNT_NUMBERS, GATHERING
from ..plan.known import aggregate_of
from ..structure.levels import Names
from ..values.aggregates import AGGREGATES, DISTINCT, Aggregate


def simple_aggregates(roots: Iterable[n.Node | None]) -> Iterator[n.Call]:
    """The aggregates of expressions that take in plain expressions over entries: no other
    aggregates, and no columns, which may have some."""
    for root in roots:
        for node in root.walk() if root is not None else ():
            if not isinstance(node, n.Call) or node.name not in AGGREGATE_KINDS:
                continue
            within = [part for child in node.children() for part in child.walk()]
            if node.known and not any(_stands_for_more(part) for part in within):
                yield node


def _stands_for_more(node: n.Node) -> bool:
    call = isinstance(node, n.Call) and node.name in AGGREGATE_KINDS
    return call or isinstance(node, n.Heading)


def runs_over(node: n.Call) -> tuple[int, tuple[Names, ...]]:
    plan = aggregate_of(node)
    return plan.base, plan.chain.levels


def aggregate_object(node: n.Call) -> Aggregate:
    """The aggregate of a call."""
    name = "count" if node.name == COUNT_NUMBERS else node.name
    return (DISTINCT if node.distinct else AGGREGATES)[name]


def passes_nulls(node: n.Call) -> bool:
    """Whether an aggregate passes over nulls; those that are only collected are wanted too."""
    return node.name not in GATHERING and not aggregate_object(node).unknown
