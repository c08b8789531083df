"""Functions about a node of a tree: where it stands, and what others hold (rules 8 and 19)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..language import nodes as n
from ..structure.trees import IS_COUNTED
from .entries import Entry, Record
from .exact import multiplied
from .protocols import Here, Levels, Values, levels_of

TRAIL_SEPARATOR, INDENT = " / ", "  "


class Trees:
    """Works them out. Facts of structure are told of the record as it came."""

    def __init__(self, values: Values) -> None:
        self._of = values
        self._told: dict[str, Callable[[Entry], Any]] = {
            "depth": lambda node: node.depth,
            "ordinal": lambda node: node.sibling,
            "numbering": lambda node: node.numbering,
            "is_leaf": lambda node: node.leaf,
            "is_match": lambda node: node.matched,
            IS_COUNTED: lambda node: is_leaf(self._of.record, node),
        }

    def node(self, call: n.Call, levels: Levels) -> int:
        """The level of the node that a function is about: that of its argument's paths, else the
        deepest tree on the way."""
        at: int = self._of.paths.once(call, "node", levels, work=lambda: self._node(call, levels))
        return at

    def _node(self, call: n.Call, levels: Levels) -> int:
        parts = [part for argument in call.arguments[:1] for part in argument.walk()]
        paths = [part for part in parts if isinstance(part, n.FieldPath) and not part.relative]
        trees = self._of.plan.chain.known.trees
        if paths:
            return max(self._of.paths.way(path, levels).anchor for path in paths)
        return max(at for at, level in enumerate(levels) if level in trees)

    def value(self, call: n.Call, here: Here) -> Any:
        at = self.node(call, levels_of(here))
        node = here[at]
        if call.name in self._told:
            return self._told[call.name](node)
        argument = call.arguments[0]
        match call.name:
            case "parent":
                return self._at(node.way[-2] if node.depth > 1 else None, argument, here, at)
            case "root":
                return self._at(node.way[0], argument, here, at)
            case "ancestor":
                return self._ancestor(call, node, here, at)
            case "trail":
                return self._trail(call, node, here, at)
            case "indented":
                text, indent = self._of.text(argument, here), self._second(call, INDENT, here)
                return None if text is None or indent is None else indent * (node.depth - 1) + text
        return self._chain_product(argument, node, here, at)

    def _second(self, call: n.Call, otherwise: str, here: Here) -> Any:
        return self._of.text(call.arguments[1], here) if len(call.arguments) > 1 else otherwise

    def _at(self, node: Entry | None, argument: n.Node, here: Here, at: int) -> Any:
        """The value that another node of the tree has."""
        return None if node is None else self._of.present(argument, (*here[:at], node))

    def _ancestor(self, call: n.Call, node: Entry, here: Here, at: int) -> Any:
        depth = self._of.number(call.arguments[1], here)
        if depth is None or depth != int(depth) or not 1 <= depth <= node.depth:
            return None
        return self._at(node.way[int(depth) - 1], call.arguments[0], here, at)

    def _trail(self, call: n.Call, node: Entry, here: Here, at: int) -> Any:
        separator = self._second(call, TRAIL_SEPARATOR, here)
        found = [self._of.text(call.arguments[0], (*here[:at], one)) for one in node.way]
        texts = [text for text in found if text is not None]
        return None if separator is None or not texts else separator.join(texts)

    def _chain_product(self, argument: n.Node, node: Entry, here: Here, at: int) -> Any:
        product: Any = 1
        for one in node.way:
            factor = self._of.number(argument, (*here[:at], one))
            product = None if factor is None or product is None else multiplied(product, factor)
        return product


def kept_nodes(record: Record, node: Entry) -> list[Entry]:
    """The nodes of the tree that a node is in, as far as conditions left them."""
    assert node.above is not None
    return record.kept(node.above, node.level)


def nodes_below(record: Record, node: Entry, *, itself: bool = False) -> list[Entry]:
    """The kept nodes strictly below a node, or from it on."""
    return [
        one
        for one in kept_nodes(record, node)
        if (one is node and itself) or (one is not node and is_below(one, node))
    ]


def is_below(node: Entry, other: Entry) -> bool:
    above = node.parent
    while above is not None:
        if above is other:
            return True
        above = above.parent if above.level == node.level else None
    return False


def is_leaf(record: Record, node: Entry) -> bool:
    """Whether no kept node is below a kept node (rule 19)."""
    return not any(is_below(one, node) for one in kept_nodes(record, node))


def is_top(record: Record, node: Entry) -> bool:
    """Whether no kept node is above a kept node (rule 19)."""
    return not any(one.kept for one in node.way[:-1])
