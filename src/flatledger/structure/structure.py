"""What the records read so far look like: which fields there are, which repeat, of which kind."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, field
from itertools import islice
from typing import Any

from ..bounds import DEEPEST_LAYOUT

MEMBERS = "\ue000members"  # in a place's names: each member of a mapping; no field is called so
FEW = 64  # names of one place that are kept apart though they are not wanted
MOST_NAMES = 3_000  # of the others, for hints


@dataclass(slots=True)
class Place:
    """One place in the records: the kinds of value met there, its lists, and what is below.

    ``lists`` counts those of any length, ``many`` those of several entries; ``first_many`` is the
    number of the record that has the first of these. ``empty``: one had no entries. Where names
    are ``wanted``, others are kept apart only as long as they are few: beyond that they are the
    ``rest``, of which no more is known than what they have in common.
    Records ``of_elements`` are those of marked-up text, and a source ``types_moments`` whose dates
    are by ISO 8601 however they are shown, as is said of the record itself.
    ``nesting`` is the name that a place and the one above it have in common: a member of that name
    is this place again, however deep it goes.
    """

    wanted: Collection[str] | None = None
    name: str = ""
    nesting: str = ""
    nested: bool = False  # an object was met there
    of_elements: bool = False
    types_moments: bool = False

    lists: int = 0
    many: int = 0
    first_many: int = 0
    empty: bool = False
    elements: int = 0
    kinds: Counter[type] = field(default_factory=Counter)
    children: dict[str, Place] = field(default_factory=dict)
    together: Place | None = None
    rest: Place | None = None
    rest_names: dict[str, None] = field(default_factory=dict)

    def find(self, names: Iterable[str]) -> Place | None:
        """The place that a path of names leads to, or None where nothing was met there."""
        place: Place | None = self
        for name in names:
            place = place.below(name) if place else None
        return place

    def below(self, name: str) -> Place | None:
        """The place under one name; under MEMBERS all those of a mapping together."""
        if name == MEMBERS and self.together is None and self.children:
            self.together = Place(self.wanted, MEMBERS)
            for child in [*self.children.values(), *([self.rest] if self.rest else [])]:
                self.together.merge(child)
        if name == self.nesting != "":
            return self
        return self.together if name == MEMBERS else self.children.get(name)

    def merge(self, other: Place) -> None:
        """Take in what was met at another place."""
        self.lists += other.lists
        self.many += other.many
        firsts = [n for n in (self.first_many, other.first_many) if n]
        self.first_many = min(firsts, default=0)
        self.empty = self.empty or other.empty
        self.elements += other.elements
        self.nested = self.nested or other.nested
        self.kinds.update(other.kinds)
        for name, child in other.children.items():
            (self.children.get(name) or self._child(name)).merge(child)
        if other.rest is not None:
            self._rest().merge(other.rest)
            self._note_names(other.rest_names)

    def names(self) -> Iterator[str]:
        """The names met here, as far as they are kept."""
        yield from self.children
        yield from self.rest_names

    def _child(self, name: str) -> Place:
        """The place of a name that is new here."""
        if self.wanted is None or len(self.children) < FEW or name in self.wanted:
            nesting = name if name == self.name else ""
            child = self.children[name] = Place(self.wanted, name, nesting)
            return child
        self._note_names((name,))
        return self._rest()

    def _rest(self) -> Place:
        if self.rest is None:
            self.rest = Place(self.wanted)
        return self.rest

    def _note_names(self, names: Iterable[str]) -> None:
        if len(self.rest_names) < MOST_NAMES:
            self.rest_names.update(dict.fromkeys(islice(names, MOST_NAMES)))

    def add(self, value: Any, number: int = 0, depth: int = 0) -> None:
        """Take note of a record's value at this place; a list counts as its elements."""
        if depth > DEEPEST_LAYOUT:
            return
        within = [value]  # what nests in itself may do so deeper than Python can go
        while within:
            self._add(within.pop(), number, depth, within)

    def _add(self, value: Any, number: int, depth: int, within: list[Any]) -> None:
        if isinstance(value, list | tuple):
            self.lists += 1
            self.empty = self.empty or not value
            self.elements += len(value)
            if len(value) > 1 and sum(one is not None for one in value) > 1:
                self.many += 1
                self.first_many = self.first_many or number
            within.extend(reversed(value))
            return
        self.kinds[value.__class__] += 1
        if not isinstance(value, dict):
            return
        children, nesting = self.children, self.nesting
        for key, below in value.items():
            if key == nesting != "":
                within.append(below)
                self.nested = self.nested or isinstance(below, dict | list | tuple)
                continue
            child = children.get(key)
            if child is None:
                child = self._child(key)
            if isinstance(below, dict | list | tuple):
                child.add(below, number, depth + 1)
            else:
                child.kinds[below.__class__] += 1


def observe(records: Iterable[Any], wanted: Collection[str] | None = None) -> Place:
    """The structure of plain records; of names that are not ``wanted`` not more than a few.

    >>> structure = observe([{"no": 1, "lines": [{"qty": 2}, {"qty": 3}]}])
    >>> structure.find(["lines"]).many, structure.find(["lines", "qty"]).kinds[int]
    (1, 2)
    """
    structure = Place(wanted)
    for number, record in enumerate(records, 1):
        if isinstance(record, dict):
            structure.add(record, number)
    return structure
