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

from .levels import Chain, Names, level_name
from .structure import MEMBERS

_UNFIT = re.compile(r'["\\\x00-\x1f]')
Scalar: Any = str | int | float | bool | None
Other: Any = list[Any] | Scalar


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
            attribute = "f_" + re.sub(r"[^A-Za-z0-9_]", "_", name)
            while attribute in taken:
                attribute += "_"
            self.children[name] = Field((*self.names, name), attribute)
        return self.children[name]


class RecordTypes:
    """The structs for one layout, found by their path.

    ``wants`` are the places whose values are asked for, as names from the record.
    """

    def __init__(self, chain: Chain, wants: Iterable[Names]) -> None:
        self.chain = chain
        self.root = Field(())
        for level in chain.levels:
            place = self._reach(self._fitting(level))
            place.whole = place.whole or place.names != level
        for names in wants:
            self._reach(self._whole_at(names)).whole = True
        for level in chain.levels[1:]:  # of which nothing is asked for: its entries may be anything
            place = self._reach(self._fitting(level))
            place.whole = place.whole or not place.children
        self._build(self.root)

    def _reach(self, names: Names) -> Field:
        place = self.root
        for name in names:
            place = place.child(name)
        return place

    def _whole_at(self, names: Names) -> Names:
        """Where a path's struct steps end: at its value, or at the first place that repeats.

        Levels of the chain are stepped through, since their entries are visited one by one.
        """
        names = self._fitting(names)
        for length in range(1, len(names)):
            if names[:length] not in self.chain.levels and self.chain.is_level(names[:length]):
                return names[: length - 1] if names[length - 1] == MEMBERS else names[:length]
        return names[:-1] if names[-1:] == (MEMBERS,) else names

    def _fitting(self, names: Names) -> Names:
        """As far as names go that a struct's field can have; what lies deeper is plain data."""
        for length, name in enumerate(names):
            if name == MEMBERS or _UNFIT.search(name):
                return names[:length]
        return names

    def _build(self, place: Field) -> Any:
        """The type of a place; structs are made from the innermost outwards."""
        if place.whole:
            return Any
        kinds = [(child.attribute, self._build(child), None) for child in place.children.values()]
        rename = {child.attribute: name for name, child in place.children.items()}
        name = re.sub(r"[^A-Za-z0-9]", "_", level_name(place.names)).title()
        struct: Any = msgspec.defstruct(
            f"_{name}" if name[:1].isdigit() else name,
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
        return dict[str, Any] if self.root.whole else self.root.struct

    def place_of(self, level: Names) -> Field:
        """The place of a level of the chain. Below a whole place everything is plain data too."""
        place = self.root
        for name in level:
            if place.whole:
                return place
            place = place.children[name]
        return place
