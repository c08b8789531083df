"""Data whose order carries meaning: each break of the order that a layout expects is a fault."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import msgspec

from ..compile.runtime.plain_data import is_null
from ..layout.model.model import Expectation
from ..plan.plan import Plan
from ..plan.row_order import Rank, ranking
from ..plan.row_type import KeyPlan
from ..structure.levels import Names
from ..structure.record_types import Field
from ..values.faults import Fault, shown
from ..values.lazily import lazily
from ..values.own_texts import own_value
from .protocols import Batch

Sequence = list[tuple[Any, ...]]


class Sequences(NamedTuple):
    """The fields of a record that an expectation is about, in the order in which they came: those
    of the record's own, and those of each list in it."""

    number: int
    own: Sequence
    lists: list[Sequence]


def sequences(plan: Plan, batch: Batch) -> list[list[Sequences]]:
    """What each expectation of a layout is to judge of some records."""
    found = []
    for expected in plan.layout.expects:
        fields = _fields(expected)
        seen = []
        for number, record in zip(batch.numbers, batch.records, strict=True):
            one = Sequences(number, [], [])
            _visit(record, plan.record_types.root, expected.names[:-1], fields, one.own, one.lists)
            seen.append(one)
        found.append(seen)
    return found


class OrderWatch:
    """Follows the order of records and of the entries within each of their lists."""

    def __init__(self, plan: Plan, faults: Callable[[Fault], None]) -> None:
        self._watches = [_Watch(one, plan, faults) for one in plan.layout.expects]

    def absorb(self, found: list[list[Sequences]]) -> None:
        """Judge records in the order in which they came."""
        for watch, seen in zip(self._watches, found, strict=True):
            watch.take(seen)


def _fields(expected: Expectation) -> list[str]:
    return [expected.names[-1], *(expected.after[-1:] if expected.after else ())]


class _Watch:
    def __init__(self, expected: Expectation, plan: Plan, faults: Callable[[Fault], None]) -> None:
        self._add = faults
        self._path = plan.chain.called(expected.after or expected.names)
        self._pairs = len(_fields(expected)) == 2
        self._order = KeyPlan(0, 0, "", expected.descending, collation=expected.collation)
        self._has_own_texts = plan.chain.structure.has_own_texts
        self._last: Any = None
        self._met: set[Any] = set()

    @lazily
    def _key(self) -> Rank:
        return ranking([self._order])

    def __getstate__(self) -> dict[str, Any]:
        return {name: value for name, value in self.__dict__.items() if name != "_key"}

    def take(self, seen: list[Sequences]) -> None:
        for number, own, lists in seen:
            self._judge(own, number)
            for sequence in lists:
                before = self._last, self._met
                self._last, self._met = None, set()
                self._judge(sequence, number)
                self._last, self._met = before

    def _judge(self, sequence: Sequence, number: int) -> None:
        for values in sequence:
            if self._has_own_texts:
                values = tuple(map(own_value, values))
            if self._pairs:
                self._depends(values[0], values[1], number)
            elif not is_null(values[0]):
                self._follows(values[0], number)

    def _follows(self, value: Any, number: int) -> None:
        if self._last is not None and self._key((value,)) < self._key((self._last,)):
            reason = f"out of the expected order: it comes after {shown(self._last)}"
            self._add(Fault(number, self._path, shown(value), reason))
        self._last = value

    def _depends(self, entry: Any, needs: Any, number: int) -> None:
        for need in needs if isinstance(needs, list) else [needs]:
            if isinstance(need, dict | list):
                self._add(Fault(number, self._path, shown(need), "one plain value is expected"))
            elif not is_null(need) and need not in self._met:
                reason = "stands before what it depends on, or that is not there"
                self._add(Fault(number, self._path, shown(need), reason))
        if not isinstance(entry, dict | list):
            self._met.add(entry)


def _visit(
    value: Any,
    place: Field | None,
    parent: Names,
    fields: list[str],
    own: Sequence,
    lists: list[Sequence],
) -> None:
    """Put the fields of each entry at ``parent`` into the sequence of its list, or ``own``."""
    if isinstance(value, list):
        inner: Sequence = []
        lists.append(inner)
        for entry in value:
            _visit(entry, place, parent, fields, inner, lists)
    elif parent:
        below, child = _step(value, place, parent[0])
        _visit(below, child, parent[1:], fields, own, lists)
    elif value is not None:
        own.append(tuple(_step(value, place, name)[0] for name in fields))


def _step(value: Any, place: Field | None, name: str) -> tuple[Any, Field | None]:
    """The value under a name, in plain data or in a struct, and its place."""
    if isinstance(value, dict):
        return value.get(name), None
    child = place.children.get(name) if place else None
    if child is None or not isinstance(value, msgspec.Struct):
        return None, None
    return getattr(value, child.attribute, None), child
