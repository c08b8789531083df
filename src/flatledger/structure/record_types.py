"""The shape that records are decoded into: only what the layout asks for is ever built.

Each object that the layout steps into becomes a msgspec struct with the fields asked for. What is
wanted whole (a value, a list to be joined) stays plain data.

There are two sets of types. The loose ones take whatever may stand in a place, so that an odd
record is read and not refused. The exact ones state each field as the records so far show it, so
that the decoder refuses what is otherwise; code for what they let through need not look again.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from types import NoneType
from typing import Any, Literal, NamedTuple

import msgspec

from ..values.own_texts import TEXT
from .levels import Chain, Names, level_name
from .structure import MEMBERS, Place

_UNFIT = re.compile(r'["\\\x00-\x1f]')
Scalar: Any = str | int | float | bool | None
Other: Any = list[Any] | Scalar


class Want(NamedTuple):
    """A place that is asked for, and what for: its ``value``; of a level the ``entries``, whatever
    they are; or what stands there as ``plain`` data."""

    names: Names
    use: Literal["value", "entries", "plain"] = "value"


@dataclass(slots=True)
class Field:
    """One place that the layout asks for. A ``whole`` one is plain data, others are structs.

    Of a tree, ``below`` is the attribute of what is below a node; of another place ``guard`` is
    that of a member of its own name, which would show that it is one.
    ``only`` is the class of all that the decoder lets through there, beside null: a struct, a list
    (of structs or of texts), a text, a truth value, an integer. None where it may be anything.
    """

    names: Names
    attribute: str = ""
    whole: bool = False
    children: dict[str, Field] = field(default_factory=dict)
    struct: Any = None
    only: type | None = None
    below: str = ""
    guard: str = ""
    taken: set[str] = field(default_factory=set)  # attributes of the children

    @property
    def holds_structs(self) -> bool:
        """Whether it is a list of structs for certain."""
        return self.only is list and not self.whole

    def child(self, name: str) -> Field:
        if name not in self.children:
            attribute = "f_" + re.sub(r"[^A-Za-z0-9_]", "_", name)
            while attribute in self.taken:
                attribute += f"_{len(self.children)}"
            self.taken.add(attribute)
            self.children[name] = Field((*self.names, name), attribute)
        return self.children[name]


class RecordTypes:
    """The structs for one layout, found by their path; loose ones, unless they are ``exact``.

    Several layouts can share them, each with a chain and wants of its own: where one takes a place
    for a level or a tree and another does not, it is plain data for all.
    """

    def __init__(self, asked: Sequence[tuple[Chain, Sequence[Want]]], exact: bool = False) -> None:
        self._chains = [chain for chain, _ in asked]
        self.chain = self._chains[0]
        self._levels = {level for chain in self._chains for level in chain.levels}
        self._exact = exact
        wants = [want for _, wants in asked for want in wants]
        self._taken_apart = {  # what is more than the value of a place is wanted there
            want.names[:length]
            for want in wants
            for length in range(len(want.names) + (want.use == "plain"))
        }
        self.root = Field(())
        for level in sorted(self._levels):
            place = self._reach(self._fitting(level))
            place.whole = place.whole or place.names != level
        for chain, own in asked:
            for want in own:
                self._want(want, chain)
        for level in sorted(self._levels - {()}):  # of which nothing may be asked for
            place = self._reach(self._fitting(level))
            place.whole = place.whole or not (
                place.children or (exact and self._is_exact_list(level))
            )
        self._build(self.root)

    def _want(self, want: Want, chain: Chain) -> None:
        names = self._whole_at(want, chain)
        place = self._reach(names)
        entries = self._exact and want.use == "entries" and names == want.names
        place.whole = place.whole or not (entries and self._is_exact_list(names))

    def _reach(self, names: Names) -> Field:
        place = self.root
        for name in names:
            place = place.child(name)
        return place

    def _whole_at(self, want: Want, chain: Chain) -> Names:
        """Where a path's struct steps end: at its value, or at the first place that repeats.

        Levels of the chain are stepped through, since their entries are visited one by one; in
        exact types others too, if all on the way is known.
        """
        names = self._fitting(want.names)
        plain = want.use == "plain" or not self._exact
        for length in range(1, len(names)):
            above = names[:length]
            if self._differs(above):
                return above
            if above in chain.levels or not self.chain.is_level(above):
                continue
            if names[length] == MEMBERS:
                return above[:-1]
            if plain or not self._is_known_below(above, names):
                return above
        return names[:-1] if names[-1:] == (MEMBERS,) else names

    def _fitting(self, names: Names) -> Names:
        """As far as names go that a struct's field can have; what lies deeper is plain data."""
        for length, name in enumerate(names):
            if name == MEMBERS or _UNFIT.search(name):
                return names[:length]
        return names

    def _differs(self, names: Names) -> bool:
        """Whether the layouts that share the types take a place for different things."""
        taken = {(one.is_level(names), one.known.trees.get(names)) for one in self._chains}
        return len(taken) > 1

    # ---- what the records show

    def _is_known_below(self, level: Names, names: Names) -> bool:
        """Whether all from a level down to a place was met as one kind of thing only."""
        steps = [names[:length] for length in range(len(level), len(names))]
        return all(
            self._is_exact_list(at) if self.chain.is_level(at) else self._is_exact_object(at)
            for at in steps
        )

    def _is_exact_list(self, names: Names) -> bool:
        """Whether all that was met at a level are lists of objects."""
        seen = self.chain.structure.find(names)
        if self.chain.structure.has_own_texts:  # a list of elements, however often one is there
            return self.chain.is_level(names) and seen is not None and _holds_more_than_texts(seen)
        lists = seen is not None and seen.lists > 0 and self.chain.is_level(names)
        return (
            lists
            and seen is not None
            and 0 < seen.elements == seen.kinds[dict]
            and _has(seen, dict)
        )

    def _is_exact_object(self, names: Names) -> bool:
        """Whether all that was met at a place are objects."""
        seen = self.chain.structure.find(names)
        if seen is None or seen.lists:
            return False
        if self.chain.structure.has_own_texts:
            return _holds_more_than_texts(seen)
        return seen.kinds[dict] > 0 and _has(seen, dict)

    def _exact_value(self, names: Names) -> tuple[type, Any] | None:
        """The class of all values that were met at a place, and the type that lets nothing else
        through. Numbers with a fraction have none: the decoder would take texts for them."""
        seen = self.chain.structure.find(names)
        if seen is None:
            return None
        if self.chain.structure.has_own_texts:
            if names in self._taken_apart or not _are_texts(seen):
                return None
            if self.chain.is_level(names):
                return list, list[str] | None
            return None if seen.lists else (str, str | None)
        for kind in (str, bool, int):
            if seen.kinds[kind] and _has(seen, kind) and not seen.lists:
                return kind, kind | None
        texts = seen.kinds[str] == seen.elements > 0 and set(seen.kinds) <= {str, NoneType}
        return (list, list[str] | None) if texts and self.chain.is_level(names) else None

    # ---- types

    def _build(self, place: Field) -> Any:
        """The type of a place; structs are made from the innermost outwards."""
        if place.whole or self._differs(place.names):
            place.whole = True
            exact = self._exact and not self._differs(place.names)
            found = self._exact_value(place.names) if exact else None
            if found is None:
                return Any
            place.only, shape = found
            return shape
        kinds = [(child.attribute, self._build(child), None) for child in place.children.values()]
        rename = {child.attribute: name for name, child in place.children.items()}
        inner = self.chain.known.trees.get(place.names)
        exact = self._exact and self._is_exact_list(place.names)
        if inner and not _UNFIT.search(inner):
            place.below = "below_" + place.attribute
            shape = "list[_Node] | None" if exact else "list[_Node | Other] | _Node | Scalar"
            kinds.append((place.below, shape, None))
            rename[place.below] = inner
        self._guard(place, kinds, rename)
        name = re.sub(r"[^A-Za-z0-9]", "_", level_name(place.names)).title()
        struct: Any = msgspec.defstruct(
            f"_{name}" if name[:1].isdigit() else name,
            kinds,
            rename=rename,
            gc=False,
        )
        if place.below:  # what the type of the nodes below refers to
            struct._Node, struct.Other, struct.Scalar = struct, Other, Scalar
        place.struct = struct
        if exact:
            place.only = list
            return list[struct] | None
        if place.names and place.names in self._levels:
            return list[struct | Other] | struct | Scalar
        if self._exact and self._is_exact_object(place.names):
            place.only = struct
            return struct | None
        return struct | (Scalar if self._exact else Other)  # a list would hold what is not exact

    def _guard(self, place: Field, kinds: list[Any], rename: dict[str, str]) -> None:
        """Of a place that may turn out to be a tree: room for the member that would show it. In
        exact types the decoder lets nothing through there, unless the records have something."""
        names = place.names
        known = self.chain.known
        if not names or not known.may_nest(names):
            return
        if known.stated is not None and not self.chain.is_level(names):
            return
        if names[-1] in place.children:
            place.guard = place.children[names[-1]].attribute
            return
        guard = "guard_" + place.attribute
        nothing = self._exact and self.chain.structure.find((*names, names[-1])) is None
        place.guard = "" if nothing else guard
        kinds.append((guard, None if nothing else Any, None))
        rename[guard] = names[-1]

    @property
    def record_type(self) -> Any:
        """What a source turns each record into."""
        return dict[str, Any] if self.root.whole else self.root.struct

    def place_of(self, level: Names) -> Field:
        """The place of a level. Below a whole place everything is plain data too."""
        place = self.root
        for name in level:
            if place.whole:
                return place
            place = place.children[name]
        return place

    def field_of(self, names: Names) -> Field | None:
        """The place of a value; None where it lies within plain data."""
        place = self.root
        for name in names:
            if place.whole or name not in place.children:
                return None
            place = place.children[name]
        return place


def _holds_more_than_texts(seen: Place) -> bool:
    """Whether objects were met at a place, and nothing else but texts."""
    return seen.kinds[dict] > 0 and set(seen.kinds) <= {dict, str, NoneType}


def _are_texts(seen: Place) -> bool:
    """Whether all that was met at a place has a text, or is empty."""
    with_text = seen.children.get(TEXT)
    objects = with_text.kinds[str] if with_text else 0
    return objects == seen.kinds[dict] and set(seen.kinds) <= {dict, str, NoneType}


def _has(seen: Place, kind: type) -> bool:
    """Whether nothing but one kind of value and null was met at a place."""
    return set(seen.kinds) <= {kind, NoneType}
