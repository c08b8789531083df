"""What the records read so far look like: which fields there are, which repeat, of which kind."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from itertools import chain, islice
from types import NoneType
from typing import Any, Protocol

from ..bounds import DEEPEST_LAYOUT

MEMBERS = "\ue000members"  # in a place's names: each member of a mapping; no field is called so
FEW = 64  # names of one place that are kept apart though they are not wanted
MOST_NAMES = 3_000  # of the others, for hints


class Marked(Protocol):
    """What says of records as a whole how they are."""

    has_own_texts: bool
    types_moments: bool
    has_moments: bool


@dataclass(slots=True)
class Place:
    """One place in the records: the kinds of value met there, its lists, and what is below.

    ``lists`` counts those of any length, ``many`` those of several entries; ``first_many`` is the
    number of the record that has the first of these. ``empty``: one had no entries. Where names
    are ``wanted``, others are kept apart only as long as they are few: beyond that they are the
    ``rest``, of which no more is known than what they have in common.
    Of the record itself it is said whether the records have objects that stand for a text of their
    own (``has_own_texts``), and whether the source types dates, so that they are by ISO 8601
    however they are shown (``types_moments``), or gives them as such (``has_moments``).
    ``nesting`` is the name that a place and the one above it have in common: a member of that name
    is this place again, however deep it goes.
    """

    wanted: Collection[str] | None = None
    name: str = ""
    nesting: str = ""
    nested: bool = False  # an object was met there
    has_own_texts: bool = False
    types_moments: bool = False
    has_moments: bool = False

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

    def marked_as(self, other: Marked) -> None:
        """Take over what is said of the records as a whole."""
        self.has_own_texts, self.types_moments = other.has_own_texts, other.types_moments
        self.has_moments = other.has_moments

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
        waiting = [(self, [value], depth)]  # places with what stands there, all of it at once
        while waiting:
            place, values, depth = waiting.pop()
            if depth <= DEEPEST_LAYOUT:
                place._add(values, number, depth, waiting)

    def _add(
        self, values: Sequence[Any], number: int, depth: int, waiting: list[tuple[Any, ...]]
    ) -> None:
        if len(values) == 1 and values[0].__class__ in _PLAIN:
            self.kinds[values[0].__class__] += 1
            return
        kinds = Counter(map(type, values))
        if not kinds.keys().isdisjoint(_LISTS):
            lists = [one for one in values if one.__class__ in _LISTS]
            waiting.append((self, [*chain.from_iterable(lists)], depth))
            self._note_lists(lists, number)
            for kind in _LISTS:
                kinds.pop(kind, None)
        self.kinds.update(kinds)
        if dict not in kinds:
            return
        objects = [one for one in values if one.__class__ is dict]
        for key, count in Counter(chain.from_iterable(objects)).items():
            if count == len(objects):
                below = [one[key] for one in objects]
            else:
                below = [one[key] for one in objects if key in one]
            if key == self.nesting != "":
                waiting.append((self, below, depth))
                self.nested = self.nested or any(isinstance(one, _HOLDERS) for one in below)
            else:
                child = self.children.get(key)
                waiting.append((self._child(key) if child is None else child, below, depth + 1))

    def _note_lists(self, lists: list[Any], number: int) -> None:
        self.lists += len(lists)
        self.empty = self.empty or not all(lists)
        self.elements += sum(map(len, lists))
        many = sum(len(one) > 1 and len(one) - one.count(None) > 1 for one in lists)
        self.many += many
        self.first_many = self.first_many or (number if many else 0)


_PLAIN = (str, int, NoneType, bool, Decimal)
_LISTS = (list, tuple)
_HOLDERS = (dict, *_LISTS)


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
