"""What every format of a table has in common."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import PurePath
from typing import Any, Protocol, Self

from ...errors import OutputError
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
