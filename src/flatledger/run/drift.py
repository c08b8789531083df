"""Drift: what a layout expects that the data no longer has, and what the data has that is new.

Paths and columns are followed over all records, at no cost once they have been met. Fields that
no column asks for are looked for in the first records and in one of each batch.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from itertools import islice
from operator import attrgetter
from typing import Any, NamedTuple

import msgspec

from ..compile.functions.unfolding import Classes
from ..compile.runtime.plain_data import is_null
from ..plan.plan import Plan
from ..plan.row_type import ColumnPlan
from ..structure.levels import Names
from ..structure.record_types import Field
from ..structure.structure import MEMBERS
from ..values.faults import FaultText
from ..values.parts import flattened
from .protocols import Batch

FIRST = 300  # so many records are looked at from the start


class Drift(msgspec.Struct):
    """What drifted apart: headings, paths, and fields (as a survey prints them).

    Of columns that are blank on every row, ``unread_columns`` hold what could not be read. New
    fields are those that the layout's note does not know; they were looked for in ``looked_at``
    records. Without a note they are not looked for.
    """

    blank_columns: list[str] = []
    unread_columns: list[str] = []
    unmatched: list[str] = []
    new_fields: list[str] = []
    looked_at: int = 0

    def __bool__(self) -> bool:
        return bool(self.blank_columns or self.unmatched or self.new_fields)


class Seen(NamedTuple):
    """What a batch shows: paths that it has, columns that it fills, or in which something could not
    be read, some records whole."""

    paths: set[Names]
    filled: set[int]
    unread: set[int]
    specimens: list[Any]
    rows: int


class DriftLook:
    """Looks at batches; what was found once is not looked for again."""

    def __init__(self, plan: Plan) -> None:
        self._root = plan.record_types.root
        self._unmet = {one.names for one in plan.missing}
        self._blank = {one.slot for one in _own_columns(plan)}
        self._noted = plan.layout.known is not None

    @property
    def unmet_columns(self) -> Collection[int]:
        """The columns, by their slots, in which no value was met so far."""
        return self._blank

    def seen(self, batch: Batch, rows: int, classes: Classes, nested: set[Names]) -> Seen:
        """What some records and the rows made of them show: how many these are, and the classes of
        the values in columns that were unmet; ``nested`` are members by which levels were met to
        nest."""
        paths = {n for n in self._unmet if _are_met(batch.records, self._root, n)}
        paths |= self._unmet & nested
        unread = {place for place in self._blank if FaultText in classes[place]}
        filled = {place for place in self._blank if classes[place] - {FaultText}}
        self._unmet -= paths
        self._blank -= filled
        return Seen(paths, filled, unread, batch.specimens() if self._noted else [], rows)


class DriftWatch:
    """Follows a run by what its batches show. ``first`` are its first records."""

    def __init__(self, plan: Plan, first: Iterable[Any] = ()) -> None:
        self._called = plan.chain.called
        self._unmet = dict.fromkeys(one.names for one in plan.missing)
        self._blank = {one.slot: one.column.heading for one in _own_columns(plan)}
        self._unread: set[int] = set()
        self._known = plan.layout.known
        self._rows = self._looked_at = 0
        if self._known is not None:
            # only a layout with a note pays for it
            from ..structure.profiles import PlaceProfile

            self._profile = PlaceProfile(top=True, has_own_texts=plan.chain.structure.has_own_texts)
            self._look_at(islice(first, FIRST))

    def absorb(self, seen: Seen) -> None:
        """Take in what a batch shows."""
        for names in seen.paths:
            self._unmet.pop(names, None)
        for place in seen.filled:
            self._blank.pop(place, None)
        self._unread |= seen.unread
        self._rows += seen.rows
        if self._known is not None:
            self._look_at(seen.specimens)

    def merge(self, later: DriftWatch) -> None:
        """Take in what was seen of later records."""
        self._unmet = {names: None for names in self._unmet if names in later._unmet}
        self._blank = {p: heading for p, heading in self._blank.items() if p in later._blank}
        self._unread |= later._unread
        self._rows += later._rows
        self._looked_at += later._looked_at
        if self._known is not None:
            self._profile.merge(later._profile)

    def unmet(self) -> set[Names]:
        """The paths that no record had."""
        return set(self._unmet)

    def drift(self) -> Drift:
        """What was found; where there was nothing to look at, nothing."""
        if not self._rows:
            return Drift()
        return Drift(
            blank_columns=list(self._blank.values()),
            unread_columns=[name for p, name in self._blank.items() if p in self._unread],
            unmatched=[*map(self._called, self._unmet)],
            new_fields=self._new_fields(),
            looked_at=self._looked_at,
        )

    def _look_at(self, records: Iterable[Any]) -> None:
        for record in records:
            if isinstance(record, dict):
                self._profile.add(record)
                self._looked_at += 1

    def _new_fields(self) -> list[str]:
        known = self._known
        if known is None:
            return []
        from ..structure.survey import fields_of

        paths = [field.path for field in fields_of(self._profile)]
        return [path for path in paths if path not in known and not _in_mapping(path, known)]


def _own_columns(plan: Plan) -> list[ColumnPlan]:
    return [one for one in plan.columns if one.column.value and not one.column.checks]


def _in_mapping(path: str, known: frozenset[str]) -> bool:
    """Whether a path is of a mapping whose keys are data: of one that is known, or a known one."""
    if path.endswith(".*"):
        return any(one.startswith((path[:-1], f"{path[:-2]}[")) for one in known)
    mappings = tuple(one.removesuffix("*") for one in known if one.endswith(".*"))
    return path.replace("[", ".[").startswith(mappings) or path.startswith(mappings)


def _are_met(values: list[Any], place: Field | None, names: Names) -> bool:
    """Whether one of some decoded values has something at a place that names lead to."""
    for name in names:
        values = _entries(values)
        if name == MEMBERS or not values:
            break
        place = place.children.get(name) if place else None
        values = _below(values, place, name)
    return not all(map(is_null, _entries(values)))


def _entries(values: list[Any]) -> list[Any]:
    """Values, with lists as their elements."""
    return list(flattened(values)) if list in {*map(type, values)} else values


def _below(values: list[Any], place: Field | None, name: str) -> list[Any]:
    """What objects and structs have under a name, but for what is missing."""
    kinds = {*map(type, values)}
    if place is not None and len(kinds) == 1 and isinstance(values[0], msgspec.Struct):
        found: Iterable[Any] = map(attrgetter(place.attribute), values)
    else:
        attribute = place.attribute if place is not None else ""
        found = (
            one.get(name) if isinstance(one, dict) else getattr(one, attribute, None)
            for one in values
            if isinstance(one, dict | msgspec.Struct)
        )
    return [one for one in found if one is not None]
