"""A tree laid flat: its nodes in the order of the document, and where each of them stands.

A node's place is its number in that order, from 1. Nothing here goes down a tree step by step of
Python's own stack, so that its depth is no bound.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from operator import ge
from typing import Any

from ...values.lazily import lazily

TRAIL_SEPARATOR = " / "
INDENT = "  "
SHALLOW = 64  # so deep, all trails and numbers together are no more than a few times the nodes


class Tree:
    """The nodes of one tree as they came, filtered out or not; roots are at depth 1."""

    def __init__(self, nodes: Sequence[Any], depths: Sequence[int]) -> None:
        self.nodes, self.depths = nodes, depths
        self._at_depth: dict[int, list[int]] = {}

    @lazily
    def parents(self) -> list[int]:
        """The place of the node above each, 0 of a root; a place has its number as its index."""
        found, last = [0], [0] * (max(self.depths, default=0) + 1)  # met last at each depth
        note = found.append
        for place, depth in enumerate(self.depths, 1):
            note(last[depth - 1])
            last[depth] = place
        return found

    @lazily
    def ends(self) -> list[int]:
        """The place of the last node below each; its own, where there is none."""
        parents, found = self.parents, list(range(len(self.depths) + 1))
        for place in range(len(self.depths), 0, -1):
            parent, end = parents[place], found[place]
            if found[parent] < end:
                found[parent] = end
        return found

    @lazily
    def bare(self) -> list[bool]:
        """Whether each has no node below it, as it came."""
        found = [False]
        found += map(ge, self.depths, [*self.depths[1:], 0])
        return found

    @lazily
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

    @lazily
    def numbers(self) -> Mapping[int, str] | list[str]:
        """The number of each by its place, such as 1.2.3 (ISO 2145); in a deep tree each of them is
        put together when it is asked for."""
        if not self.shallow:
            return _Numbers(self)
        found = [""]
        note = found.append
        for parent, ordinal in zip(self.parents[1:], self.ordinals[1:], strict=True):
            note(f"{found[parent]}.{ordinal}" if parent else str(ordinal))
        return found

    @lazily
    def shallow(self) -> bool:
        """Whether what is told of the whole way down to a node is told of all nodes at once."""
        return max(self.depths, default=0) <= SHALLOW


class _Numbers(dict[int, str]):
    """Numbers by the place of a node, put together when they are asked for."""

    def __init__(self, tree: Tree) -> None:
        super().__init__()
        self._tree = tree

    def __missing__(self, place: int) -> str:
        ordinals = self._tree.ordinals
        return ".".join(str(ordinals[at]) for at in self._tree.way(place))


class _Trails(dict[int, Any]):
    """Trails by the place of a node, put together when they are asked for."""

    def __init__(self, places: NodePlaces, values: list[Any], separator: str) -> None:
        super().__init__()
        self._places, self._values, self._separator = places, values, separator

    def __missing__(self, place: int) -> str | None:
        return self._places.trail(place, self._values, self._separator)


class NodePlaces:
    """The places of the nodes of a tree that are left, in their order.

    ``matched`` are those for which a condition is true that keeps more than these.
    """

    def __init__(
        self, tree: Tree, places: Sequence[int], matched: frozenset[int] = frozenset()
    ) -> None:
        self.tree, self._places, self.matched = tree, places, matched

    @classmethod
    def of(cls, tree: Tree) -> NodePlaces:
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

    def left(self, places: Sequence[int], matched: Iterable[int] | None = None) -> NodePlaces:
        """Some of them, in their order."""
        found = self.matched if matched is None else frozenset(matched)
        return NodePlaces(self.tree, places, found)

    @property
    def all_left(self) -> bool:
        """Whether none of the nodes is missing."""
        return len(self._places) == len(self.tree.depths)

    def _flags(self, places: Iterable[int]) -> list[bool]:
        """For each place whether it is one of some."""
        found = [False] * (len(self.tree.depths) + 1)
        for place in places:
            found[place] = True
        return found

    @lazily
    def leaves(self) -> list[bool]:
        """For each place whether there is one left without another below it."""
        if self.all_left:
            return self.tree.bare
        ends, following = self.tree.ends, [*self._places, len(self.tree.depths) + 1][1:]
        pairs = zip(self._places, following, strict=True)
        return self._flags(place for place, after in pairs if after > ends[place])  # mutant: leaves

    @lazily
    def tops(self) -> list[bool]:
        """For each place whether there is one left without another above it."""
        ends, found, end = self.tree.ends, [], 0
        for place in self._places:
            if place > end:
                found.append(place)
                end = ends[place]  # mutant: tops
        return self._flags(found)

    @lazily
    def childless(self) -> list[bool]:
        """The leaves once more, found from below: those that are above none that is left."""
        found = self._flags(self._places)
        for place in self.tree.parents if self.all_left else self._above:
            found[place] = False
        return found

    @lazily
    def parentless(self) -> list[bool]:
        """The tops once more, found from above."""
        left, parents = frozenset(self._places), self.tree.parents
        covered = [False] * len(parents)  # whether one above, or the node itself, is left
        found = []
        for place in range(1, len(parents)):
            above = covered[parents[place]]
            covered[place] = above or place in left
            if place in left and not above:
                found.append(place)
        return self._flags(found)

    @lazily
    def _above(self) -> frozenset[int]:
        """All nodes, left or not, that are above one that is."""
        parents, found = self.tree.parents, set[int]()
        for place in self._places:
            place = parents[place]
            while place and place not in found:
                found.add(place)
                place = parents[place]
        return frozenset(found)

    @lazily
    def wanted(self) -> list[tuple[int, Any]]:
        """These and all nodes above them, with their places: what is asked of a node may be told of
        those."""
        nodes = self.tree.nodes
        if self.all_left:
            return list(enumerate(nodes, 1))
        return [(place, nodes[place - 1]) for place in sorted({*self._places, *self._above})]

    def with_branch(self, places: Iterable[int]) -> frozenset[int]:
        """Some of them with all that is below."""
        ends, end, found = self.tree.ends, 0, []
        chosen = frozenset(places)
        for place in self._places:
            if place in chosen:
                end = max(end, ends[place])  # mutant: branch
            if place <= end:
                found.append(place)
        return frozenset(found)

    def with_ancestors(self, places: Iterable[int]) -> frozenset[int]:
        """Some of them with all that is above."""
        some = self.left(sorted(places))
        return (some._above | frozenset(some)) & frozenset(self._places)

    # ---- what is told of one node

    def blanks(self) -> list[Any]:
        """A null for each place, and for what is no node."""
        return [None] * (len(self.tree.depths) + 1)

    def ancestor(self, place: int, depth: Any) -> int:
        """The place of the node at a depth on the way down to one, itself included; else 0."""
        if depth != int(depth) or not 1 <= depth <= self.tree.depths[place - 1]:
            return 0
        if depth <= SHALLOW:
            return self.tree.at_depth(int(depth))[place]
        return self.tree.way(place)[int(depth) - 1]

    def trail(self, place: int, values: list[Any], separator: str | None) -> str | None:
        """The texts of the nodes from a root down to one; those that have none are passed over."""
        found = [text for at in self.tree.way(place) if (text := values[at]) is not None]
        return (separator or "").join(found) if found else None

    def trails(self, values: list[Any], separator: str) -> Mapping[int, Any] | list[Any]:
        """The trail of each node; in a deep tree each of them is put together when it is asked
        for."""
        if not self.tree.shallow:
            return _Trails(self, values, separator)
        found = self.blanks()
        parents = self.tree.parents
        for place in range(1, len(parents)):
            above, text = found[parents[place]], values[place]
            whole = text if above is None or text is None else f"{above}{separator}{text}"
            found[place] = above if whole is None else whole
        return found

    def products(self, factors: list[Any]) -> list[Any]:
        """The product of all factors from a root down to each node; null spreads."""
        found: list[Any] = [1]
        note = found.append
        pairs = zip(self.tree.parents, factors, strict=True)
        next(pairs)
        for parent, factor in pairs:
            above = found[parent]
            note(None if above is None or factor is None else above * factor)
        return found

    # ---- what is below a node

    def lists(self) -> list[list[Any]]:
        """A list for each place, to gather values in."""
        return [[] for _ in self.tree.parents]
