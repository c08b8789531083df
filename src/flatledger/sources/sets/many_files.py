"""Several files as one source, one after another."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from functools import partial
from typing import Any

import msgspec

from ...errors import SourceError
from ...layout.model.source_options import PHOTOS
from ...run.protocols import Account, Batch, FileRead, Origin, Reader, RowsLeftOut, Source
from ...values.faults import Fault
from ..files.options import Options
from ..files.reader import BaseReader
from ..formats import PICTURES, RecordFormat, format_found, reading
from ..json.json_values import LOOK_AHEAD
from ..tables.tables import TableReader
from .found_files import SourceFile, called, in_natural_order

_SHOWN = 5
NO_PICTURE = "it is not a picture"
_MOST_AHEAD = 32  # files that are open at once


class FilesSource:
    """The records of several files of one format, in the natural order of their names unless they
    are to be read as they are named.

    Raises SourceError where a file is of another format than the others, or can't be read; where
    such are to be skipped, each is read to its end before any record is given.
    """

    again = True

    def __init__(
        self,
        files: list[SourceFile],
        options: Options,
        stated: RecordFormat | None,
        notices: Sequence[str] = (),
    ) -> None:
        """``notices`` are to be pointed out, whatever is read."""
        self._notices = notices
        self.files = files if options.as_named else in_natural_order(files)
        self.name = files[0].name if len(files) == 1 else f"{len(files):,} files"
        self._called = called(files)
        self._options, self._stated = options, stated
        self._passed_over: dict[SourceFile, str] | None = None

    def open(self) -> FilesReader:
        """A reading from the start. Raises SourceError."""
        if self._passed_over is None:
            self._passed_over = self._looked_at()
        return FilesReader(self, self._passed_over, self._notices)

    def readings(self) -> Iterator[tuple[SourceFile, Reader]]:
        """Those that are not passed over, each with a reading of it. Raises SourceError."""
        for file in self.files:
            if file not in (self._passed_over or {}):
                yield file, self._reader(file)

    @property
    def size(self) -> int | None:
        """How many bytes the files have; None where some are packed in one."""
        sizes = [one.size for one in self.files if one not in (self._passed_over or {})]
        return None if None in sizes else sum(filter(None, sizes))

    def called(self, file: SourceFile) -> str:
        """What a table calls a file."""
        return self._called[file]

    def parts(self, most: int) -> Sequence[Source]:
        """Itself: how many records the files before one have is only known once they are read."""
        return [self]

    def _reader(self, file: SourceFile) -> Reader:
        reader = reading(file.open, file.name, self._options, self._stated)
        reader.file = self._called[file]
        return reader

    def _looked_at(self) -> dict[SourceFile, str]:
        """Which files are passed over, and why. Raises SourceError."""
        passed_over: dict[SourceFile, str] = {}
        formats: dict[str, list[str]] = {}
        of_photos = self._are_pictures()
        skips = self._options.skips_unreadable or (of_photos and len(self.files) > 1)
        for file in self.files:
            try:
                data = file.open()
                data.close()
                if of_photos and not data.head.startswith(PICTURES):
                    passed_over[file] = NO_PICTURE
                    continue
                found = self._stated or format_found(data.head, file.name)
            except SourceError as error:
                if not skips:
                    raise
                passed_over[file] = str(error)
                continue
            formats.setdefault(found.name, []).append(file.name)
        if len(formats) > 1:
            raise SourceError(_several_formats(formats))
        if skips:
            passed_over |= self._tried(passed_over)
        if passed_over and len(passed_over) == len(self.files):
            first = next(iter(passed_over.values()))
            raise SourceError(f"none of the files can be read; {first}")
        return passed_over

    def _are_pictures(self) -> bool:
        """Whether these are photographs: stated, or most of several files begin as pictures do."""
        if self._stated is not None or len(self.files) < 2:
            return self._stated is not None and self._stated.name == PHOTOS
        pictures = 0
        for file in self.files:
            with suppress(SourceError):
                data = file.open()
                data.close()
                pictures += data.head.startswith(PICTURES)
        return 2 * pictures >= len(self.files)

    def _tried(self, passed_over: dict[SourceFile, str]) -> dict[SourceFile, str]:
        """Those that turn out to be unreadable before their end."""
        found = {}
        for file in (one for one in self.files if one not in passed_over):
            try:
                with self._reader(file) as reader:
                    for _ in reader.batches():
                        pass
            except SourceError as error:
                found[file] = str(error)
        return found


def _kept_later(keeps: Callable[[int], bool], before: int, number: int) -> bool:
    """Whether a record is kept that has a number of its own in its file."""
    return keeps(number + before)


class FilesReader(BaseReader):
    """Reads one file after another; the records are numbered through."""

    def __init__(
        self,
        source: FilesSource,
        passed_over: dict[SourceFile, str],
        notices: Sequence[str],
    ) -> None:
        self.name, self._source = source.name, source
        self._readings = source.readings()
        self._passed_over = passed_over
        self._manners: dict[str, str] = {}  # how files are read, each with the first that is
        self._notices = [*notices]
        self._left_out: RowsLeftOut | None = None
        self._labelled: list[str] = []
        self._short = 0
        self.account = Account(notices)
        self.measure = self
        self._bytes_before, self._size = 0, source.size  # in the files that have been read, in all
        self._first = self._now = next(self._readings)
        self._waiting = deque([self._first])  # those that are begun, and not read yet
        self._looked: list[Any] | None = None
        first = self._first[1]
        self.decodes, self.has_own_texts, self.states = (
            first.decodes,
            first.has_own_texts,
            first.states,
        )
        self.types_moments, self.has_moments = first.types_moments, first.has_moments
        self._take_note(*self._first)

    def peek(self) -> list[Any]:
        """The first records of the first files, as many as tell enough."""
        if self._looked is None:
            looked = list(self._first[1].peek())
            while len(looked) < LOOK_AHEAD and len(self._waiting) < _MOST_AHEAD and self._begin():
                looked += self._waiting[-1][1].peek()
            self._looked = looked[:LOOK_AHEAD]
        return self._looked

    @property
    def position(self) -> int:
        """How many bytes have been read of the files so far."""
        return self._bytes_before + self._now[1].measure.position

    @property
    def size(self) -> int | None:
        """How many bytes the files have; None where some are packed in one."""
        return self._size

    def close(self) -> None:
        for _, reader in (self._now, *self._waiting):
            reader.close()

    def _begin(self) -> bool:
        """Begin with the file after those that wait, if there is one. Raises SourceError."""
        following = next(self._readings, None)
        if following is None:
            return False
        self._waiting.append(following)
        self._take_note(*following)
        return True

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        before, read = 0, list[FileRead]()
        while self._waiting or self._begin():
            self._bytes_before += self._now[1].measure.position if read else 0
            file, reader = self._now = self._waiting.popleft()
            records = unreadable = 0
            reader.keeps = partial(_kept_later, self.keeps, before)
            with reader:
                for batch in reader.batches(record_type, exact):
                    records += len(batch.records)
                    unreadable += len(batch.faults)
                    yield self._moved(batch, before, self._source.called(file))
            before += records + unreadable
            read.append(FileRead(file.name, records, unreadable))
            self._notices += reader.account.notices
            self._take_totals(file, reader.account)
        skipped = [FileRead(one.name, passed_over=why) for one, why in self._passed_over.items()]
        self._notices += _of_skipped(skipped)
        files, of = [*read, *skipped], len(self._source.files)
        told = self._left_out, self._labelled, self._short
        self.account = Account(self._notices, files, of, *told)

    def _take_totals(self, file: SourceFile, account: Account) -> None:
        """Take note of the total rows of a file."""
        if (left := account.left_out) is not None:
            before = self._left_out or RowsLeftOut(0)
            where = [*before.where, *(f"{one} of {file.name}" for one in left.where)]
            self._left_out = RowsLeftOut(before.many + left.many, where, left.blank)
        self._short += account.short_rows
        self._labelled += [f"{one} of {file.name}" for one in account.labelled]

    def _moved(self, batch: Batch, before: int, file: str) -> Batch:
        """A batch with its records numbered after those of the files before."""
        several = len(self._source.files) > 1
        origin = Origin(file, before, batch.origin.rows, several)
        if not before:
            return batch._replace(origin=origin)
        numbers = batch.numbers
        return batch._replace(
            numbers=range(numbers.start + before, numbers.stop + before)
            if isinstance(numbers, range)
            else [number + before for number in numbers],
            faults=[_later(fault, before) for fault in batch.faults],
            remarks=[_later(fault, before) for fault in batch.remarks],
            origin=origin,
        )

    def _take_note(self, file: SourceFile, reader: Reader) -> None:
        """Take note of how a file is read. Raises SourceError where its records are of other
        elements than those of the first."""
        self._manners.setdefault(reader.manner, file.name)
        name, first = self._first[0].name, self._first[1]
        mine, other = reader.states.get("records"), first.states.get("records")
        if mine and other and mine != other:
            raise SourceError(
                f"the records of {name} are <{other}>, those of {file.name} <{mine}>; say "
                f"which are wanted: `records: {other}`, or `records: [{other}, {mine}]`"
            )
        if isinstance(reader, TableReader) and isinstance(first, TableReader):
            self._notices += _other_headings(name, first.headings, file.name, reader.headings)
        told = list(self._manners)
        parts = (
            told if len(told) == 1 else [f"{self._manners[one]}: {one}" for one in told[:_SHOWN]]
        )
        more = ["…"] if len(told) > _SHOWN else []
        self.manner = "; ".join(filter(None, [*parts, *more]))


def _of_skipped(skipped: list[FileRead]) -> list[str]:
    """What is pointed out of files that were passed over: each that can't be read, and how many
    others there are in a folder of photographs."""
    others = [one.name for one in skipped if one.passed_over == NO_PICTURE]
    told = [f"passed over: {one.passed_over}" for one in skipped if one.passed_over != NO_PICTURE]
    if others:
        names = ", ".join(others[:_SHOWN]) + (", …" if len(others) > _SHOWN else "")
        told.append(f"passed over, since they are no pictures: {len(others):,} ({names})")
    return told


def _later(fault: Fault, before: int) -> Fault:
    return msgspec.structs.replace(fault, record=fault.record + before)


def _other_headings(name: str, first: list[str], other: str, headings: list[str]) -> list[str]:
    """That a file has other headings than the first one."""
    lacks = ", ".join([one for one in first if one not in headings][:_SHOWN])
    more = ", ".join([one for one in headings if one not in first][:_SHOWN])
    said = [f"{other} lacks the column {lacks}, which {name} has"] if lacks else []
    return [*said, *([f"{other} has a column {more}, which {name} lacks"] if more else [])]


def _several_formats(formats: dict[str, list[str]]) -> str:
    """What to say where files are of different formats."""
    parts = []
    for name, files in sorted(formats.items(), key=lambda item: -len(item[1])):
        more = f" and {len(files) - 1:,} more" if len(files) > 1 else ""
        called = "photographs" if name == PHOTOS else name.upper()
        parts.append(f"{called} ({files[0]}{more})")
    return (
        f"the files are of different formats: {', '.join(parts)}; name those of one alone, "
        "such as by a pattern: 'folder/*.json'"
    )
