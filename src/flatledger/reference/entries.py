"""A record and what is in it: entries of levels, and nodes of trees (rules 1, 8 and 19).

The record is copied. What a condition filters out is taken out of the copy, so that a path sees
what is left; the entries themselves know where they stood in the record as it came.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Any

from ..plan.plan import Plan
from ..structure.levels import Names
from ..structure.structure import MEMBERS
from ..values.own_texts import WITHIN
from ..values.parts import flattened
from .faults import Faults, Where
from .plain import is_null

NO_FIELDS = "this has no fields, and is left out"
NO_MAPPING = "a mapping was expected; this is left out"


class Entry:
    """One entry of a level; the record itself is one.

    ``place`` is its number in the list, from 1, as it came. A member of a mapping has a ``key``, a
    node of a tree knows its ``depth`` and the node it stands under (``parent``). ``kept``: no
    condition has filtered it out.
    """

    def __init__(self, value: Any, level: Names, above: Entry | None, place: int) -> None:
        self.value, self.level, self.above, self.place = value, level, above, place
        self.levels: tuple[Names, ...] = () if above is None else above.levels
        self.levels = (*self.levels, level)
        self.key = ""
        self.kept = self.matched = True
        self.stray = False
        self.holder: list[Any] | dict[str, Any] = []
        self.below: dict[Names, list[Entry]] = {}
        self.depth, self.parent = 1, None if above is None else above
        self.sibling, self.leaf = place, True

    @cached_property
    def chain(self) -> tuple[Entry, ...]:
        """The entries from the record down to this one."""
        return (self,) if self.above is None else (*self.above.chain, self)

    @cached_property
    def where(self) -> Where:
        """The places of the entries that lead here, the record's number first."""
        return tuple(entry.place for entry in self.chain)

    @property
    def way(self) -> list[Entry]:
        """The nodes from a root of the tree down to this one."""
        way, node = [self], self.parent
        while node is not None and node.level == self.level:
            way.append(node)
            node = node.parent
        return way[::-1]

    @property
    def numbering(self) -> str:
        """1.2.3: the places among siblings on the way down to a node (ISO 2145)."""
        return ".".join(str(node.sibling) for node in self.way)


class Record:
    """One record, with the entries of its levels as they are asked for."""

    def __init__(self, plan: Plan, plain: Any, number: int, faults: Faults) -> None:
        self._plan, self._faults = plan, faults
        self._known = plan.chain.known
        self._depths: dict[int, tuple[list[int], Any]] = {}  # of the nodes of a list, which is held
        value = copied(plain)
        for level in sorted(one for one in plan.repeating if one in self._known.trees):
            self._lay_flat(value, level)
        self.top = Entry(value, (), None, number)

    def entries(self, above: Entry, level: Names) -> list[Entry]:
        """The entries of a level right below an entry, as they came (rule 1)."""
        return [entry for entry in self._all(above, level) if not entry.stray]

    def _all(self, above: Entry, level: Names) -> list[Entry]:
        """The same with what is none, though it stands there."""
        if level not in above.below:
            above.below[level] = self._found(above, level)
        return above.below[level]

    def kept(self, above: Entry, level: Names) -> list[Entry]:
        """Those that no condition has filtered out (rule 9)."""
        return [entry for entry in self.entries(above, level) if entry.kept]

    def chains(self, above: Entry, levels: tuple[Names, ...], kept: bool = True) -> list[Entry]:
        """The entries at the last of some levels, each of which is right below the one before."""
        found = [above]
        for level in levels:
            below = self.kept if kept else self.entries
            found = [entry for one in found for entry in below(one, level)]
        return found

    # ---- finding entries

    def _found(self, above: Entry, level: Names) -> list[Entry]:
        names = level[len(above.level) :]
        if names[-1] == MEMBERS:
            return self._members(above, level, names[:-1])
        found, depths, place = [], list[int](), 0
        for holder in holders(above.value, names):
            entries, known = self._listed(holder, names[-1])
            for at, value in enumerate(entries):
                place += 1
                if value is None:
                    continue
                entry = Entry(value, level, above, place)
                entry.holder = entries
                found.append(entry)
                depths.append(known[at] if known else 1)
        if level in self._known.trees:
            stand(found, depths)
        for entry in found if self._has_fields(level) else []:
            if not isinstance(entry.value, dict):
                entry.stray = True
                self._faults.tell(above.where, self._known.called(level), entry.value, NO_FIELDS)
        return found

    def _has_fields(self, level: Names) -> bool:
        """Whether the layout reads what is in the entries of a level."""
        return any(
            len(names) > len(level) and names[: len(level)] == level for names in self._plan.places
        )

    def _listed(self, holder: dict[str, Any], name: str) -> tuple[list[Any], list[int]]:
        """The list at a level, a lone entry being a list of one; the depths of nodes."""
        value = holder.get(name)
        if not isinstance(value, list):
            return [] if is_null(value) else Lone([value], holder, name), []
        depths, _ = self._depths.get(id(value), ([], None))
        return value, depths

    def _members(self, above: Entry, level: Names, names: Names) -> list[Entry]:
        """The members of a mapping, or of each of several."""
        found: list[Entry] = []
        value = above.value
        mappings = [value] if not names else [h.get(names[-1]) for h in holders(value, names)]
        for mapping in flattened(mappings):
            if not isinstance(mapping, dict):
                if not is_null(mapping):
                    self._faults.tell(above.where, self._known.called(level), mapping, NO_MAPPING)
                continue
            for key, value in mapping.items():
                if key != WITHIN:
                    entry = Entry(value, level, above, len(found) + 1)
                    entry.key, entry.holder = key, mapping
                    found.append(entry)
        return found

    # ---- trees (rule 19)

    def _lay_flat(self, value: Any, level: Names) -> None:
        """Make a list of all nodes of each tree at a level, in the order of the document."""
        inner = self._known.trees[level]
        for holder in holders(value, level):
            top = holder.get(level[-1])
            if top is None:
                continue
            nodes, depths = list[Any](), list[int]()
            waiting = [(node, 1) for node in reversed(siblings(top))]
            while waiting:
                node, depth = waiting.pop()
                below = node.pop(inner, None) if isinstance(node, dict) and inner else None
                nodes.append(node)
                depths.append(depth)
                waiting += [(one, depth + 1) for one in reversed(siblings(below))]
            holder[level[-1]] = nodes
            self._depths[id(nodes)] = depths, nodes

    # ---- filtering (rule 9)

    def cut_down(self, above: Entry, level: Names) -> None:
        """Take the entries that were filtered out from what paths see."""
        entries = self._all(above, level)
        for holder in {id(one.holder): one.holder for one in entries}.values():
            own = [one for one in entries if one.holder is holder]
            if isinstance(holder, dict):
                for one in own:
                    if not one.kept or one.stray:
                        holder.pop(one.key, None)
                continue
            holder[:] = [one.value for one in own if one.kept and not one.stray]
            if isinstance(holder, Lone):
                holder.owner[holder.name] = holder


class Lone(list[Any]):
    """A list that stands for a lone entry, which an object has as a member."""

    def __init__(self, values: list[Any], owner: dict[str, Any], name: str) -> None:
        super().__init__(values)
        self.owner, self.name = owner, name


def stand(nodes: list[Entry], depths: list[int]) -> None:
    """Say of each node where it stands: how deep, under which, at which place among siblings."""
    last: dict[int, Entry] = {}
    counts: dict[int, int] = {}
    for node, depth in zip(nodes, depths, strict=True):
        node.depth = depth
        node.parent = last.get(depth - 1) if depth > 1 else None
        if node.parent is not None:
            node.parent.leaf = False
        counts[id(node.parent)] = node.sibling = counts.get(id(node.parent), 0) + 1
        last[depth] = node


def copied(value: Any) -> Any:
    """A record with all that is in it, copied; however deep, without Python's own stack."""
    top = [value]
    waiting: list[Any] = [top]
    while waiting:
        whole = waiting.pop()
        for name, one in whole.items() if isinstance(whole, dict) else enumerate(whole):
            if isinstance(one, dict | list | tuple):
                whole[name] = dict(one) if isinstance(one, dict) else list(one)
                waiting.append(whole[name])
    return top[0]


def siblings(value: Any) -> list[Any]:
    """The entries of one list of nodes; a lone one is a list of one, and nulls are none."""
    if isinstance(value, list):
        return [one for one in flattened(value) if not is_null(one)]
    return [] if is_null(value) else [value]


def holders(value: Any, names: Names) -> Iterator[dict[str, Any]]:
    """The objects that have what names lead to as a member; a step on a list goes to each entry."""
    if isinstance(value, list):
        for one in value:
            yield from holders(one, names)
    elif isinstance(value, dict):
        if len(names) == 1:
            yield value
        else:
            below = value.values() if names[0] == MEMBERS else [value.get(names[0])]
            for one in list(below):
                yield from holders(one, names[1:])
