"""Which records are held against what they are by definition: the sample of a run.

That follows from their numbers and shapes alone, never from how they were cut into batches, so that
every way of running a layout looks at the same ones.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial
from typing import Any

from ..plan.plan import Plan
from ..values.faults import Fault
from .checks import MOST_SHAPES, next_sampled
from .protocols import Batch, Origin
from .shapes import Shapes


class Sample:
    """Takes batches apart, so that the records of the sample come by themselves."""

    def __init__(self, plan: Plan, everything: bool) -> None:
        self._everything = everything
        self._shapes = Shapes(plan)
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
