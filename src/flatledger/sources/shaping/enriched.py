"""A source whose records are given further fields: from side lists, from cells taken apart."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial
from types import MappingProxyType
from typing import Any, Protocol

from ...run.protocols import Batch, Reader, Source
from ...structure.levels import Names
from ...structure.structure import Place, observe
from ...values.faults import Fault
from ..files.reader import BaseReader, last


class Enrichment(Protocol):
    """Adds to records. A record is the enrichment's own; what lies below it has to be copied."""

    def look_at(self, structure: Place) -> None:
        """Take note of what the first records look like, earlier enrichments included."""

    def add_to(self, record: dict[str, Any], number: int, told: list[Fault] | None) -> None:
        """Add to one record; what is wrong is told. On the look ahead ``told`` is None."""


class EnrichedSource:
    """A source with further fields in its records; ``enrichments`` are made for each reading.

    ``structure`` is that of all its records, where these were looked at.
    """

    def __init__(
        self,
        source: Source,
        enrichments: Callable[[], Sequence[Enrichment]],
        structure: Place | None = None,
    ) -> None:
        self.name, self.again = source.name, source.again
        self._source, self._enrichments, self._structure = source, enrichments, structure

    def open(self) -> EnrichedReader:
        """A reading from the start. Raises SourceError."""
        return EnrichedReader(self._source.open(), self._enrichments(), self._structure)

    def parts(self, most: int) -> Sequence[Source]:
        """Itself: what side lists had no record for is only known of the whole."""
        return [self]


class EnrichedReader(BaseReader):
    """Reads records and gives them further fields."""

    def __init__(
        self, reader: Reader, enrichments: Sequence[Enrichment], structure: Place | None
    ) -> None:
        self.tell_as(reader)
        self.enrichments = enrichments
        self._reader = reader
        self._structure = structure
        self._first: list[Any] | None = None

    def close(self) -> None:
        self._reader.close()

    def peek(self) -> list[Any]:
        if self._first is None:
            self._first = self._reader.peek()
            for one in self.enrichments:
                met = observe(self._first)
                if self._structure is not None:
                    met.merge(self._structure)
                one.look_at(met)
                self._first = [
                    _enriched(record, number, [one], None)
                    for number, record in enumerate(self._first, 1)
                ]
        return self._first

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        self.peek()
        for batch in self._reader.batches():
            told: list[Fault] = []
            records = [
                _enriched(record, number, self.enrichments, told)
                for record, number in zip(batch.records, batch.numbers, strict=True)
            ]
            yield batch._replace(
                records=records,
                specimens=partial(last, records),
                remarks=[*batch.remarks, *told],
            )
        self.tell_as(self._reader)


def _enriched(
    record: Any, number: int, enrichments: Sequence[Enrichment], told: list[Fault] | None
) -> Any:
    """The record with its further fields; a caller's own record stays as it was."""
    if not isinstance(record, dict):
        return record
    record = dict(record)
    for one in enrichments:
        one.add_to(record, number, told)
    return record


def entries_at(
    holder: dict[str, Any],
    names: Names,
    trees: Mapping[Names, str] = MappingProxyType({}),
    at: Names = (),
) -> Iterator[dict[str, Any]]:
    """The objects at a path of names, through lists; each is copied, with what leads to it.

    Of ``trees``, levels with the name of the member by which they nest, all nodes are visited.

    >>> record = {"lines": [{"no": 1}, {"no": 2}]}
    >>> [entry["no"] for entry in entries_at(record, ("lines",))]
    [1, 2]
    """
    if not names:
        yield holder
        return
    at, inner = (*at, names[0]), trees.get((*at, names[0]))
    waiting = [(holder, names[0])]
    while waiting:
        for own in _copied(*waiting.pop()):
            yield from entries_at(own, names[1:], trees, at)
            if inner and inner in own:
                waiting.append((own, inner))


def _copied(holder: dict[str, Any], name: str) -> Iterator[dict[str, Any]]:
    """Copies of the objects that a member of an object holds, in their places."""
    below = holder.get(name)
    if isinstance(below, dict):
        holder[name] = own = dict(below)
        yield own
    elif isinstance(below, list):
        holder[name] = entries = list(below)
        for place, entry in enumerate(entries):
            if isinstance(entry, dict):
                entries[place] = own = dict(entry)
                yield own
