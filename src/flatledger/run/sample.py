"""Which records are held against what they are by definition: the sample of a run.

That follows from their numbers and shapes alone, never from how they were cut into batches, so that
every way of running a layout looks at the same ones.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from decimal import Decimal
from functools import partial
from typing import Any

from ..plan.plan import Plan
from ..structure.levels import Names
from ..structure.structure import MEMBERS, Place
from ..values.faults import Fault
from .checks import MOST_SHAPES, next_sampled
from .protocols import Batch, Origin


class Sample:
    """Takes batches apart, so that the records of the sample come by themselves."""

    def __init__(self, plan: Plan, everything: bool) -> None:
        self._everything = everything
        self._shapes = RecordShapes(plan)
        self._met: set[int] = set()

    def keeps(self, number: int) -> bool:
        """Whether the plain data of a record may be asked for."""
        return self._everything or next_sampled(number) == number or self._shapes.looks_at(number)

    def parts(self, batch: Batch) -> Iterator[tuple[Batch, dict[int, int] | None]]:
        """The batch in parts, each with the shapes of its records where it is of the sample: by
        their numbers, of those that are looked at for it."""
        if not batch.records:
            yield batch, None
            return
        shapes = {} if self._everything else self._new_shapes(batch)
        first, last = batch.numbers[0], batch.numbers[-1]
        if not (self._everything or shapes or next_sampled(first) <= last):
            yield batch, None
            return
        wanted = [
            self._everything or number in shapes or next_sampled(number) == number
            for number in batch.numbers
        ]
        start = 0
        for at in range(1, len(wanted) + 1):
            if at == len(wanted) or wanted[at] != wanted[start]:
                yield part_of(batch, start, at), shapes if wanted[start] else None
                start = at

    def _new_shapes(self, batch: Batch) -> dict[int, int]:
        """The records of a shape that was not met before."""
        found: dict[int, int] = {}
        if batch.exact or not self._shapes.needed:
            return found
        for place, number in enumerate(batch.numbers):
            if len(self._met) < MOST_SHAPES and self._shapes.looks_at(number):
                shape = self._shape_of(batch, place)
                if shape is not None and shape not in self._met:
                    self._met.add(shape)
                    found[number] = shape
        return found

    def _shape_of(self, batch: Batch, place: int) -> int | None:
        try:
            return self._shapes.of(batch.plain(place))
        except LookupError:  # it was not kept
            return None


def part_of(batch: Batch, start: int, end: int) -> Batch:
    """Some records of a batch, with the faults that stand among them or after them; what else is
    told of the whole comes with the first."""
    rows = batch.origin.rows
    origin = batch.origin
    if rows is not None:
        origin = origin._replace(rows=partial(_rows_of, origin, start, end))
    least = batch.numbers[start] if start else 0
    following = batch.numbers[end] if end < len(batch.numbers) else None

    def of_part(fault: Fault) -> bool:
        return least <= fault.record and (following is None or fault.record < following)

    part = batch._replace(
        records=batch.records[start:end],
        numbers=batch.numbers[start:end],
        faults=[*filter(of_part, batch.faults)],
        remarks=[*filter(of_part, batch.remarks)],
        origin=origin,
        plain=partial(_plain_of, batch, start),
    )
    if start:
        none = type(batch.repeats)()
        return part._replace(specimens=list, repeats=none)
    return part


def _rows_of(origin: Origin, start: int, end: int) -> Sequence[int]:
    assert origin.rows is not None
    return origin.rows()[start:end]


def _plain_of(batch: Batch, start: int, place: int) -> Any:
    return batch.plain(start + place)


# ---- the shape of a record: the places where it holds something of another kind than the plan's


ALL_UP_TO, EVERY = 5_000, 50  # which records are looked at: all of the first, then every n-th


class RecordShapes:
    """Tells the shapes of records by what the plan knew of them when it was made."""

    def __init__(self, plan: Plan) -> None:
        self._structure = plan.chain.structure
        self._places = sorted({names for names in plan.places if names})
        self.needed = not plan.chain.known.complete and bool(self._places)

    def looks_at(self, number: int) -> bool:
        """Whether the shape of a record is looked at."""
        return self.needed and (number <= ALL_UP_TO or number % EVERY == 0)

    def of(self, record: Any) -> int | None:
        """The number of a record's shape; None for one that the plan knew."""
        odd: set[tuple[Names, str]] = set()
        for names in self._places:
            _look(record, names, 0, self._structure, odd)
        if not odd:
            return None
        text = "\n".join(f"{'.'.join(names)} {kind}" for names, kind in sorted(odd))
        digest = hashlib.blake2s(text.encode("utf-8", "backslashreplace"), digest_size=8)
        return int.from_bytes(digest.digest(), "big")


def _look(
    value: Any, names: Names, at: int, known: Place | None, odd: set[tuple[Names, str]]
) -> None:
    """Take note of what is odd on the way to a place."""
    kind = _kind(value)
    if known is not None and kind == "list" and not known.lists:
        odd.add((names[:at], kind))
    if isinstance(value, list):
        for one in value:
            if isinstance(one, list):
                odd.add((names[:at], "list in a list"))
            else:
                _look(one, names, at, known, odd)
        return
    met = {"null", *map(_kind_of_class, known.kinds)} if known is not None else {kind}
    if kind not in met:
        odd.add((names[:at], kind))
    if at == len(names) or not isinstance(value, dict):
        return
    name = names[at]
    below = known.below(name) if known is not None else None
    for one in value.values() if name == MEMBERS else [value.get(name)]:
        _look(one, names, at + 1, below, odd)


def _kind(value: Any) -> str:
    return "list" if isinstance(value, list) else _kind_of_class(type(value))


def _kind_of_class(kind: type) -> str:
    if kind is type(None):
        return "null"
    if issubclass(kind, bool):
        return "truth"
    if issubclass(kind, int):
        return "integer"
    if issubclass(kind, Decimal | float):
        return "decimal"
    if issubclass(kind, str):
        return "text"
    return "object" if issubclass(kind, dict) else kind.__name__
