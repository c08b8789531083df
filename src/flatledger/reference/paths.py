"""Paths: where one is reached from, and what stands there (rules 1 to 3, 5 and 8)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from ..language import nodes as n
from ..plan.plan import Plan
from ..structure.levels import Chain, Names, levels_line, plain_steps
from ..structure.structure import MEMBERS
from ..values.field_values import FieldDeclaration, FieldReader
from ..values.own_texts import TEXT, WITHIN, own_text, own_value
from ..values.parts import flattened
from .entries import Entry
from .faults import Faults
from .plain import is_null
from .selecting import Selecting

Levels = tuple[Names, ...]


class Way(NamedTuple):
    """How a path goes from where it stands: from an entry of the chain (``anchor``, by index), by
    plain ``names``, then by further segments (``rest``). ``level`` is the level it leads to."""

    anchor: int
    names: Names
    rest: tuple[n.Segment, ...]
    place: Names | None
    level: Names


class Paths:
    """Finds what stands at paths, by what the plan says of places. It can be shared by the readings
    of many records, each with ``faults`` of its own; ``known`` is what they keep of the plan."""

    def __init__(self, plan: Plan) -> None:
        self._plan, self.faults = plan, Faults()
        self.known: dict[tuple[Any, ...], Any] = {}
        self._own = plan.chain
        self.has_own_texts = plan.chain.structure.has_own_texts
        self._readers: dict[str, FieldReader] = {}
        self._declared = _declared(plan)
        self._ways: dict[tuple[int, Levels], Way] = {}
        self._repeats: dict[tuple[int, Levels], bool] = {}
        self._held: list[n.Node] = []  # whose identities are the keys above

    def chain_of(self, levels: Levels) -> Chain:
        return Chain(levels, self._own.structure, self._own.known)

    def is_level(self, names: Names) -> bool:
        return self._own.is_level(names)

    def way(self, path: n.FieldPath, levels: Levels) -> Way:
        """From the longest prefix that a path shares with the chain (rule 2); a selector on a level
        chooses among all its entries, so that the chain ends before it."""
        key = id(path), levels
        if key not in self._ways:
            self._held.append(path)
            self._ways[key] = self._found_way(path, levels)
        return self._ways[key]

    def _found_way(self, path: n.FieldPath, levels: Levels) -> Way:
        chain = self.chain_of(levels)
        names, rest = plain_steps(path, chain)
        chooses = bool(rest) and not rest[0].descendant
        anchor = 0
        for at, level in enumerate(levels):
            if names[: len(level)] == level and not (chooses and level and level == names):
                anchor = at
        place = chain.place_of(path)
        return Way(anchor, names[len(levels[anchor]) :], rest, place, self.level(path, levels))

    def level(self, path: n.FieldPath, levels: Levels) -> Names:
        """The level that a path leads to: the deepest that it crosses by names or, where selectors
        choose among the entries of one, that (rules 1 and 5)."""
        chain = self.chain_of(levels)
        names, rest = plain_steps(path, chain)
        if rest and not rest[0].descendant:
            stated = self._own.known.stated is not None
            chosen = isinstance(rest[0].selectors[0], n.Filter | n.Slice | n.Wildcard)
            if chain.is_level(names) or (stated and chosen):
                return names
            names = names[:-1]
        for length in range(len(names), 0, -1):
            if chain.is_level(names[:length]):
                return names[:length]
        return ()

    def once(self, node: n.Node, *about: Any, work: Callable[[], Any]) -> Any:
        """What is the same for a node of the plan in all records: worked out once."""
        key = id(node), *about
        if key not in self.known:
            self._held.append(node)
            self.known[key] = work()
        return self.known[key]

    def repeats(self, path: n.FieldPath, levels: Levels) -> bool:
        """Whether a path stands for many values where it stands (rules 1 and 2)."""
        key = id(path), levels
        if key not in self._repeats:
            self._repeats[key] = self._found_repeating(self.way(path, levels), levels)
        return self._repeats[key]

    def _found_repeating(self, way: Way, levels: Levels) -> bool:
        start = levels[way.anchor]
        names = (*start, *way.names)
        if way.rest and not way.rest[0].descendant:
            names = names[:-1]
        chain = self.chain_of(levels)
        places = [names[:length] for length in range(len(start) + 1, len(names) + 1)]
        places += _places_after((*start, *way.names), way.rest)
        return any(
            chain.is_level(place) and chain.known.repeats(place, chain.structure)
            for place in places
        )

    def _is_alone(self, path: n.FieldPath, way: Way, levels: Levels) -> bool:
        """Whether a path crosses a level that has one entry at the most, whose value is taken."""
        crossed = len(way.level) > len(levels[way.anchor])
        return crossed and not self.repeats(path, levels)

    def declared(self, path: n.FieldPath, levels: Levels) -> FieldDeclaration | None:
        """How the values at a path are declared under `fields`, if they are."""
        place = self.way(path, levels).place if self._declared else None
        return self._declared.get(place) if place is not None else None

    def reader(self, declared: FieldDeclaration) -> FieldReader:
        key = repr(declared)
        if key not in self._readers:
            self._readers[key] = declared.reader()
        return self._readers[key]

    # ---- what stands there

    def raw(
        self, path: n.FieldPath, chain: tuple[Entry, ...], *, stated: bool, aligned: bool = False
    ) -> Any:
        """The value at a path as it came: one, or a list of those that are there (rules 2 and 3).

        ``stated``: within an aggregate, where a list at a place that is no stated level is no
        value. ``aligned``: with a null for each entry that has none.
        """
        levels = chain[-1].levels
        way = self.way(path, levels)
        start, names = chain[way.anchor], way.names
        rest, of_text = way.rest, False
        if self.has_own_texts:
            names, rest, of_text = self._without_text(start.level, names, rest)
        if rest:
            value = self._selected(start, names, rest, chain[0])
        else:
            value = self._named(start, names, stated=stated, aligned=aligned)
            if isinstance(value, list) and not aligned and self._is_alone(path, way, levels):
                value = _alone(value)
        if of_text:
            value = own_text(value)
        return own_value(value) if self.has_own_texts else value

    def _named(self, start: Entry, names: Names, *, stated: bool, aligned: bool) -> Any:
        """What plain names lead to from an entry; a name on a list goes to each of its entries."""
        values, several = [start.value], False
        for place, name in enumerate(names):
            if any(isinstance(one, list) for one in values):
                if stated and not self._may_be_list((*start.level, *names[:place])):
                    return self._unstated(start, names[:place], values)
                values, several = list(flattened(values)), True
            values = [self._member(start, names[:place], one, name, several) for one in values]
        value = list(flattened(values)) if several else values[0]
        is_list = isinstance(value, list) and bool(start.level + names)
        if stated and is_list and not (names and self._may_be_list((*start.level, *names))):
            return self._unstated(start, names, value)
        if (several or (names[-1:] == (MEMBERS,) and is_list)) and not aligned:
            return [one for one in value if one is not None]
        return value

    def _member(self, start: Entry, names: Names, value: Any, name: str, several: bool) -> Any:
        """A member of an object. Of what is none there is none, which is told of a lone one."""
        if isinstance(value, dict):
            if name != MEMBERS:
                return value.get(name)
            return [one for key, one in value.items() if key != WITHIN]
        if not several and names and not is_null(value):
            path = self._own.called((*start.level, *names))
            self.faults.tell(start.where, path, value, "fields were expected here")
        return None

    def is_plain_way(self, start: Entry, level: Names) -> bool:
        """Whether no list stands on the way to a level; one that does is told."""
        value = start.value
        for length in range(len(start.level), len(level) - 1):
            value = value.get(level[length]) if isinstance(value, dict) else None
            if isinstance(value, list):
                self._unstated(start, level[len(start.level) : length + 1], value)
                return False
        return True

    def _may_be_list(self, names: Names) -> bool:
        known = self._own.known
        return known.stated is None or self._own.is_level(names)

    def _unstated(self, start: Entry, names: Names, value: Any) -> None:
        """A list at a place that is no level by what the layout states is no value (rule 1)."""
        place = (*start.level, *names)
        if not is_null(value):
            line = levels_line((*(self._own.known.stated or ()), place))
            reason = f"this is a list, and no level by `levels`; if it is one, write `{line}`"
            self.faults.tell(start.where, self._own.called(place), value, reason)

    def _selected(
        self, start: Entry, names: Names, rest: tuple[n.Segment, ...], record: Entry
    ) -> Any:
        """What selectors choose: one value of a path that can have no more, else a list."""
        lengths = range(1, len(names))
        cut = next((k for k in lengths if self.is_level((*start.level, *names[:k]))), len(names))
        after = tuple(
            n.Segment(0, (n.Wildcard(0) if name == MEMBERS else n.Name(0, name),))
            for name in names[cut:]
        )
        value = self._named(start, names[:cut], stated=False, aligned=False)
        if value is None:
            return None
        selecting = Selecting(self.is_level, self.has_own_texts, record.value)
        found = selecting.found(value, (*after, *rest), (*start.level, *names[:cut]))
        if n.FieldPath(0, (*after, *rest)).is_singular() and len(found) < 2:
            return found[0] if found else None
        return found

    def _without_text(
        self, level: Names, names: Names, rest: tuple[n.Segment, ...]
    ) -> tuple[Names, tuple[n.Segment, ...], bool]:
        """A last step to all text of an element is none, where no element has it as a member."""
        if rest:
            only = rest[-1].selectors[0]
            alone = len(rest[-1].selectors) == 1 and not rest[-1].descendant
            if alone and isinstance(only, n.Name) and only.name == TEXT:
                return names, rest[:-1], True
        elif names[-1:] == (TEXT,) and self._own.structure.find((*level, *names)) is None:
            return names[:-1], rest, True
        return names, rest, False


def _places_after(names: Names, rest: tuple[n.Segment, ...]) -> list[Names]:
    """The places to whose entries a plain name goes after a selector."""
    found: list[Names] = []
    named = False
    for segment in rest:
        only = segment.selectors[0]
        if segment.descendant or len(segment.selectors) > 1:
            return found
        if not isinstance(only, n.Name):
            named = False
            continue
        if named:
            found.append(names)
        names, named = (*names, only.name), True
    return [*found, names] if named else found


def _alone(values: list[Any]) -> Any:
    """The one value of several entries; several stay a list."""
    found = [value for value in flattened(values) if value is not None]
    return found if len(found) > 1 else found[0] if found else None


def _declared(plan: Plan) -> dict[Names, FieldDeclaration]:
    found = {}
    for one in plan.layout.fields:
        node = one.expression.node
        assert isinstance(node, n.FieldPath)
        names, _ = plain_steps(node, plan.chain)
        found[names] = one.in_locale(plan.layout.locale, plan.chain.structure.types_moments)
    return found
