"""What is kept in the user's cache folder between runs: plain JSON that is checked when it is read.

Nothing in it is run, and nothing of it is read that somebody else could have put there, or that is
not as it was written.
"""

from __future__ import annotations

import hashlib
import json
import os
import secrets
import stat
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

_VERSIONS = 4  # of a name, that are kept
_OTHERS = stat.S_IRWXG | stat.S_IRWXO
_BEING_WRITTEN = 3_600  # seconds that a part may still be somebody's
_SUPERSEDED = 90 * 24 * 3_600  # seconds after which a file is made anew
_LARGEST = 1 << 26  # bytes of a file that is read
_NO_LINK = getattr(os, "O_NOFOLLOW", 0)
_FOLDER = os.O_RDONLY | getattr(os, "O_DIRECTORY", 0) | _NO_LINK
_READ = os.O_RDONLY | getattr(os, "O_BINARY", 0) | _NO_LINK
_NEW = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0) | _NO_LINK


class Kept:
    """Values of JSON, each by a name and by what it was made by: what has changed is not found.

    Where the folder is not the user's own, or others may look into it, there is nothing.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def read(self, name: str, made_by: str) -> Any:
        """A value that was written; None where there is none that is as it was written."""
        with suppress(OSError, ValueError, RecursionError), _opened(self._folder) as folder:
            with os.fdopen(folder.open(_file_name(name, made_by), _READ), "rb") as file:
                found = os.fstat(file.fileno())
                if not stat.S_ISREG(found.st_mode) or not _is_own(found):
                    return None
                digest, _, text = file.read(_LARGEST).partition(b"\n")
            return json.loads(text) if digest == _digest(made_by, text) else None
        return None

    def write(self, name: str, made_by: str, value: Any, versions: int = _VERSIONS) -> None:
        """Write a value down, and keep so many of its name; where that can't be done, nothing is
        lost."""
        with suppress(OSError, ValueError, RecursionError):
            text = json.dumps(value, separators=(",", ":")).encode()
            self._folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            with _opened(self._folder) as folder:
                part = f"{secrets.token_hex(8)}.new"
                with os.fdopen(folder.open(part, _NEW), "wb") as file:
                    file.write(_digest(made_by, text) + b"\n" + text)
                folder.rename(part, _file_name(name, made_by))
                folder.clear(f"{name}-", versions)


class _Folder:
    """An open folder: nobody can put another one in its place. Where the system can't open one,
    it is found by its path each time."""

    def __init__(self, path: Path, number: int | None) -> None:
        self._path, self._number = path, number

    def open(self, name: str, flags: int) -> int:
        return os.open(self._place(name), flags, 0o600, dir_fd=self._number)

    def rename(self, name: str, to: str) -> None:
        at = self._number
        os.replace(self._place(name), self._place(to), src_dir_fd=at, dst_dir_fd=at)

    def clear(self, start: str, most: int) -> None:
        """Remove the oldest files of a name beyond so many, parts that a killed run left, and what
        earlier versions have left: whatever was written long ago."""
        found: list[tuple[float, str]] = []
        for name in os.listdir(self._path if self._number is None else self._number):
            changed = os.stat(self._place(name), dir_fd=self._number, follow_symlinks=False)
            age = time.time() - changed.st_mtime
            if age > (_BEING_WRITTEN if name.endswith(".new") else _SUPERSEDED):
                os.unlink(self._place(name), dir_fd=self._number)
            elif name.startswith(start):
                found.append((changed.st_mtime, name))
        for _, name in sorted(found)[:-most]:
            os.unlink(self._place(name), dir_fd=self._number)

    def _place(self, name: str) -> str | Path:
        return self._path / name if self._number is None else name


@contextmanager
def _opened(path: Path) -> Iterator[_Folder]:
    """A folder of the user's own that nobody else may look into. Raises OSError."""
    if os.name == "nt":  # where each user's folder is closed to others
        yield _Folder(path, None)
        return
    number = os.open(path, _FOLDER)
    try:
        found = os.fstat(number)
        if not _is_own(found) or found.st_mode & _OTHERS:
            raise PermissionError(path)
        yield _Folder(path, number)
    finally:
        os.close(number)


def _is_own(found: os.stat_result) -> bool:
    return not hasattr(os, "geteuid") or found.st_uid == os.geteuid()


def _file_name(name: str, made_by: str) -> str:
    return f"{name}-{hashlib.blake2s(made_by.encode(), digest_size=8).hexdigest()}.json"


def _digest(made_by: str, text: bytes) -> bytes:
    return hashlib.blake2s(made_by.encode() + b"\n" + text).hexdigest().encode()
