"""Watching for entries that hold further entries of their level, where the first records show none.

Such a level is a tree, whichever record shows it: the run then begins again (docs/rules.md, 19).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import msgspec

from ..plan.plan import Plan
from ..structure.levels import Names
from ..structure.record_types import Field
from ..structure.structure import MEMBERS
from ..structure.trees import holds_objects
from ..values.parts import flattened
from .level_watch import LevelsDifferError


class NestWatch:
    """Looks at records whose types let through what would show that a place nests in itself."""

    def __init__(self, plan: Plan) -> None:
        self._types, self._is_level = plan.record_types, plan.chain.is_level
        self._places = [names for names in _guarded(plan) if self._may_show(names)]

    @property
    def needed(self) -> bool:
        """Whether there is a place to look at: the exact types let nothing through."""
        return bool(self._places)

    def look(self, records: list[Any], numbers: Sequence[int]) -> None:
        """Raise LevelsDifferError for a record that shows that a place nests."""
        for names in self._places:
            for record, self._number in zip(records, numbers, strict=True):
                self._look(record, names, names, self._types.root)

    def _may_show(self, level: Names) -> bool:
        """Whether the types of the records let through what would show that a level nests."""
        place = self._types.field_of(level)
        return place is None or (place.whole and place.only is None) or bool(place.guard)

    def _look(self, value: Any, rest: Names, level: Names, place: Field | None) -> None:
        """Raise LevelsDifferError where an entry of a level holds further ones."""
        if value.__class__ is list:
            for entry in flattened(value):
                self._look(entry, rest, level, place)
        elif value.__class__ is dict:
            names = [rest[0]] if rest else [level[-1]]
            for inner in value.values() if names == [MEMBERS] else map(value.get, names):
                if rest:
                    self._look(inner, rest[1:], level, None)
                elif self._nests(inner, level):
                    raise LevelsDifferError(level, self._number, nests=True)
        elif place is not None and isinstance(value, msgspec.Struct):
            if rest:
                child = place.children.get(rest[0])
                inner = getattr(value, child.attribute) if child else None
                self._look(inner, rest[1:], level, child)
            elif place.guard and self._nests(getattr(value, place.guard), level):
                raise LevelsDifferError(level, self._number, nests=True)

    def _nests(self, inner: Any, names: Names) -> bool:
        """Whether a member of its own name shows that a place nests in itself: of a level any
        object does, of another place a list, however deep."""
        if self._is_level(names):
            return holds_objects(inner)
        while inner.__class__ is dict:
            inner = inner.get(names[-1])
        return inner.__class__ is list and holds_objects(inner)


def _guarded(plan: Plan) -> Iterator[Names]:
    """The places that the plan reads and that may turn out to nest in themselves."""
    known, read = plan.chain.known, dict[Names, None]()
    for names in plan.places:
        read |= dict.fromkeys(names[:length] for length in range(1, len(names)))
    for names in dict.fromkeys([*plan.repeating, *read]):
        level = plan.chain.is_level(names)
        if known.may_nest(names) and (level or known.stated is None) and MEMBERS not in names:
            yield names
