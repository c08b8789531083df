"""What the records read so far look like: which fields there are, which repeat, of which kind."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any


@dataclass(slots=True)
class Place:
    """One place in the records: how often it was met, with which kinds of value, what is below."""

    repeated: bool = False
    kinds: Counter[type] = field(default_factory=Counter)
    children: dict[str, Place] = field(default_factory=dict)

    def find(self, names: Iterable[str]) -> Place | None:
        """The place that a path of names leads to, or None where nothing was met there."""
        place: Place | None = self
        for name in names:
            place = place.children.get(name) if place else None
        return place

    def add(self, value: Any) -> None:
        """Take note of one value at this place; a list counts as its elements."""
        if isinstance(value, list | tuple):
            self.repeated = True
            for element in value:
                self.add(element)
            return
        self.kinds[value.__class__] += 1
        if isinstance(value, dict):
            for key, below in value.items():
                child = self.children.get(key)
                if child is None:
                    child = self.children[key] = Place()
                child.add(below)


def observe(records: Iterable[Any]) -> Place:
    """The structure of plain records.

    >>> structure = observe([{"no": 1, "lines": [{"qty": 2}, {"qty": 3}]}])
    >>> structure.find(["lines"]).repeated, structure.find(["lines", "qty"]).kinds[int]
    (True, 2)
    """
    structure = Place()
    for record in records:
        if isinstance(record, dict):
            structure.add(record)
    return structure
