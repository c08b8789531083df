"""A tree laid flat: its nodes in the order of the document, and where each of them stands.

A node's place is its number in that order, from 1. Nothing here goes down a tree step by step of
Python's own stack, so that its depth is no bound.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import Any

from ..plan.row_order import in_order
from ..values.aggregates import Aggregate

TRAIL_SEPARATOR = " / "
INDENT = "  "


class Tree:
    """The nodes of one tree as they came, filtered out or not; roots are at depth 1."""

    def __init__(self, nodes: Sequence[Any], depths: Sequence[int]) -> None:
        self.nodes, self.depths = nodes, depths
        self._at_depth: dict[int, list[int]] = {}

    @cached_property
    def parents(self) -> list[int]:
        """The place of the node above each, 0 of a root; a place has its number as its index."""
        found, way = [0], [0]
        for place, depth in enumerate(self.depths, 1):
            del way[depth:]
            found.append(way[-1])
            way.append(place)
        return found

    @cached_property
    def ends(self) -> list[int]:
        """The place of the last node below each; its own, where there is none."""
        found = list(range(len(self.depths) + 1))
        for place in range(len(self.depths), 0, -1):
            parent = self.parents[place]
            if found[parent] < found[place]:
                found[parent] = found[place]
        return found

    @cached_property
    def ordinals(self) -> list[int]:
        """The place of each among its siblings, from 1."""
        found, met = [0], [0] * (len(self.depths) + 1)
        for parent in self.parents[1:]:
            met[parent] += 1
            found.append(met[parent])
        return found

    def at_depth(self, depth: int) -> list[int]:
        """The place of the node at a depth on the way down to each, itself included; else 0."""
        if depth not in self._at_depth:
            found = [0]
            for place, own in enumerate(self.depths, 1):
                found.append(place if own == depth else found[self.parents[place]])
            self._at_depth[depth] = found
        return self._at_depth[depth]

    def way(self, place: int) -> list[int]:
        """The places from a root down to a node."""
        way = []
        while place:
            way.append(place)
            place = self.parents[place]
        return way[::-1]

    def numbering(self, place: int) -> str:
        """A node's number by place, such as 1.2.3 (ISO 2145)."""
        return ".".join(str(self.ordinals[at]) for at in self.way(place))


class Places:
    """The places of the nodes of a tree that are left, in their order.

    ``matched`` are those for which a condition is true that keeps more than these.
    """

    def __init__(
        self, tree: Tree, places: Sequence[int], matched: frozenset[int] = frozenset()
    ) -> None:
        self.tree, self._places, self.matched = tree, places, matched

    @classmethod
    def of(cls, tree: Tree) -> Places:
        """All places of a tree."""
        return cls(tree, range(1, len(tree.depths) + 1))

    def __iter__(self) -> Iterator[int]:
        return iter(self._places)

    def __len__(self) -> int:
        return len(self._places)

    def standing_nodes(self) -> Iterator[tuple[Any, int]]:
        """The nodes, each with its depth."""
        tree = self.tree
        return ((tree.nodes[place - 1], tree.depths[place - 1]) for place in self._places)

    def left(self, places: Sequence[int], matched: Iterable[int] | None = None) -> Places:
        """Some of them, in their order."""
        found = self.matched if matched is None else frozenset(matched)
        return Places(self.tree, places, found)

    @cached_property
    def leaves(self) -> frozenset[int]:
        """Those without one below them that is left."""
        ends, following = self.tree.ends, [*self._places[1:], len(self.tree.nodes) + 1]
        pairs = zip(self._places, following, strict=True)
        return frozenset(place for place, after in pairs if after > ends[place])

    @cached_property
    def tops(self) -> frozenset[int]:
        """Those without one above them that is left."""
        ends, found, end = self.tree.ends, [], 0
        for place in self._places:
            if place > end:
                found.append(place)
                end = ends[place]
        return frozenset(found)

    @cached_property
    def childless(self) -> frozenset[int]:
        """The leaves once more, found from below: no node that is left has one of these above."""
        return frozenset(self._places) - self._above

    @cached_property
    def parentless(self) -> frozenset[int]:
        """The tops once more, found from below."""
        left, parents = frozenset(self._places), self.tree.parents
        covered = [False] * len(parents)  # whether one above, or the node itself, is left
        found = []
        for place in range(1, len(parents)):
            above = covered[parents[place]]
            covered[place] = above or place in left
            if place in left and not above:
                found.append(place)
        return frozenset(found)

    @cached_property
    def _above(self) -> frozenset[int]:
        """All nodes, left or not, that are above one that is."""
        parents, found = self.tree.parents, set[int]()
        for place in self._places:
            place = parents[place]
            while place and place not in found:
                found.add(place)
                place = parents[place]
        return frozenset(found)

    @cached_property
    def wanted(self) -> list[tuple[int, Any]]:
        """These and all nodes above them, with their places: what is asked of a node may be told of
        those."""
        nodes = self.tree.nodes
        if len(self._places) == len(nodes):
            return list(enumerate(nodes, 1))
        return [(place, nodes[place - 1]) for place in sorted({*self._places, *self._above})]

    def with_branch(self, places: Iterable[int]) -> frozenset[int]:
        """Some of them with all that is below."""
        ends, end, found = self.tree.ends, 0, []
        chosen = frozenset(places)
        for place in self._places:
            if place in chosen:
                end = max(end, ends[place])
            if place <= end:
                found.append(place)
        return frozenset(found)

    def with_ancestors(self, places: Iterable[int]) -> frozenset[int]:
        """Some of them with all that is above."""
        some = self.left(sorted(places))
        return (some._above | frozenset(some)) & frozenset(self._places)

    # ---- what is told of one node

    def is_leaf(self, place: int) -> bool:
        """Whether a node has none below it, as it came."""
        return self.tree.ends[place] == place

    def ancestor(self, place: int, depth: Any) -> int:
        """The place of the node at a depth on the way down to one, itself included; else 0."""
        if depth != int(depth) or not 1 <= depth <= self.tree.depths[place - 1]:
            return 0
        return self.tree.at_depth(int(depth))[place]

    def trail(self, place: int, values: dict[int, Any], separator: str | None) -> str | None:
        """The texts of the nodes from a root down to one; those that have none are passed over."""
        found = [text for at in self.tree.way(place) if (text := values.get(at)) is not None]
        return (separator or "").join(found) if found else None

    def products(self, factors: dict[int, Any]) -> dict[int, Any]:
        """The product of all factors from a root down to each node; null spreads."""
        parents, found = self.tree.parents, dict[int, Any]()
        for place, factor in factors.items():
            parent = parents[place]
            above = found[parent] if parent else 1
            found[place] = None if above is None or factor is None else above * factor
        return found

    # ---- what is below a node

    def lists(self) -> list[list[Any]]:
        """A list for each place, to gather values in."""
        return [[] for _ in self.tree.parents]


class Subtrees:
    """An aggregate of what is gathered below each node of a tree, or from each node on.

    What has a small state is merged from the leaves up, so that a tree costs no more than its
    nodes; else all values of a subtree are taken together.
    """

    def __init__(
        self,
        places: Places,
        aggregate: Aggregate,
        found: list[list[Any]],
        from_here: bool,
        order: Any,
    ) -> None:
        """In an ``order`` the values are pairs with what they are ordered by."""
        self._tree, self._aggregate, self._from_here = places.tree, aggregate, from_here
        self._found, self._order = found, order
        self._merged = aggregate.merges_at_once and order is None

    @cached_property
    def _below(self) -> list[tuple[Any, int]]:
        """The state of what is below each node, and of how many values."""
        aggregate, parents = self._aggregate, self._tree.parents
        zero = aggregate.zero()
        below: list[tuple[Any, int]] = [(zero, 0)] * len(parents)
        for place in range(len(parents) - 1, 0, -1):
            state, count = self._with_own(place, *below[place])
            later, more = below[parents[place]]
            below[parents[place]] = aggregate.merge(state, later), count + more
        return below

    def _with_own(self, place: int, state: Any, count: int) -> tuple[Any, int]:
        values = self._values(self._found[place])
        if not values:
            return state, count
        aggregate = self._aggregate
        own = aggregate.add(aggregate.zero(), values)
        return aggregate.merge(own, state), count + len(values)

    def _values(self, found: list[Any]) -> list[Any]:
        if self._aggregate.unknown:
            return found
        return [value for value in found if value is not None]

    def values(self, place: int) -> list[Any]:
        """All values of the subtree of a node, in their order."""
        start = place if self._from_here else place + 1
        lists = self._found[start : self._tree.ends[place] + 1]
        values = [value for found in lists for value in found]
        return values if self._order is None else in_order(values, self._order)

    def result(self, place: int, *options: Any) -> Any:
        """What the values of the subtree of a node result in. Raises ValueFaultError."""
        aggregate = self._aggregate
        if not self._merged:
            values = self._values(self.values(place))
            return aggregate.result(aggregate.add(aggregate.zero(), values), len(values), *options)
        state, count = self._below[place]
        if self._from_here:
            state, count = self._with_own(place, state, count)
        return aggregate.result(state, count, *options)


def result_below(subtrees: Subtrees, place: int, *options: Any) -> Any:
    """What the values below a node result in. Raises ValueFaultError."""
    return subtrees.result(place, *options)
