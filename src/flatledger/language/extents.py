"""How far an aggregate goes in a tree: ``sum(below(x))``, ``sum(all_nodes(x))``."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from . import nodes as n

SUBTREES = ("below", "from_here")  # what it runs over, under a node
ALL_NODES = "all_nodes"  # whether it takes summaries and what is below them
EXTENTS = (*SUBTREES, ALL_NODES)


def taken_by(call: n.Call) -> tuple[n.Node, tuple[str, ...]]:
    """What an aggregate takes in, and how far it goes in a tree: `below`, `all_nodes`."""
    argument, ways = call.arguments[0], []
    while isinstance(argument, n.Call) and argument.name in EXTENTS:
        ways.append(argument.name)
        argument = argument.arguments[0] if argument.arguments else n.Literal(0, None)
    return argument, tuple(ways)


def with_argument(argument: n.Node, change: Callable[[n.Node], n.Node]) -> n.Node:
    """The argument of an aggregate with a change to what it takes in; how far it goes stays."""
    if isinstance(argument, n.Call) and argument.name in EXTENTS and argument.arguments:
        inner = with_argument(argument.arguments[0], change)
        return msgspec.structs.replace(argument, arguments=(inner,))
    return change(argument)
