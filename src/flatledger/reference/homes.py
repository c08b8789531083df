"""Homes: the level that an expression belongs to, by the places of its paths (rules 1, 2, 4, 5)."""

from __future__ import annotations

from collections.abc import Iterator

from ..language import nodes as n
from ..plan.kinds import AGGREGATE_KINDS, OF_THE_SOURCE
from ..structure.levels import Names
from ..structure.trees import IS_COUNTED, TREE_FUNCTIONS
from .expressions import Expressions

Levels = tuple[Names, ...]


class Homes:
    """Finds homes, as places in a chain of levels."""

    def __init__(self, expressions: Expressions) -> None:
        self._of = expressions

    def of(self, node: n.Node, levels: Levels, otherwise: int | None = None) -> int:
        """The deepest level among the parts of an expression; the row's, where it has none."""
        last = len(levels) - 1 if otherwise is None else otherwise
        home: int = self._of.paths.once(
            *(node, "home", levels, last),
            work=lambda: max(self._all(node, levels), default=last),
        )
        return home

    def _all(self, node: n.Node, levels: Levels) -> Iterator[int]:
        if isinstance(node, n.FieldPath):
            yield self._of.paths.way(node, levels).anchor
        elif isinstance(node, n.Heading):
            column = self._of.columns[node.heading]
            if column.value is not None:
                yield self.of(column.value.node, levels)
        elif isinstance(node, n.Call) and node.name in AGGREGATE_KINDS:
            reach = self._of.aggregates.reach(node, levels)
            yield reach.base if reach.under is None else reach.under
        elif isinstance(node, n.Call) and node.name in OF_THE_SOURCE:
            yield 0
        elif isinstance(node, n.Call) and self._is_of_a_node(node):
            yield self._of.trees.node(node, levels)
        else:
            for part in node.children():
                yield from self._all(part, levels)

    @staticmethod
    def _is_of_a_node(call: n.Call) -> bool:
        return call.name in (*TREE_FUNCTIONS, IS_COUNTED) or (
            call.name == "ordinal" and not call.arguments
        )
