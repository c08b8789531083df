"""The first records of a source, for a look at what would come of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice
from typing import Any

from ...run.protocols import Account, Batch, Reader, Source
from ..files.reader import BaseReader


class FirstRecords:
    """A source that ends early."""

    def __init__(self, source: Source, most: int) -> None:
        self.name, self.again = source.name, source.again
        self._source, self._most = source, most

    def open(self) -> FirstReader:
        """A reading from the start. Raises SourceError."""
        return FirstReader(self._source.open(), self._most)

    def parts(self, most: int) -> Sequence[Source]:
        """Itself."""
        return [self]


class FirstReader(BaseReader):
    """A reader that ends early."""

    def __init__(self, reader: Reader, most: int) -> None:
        self.tell_as(reader)
        self.decodes, self.account = reader.decodes, Account(reader.account.notices)
        self._reader, self._most = reader, most

    def peek(self) -> list[Any]:
        return self._reader.peek()

    def close(self) -> None:
        self._reader.close()

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        read, self._reader.keeps = 0, self.keeps
        for batch in self._reader.batches(record_type, exact):
            left = self._most - read
            numbers = list(islice(batch.numbers, left))
            yield batch._replace(records=batch.records[:left], numbers=numbers)
            read += len(batch.records)
            if read >= self._most:
                return
        self.tell_as(self._reader)
