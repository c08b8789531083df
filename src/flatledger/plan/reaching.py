"""Which levels an expression reaches: the entries that an aggregate of it runs over."""

from __future__ import annotations

from collections.abc import Iterator

from ..language import nodes as n
from ..structure.levels import RECORD, Chain, Names, plain_steps
from ..structure.trees import IS_COUNTED, TREE_FUNCTIONS
from .kinds import AGGREGATE_KINDS


def is_of_some_node(node: n.Node) -> bool:
    """Whether a call is about a node of a tree, and does not say of which."""
    return (
        isinstance(node, n.Call)
        and node.name in (*TREE_FUNCTIONS, IS_COUNTED, "ordinal")
        and not any(isinstance(part, n.FieldPath) for part in node.walk())
    )


def tree_meant(chain: Chain) -> Names:
    """The tree that a function is about which names none: that on the way to the deepest level, or
    the only one that there is."""
    if chain.node is not None:
        return chain.levels[chain.node]
    return next(iter(chain.known.trees)) if len(chain.known.trees) == 1 else RECORD


def places_crossed(node: n.Node, chain: Chain) -> Iterator[Names]:
    """The places that the paths of an expression cross, levels or not."""
    for part in node.walk():
        if isinstance(part, n.FieldPath) and not part.relative:
            yield from chain.crossed_places(part)


def reach(node: n.Node, chain: Chain, chosen: bool = False) -> Iterator[Names]:
    """The levels that the entries of an aggregate's argument belong to.

    A selector takes its level as a whole, so that nothing runs over the entries. It is the home of
    what is ``chosen`` of them all the same.
    """
    if isinstance(node, n.FieldPath):
        names, rest = plain_steps(node, chain)
        chooses = bool(rest) and not rest[0].descendant
        level = chain.deepest_level(names[:-1] if chooses else names, 0)
        if chosen and chooses and chain.counts_as_level(names, rest[0]):  # mutant: chosen-home
            level = names
        if level:
            yield level
    elif isinstance(node, n.Call) and is_of_some_node(node):
        if tree := tree_meant(chain):
            yield tree
    elif isinstance(node, n.Call) and node.name in AGGREGATE_KINDS and node.arguments:
        inner = list(reach(node.arguments[0], chain, chosen=True))
        above = chain.deepest_level(max(inner, key=len, default=("",))[:-1], 0)
        if above:
            yield above
    else:
        for part in node.children():
            yield from reach(part, chain, chosen)
