"""Opening the bytes of a source: a file, standard input, an open file; plain or gzip."""

from __future__ import annotations

import gzip
import io
import sys
import zlib
from collections.abc import Iterator
from os import PathLike, fspath
from pathlib import Path
from typing import Any, BinaryIO, cast

from ..errors import SourceError

CHUNK = 1 << 18
_GZIP = b"\x1f\x8b"
_BYTE_ORDER_MARK = b"\xef\xbb\xbf"


class Bytes:
    """The bytes of a source, in chunks, and how far they have been read."""

    def __init__(self, name: str, file: BinaryIO) -> None:
        self.name = name
        buffered = (
            file if isinstance(file, io.BufferedReader) else io.BufferedReader(cast(Any, file))
        )
        if buffered.peek(2)[:2] == _GZIP:
            buffered = io.BufferedReader(cast(Any, gzip.GzipFile(fileobj=buffered)))
        self._file = buffered
        self._first = self._read().removeprefix(_BYTE_ORDER_MARK)

    @property
    def start(self) -> bytes:
        """The first chunk, which tells the format."""
        return self._first

    def chunks(self) -> Iterator[bytes]:
        """All bytes from the start."""
        chunk = self._first
        while chunk:
            yield chunk
            chunk = self._read()
        self._file.close()

    def _read(self) -> bytes:
        try:
            return self._file.read(CHUNK)
        except (EOFError, zlib.error, gzip.BadGzipFile) as error:
            raise SourceError(
                f"{self.name}: the gzip data is damaged or cut off: {error}"
            ) from None
        except OSError as error:
            raise SourceError(f"{self.name} can't be read: {error.strerror or error}") from None


def open_bytes(source: str | PathLike[str] | BinaryIO) -> Bytes:
    """Open a path, ``-`` (standard input) or an open binary file."""
    if not isinstance(source, str | PathLike):
        return Bytes(str(getattr(source, "name", "open file")), source)
    name = fspath(source)
    if name == "-":
        return Bytes("standard input", sys.stdin.buffer)
    if Path(name).is_dir():
        raise SourceError(f"{name} is a folder; name a file in it")
    try:
        return Bytes(name, open(name, "rb"))
    except OSError as error:
        raise SourceError(f"{name} can't be read: {error.strerror}") from None
