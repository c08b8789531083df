"""Formats that other packages add, by an entry point of the group `flatledger.sources`."""

from __future__ import annotations

import io
from collections.abc import Iterator
from functools import cache, partial
from importlib.metadata import EntryPoint, entry_points
from typing import Any, BinaryIO, Protocol, cast

from ..errors import FlatLedgerError, SourceError
from ..language.notations import Notation
from .files.options import Options
from .files.reading import Bytes
from .objects.records import PythonReader

GROUP = "flatledger.sources"


class SourceFormat(Protocol):
    """A format of records that another package adds.

    ``name`` is what `format` under `source` calls it, ``suffixes`` are how names of its files end
    (``".log"``). An entry point of the group `flatledger.sources` names the class or an object of
    it::

        [project.entry-points."flatledger.sources"]
        radio-log = "radio_log:RadioLog"

    It may have two attributes more: a ``notation`` in which paths may be written where a layout
    states the format (`flatledger.Notation`), and ``has_own_texts``, which is
    true where an object that has a text of its own as its member ``#text`` stands for that text
    wherever one value is wanted.
    """

    name: str
    suffixes: tuple[str, ...]

    def recognises(self, head: bytes) -> bool:
        """Whether a source that begins so is of this format. ``head`` are its first thousand bytes,
        in UTF-8 where a byte order mark tells of another Unicode encoding."""
        ...

    def records(self, file: BinaryIO) -> Iterator[Any]:
        """The records of a file, one after another: mappings, or objects with members. What can't
        be read comes as an `UnreadableRecord`; ValueError says that nothing more can be."""
        ...


class FurtherFormat:
    """A format of another package, held to what is said of it."""

    def __init__(self, entry_point: EntryPoint) -> None:
        """Raises SourceError where it can't be loaded, or is none."""
        self._called = f"the format `{entry_point.name}` (of {_package(entry_point)})"
        found = self._told(entry_point.load, "can't be loaded")
        self._format = cast(SourceFormat, found() if isinstance(found, type) else found)
        missing = [one for one in _NEEDED if not hasattr(self._format, one)]
        if missing:
            raise SourceError(f"{self._called} has no {', '.join(missing)}")
        self.name, self.suffixes = str(self._format.name), tuple(self._format.suffixes)
        self.notation: Notation | None = getattr(self._format, "notation", None)
        self._has_own_texts = bool(getattr(self._format, "has_own_texts", False))

    def recognises(self, head: bytes) -> bool:
        """Whether a source that begins so is of it."""
        return bool(self._told(partial(self._format.recognises, head), "can't tell its files"))

    def reader(self, data: Bytes, options: Options) -> PythonReader:
        """A reading of some bytes. Raises SourceError."""
        if options.records:
            raise SourceError(f"{data.name}: there is no place within it; leave out `records`")
        stated = self.name if self.notation is not None else ""
        return _FurtherReader(data, self._records(data), stated, self._has_own_texts)

    def _records(self, data: Bytes) -> Iterator[Any]:
        file = io.BufferedReader(_Chunks(data))
        following = iter(self._told(partial(self._format.records, file), f"fails at {data.name}"))
        number = 0
        while True:
            number += 1
            where = f"fails at record {number:,} of {data.name}"
            record = self._told(partial(next, following, _END), where)
            if record is _END:
                return
            yield record

    def _told(self, step: Any, what: str) -> Any:
        """Take a step of another package's code; what goes wrong in it is a SourceError."""
        try:
            return step()
        except FlatLedgerError:
            raise
        except Exception as error:
            why = f"{type(error).__name__}: {error}"
            raise SourceError(f"{self._called} {what}: {why}") from error


_NEEDED = ("name", "suffixes", "recognises", "records")
_END = object()


class _FurtherReader(PythonReader):
    def __init__(
        self, data: Bytes, records: Iterator[Any], format: str, has_own_texts: bool
    ) -> None:
        super().__init__(records, 1, "", data.name)
        self._data, self.has_own_texts = data, has_own_texts
        self.states = {"format": format} if format else {}

    def close(self) -> None:
        super().close()
        self._data.close()


class _Chunks(io.RawIOBase):
    """The bytes of a source as a file."""

    def __init__(self, data: Bytes) -> None:
        self._chunks = data.chunks()
        self._held = b""

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        while not self._held:
            found = next(self._chunks, None)
            if found is None:
                return 0
            self._held = found
        part = self._held[: len(buffer)]
        buffer[: len(part)] = part
        self._held = self._held[len(part) :]
        return len(part)


@cache
def further_formats() -> tuple[FurtherFormat, ...]:
    """The formats of other packages. Raises SourceError where one can't be loaded."""
    return tuple(FurtherFormat(one) for one in entry_points(group=GROUP))


def _package(entry_point: EntryPoint) -> str:
    return entry_point.dist.name if entry_point.dist is not None else entry_point.value
