"""Rows that do not fit into memory, in a file without a name in the user's temporary folder.

The file is gone when it is closed or the process ends, however it ends.
"""

from __future__ import annotations

import pickle
import tempfile
import weakref
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import IO, Any

from ..errors import OutputError
from ..run.protocols import Row

_BLOCK = 200  # rows that are read back together; so many of each run are in memory at once


class TemporaryRows:
    """Keeps runs of rows in one temporary file (a RowStore). Pickled it takes them along."""

    def __init__(self) -> None:
        self._file: IO[bytes] | None = None

    def __getstate__(self) -> bytes:
        if self._file is None:
            return b""
        self._file.seek(0)
        return self._file.read()

    def __setstate__(self, contents: bytes) -> None:
        self._file = None
        if contents:
            self._opened().write(contents)

    def keep(self, rows: list[Row]) -> Callable[[], Iterator[Row]]:
        """Write rows; give a function that reads them again. Raises OutputError."""
        try:
            places = [self._write(rows[at : at + _BLOCK]) for at in range(0, len(rows), _BLOCK)]
        except OSError as error:
            raise OutputError(
                f"the sort needs more room in {tempfile.gettempdir()}: {error.strerror}; "
                "set TMPDIR to a folder that has it"
            ) from error
        return _Kept(self, places)

    def _opened(self) -> IO[bytes]:
        if self._file is None:  # it lives as long as the rows are wanted
            self._file = tempfile.TemporaryFile(prefix="flatledger-")  # noqa: SIM115
            weakref.finalize(self, self._file.close)
        return self._file

    def _write(self, rows: list[Row]) -> tuple[int, int]:
        file = self._opened()
        start = file.seek(0, 2)
        return start, file.write(pickle.dumps(rows, pickle.HIGHEST_PROTOCOL))

    def block(self, start: int, length: int) -> Any:
        """The rows that were written so many bytes from a place on."""
        file = self._opened()
        file.seek(start)
        return pickle.loads(file.read(length))


@dataclass(frozen=True)
class _Kept:
    """A run of rows that is kept: called, it gives them."""

    store: TemporaryRows
    places: list[tuple[int, int]]

    def __call__(self) -> Iterator[Row]:
        for start, length in self.places:
            yield from self.store.block(start, length)
