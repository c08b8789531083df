"""Packed bytes, unpacked as they are read: gzip, bzip2, xz, Zstandard (RFC 8878)."""

from __future__ import annotations

import gzip
import io
import re
import struct
import sys
import zipfile
import zlib
from collections.abc import Callable
from pathlib import PurePath
from typing import Any, BinaryIO, NamedTuple, cast

SUFFIXES = (".gz", ".bz2", ".xz", ".zst")
_MOST = 1 << 16  # packed bytes that are read at once
_PADDING = b"\0"


class DamagedPackingError(Exception):
    """Packed bytes that can't be unpacked, or that end too early."""


class _Packing(NamedTuple):
    """A way of packing: its name, how what is packed so begins, how it is opened."""

    name: str
    begins: re.Pattern[bytes]
    opened: Callable[[BinaryIO], Any]


def _bzip2(file: BinaryIO) -> _Unpacking:
    import bz2

    return _Unpacking(file, bz2.BZ2Decompressor, OSError)


def _xz(file: BinaryIO) -> _Unpacking:
    import lzma

    return _Unpacking(file, lambda: lzma.LZMADecompressor(lzma.FORMAT_XZ), lzma.LZMAError)


def _zstandard(file: BinaryIO) -> _Unpacking:
    if sys.version_info >= (3, 14):
        from compression import zstd
    else:
        from backports import zstd
    return _Unpacking(file, zstd.ZstdDecompressor, zstd.ZstdError)


_PACKINGS = (
    _Packing("gzip", re.compile(rb"\x1f\x8b"), lambda file: gzip.GzipFile(fileobj=file)),
    _Packing("bzip2", re.compile(rb"BZh[1-9](?:1AY&SY|\x17rE8P\x90)"), _bzip2),
    _Packing("xz", re.compile(rb"\xfd7zXZ\x00"), _xz),
    _Packing("zstd", re.compile(rb"\x28\xb5\x2f\xfd|[\x50-\x5f]\x2a\x4d\x18"), _zstandard),
)
LOOK = 10  # bytes that tell how a source is packed


def unpacked(file: BinaryIO, head: bytes) -> tuple[str, BinaryIO | None]:
    """How bytes that begin so are packed, and what unpacks them; nothing where they are plain."""
    for packing in _PACKINGS:
        if packing.begins.match(head):
            return packing.name, cast(BinaryIO, io.BufferedReader(packing.opened(file)))
    return "", None


def plain_name(name: str) -> PurePath:
    """The name of what is packed in a file.

    >>> plain_name("orders.jsonl.xz").suffix, plain_name("orders.csv").suffix
    ('.jsonl', '.csv')
    """
    path = PurePath(name.lower())
    return path.with_suffix("") if path.suffix in SUFFIXES else path


DAMAGES = (DamagedPackingError, EOFError, zlib.error, gzip.BadGzipFile, zipfile.BadZipFile)
ZIP_DAMAGES = (*DAMAGES, OSError, RuntimeError, KeyError, ValueError, struct.error)


class _Unpacking(io.RawIOBase):
    """Packed bytes that are unpacked one stream after another, to the last of them.

    Python's own files pass over whatever follows the first stream and is none; here that is an
    error, since it may be a second one that was damaged.
    """

    def __init__(self, file: BinaryIO, begun: Callable[[], Any], damage: type[Exception]) -> None:
        self._packed, self._begun, self._damage = file, begun, damage
        self._stream = begun()

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        """Unpack as many bytes as there is room for. Raises DamagedPackingError."""
        data = b""
        while not data:
            if self._stream.eof:
                more = self._stream.unused_data or self._packed.read(_MOST)
                while more and not (more := more.lstrip(_PADDING)):
                    more = self._packed.read(_MOST)
                if not more:
                    return 0
                self._stream = self._begun()
            else:
                more = self._packed.read(_MOST) if self._stream.needs_input else b""
                if not more and self._stream.needs_input:
                    raise DamagedPackingError("it ends too early")
            data = self._unpack(more, len(buffer))
        buffer[: len(data)] = data
        return len(data)

    def _unpack(self, packed: bytes, most: int) -> bytes:
        try:
            return cast(bytes, self._stream.decompress(packed, most))
        except self._damage as error:
            raise DamagedPackingError(str(error)) from None


class Rejoined(io.RawIOBase):
    """A stream of which the first bytes were read already."""

    def __init__(self, first: bytes, rest: BinaryIO) -> None:
        self._first, self._rest = first, rest

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        data = self._first[: len(buffer)] or self._rest.read(len(buffer))
        self._first = self._first[len(buffer) :]
        buffer[: len(data)] = data
        return len(data)
