"""The entries of a side list in a file, each with the place where it begins: CSV and JSON Lines.

Lists that are held in memory and those that are looked up in their file are read by the same code.
"""

from __future__ import annotations

import csv
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO, Protocol

from ...errors import SourceError
from ..json.json_values import DECODE_ERRORS, decoder, reason
from ..tables.csv_files import delimiter_of

Entry = dict[str, Any]
_BYTE_ORDER_MARK = b"\xef\xbb\xbf"


class EntryFile(Protocol):
    """A file of entries. ``read`` gives them from an offset on, each with its own offset.

    ``headings`` are those of a CSV file, which tell of its fields even where it has no entry.
    """

    headings: list[str]

    def read(self, offset: int = 0) -> Iterator[tuple[int, Entry]]: ...


class CsvEntries:
    """The rows of a CSV file by its headings, which stand in its first row that is not blank.

    Raises SourceError where a heading comes twice, and for a row that can't be taken whole.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        _opened(path).close()  # what is wrong with it is told in this room's way
        self._delimiter = delimiter_of(path)
        self.headings: list[str] = []
        self._start = path.stat().st_size
        for _, row, after in self._rows(0):
            self.headings, self._start = row, after
            break
        if len(set(self.headings)) != len(self.headings):
            double = [one for one in dict.fromkeys(self.headings) if self.headings.count(one) > 1]
            raise SourceError(f"{path} has a heading twice: {', '.join(double)}")

    def read(self, offset: int = 0) -> Iterator[tuple[int, Entry]]:
        for place, row, _ in self._rows(offset or self._start):
            if any(row[len(self.headings) :]) or len(row) < len(self.headings):
                raise SourceError(
                    f"{self._path}: {self._delimiter.join(row)[:60]} has {len(row)} cells, and "
                    f"there are {len(self.headings)} headings"
                )
            yield place, dict(zip(self.headings, row, strict=False))

    def _rows(self, offset: int) -> Iterator[tuple[int, list[str], int]]:
        """The rows that are not blank, each with where it begins and where the next one does."""
        with _opened(self._path) as file:
            lines = _Lines(self._path, file, offset)
            rows = csv.reader(lines, delimiter=self._delimiter)
            place = lines.offset
            while True:
                try:
                    row = next(rows, None)
                except csv.Error as error:
                    raise SourceError(f"{self._path}, byte {place:,}: {error}") from None
                if row is None:
                    return
                if row:
                    yield place, row, lines.offset
                place = lines.offset


class LineEntries:
    """The entries of a JSON Lines file, one on each line."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self.headings: list[str] = []

    def read(self, offset: int = 0) -> Iterator[tuple[int, Entry]]:
        decode = decoder(dict[str, Any]).decode
        with _opened(self._path) as file:
            lines = _Lines(self._path, file, offset)
            place = lines.offset
            for line in lines:
                try:
                    if line.strip():
                        yield place, decode(line)
                except DECODE_ERRORS as error:
                    why = reason(line.encode(), error)
                    raise SourceError(f"{self._path}, byte {place:,}: {why}") from None
                place = lines.offset


def entry_file(path: Path) -> EntryFile:
    """The entries of a file, by its suffix."""
    return CsvEntries(path) if path.suffix == ".csv" else LineEntries(path)


class _Lines(Iterator[str]):
    """The lines of a file as texts; ``offset`` is where the next one begins."""

    def __init__(self, path: Path, file: BinaryIO, offset: int) -> None:
        self._path, self._file = path, file
        if not offset and file.read(3) == _BYTE_ORDER_MARK:
            offset = 3
        file.seek(offset)
        self.offset = offset
        self._ready: list[bytes] = []  # a line may hold others that end with a carriage return

    def __next__(self) -> str:
        if not self._ready:
            self._ready = self._file.readline().splitlines(keepends=True)[::-1]
        if not self._ready:
            raise StopIteration
        line = self._ready.pop()
        try:
            text = line.decode()
        except UnicodeDecodeError as error:
            place = self.offset + error.start
            raise SourceError(
                f"{self._path}: byte {place} is not UTF-8; save it as UTF-8"
            ) from None
        self.offset += len(line)
        return text


def _opened(path: Path) -> BinaryIO:
    try:
        if not path.stat().st_size:
            raise SourceError(f"{path} is empty (0 bytes)")
        return path.open("rb")
    except OSError as error:
        raise SourceError(f"{path} can't be read: {error.strerror}") from error
