"""Laying trees flat: each level that nests in itself becomes a plain list of all its nodes.

It is the first step with records, so that all that follows meets a level like any other. Where each
node of a list stands is known beside the records (`places_of`).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import msgspec

from ..plan.plan import Plan
from ..structure.levels import Names
from ..structure.record_types import Field
from ..structure.structure import MEMBERS
from .plain_data import is_null
from .tree import Places, Tree

NONE = Places.of(Tree((), ()))


class Flattener:
    """Lays the trees of one plan flat, and knows where the nodes of each list stand."""

    def __init__(self, plan: Plan) -> None:
        self._root = plan.record_types.root
        trees = plan.chain.known.trees
        self._levels = [names for names in plan.repeating if names in trees]
        self._inner = trees
        self._places: dict[int, tuple[Places, Any]] = {}  # by the identity of a list, which is held

    @property
    def needed(self) -> bool:
        """Whether there is a tree to lay flat."""
        return bool(self._levels)

    def lay(self, records: list[Any]) -> list[Any]:
        """The records with each tree as a list of its nodes; those of before are forgotten."""
        self._places.clear()
        for names in self._levels:
            records = [self._changed(record, names, names, self._root) for record in records]
        return records

    def _changed(self, value: Any, rest: Names, level: Names, place: Field | None) -> Any:
        """What is on the way to a level, with the list there; plain data is copied as far as it
        changes, since it may be a caller's own."""
        if value.__class__ is list:
            return self._renewed(value, [self._changed(v, rest, level, place) for v in value])
        name, rest = rest[0], rest[1:]
        if value.__class__ is dict:
            names = [*value] if name == MEMBERS else [name] if name in value else []
            found = {key: self._below(value[key], rest, level, None) for key in names}
            return {**value, **found} if found else value
        child = place.children.get(name) if place is not None and not place.whole else None
        if child is not None and isinstance(value, msgspec.Struct):
            inner = getattr(value, child.attribute)
            setattr(value, child.attribute, self._below(inner, rest, level, child))
        return value

    def _renewed(self, former: list[Any], changed: list[Any]) -> list[Any]:
        """A list in the place of another: of nodes it keeps where they stand."""
        if id(former) in self._places:
            depths = self._places[id(former)][0].tree.depths
            self.note(changed, Places.of(Tree(changed, depths)))
        return changed

    def _below(self, value: Any, rest: Names, level: Names, place: Field | None) -> Any:
        if rest:
            return self._changed(value, rest, level, place)
        if is_null(value):
            return None
        nodes, depths = laid_flat(value, self._inner[level], place.below if place else "")
        self.note(nodes, Places.of(Tree(nodes, depths)))
        return nodes

    def note(self, nodes: list[Any], places: Places) -> None:
        """Remember where the nodes of a list stand."""
        self._places[id(nodes)] = places, nodes

    def places_of(self, nodes: Any) -> Places:
        """Where the nodes of a list stand."""
        return self._places[id(nodes)][0] if nodes else NONE

    def chosen(
        self, nodes: list[Any], places: Places, matched: list[int], kept_with: str
    ) -> list[Any]:
        """Those nodes of a list that match, and what is kept with them."""
        left: Iterable[int] = matched
        if kept_with:
            more = places.with_branch if kept_with == "branch" else places.with_ancestors
            left = more(matched)
        wanted = frozenset(left)
        found = [(node, at) for node, at in zip(nodes, places, strict=True) if at in wanted]
        kept = [node for node, _ in found]
        self.note(kept, places.left([at for _, at in found], matched))
        return kept

    def standing(self, nodes: Any, ordinals: Sequence[int]) -> Places:
        """The same of those nodes of a list that can be read, by their places in it."""
        places = self.places_of(nodes)
        return places if len(places) == len(ordinals) else places.left(ordinals)


def laid_flat(value: Any, inner: str, attribute: str) -> tuple[list[Any], list[int]]:
    """All nodes of a tree in the order of the document, and how deep each stands, from 1.

    What is below a node is its member ``inner``, of a struct its ``attribute``. An object is copied
    without that member; a lone node is a list of one.

    >>> tree = [{"no": 1, "parts": [{"no": 2}]}, {"no": 3}]
    >>> laid_flat(tree, "parts", "")
    ([{'no': 1}, {'no': 2}, {'no': 3}], [1, 2, 1])
    """
    nodes: list[Any] = []
    depths: list[int] = []
    ways = [iter(_siblings(value))]
    while ways:
        for node in ways[-1]:
            below = None
            if node.__class__ is dict:
                if inner in node:
                    below = node[inner]
                    node = {key: one for key, one in node.items() if key != inner}
            elif attribute and isinstance(node, msgspec.Struct):
                below = getattr(node, attribute)
            nodes.append(node)
            depths.append(len(ways))
            if below:
                ways.append(iter(_siblings(below)))
                break
        else:
            ways.pop()
    return nodes, depths


def _siblings(value: Any) -> Iterable[Any]:
    """The entries of one list of nodes; a lone one is a list of one, and nulls are none."""
    if value.__class__ is not list:
        return () if is_null(value) else (value,)
    if any(one is None or one.__class__ is list for one in value):
        return [part for one in value for part in _siblings(one)]
    return value
