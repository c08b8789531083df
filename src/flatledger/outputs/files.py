"""Where a table goes: a file that takes its place when whole, standard output, an open file."""

from __future__ import annotations

import os
import secrets
import shutil
import sys
from os import PathLike, fspath
from pathlib import Path
from types import TracebackType
from typing import BinaryIO

from ..errors import OutputError


class Target:
    """A context in which a file is written beside its final name, and moved there at its end.

    Left by an error or a kill, the former file stays as it was. ``-`` is standard output; a device
    or a pipe is written to directly.
    """

    def __init__(self, to: str | PathLike[str] | BinaryIO) -> None:
        self._path: Path | None = None
        self._part: Path | None = None
        self.replaced = False  # whether there was a former file
        self.file: BinaryIO
        if not isinstance(to, str | PathLike):
            self.name, self.file = str(getattr(to, "name", "open file")), to
        elif fspath(to) == "-":
            self.name, self.file = "standard output", sys.stdout.buffer
        else:
            self.name = fspath(to)
            self._open(Path(to).resolve())

    def _open(self, path: Path) -> None:
        if path.is_dir():
            raise OutputError(f"{self.name} is a folder; name a file in it")
        try:
            if path.exists() and not path.is_file():
                self.file = path.open("wb")
                self._path = path
                return
            if path.exists() and not os.access(path, os.W_OK):
                raise OutputError(f"{self.name} can't be written: it is read-only")
            part = path.with_name(f".{path.name}.{secrets.token_hex(4)}.part")
            self.file = part.open("xb")
        except OSError as error:
            raise OutputError(f"{self.name} can't be written: {error.strerror}") from None
        self._path, self._part = path, part

    @property
    def replaces(self) -> bool:
        """Whether it takes its place as a whole at the end, so that nobody has seen it before."""
        return self._part is not None

    def write(self, data: bytes) -> None:
        """Write some bytes. Raises OutputError when the disk is full or the file is gone."""
        try:
            self.file.write(data)
        except BrokenPipeError:
            raise
        except OSError as error:
            raise self.failed(error) from None

    def __enter__(self) -> Target:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        traceback: TracebackType | None,
    ) -> None:
        try:
            if self._path is None:
                self.file.flush()
            else:
                self.file.close()
            if self._part is not None and self._path is not None and kind is None:
                self.replaced = self._path.exists()
                if self.replaced:
                    shutil.copymode(self._path, self._part)
                os.replace(self._part, self._path)
                self._part = None
        except BrokenPipeError:
            raise
        except OSError as failure:
            if kind is None:
                raise self.failed(failure) from None
        finally:
            if self._part is not None:
                self._part.unlink(missing_ok=True)

    def failed(self, error: OSError) -> OutputError:
        """What to say of a failure of the file."""
        kept = "; the former file is as it was" if self._path and self._path.is_file() else ""
        return OutputError(f"{self.name} can't be written: {error.strerror}{kept}")
