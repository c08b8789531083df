"""Where the records of a batch come from, as generated code asks for it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property


class RecordOrigins:
    """The file and the rows of the records that are gone through."""

    def __init__(self) -> None:
        self.file: str | None = None
        self._before = 0
        self._numbers: Sequence[int] = ()
        self._rows: Callable[[], Sequence[int]] | None = None

    def take(
        self,
        file: str,
        before: int,
        numbers: Sequence[int],
        rows: Callable[[], Sequence[int]] | None,
    ) -> None:
        """Records with these numbers come next; ``before`` them are so many in other files."""
        self.file = file or None
        self._before, self._numbers, self._rows = before, numbers, rows
        self.__dict__.pop("_row_of", None)

    def source_file(self) -> str | None:
        """The name of the file."""
        return self.file

    def source_row(self, number: int) -> int:
        """The row of a table in its file (the source number of CSVW), or the place of a record
        among those of its file."""
        return number - self._before if self._rows is None else self._row_of[number]

    @cached_property
    def _row_of(self) -> dict[int, int]:
        assert self._rows is not None
        return dict(zip(self._numbers, self._rows(), strict=True))
