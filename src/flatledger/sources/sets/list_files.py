"""Lists in files, whatever the format: the entries of each with the names of their fields."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import AbstractContextManager
from typing import Any, NamedTuple

from ...errors import SourceError
from ...layout.model.source_options import SourceOptions
from ...run.protocols import Reader
from ...values.own_texts import own_texts_in
from .. import open_source
from ..files.options import Options
from ..tables.tables import TableReader

LEFT_OUT = "; the record is left out"


class ListFile(NamedTuple):
    """The names of the fields, those of the headings or of the first entry; the entries; and which
    headings come more than once.

    An entry that can't be read raises SourceError: it would silently match nothing.
    """

    names: Sequence[str]
    entries: Iterator[dict[str, Any]]
    double: Sequence[str] = ()


class OpenedList(AbstractContextManager[ListFile]):
    """A list that is read from a file. Raises SourceError.

    >>> with OpenedList("no-such-list.csv") as found:
    ...     pass
    Traceback (most recent call last):
    flatledger.errors.MissingSourceError: no-such-list.csv can't be read: No such file or \
directory
    """

    def __init__(self, file: str, how: SourceOptions | None = None) -> None:
        how = how or SourceOptions()
        self._file = file
        options = Options.of(how)
        self._reader: Reader = open_source(file, options, format=how.stated_format).open()

    def __enter__(self) -> ListFile:
        reader = self._reader
        if isinstance(reader, TableReader):
            return ListFile(reader.headings, self._entries(), reader.double)
        first = next((one for one in self._plain(reader.peek()) if isinstance(one, dict)), {})
        return ListFile(list(first), self._entries())

    def __exit__(self, *error: object) -> None:
        self._reader.close()

    def _entries(self) -> Iterator[dict[str, Any]]:
        for batch in self._reader.batches():
            if batch.faults:
                raise SourceError(f"{self._file}: {batch.faults[0]}".replace(LEFT_OUT, ""))
            yield from self._plain(batch.records)

    def _plain(self, entries: list[Any]) -> list[Any]:
        """Entries without the attributes of elements that have a text: it is what is looked up."""
        try:
            return [*map(own_texts_in, entries)] if self._reader.has_own_texts else entries
        except RecursionError:
            raise SourceError(f"{self._file}: an entry is nested too deeply") from None
