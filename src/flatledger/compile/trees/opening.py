"""How far the nodes of a tree are opened, and what is in those that are defined elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from types import MappingProxyType
from typing import Any, NamedTuple

import msgspec

from ...bounds import MOST_NODES
from ...errors import SourceError
from ...language import nodes as n
from ...plan.known import Known
from ...plan.plan import OpeningPlan, Plan
from ...structure.levels import Names, level_name
from ..expressions.blocks import Block, function_head, indented
from ..expressions.constants import Constants
from ..expressions.emission import Scope
from ..expressions.emitter import Emitter
from ..runtime.definitions import name_of
from ..runtime.plain_data import is_null, siblings

Closed = Callable[[int, Any, int], bool]  # of a record's number, a node, and its depth


class Opener(NamedTuple):
    """How the nodes of one level are opened.

    ``below`` gives what is below a node; ``key`` what a node says by which it is defined, and
    ``defined`` the nodes of each definition. ``tell`` is called for a node that holds itself.
    """

    level: Names
    below: Callable[[Any], Any]
    to_depth: int | None = None
    closed: Closed | None = None
    key: Callable[[Any], Any] | None = None
    defined: Mapping[str, Any] = MappingProxyType({})
    used: set[str] | None = None
    tell: Callable[[int, str, str], None] | None = None

    def opened(self, value: Any, number: int, own_name: str) -> tuple[list[Any], list[int]]:
        """The nodes of a record in the order of the document, and how deep each stands.

        Raises SourceError for more nodes than a record can have.
        """
        nodes: list[Any] = []
        depths: list[int] = []
        ways: list[tuple[Iterator[Any], str]] = [(iter(siblings(value)), own_name)]
        names = {own_name: None} if own_name else {}  # of the definitions on the way, in order
        while ways:
            for node in ways[-1][0]:
                nodes.append(node)
                depths.append(len(ways))
                if self.stays_closed(number, node, len(ways)):
                    continue
                below, name = self._below(node, len(nodes), names)
                if not is_null(below):
                    ways.append((iter(siblings(below)), name))
                    names |= {name: None} if name else {}
                    break
            else:
                names.pop(ways.pop()[1], None)
            if len(nodes) > MOST_NODES:
                raise SourceError(
                    f"record {number:,} has more than {MOST_NODES:,} {level_name(self.level)} when "
                    "all of them are opened; `open` says how far"
                )
        return nodes, depths

    def stays_closed(self, number: int, node: Any, depth: int) -> bool:
        if self.to_depth is not None and depth >= self.to_depth:
            return True
        is_entry = isinstance(node, dict | msgspec.Struct)  # and no stray text among them
        return self.closed is not None and is_entry and self.closed(number, node, depth)

    def _below(self, node: Any, place: int, names: dict[str, None]) -> tuple[Any, str]:
        """What is below a node: its own, or else that of its definition, with its name."""
        below = self.below(node)
        if self.key is None or not is_null(below):
            return below, ""
        name = name_of(self.key(node))
        if name not in self.defined:
            return None, ""
        if name in names:
            if self.tell is not None:
                way = list(names)
                shown = " → ".join([*way[way.index(name) :], name])
                self.tell(place, name, f"holds itself ({shown}), and is not opened again")
            return None, ""
        if self.used is not None:
            self.used.add(name)
        return self.defined[name], name


def pruned(
    nodes: list[Any], depths: list[int], how: Opener, number: int
) -> tuple[list[Any], list[int]]:
    """Nodes that were arranged already, as far as they are opened."""
    kept, kept_depths, closed_at = [], [], 0
    for node, depth in zip(nodes, depths, strict=True):
        if closed_at and depth > closed_at:
            continue
        kept.append(node)
        kept_depths.append(depth)
        closed_at = depth if how.stays_closed(number, node, depth) else 0
    return kept, kept_depths


# ---- emitting what is asked before the nodes of a tree are opened: of a record, and of a node


def passes_source(plan: Plan, constants: Constants, name: str) -> str:
    """The text of the function that says whether a record passes the conditions that are told of it
    alone: what others hold need not be opened. Blank where nothing is opened, or none is judged."""
    own = [one.value for one in plan.conditions if one.level == 0 and one.side is None]
    tests = [value for value in own if all(map(_is_of_the_record, value.walk()))]
    if plan.layout.opens_by is None or not tests:
        return ""
    emitter = Emitter(plan, constants)
    with emitter.code.at(0, whole=True) as block:
        for test in tests:
            block.add(f"if {emitter.truth(test).code} is not True: return False")
    head = function_head(name, "record", "number")
    return "\n".join([head, *indented([*block.lines, "return True"], 1)])


def _is_of_the_record(node: n.Node) -> bool:
    """Whether a part of a condition asks for nothing that lies in levels below the record."""
    known = node.known
    if not isinstance(known, Known):
        return True  # a step of a path
    if known.aggregate is not None or known.node is not None or isinstance(node, n.Heading):
        return False
    access = known.access
    return access is None or (access.anchor == 0 and access.crossed is None and not access.rest)


def closed_source(plan: Plan, opening: OpeningPlan, constants: Constants, name: str) -> str:
    """The text of the function that says whether a node stays closed; blank where none asks."""
    if opening.value is None:
        return ""
    emitter = Emitter(plan, constants)
    last = opening.chain.row
    scope = Scope(
        opening.chain,
        [*("above" for _ in range(last)), "entry"],
        ["number", *("0" for _ in range(last))],
        ["" for _ in range(last + 1)],
        [Block()],
    )
    for _ in range(last):
        scope.blocks.append(Block(scope.blocks[-1]))
    scope.depth = "depth"
    emitter.code.scope, emitter.code.block = scope, scope.blocks[-1]
    verdict = emitter.truth(opening.value)
    lines = [line for block in scope.blocks for line in block.lines]
    head = function_head(name, "number", "entry", "depth")
    return "\n".join([head, *indented([*lines, f"return {verdict.code} is True"], 1)])
