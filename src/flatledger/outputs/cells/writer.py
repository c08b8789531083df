"""What every format of a table has in common."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import PurePath
from typing import Any, NamedTuple, Protocol, Self

from ...errors import OutputError
from ...layout.model.model import SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.balance import Balance
from ...run.protocols import Row


class Writer(Protocol):
    """A context in which the rows of a table are written, its header having been written.

    ``bytes`` counts up to its end, and ``notes`` are what its reader should know.
    """

    rows: int
    bytes: int

    def write(self, rows: list[Row]) -> None: ...

    def finish(self, balance: Balance) -> None:
        """Take the balance in, after the last row, where there is a place for it."""
        ...

    def __enter__(self) -> Self: ...

    def __exit__(self, *error: Any) -> None: ...

    def notes(self) -> list[str]: ...


class LineWriter(Writer, Protocol):
    """A writer of a format that says how lines are made."""

    def write_lines(self, rows: list[Any]) -> None:
        """Write rows that carry their lines."""
        ...


class Among(NamedTuple):
    """Which of several tables of a document is read: its ``place`` among them (from 0), its
    ``name``, and the ``sheets`` that it has in a workbook."""

    place: int
    name: str
    sheets: Sequence[str] = ()


class TablesWriter(Writer, Protocol):
    """A writer of a document in which several tables stand, one after another."""

    def begin_several(self, title: str) -> None:
        """Know, before the first begins, that several will stand in it, under a ``title``."""
        ...

    def next_table(self, layout: SettledLayout, columns: Sequence[ColumnPlan]) -> None:
        """Go on with the next table: rows that are written from now on are its own."""
        ...

    def sheets_of(self, place: int) -> Sequence[str]:
        """The sheets that the table at a place (from 0) has in a workbook."""
        ...


def suffix_of(name: str) -> str:
    """How a file's name ends, in small letters.

    >>> suffix_of("Lines.CSV")
    '.csv'
    """
    return PurePath(name).suffix.lower()


def check_suffix(name: str, suffixes: Sequence[str], what: str) -> None:
    """Raise OutputError where a file's name asks for a format that ``what`` is not written in.

    >>> check_suffix("report.json", (".json",), "a report")
    """
    suffix = suffix_of(name)
    if suffix and suffix not in suffixes:
        raise OutputError(
            f"{name}: {what} is not written as `{suffix}`; name a file that ends in "
            f"{', '.join(suffixes[:-1])}{' or ' if suffixes[1:] else ''}{suffixes[-1]}"
        )
