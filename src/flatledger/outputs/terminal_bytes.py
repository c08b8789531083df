"""Standard output where it is a terminal: the data of a table is to be read there, not obeyed."""

from __future__ import annotations

import codecs
import io
from typing import Any, BinaryIO, cast

from ..values.visible import visible_lines


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
