"""Records that are Python objects already: any iterable of mappings, or of objects with members."""

from __future__ import annotations

from collections.abc import Generator, Iterable, Iterator, Sequence
from itertools import chain, islice
from typing import Any

import msgspec

from ...errors import SourceError
from ...run.decoding import no_fit
from ...run.protocols import Batch, Source
from ...values.faults import Fault, shown
from ..files.reader import BaseReader
from ..json.json_values import LOOK_AHEAD
from .python_values import exact

_BATCH = 500


class UnreadableRecord:
    """Stands for a record that can't be read: it is a fault, and those after it are read.

    ``text`` is what stands there, ``reason`` what is wrong with it.

    >>> UnreadableRecord("Keeper=Ilse", "has no colon").reason
    'has no colon'
    """

    def __init__(self, text: str, reason: str) -> None:
        self.text, self.reason = text, reason


class PythonSource:
    """Records from an iterable; ``first`` is the number of the first of them, ``manner`` what is
    said of how they are read, ``held`` what they come from: a cursor."""

    name = "records"

    def __init__(
        self, records: Iterable[Any], first: int = 1, manner: str = "", held: Any = ()
    ) -> None:
        self.again = isinstance(records, Sequence)
        self._records = records
        self._first = first
        self._manner = manner
        self._held = held

    def open(self) -> PythonReader:
        """A reading from the start."""
        return PythonReader(self._records, self._first, self._manner, held=self._held)

    def parts(self, most: int) -> Sequence[Source]:
        """A sequence in pieces; another iterable stays whole.

        >>> [[batch.numbers for batch in part.open().batches()]
        ...  for part in PythonSource([{}, {}, {}]).parts(2)]
        [[range(1, 3)], [range(3, 4)]]
        """
        records = self._records
        if not isinstance(records, Sequence) or len(records) < 2:
            return [self]
        size = -(-len(records) // most)
        starts = range(0, len(records), size)
        return [
            PythonSource(records[at : at + size], self._first + at, self._manner) for at in starts
        ]


class PythonReader(BaseReader):
    """Takes records from an iterable, some at a time."""

    has_moments = True

    def __init__(
        self,
        records: Iterable[Any],
        first: int,
        manner: str,
        name: str = PythonSource.name,
        held: Any = (),
    ) -> None:
        """``held`` is what the records come from, and is closed with it."""
        self.name = name
        self._given, self._held = records, held
        self._records = iter(records)
        self.manner = manner
        self._first = first

    def close(self) -> None:
        """Let go of what gives the records: a generator ends, a cursor is closed."""
        self._records = iter(())
        given, held = self._given, self._held
        self._given = self._held = ()
        if isinstance(given, Generator):
            given.close()
        if hasattr(held, "close"):
            held.close()

    def peek(self) -> list[Any]:
        first = _exactly(islice(self._records, LOOK_AHEAD))
        self._records = chain(first, self._records)
        return first

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        number, readable, first_fault = self._first, False, ""
        while records := _exactly(islice(self._records, _BATCH)):
            batch = _batch(records, range(number, number + len(records)))
            yield batch
            number += len(records)
            readable = readable or bool(batch.records)
            first_fault = first_fault or next((f.reason for f in batch.faults), "")
        if first_fault and not readable:
            raise SourceError(f"{self.name}: nothing in them can be read; {first_fault}")


def _batch(records: list[Any], numbers: Sequence[int]) -> Batch:
    """Mappings are records, and so were objects; anything else is a fault."""
    if all(isinstance(record, dict) for record in records):
        return Batch(records, numbers, [], lambda: records[-1:])
    faults, kept = [], []
    for number, record in zip(numbers, records, strict=True):
        if isinstance(record, UnreadableRecord):
            why = f"{record.reason}; the record is left out"
            faults.append(Fault(number, "", shown(record.text), why))
            continue
        try:
            kept.append((number, msgspec.convert(record, dict[str, Any])))
        except msgspec.ValidationError:
            why = f"{no_fit(record)}; the record is left out"
            faults.append(Fault(number, "", shown(record), why))
    found = [record for _, record in kept]
    return Batch(found, [number for number, _ in kept], faults, lambda: found[-1:])


def _exact(record: Any) -> Any:
    return record if isinstance(record, UnreadableRecord) else exact(record)


def _exactly(records: Iterable[Any]) -> list[Any]:
    try:
        return [_exact(record) for record in records]
    except RecursionError:
        raise SourceError("a record is nested too deeply, or holds itself") from None
