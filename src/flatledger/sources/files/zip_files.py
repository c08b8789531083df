"""What is packed in a ZIP file. Its directory is read once, however many of its files are."""

from __future__ import annotations

import io
import os
import zipfile
from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any, BinaryIO, cast

from .packing import ZIP_DAMAGES

_ZIP = b"PK\x03\x04"
_ZIPS = (_ZIP, b"PK\x05\x06")  # with files in it, and with none
_OF_WORKBOOKS = {"[Content_Types].xml", "mimetype", "META-INF/manifest.xml"}
_WORKBOOKS = (".xlsx", ".xlsm", ".ods")


def is_zip(name: str) -> bool:
    """Whether a file holds packed files, and is no workbook. A pipe is not looked into."""
    if not os.path.isfile(name) or name.lower().endswith(_WORKBOOKS):
        return False
    try:
        with open(name, "rb") as file:
            if not file.read(len(_ZIP)).startswith(_ZIPS):
                return False
        return _OF_WORKBOOKS.isdisjoint(names_in(Path(name)))
    except OSError:
        return False
    except ZIP_DAMAGES:  # which a workbook may be as well
        return name.lower().endswith(".zip")


def names_in(path: Path) -> Sequence[str]:
    """The names of the files that are packed in one; of folders none. Raises OSError, and one of
    `ZIP_DAMAGES`."""
    return [one.filename for one in _directory(path).zip.infolist() if not one.is_dir()]


class Member(io.RawIOBase):
    """A file in a ZIP file, as it is unpacked. Raises OSError, and one of `ZIP_DAMAGES`."""

    def __init__(self, path: Path, member: str) -> None:
        self._directory = _directory(path)
        self._file: Any = self._directory.opened(member)

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        """Unpack some bytes. Raises zipfile.BadZipFile where they are damaged."""
        return cast(int, self._file.readinto(buffer))

    def close(self) -> None:
        if not self.closed:
            self._file.close()
            self._directory.close_one()
        super().close()


class _Directory:
    """The directory of a ZIP file, which is open only while some of its files are."""

    def __init__(self, path: Path) -> None:
        self._handle = _Handle(path)
        self._open = 0
        try:
            self.zip = zipfile.ZipFile(cast(BinaryIO, self._handle))
        finally:
            self._handle.let_go()

    def opened(self, member: str) -> Any:
        self._open += 1
        try:
            return self.zip.open(member)
        except BaseException:
            self.close_one()
            raise

    def close_one(self) -> None:
        self._open -= 1
        if not self._open:
            self._handle.let_go()


class _Handle:
    """A file that is opened when it is read, and goes on where it was."""

    def __init__(self, path: Path) -> None:
        self._path, self._at = path, 0
        self._file: BinaryIO | None = None

    def _opened(self) -> BinaryIO:
        if self._file is None:
            self._file = self._path.open("rb")
            self._file.seek(self._at)
        return self._file

    def let_go(self) -> None:
        if self._file is not None:
            self._at = self._file.tell()
            self._file.close()
            self._file = None

    def read(self, size: int = -1) -> bytes:
        return self._opened().read(size)

    def seek(self, offset: int, whence: int = 0) -> int:
        return self._opened().seek(offset, whence)

    def tell(self) -> int:
        return self._opened().tell()

    def seekable(self) -> bool:
        return True


def _directory(path: Path) -> _Directory:
    found = os.stat(path)
    return _known(path.absolute(), found.st_ino, found.st_size, found.st_mtime_ns)


@lru_cache(maxsize=4)
def _known(path: Path, *as_it_is: int) -> _Directory:
    """The directory of a file as it is now; one that has changed has another."""
    return _Directory(path)
