"""Records that can be read once only, remembered while they are read."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import Any

from ...run.protocols import Batch, Origin, Reader, RowStore, Source
from ..files.reader import BaseReader, last


class RememberedSource:
    """A source that is read once, and given as often as it is asked for.

    What has been read is kept in a store; who asks next has that first, and then what follows.
    """

    again = True

    def __init__(self, source: Source, store: RowStore) -> None:
        self.name = source.name
        self._source, self._store = source, store
        self._reader: Reader | None = None
        self._following: Iterator[Batch] = iter(())
        self._kept: list[Callable[[], Iterator[Any]]] = []

    def open(self) -> RememberedReader:
        """A reading from the start. Raises SourceError."""
        if self._reader is None:
            self._reader = self._source.open()
            self._first = self._reader.peek()
            self._following = self._reader.batches()
        return RememberedReader(self, self._reader)

    def parts(self, most: int) -> Sequence[Source]:
        """Itself."""
        return [self]

    def first(self) -> list[Any]:
        """The first records."""
        return self._first

    def batches(self) -> Iterator[Batch]:
        """What is kept, then what follows, which is kept as it goes by."""
        for run in list(self._kept):
            for records, numbers, faults, remarks, origin in run():
                last_one = partial(last, records)
                yield Batch(records, numbers, faults, last_one, remarks, origin=Origin(*origin))
        for batch in self._following:
            origin = batch.origin
            if origin.rows is not None:
                origin = origin._replace(rows=partial(list, list(origin.rows())))
            told = batch.faults, list(batch.remarks)
            row = batch.records, list(batch.numbers), *told, tuple(origin)
            self._kept.append(self._store.keep([row]))
            yield batch


class RememberedReader(BaseReader):
    """One reading of what is remembered."""

    def __init__(self, source: RememberedSource, reader: Reader) -> None:
        self.tell_as(reader)
        self._source, self._reader = source, reader

    def peek(self) -> list[Any]:
        return self._source.first()

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        yield from self._source.batches()
        self.tell_as(self._reader)
