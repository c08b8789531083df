"""Levels that nest in themselves: which they are, and their structure as one level (rule 19).

A member that has the level's own name inside an entry holds entries of the same level; a layout may
state another name. An entry of such a level is a node.
"""

from __future__ import annotations

from typing import Any

import msgspec

from ..language.extents import EXTENTS
from ..values.parts import flattened
from .levels import KnownLevels, Names
from .structure import Place

TREE_FUNCTIONS = {  # name: (fewest arguments, most); they are about a node and where it stands
    "depth": (0, 0),
    "numbering": (0, 0),
    "is_leaf": (0, 0),
    "is_match": (0, 0),
    "parent": (1, 1),
    "root": (1, 1),
    "ancestor": (2, 2),
    "trail": (1, 2),
    "indented": (1, 2),
    "chain_product": (1, 1),
}
TREE_KINDS = {
    "depth": "number",
    "numbering": "text",
    "is_leaf": "truth",
    "is_match": "truth",
    "is_counted": "truth",
    "trail": "text",
    "indented": "text",
    "chain_product": "number",
}
IS_COUNTED = "is_counted"  # the engine's own: whether a node is one of those that a sum takes
OF_AN_ARGUMENT = ("parent", "root", "ancestor", *EXTENTS)  # their kind is its


def holds_objects(value: Any) -> bool:
    """Whether something is an object, or a list that has one, however deep: an entry of a level
    that has such a member of the level's own name shows that it nests."""
    entries = flattened(value) if value.__class__ is list else (value,)
    return any(one.__class__ is dict or isinstance(one, msgspec.Struct) for one in entries)


def within_a_tree(names: Names, known: KnownLevels) -> str:
    """Why a path goes astray that steps from a node to what nests in it; blank if it does not."""
    for length in range(1, len(names)):
        if known.trees.get(names[:length]) == names[length]:
            level = known.called(names[:length])
            field = known.called((*names[:length], *names[length + 1 :]))
            return (
                f"{level} nests in itself, so that each of its nodes is an entry of {level}: write "
                f"{field}; below(…) and parent(…) go from one to others. `levels` that names "
                f"{known.called(names[: length + 1])} keeps the two apart"
            )
    return ""


def with_trees(structure: Place, known: KnownLevels) -> tuple[Place, KnownLevels]:
    """The structure in which each tree is one level, and the levels with the trees among them."""
    trees = {**known.nests}  # with no name of a member where flat rows are arranged
    for names, inner in _nesting_places(structure, ()):
        stated_apart = known.stated is not None and (*names, names[-1]) in known.stated
        if names[:-1] in trees and trees[names[:-1]] == names[-1]:
            continue  # it is that level already
        repeats = known.has(names, structure) or (known.stated is None and inner.lists > 0)
        if names not in trees and not stated_apart and repeats:
            trees[names] = names[-1]
    for names, name in sorted(trees.items()):
        structure = _folded(structure, names, name)
    return structure, msgspec.structs.replace(known, trees=trees)


def _nesting_places(place: Place, at: Names) -> list[tuple[Names, Place]]:
    """The places with a member of their own name that holds objects, each with that member."""
    found = []
    for name, child in place.children.items():
        names = (*at, name)
        own = child if child.nested else child.children.get(name)
        if own is not None and own.kinds[dict]:
            found.append((names, own))
        found += _nesting_places(child, names)
    return found


def _folded(structure: Place, names: Names, inner: str) -> Place:
    """The structure with all depths of a tree at its level; what was given stays as it is."""
    whole = Place(structure.wanted, structure.name, structure.nesting)
    whole.marked_as(structure)
    whole.merge(structure)
    place = whole.find(names)
    while place is not None and inner and inner in place.children:
        place.merge(place.children.pop(inner))
    return whole
