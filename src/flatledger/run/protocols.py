"""The small protocols by which sources and outputs meet the engine."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any, NamedTuple, Protocol

from ..values.faults import Fault

Row = tuple[Any, ...]
Progress = Callable[[int], None]  # called with the number of records read so far


class TotalRow(tuple[Any, ...]):
    """A row of totals: of a group, or of the whole table."""

    __slots__ = ()


class Batch(NamedTuple):
    """Some records in the order of the source, their numbers (from 1), and what was unreadable.

    ``specimens`` gives one or a few of them whole, as plain data; ``remarks`` are faults that keep
    no record out.
    """

    records: list[Any]
    numbers: Sequence[int]
    faults: list[Fault]
    specimens: Callable[[], list[Any]] = list
    remarks: Sequence[Fault] = ()


class RowStore(Protocol):
    """A place outside memory for rows; they may hold any of the engine's values."""

    def keep(self, rows: list[Row]) -> Callable[[], Iterator[Row]]:
        """Keep rows, and give a function that reads them again, as often as it is called."""
        ...


class Source(Protocol):
    """Records from somewhere. It is read once: first a look ahead, then everything."""

    name: str

    def look_ahead(self) -> list[Any]:
        """The first records as plain data; the same however often it is asked."""
        ...

    def batches(self, shape: Any) -> Iterator[Batch]:
        """All records, those looked at included, each turned into ``shape`` (a msgspec type)."""
        ...
