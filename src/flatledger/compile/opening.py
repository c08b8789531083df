"""How far the nodes of a tree are opened, and what is in those that are defined elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from types import MappingProxyType
from typing import Any, NamedTuple

import msgspec

from ..bounds import MOST_NODES
from ..errors import SourceError
from ..structure.levels import Names, level_name
from .definitions import name_of
from .plain_data import is_null, siblings

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
