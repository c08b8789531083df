"""Records that are Python objects already: any iterable of mappings."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from decimal import Decimal
from itertools import chain, islice
from math import isfinite
from typing import Any

import msgspec

from ..errors import SourceError
from ..run.protocols import Batch
from ..values.faults import Fault, shown
from ..values.numbers import Unreadable
from .json_values import LOOK_AHEAD, NUMBERS, reason

_BATCH = 500


class PythonRecords:
    """Takes records from an iterable, some at a time."""

    name = "records"

    def __init__(self, records: Iterable[Any]) -> None:
        self._records = iter(records)

    def look_ahead(self) -> list[Any]:
        first = _exactly(islice(self._records, LOOK_AHEAD))
        self._records = chain(first, self._records)
        return first

    def batches(self, shape: Any) -> Iterator[Batch]:
        number, readable, first_fault = 1, False, ""
        while batch := _exactly(islice(self._records, _BATCH)):
            converted = convert(batch, shape, range(number, number + len(batch)))
            yield converted
            number += len(batch)
            readable = readable or bool(converted.records)
            first_fault = first_fault or next((f.reason for f in converted.faults), "")
        if first_fault and not readable:
            raise SourceError(f"{self.name}: nothing in them can be read; {first_fault}")


def _exactly(records: Iterable[Any]) -> list[Any]:
    try:
        return [exact(record) for record in records]
    except RecursionError:
        raise SourceError("a record is nested too deeply, or holds itself") from None


def exact(value: Any) -> Any:
    """The same data with each binary float as the decimal that it shows.

    >>> exact({"price": 0.1, "no": 1})
    {'price': Decimal('0.1'), 'no': 1}
    """
    if isinstance(value, Decimal) and not value.is_finite():
        return Unreadable(str(value), "is no number")
    if isinstance(value, float):
        return NUMBERS[repr(value)] if isfinite(value) else Unreadable(repr(value), "is no number")
    if isinstance(value, Mapping):
        members = {}
        for key, item in value.items():  # a loop: a comprehension would halve the depth possible
            members[key] = exact(item)
        return members
    if isinstance(value, list | tuple):
        entries = []
        for item in value:
            entries.append(exact(item))
        return entries
    return value


def convert(
    batch: list[Any], shape: Any, numbers: Sequence[int], faults: list[Fault] | None = None
) -> Batch:
    """Plain records in a shape; one that does not fit it is a fault."""
    told = list(faults or [])
    try:
        return Batch(msgspec.convert(batch, list[shape]), numbers, told, lambda: batch[-1:])
    except msgspec.ValidationError:
        return _convert_each(batch, shape, numbers, told)


def _convert_each(
    batch: list[Any], shape: Any, all_numbers: Sequence[int], faults: list[Fault]
) -> Batch:
    records: list[Any] = []
    numbers: list[int] = []
    for number, record in zip(all_numbers, batch, strict=True):
        try:
            records.append(msgspec.convert(record, shape))
            numbers.append(number)
        except msgspec.ValidationError as error:
            why = f"{reason(error)}; the record is left out"
            faults.append(Fault(number, "", shown(record), why))
    return Batch(records, numbers, faults, lambda: batch[-1:])
