"""A table of all faults: which record, where in it, what stood there, and what is wrong."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from os import PathLike
from typing import BinaryIO

from ..engine.faults import Fault
from ..layout.model import Output
from .delimited import DelimitedWriter
from .files import Target

HEADINGS = ("Record", "Identifier", "Path", "Value", "Reason")
_TOGETHER = 500


@contextmanager
def fault_table(
    to: str | PathLike[str] | BinaryIO | None,
) -> Iterator[Callable[[Fault], None] | None]:
    """A function that takes faults and writes them as CSV; None where they are not wanted.

    The file takes its place when the run has come to a good end.
    """
    if to is None:
        yield None
        return
    with Target(to) as target:
        writer = DelimitedWriter(Output(), target)
        writer.header([HEADINGS])
        held: list[Fault] = []

        def flush() -> None:
            writer.write([(f.record, f.identifier, f.path, f.value, f.reason) for f in held])
            held.clear()

        def take(fault: Fault) -> None:
            held.append(fault)
            if len(held) >= _TOGETHER:
                flush()

        yield take
        flush()
