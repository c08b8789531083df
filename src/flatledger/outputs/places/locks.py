"""Locks on files, by which runs keep out of each other's way.

They are the operating system's own, by the standard library: a package for them takes longer to
import than all the rest of a small export.
"""

from __future__ import annotations

import errno
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Any

_OTHERS = {errno.EACCES, errno.EAGAIN, errno.EDEADLK}  # what is said where somebody else has it
_PAUSE = 0.05  # seconds between two tries

if sys.platform == "win32":  # pragma: no cover
    import msvcrt

    def _take(file: IO[Any]) -> None:
        place = file.tell()
        file.seek(0)
        msvcrt.locking(file.fileno(), msvcrt.LK_NBLCK, 1)
        file.seek(place)
else:
    import fcntl

    def _take(file: IO[Any]) -> None:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)


class LockedError(Exception):
    """Another run has the lock."""


def lock(file: IO[Any]) -> bool:
    """Lock an open file until it is closed; False where the file system has no locks.

    Raises LockedError.
    """
    try:
        _take(file)
    except OSError as error:
        if error.errno in _OTHERS:
            raise LockedError from None
        return False
    return True


@contextmanager
def locked(path: Path, patience: float) -> Iterator[None]:
    """A lock that is named by a file, which is made; so many seconds are waited for it.

    Raises LockedError, and OSError where the file can't be made.
    """
    end = time.monotonic() + patience
    with path.open("a+b") as file:
        while True:
            try:
                lock(file)
                break
            except LockedError:
                if time.monotonic() > end:
                    raise
                time.sleep(_PAUSE)
        yield
