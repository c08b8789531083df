"""Rows that do not fit into memory, in a file without a name in the user's temporary folder.

The file is gone when it is closed or the process ends, however it ends.
"""

from __future__ import annotations

import pickle
import tempfile
import weakref
from collections.abc import Callable, Iterator
from typing import IO, Any

from ..errors import OutputError
from ..run.protocols import Row

_BLOCK = 200  # rows that are read back together; so many of each run are in memory at once


class TemporaryRows:
    """Keeps runs of rows in one temporary file (a RowStore)."""

    def __init__(self) -> None:
        self._file: IO[bytes] | None = None

    def keep(self, rows: list[Row]) -> Callable[[], Iterator[Row]]:
        """Write rows; give a function that reads them again. Raises OutputError."""
        try:
            places = [self._write(rows[at : at + _BLOCK]) for at in range(0, len(rows), _BLOCK)]
        except OSError as error:
            raise OutputError(
                f"the sort needs more room in {tempfile.gettempdir()}: {error.strerror}; "
                "set TMPDIR to a folder that has it"
            ) from None
        return lambda: self._read(places)

    def _write(self, rows: list[Row]) -> tuple[int, int]:
        if self._file is None:  # it lives as long as the rows are wanted
            self._file = tempfile.TemporaryFile(prefix="flatledger-")  # noqa: SIM115
            weakref.finalize(self, self._file.close)
        start = self._file.seek(0, 2)
        return start, self._file.write(pickle.dumps(rows, pickle.HIGHEST_PROTOCOL))

    def _read(self, places: list[tuple[int, int]]) -> Iterator[Row]:
        for start, length in places:
            yield from self._block(start, length)

    def _block(self, start: int, length: int) -> Any:
        assert self._file is not None
        self._file.seek(start)
        return pickle.loads(self._file.read(length))
