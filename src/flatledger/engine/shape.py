"""The shape that records are decoded into: only what the layout asks for is ever built.

Each object that the layout steps into becomes a msgspec struct with the fields asked for. What is
wanted whole (a value, a list to be joined) stays plain data. Every place also takes whatever else
may stand there (a text, a list, nothing), so that an odd record is read and not refused.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import msgspec

from .levels import Access, Chain, Names, level_name

Scalar: Any = str | int | float | bool | None
Other: Any = list[Any] | Scalar
KEPT_KEY = "\ue000kept"  # a private character: no field of a record is called so
KEPT = "kept"


@dataclass(slots=True)
class Field:
    """One place that the layout asks for. A ``whole`` one is plain data, others are structs."""

    names: Names
    attribute: str = ""
    whole: bool = False
    children: dict[str, Field] = field(default_factory=dict)
    struct: Any = None

    def child(self, name: str) -> Field:
        if name not in self.children:
            taken = {child.attribute for child in self.children.values()}
            attribute = re.sub(r"\W", "_", "_" + name if name[:1].isdigit() else name) + "_"
            while attribute in taken:
                attribute += "_"
            self.children[name] = Field((*self.names, name), attribute)
        return self.children[name]


class Shape:
    """The structs for one layout, found by their path."""

    def __init__(self, chain: Chain, accesses: Iterable[Access]) -> None:
        self.chain = chain
        self.root = Field(())
        for level in chain.levels:
            self._reach(level)
        for access in accesses:
            self._reach(self._whole_at(access)).whole = True
        self.root.whole = False
        self._build(self.root)

    def _reach(self, names: Names) -> Field:
        place = self.root
        for name in names:
            place = place.child(name)
        return place

    def _whole_at(self, access: Access) -> Names:
        """Where a path's struct steps end: at its value, or at the first place that repeats."""
        level = self.chain.levels[access.anchor]
        full = (*level, *access.names)
        for length in range(len(level) + 1, len(full)):
            place = self.chain.structure.find(full[:length])
            if place is not None and place.repeated:
                return full[:length]
        return full

    def _build(self, place: Field) -> Any:
        """The type of a place; structs are made from the innermost outwards."""
        if place.whole:
            return Any
        kinds = [(child.attribute, self._build(child), None) for child in place.children.values()]
        rename = {child.attribute: name for name, child in place.children.items()}
        if place.names in self.chain.levels:
            kinds.append((KEPT, Any, None))
            rename[KEPT] = KEPT_KEY
        struct: Any = msgspec.defstruct(
            re.sub(r"\W", "_", level_name(place.names)).title() or "Record",
            kinds,
            rename=rename,
            gc=False,
        )
        place.struct = struct
        if place.names in self.chain.levels[1:]:
            return list[struct | Other] | struct | Scalar
        return struct | Other

    @property
    def record_type(self) -> Any:
        """What a source turns each record into."""
        return self.root.struct

    def field(self, names: Names) -> tuple[Field, Names]:
        """The deepest place on the way to ``names`` that has no struct below, and the names left.

        The names left are steps through plain data.
        """
        place = self.root
        for position, name in enumerate(names):
            if place.whole:
                return place, names[position:]
            place = place.children[name]
        return place, ()
