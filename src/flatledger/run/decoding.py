"""Records in the type that a plan asks for, where a reader gives them as plain data."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from decimal import Decimal
from typing import Any

import msgspec

from ..compile.trees.laying_flat import laid_flat as laid_flat
from ..errors import SourceError
from ..structure.structure import Place, observe
from ..values.faults import Fault, shown
from .protocols import Batch, Reader

NO_RECORD = "a record is an object"


def structure_met(reader: Reader, wanted: Collection[str] | None = None) -> Place:
    """The structure of the first records of a reader."""
    structure = observe(reader.peek(), wanted)
    structure.marked_as(reader)
    return structure


def decoded(reader: Reader, record_type: Any, exact: Any = None) -> Iterator[Batch]:
    """All records of a reader in a type; in an ``exact`` one wherever all of a batch fit it.

    Raises SourceError where none fits.
    """
    if reader.decodes:
        for batch in reader.batches(record_type, exact):
            yield _from_its_file(batch, reader)
        return
    readable, first_fault = False, ""
    for plain in reader.batches():
        batch = convert(plain, record_type)
        yield _from_its_file(batch, reader)
        readable = readable or bool(batch.records)
        first_fault = first_fault or next((fault.reason for fault in batch.faults), "")
    if first_fault and not readable:
        raise SourceError(f"{reader.name}: nothing in them can be read; {first_fault}")


def _from_its_file(batch: Batch, reader: Reader) -> Batch:
    if batch.origin.file or not reader.file:
        return batch
    return batch._replace(origin=batch.origin._replace(file=reader.file))


def convert(plain: Batch, record_type: Any) -> Batch:
    """A batch of plain records in a type; one that does not fit it is a fault."""
    try:
        records = msgspec.convert(plain.records, list[record_type])
        return plain._replace(records=records, plain=plain.records.__getitem__)
    except msgspec.ValidationError:
        return _convert_each(plain, record_type)


def _convert_each(plain: Batch, record_type: Any) -> Batch:
    records: list[Any] = []
    numbers: list[int] = []
    whole: list[Any] = []
    faults = list(plain.faults)
    for number, record in zip(plain.numbers, plain.records, strict=True):
        try:
            records.append(msgspec.convert(record, record_type))
            numbers.append(number)
            whole.append(record)
        except msgspec.ValidationError:
            why = f"{no_fit(record)}; the record is left out"
            faults.append(Fault(number, "", shown(record), why))
    kept = whole.__getitem__
    return plain._replace(records=records, numbers=numbers, faults=faults, plain=kept)


def no_fit(value: object) -> str:
    """Why a value is no record, in plain words.

    >>> no_fit(12), no_fit({1: "a"})
    ('a record is an object; this is a number', 'an object in it has a name that is no text')
    """
    if isinstance(value, dict):
        return "an object in it has a name that is no text"
    return f"{NO_RECORD}; this is {_called(value)}"


def _called(value: object) -> str:
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true or false"
    if isinstance(value, int | float | Decimal):
        return "a number"
    if isinstance(value, str):
        return "a text"
    return "a list" if isinstance(value, list | tuple) else f"of the class {type(value).__name__}"
