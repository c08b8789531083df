"""Opening the bytes of a source: a file, standard input, an open file; plain or packed."""

from __future__ import annotations

import codecs
import io
import os
import stat
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from os import PathLike, fspath
from pathlib import Path
from typing import Any, BinaryIO, cast

from ...errors import MissingSourceError, SourceError
from ...layout.model.names import proposal
from ...values.visible import encodable
from .packing import DAMAGES, LOOK, Rejoined, unpacked

CHUNK = 1 << 19  # so that few batches share out what is done once for each, as groups are
_HEAD = 1 << 10
_FIRST_CHUNK = 1 << 15  # the first records are looked at before all
_BYTE_ORDER_MARKS = {  # the longer ones first: that of UTF-16 begins that of UTF-32
    codecs.BOM_UTF8: "",
    codecs.BOM_UTF32_LE: "utf-32-le",
    codecs.BOM_UTF32_BE: "utf-32-be",
    codecs.BOM_UTF16_LE: "utf-16-le",
    codecs.BOM_UTF16_BE: "utf-16-be",
}


class Bytes:
    """The bytes of a source, in chunks. A file that is its ``own`` is closed; a caller's is not.

    What is UTF-16 or UTF-32 by its byte order mark comes as UTF-8. Raises SourceError where there
    is not one byte.
    """

    def __init__(self, name: str, file: BinaryIO, own: bool = False) -> None:
        self.name = name
        self._own = own
        self._closed = False
        self._given = file
        self._under = (
            file if isinstance(file, io.BufferedReader) else io.BufferedReader(cast(Any, file))
        )
        self._file: BinaryIO = self._under
        self._packing = ""
        self._size = _size_of(file)
        try:
            with self._told():
                self._unpack()
            self._begin(self._read(_HEAD))
        except SourceError:
            self.close()
            raise

    def _unpack(self) -> None:
        """Look whether the bytes are packed."""
        begin = self._under.peek(LOOK)[:LOOK]
        if len(begin) < LOOK:  # a pipe gives what it has
            begin = self._under.read(LOOK)
            self._file = io.BufferedReader(Rejoined(begin, self._under))
        self._packing, packed = unpacked(self._file, begin)
        self._file = packed or self._file

    def _begin(self, head: bytes) -> None:
        """Take the first bytes, and the encoding that their byte order mark tells."""
        if not head:
            raise SourceError(f"{self.name} is empty (0 bytes)")
        mark = next((mark for mark in _BYTE_ORDER_MARKS if head.startswith(mark)), b"")
        self._encoding, self._marked = _BYTE_ORDER_MARKS.get(mark, ""), bool(mark)
        self._decoder = codecs.getincrementaldecoder(self._encoding)() if self._encoding else None
        self._first = self._as_utf8(head[len(mark) :])

    @property
    def encoding(self) -> str:
        """The encoding that a byte order mark tells: they come as UTF-8 then. Blank without one."""
        return self._encoding or ("utf-8" if self._marked else "")

    @property
    def head(self) -> bytes:
        """What they begin with, however few a pipe gives at a time; nothing is used up."""
        return self._first

    @property
    def position(self) -> int:
        """How many bytes have been read, as they lie in the file; of a pipe 0."""
        if self._closed:
            return self.size or 0
        try:
            return self._under.tell()
        except (OSError, ValueError):
            return 0

    @property
    def size(self) -> int | None:
        """How many bytes there are; None of a stream."""
        return self._size

    def chunks(self) -> Iterator[bytes]:
        """All bytes from the start; the file is closed after the last that is asked for."""
        try:
            first, size = self._first, _FIRST_CHUNK
            while chunk := self._read(size):
                yield first + self._as_utf8(chunk)
                first, size = b"", min(2 * size, CHUNK)
            yield first
            yield self._as_utf8(b"", final=True)
        finally:
            self.close()

    def close(self) -> None:
        """Close what is its own; the packing of a caller's file is taken off it."""
        if self._closed:
            return
        self._closed = True
        if self._file is not self._under:
            self._file.close()
        if self._own:
            self._under.close()
        elif self._under is not self._given:
            self._under.detach()

    def _as_utf8(self, data: bytes, final: bool = False) -> bytes:
        if self._decoder is None:
            return data
        try:
            return self._decoder.decode(data, final).encode()
        except UnicodeError as error:
            raise SourceError(f"{self.name} is damaged or cut off: {error}") from None

    def _read(self, size: int) -> bytes:
        with self._told():
            return self._file.read(size)

    @contextmanager
    def _told(self) -> Iterator[None]:
        """What goes wrong while bytes are read, as a SourceError."""
        try:
            yield
        except DAMAGES as error:
            raise SourceError(
                f"{self.name}: the {self._packing} data is damaged or cut off: {error}"
            ) from None
        except OSError as error:
            raise SourceError(f"{self.name} can't be read: {error.strerror or error}") from error


def _size_of(file: Any) -> int | None:
    """The bytes of a file that lies on a disk, or in memory; None of any other."""
    try:
        found = os.fstat(file.fileno())
        return found.st_size if stat.S_ISREG(found.st_mode) else None
    except (AttributeError, OSError, ValueError):
        return len(file.getbuffer()) if isinstance(file, io.BytesIO) else None


def open_bytes(source: str | PathLike[str] | BinaryIO) -> Bytes:
    """Open a path, ``-`` (standard input) or an open binary file."""
    if not isinstance(source, str | PathLike):
        return Bytes(_name(source), source)
    name = fspath(source)
    return Bytes(name_of(name), _opened(name), own=name != "-")


def name_of(source: str | PathLike[str]) -> str:
    """What a path is called in messages."""
    return "standard input" if source == "-" else str(encodable(fspath(source)))


def _opened(name: str) -> BinaryIO:
    """Open a path or standard input. Raises SourceError."""
    if name == "-":
        return standard_input()
    if Path(name).is_dir():
        raise SourceError(f"{name} is a folder; name a file in it")
    try:
        return open(name, "rb")
    except OSError as error:
        hint = near_file(name) if isinstance(error, FileNotFoundError) else ""
        said = f"{name} can't be read: {error.strerror}{hint}"
        if isinstance(error, FileNotFoundError):
            raise MissingSourceError(said).of(name) from error
        raise SourceError(said) from error


def near_file(name: str) -> str:
    """The file in the same folder that may be meant by one that is not there."""
    path = Path(name)
    try:
        beside = sorted(one.name for one in path.parent.iterdir() if one.is_file())
    except OSError:
        return ""
    same = [one for one in beside if Path(one).stem == path.stem]
    if len(same) == 1:
        return f"; did you mean `{path.with_name(same[0])}`?"
    return proposal(path.name, beside)


def is_pipe(source: str | PathLike[str]) -> bool:
    """Whether a path is standard input, or a pipe or a device: it can be read once only."""
    name = fspath(source)
    if "\0" in name:
        return False
    return name == "-" or (
        os.path.exists(name) and not (os.path.isfile(name) or os.path.isdir(name))
    )


def standard_input() -> BinaryIO:
    """The bytes of standard input. Raises SourceError where it is closed."""
    if sys.stdin is None:
        raise SourceError("standard input is closed; name a file")
    return sys.stdin.buffer


class KeptInput(io.RawIOBase):
    """Standard input or a pipe, with a copy of what was read of it."""

    def __init__(self, name: str, file: BinaryIO, own: bool) -> None:
        """A ``file`` that is its ``own`` is closed with it."""
        self.name, self._own = name, own
        self._input: Any = file
        self._copy = tempfile.TemporaryFile(prefix="flatledger-")  # noqa: SIM115 (kept open)
        self._repeats = False

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        """Read on, first from the copy if it is read again."""
        data = self._copy.read(len(buffer)) if self._repeats else b""
        if not data:
            data = self._input.read1(len(buffer))
            self._copy.write(data)
        buffer[: len(data)] = data
        return len(data)

    def close(self) -> None:
        """Close the copy, and the file if it is its own."""
        if self._own:
            self._input.close()
        self._copy.close()
        super().close()

    def again(self) -> KeptInput:
        """The same from its start."""
        self._copy.seek(0)
        self._repeats = True
        return self


class Bytestream:
    """Bytes that are opened for each reading: of a path, standard input, or an open file.

    ``again``: they can be had from their start again. Where they are to be, standard input or a
    pipe is kept in a temporary file while it is read (``keep``).
    """

    def __init__(self, source: Any, keep: bool = False) -> None:
        """Raises SourceError where a pipe is to be kept and can't be opened."""
        self._source = source
        path = isinstance(source, str | PathLike)
        once = path and is_pipe(source)
        self._kept: KeptInput | None = None
        if once and keep:
            self._kept = KeptInput(name_of(source), _opened(fspath(source)), own=source != "-")
        self._start: int | None = None
        if not path and not isinstance(source, io.TextIOBase) and _seekable(source):
            self._start = source.tell()
        self._opened = False
        self.again = self._kept is not None or self._start is not None or (path and not once)
        self.name = name_of(source) if path else _name(source)

    def open(self) -> Bytes:
        """The bytes from their start. Raises SourceError."""
        source = _binary(self._source)
        if self._kept is not None:
            source = self._kept.again() if self._opened else self._kept
        elif self._start is not None and self._opened:
            source.seek(self._start)
        self._opened = True
        return open_bytes(source)


def noting(chunks: Iterator[bytes], seen: list[bytes]) -> Iterator[bytes]:
    """The chunks, each kept as it goes by."""
    for chunk in chunks:
        seen.append(chunk)
        yield chunk


def _name(file: Any) -> str:
    return str(getattr(file, "name", "open file"))


def _seekable(file: Any) -> bool:
    return hasattr(file, "seekable") and bool(file.seekable())


def _binary(source: Any) -> Any:
    """A text file's bytes; anything else as it is."""
    if isinstance(source, io.TextIOBase):
        return getattr(source, "buffer", None) or io.BytesIO(source.read().encode())
    return source
