"""Sources that can be read again: files, lists, and standard input, which is kept for that."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Callable, Sequence
from os import PathLike
from typing import Any

from .reading import standard_input

Again = Callable[[], Any]


def repeatable(source: Any) -> tuple[Any, Again | None]:
    """A source to read, and a function that gives it from its start again; None if nothing can.

    Standard input is copied into a temporary file while it is read.
    """
    if source == "-":
        kept = KeptInput()
        return kept, kept.again
    if isinstance(source, str | PathLike | Sequence):
        return source, lambda: source
    if hasattr(source, "seekable") and source.seekable() and not isinstance(source, io.TextIOBase):
        start = source.tell()

        def again() -> Any:
            source.seek(start)
            return source

        return source, again
    return source, None


class KeptInput(io.RawIOBase):
    """Standard input, with a copy of what was read of it."""

    name = "standard input"

    def __init__(self) -> None:
        self._input: Any = standard_input()
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

    def again(self) -> KeptInput:
        """The same from its start."""
        self._copy.seek(0)
        self._repeats = True
        return self
