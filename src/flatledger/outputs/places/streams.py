"""The standard streams, also where they are closed or named like files."""

from __future__ import annotations

import codecs
import io
import os
import re
import sys
from pathlib import Path
from typing import Any, BinaryIO, cast

from ...errors import OutputError
from ...values.visible import visible_lines

_NUMBERED = re.compile(r"/(?:dev|proc/(?:self|\d+))/fd/(\d+)")
_NAMED = {"/dev/stdout": 1, "/dev/stderr": 2}


def stream_number(path: Path) -> int | None:
    """The number of an open stream that a path names; None of all else.

    >>> stream_number(Path("/dev/stdout")), stream_number(Path("table.csv"))
    (1, None)
    """
    text = os.fspath(path)
    found = _NUMBERED.fullmatch(text)
    return int(found[1]) if found else _NAMED.get(text)


def standard_output() -> BinaryIO:
    """Standard output as bytes; on a terminal, what would steer it is shown instead.

    Raises OutputError where it is closed.
    """
    if sys.stdout is None:
        raise OutputError("standard output is closed; name a file with -o")
    below: BinaryIO = sys.stdout.buffer
    return for_terminal(below) if sys.stdout.isatty() else below


# ---- standard output where it is a terminal: the data of a table is to be read there, not obeyed


class TerminalBytes(io.RawIOBase):
    """Takes bytes of text and writes them with what would steer the terminal shown."""

    name = "standard output"

    def __init__(self, below: BinaryIO) -> None:
        self._below = below
        self._decoder = codecs.getincrementaldecoder("utf-8")("backslashreplace")

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        text = self._decoder.decode(bytes(data)).replace("\r\n", "\n")
        self._below.write(visible_lines(text).encode())
        return len(data)

    def flush(self) -> None:
        self._below.flush()


def for_terminal(below: BinaryIO) -> BinaryIO:
    """A binary file over one that is a terminal."""
    return cast(BinaryIO, TerminalBytes(below))
