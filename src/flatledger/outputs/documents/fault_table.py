"""A table of all faults: which record, where in it, what stood there, and what is wrong."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from ...layout.model.output_options import Output
from ...run.protocols import Row
from ...values.faults import Fault
from ..places.files import Target
from ..text.delimited import DelimitedWriter

HEADINGS = ("Record", "Identifier", "Path", "Entries", "Value", "Reason", "In file")
_TOGETHER = 500


@contextmanager
def fault_table(target: Target | None) -> Iterator[Callable[[Fault], None] | None]:
    """A function that takes faults and writes them as CSV; None where they are not wanted."""
    if target is None:
        yield None
        return
    writer = DelimitedWriter(Output(), target)
    writer.header([HEADINGS])
    held: list[Fault] = []

    def flush() -> None:
        writer.write([_row(fault) for fault in held])
        held.clear()

    def take(fault: Fault) -> None:
        held.append(fault)
        if len(held) >= _TOGETHER:
            flush()

    yield take
    flush()


def _row(fault: Fault) -> Row:
    """A fault as a row: of its entries their places, from the outermost, as in 2.1."""
    entries = ".".join(map(str, fault.ordinals)) or None
    where = fault.record, fault.identifier, fault.path, entries
    return *where, fault.value, fault.reason, fault.in_file
