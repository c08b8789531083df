"""Folders for what is needed only while something is written."""

from __future__ import annotations

import os
import shutil
import stat
import tempfile
import time
from contextlib import suppress
from pathlib import Path

from .locks import LockedError, lock
from .unfinished import TO_CLEAR, signals_waiting

_PREFIX, _LOCK = ".flatledger-scratch-", "lock"
_NEW_LOCK = f"{_LOCK}.new"
_BEING_MADE = 3_600  # seconds that a folder without its lock may still be somebody's


class ScratchFolder:
    """A temporary folder, which is gone when it is cleared or the process ends, stopped or not.

    Those that killed runs have left are cleared on the way: nobody has locked them.
    """

    def __init__(self) -> None:
        _clear_left()
        self._process = os.getpid()
        with signals_waiting():
            self.path = Path(tempfile.mkdtemp(prefix=_PREFIX))
            TO_CLEAR.add(self)
        made = self.path / _NEW_LOCK
        self._lock = made.open("xb")
        lock(self._lock)
        made.rename(self.path / _LOCK)  # once it is locked, it may be looked at

    def abandon(self) -> None:
        """Remove it with what is in it. A process that was forked off a run leaves it alone."""
        TO_CLEAR.discard(self)
        if self._process == os.getpid():
            shutil.rmtree(self.path, ignore_errors=True)
        self._lock.close()


def _clear_left() -> None:
    """Clear folders of ours that nobody has locked any more."""
    with suppress(OSError), os.scandir(tempfile.gettempdir()) as found:
        for one in found:
            if one.name.startswith(_PREFIX):
                with suppress(OSError):
                    _clear_if_left(Path(one.path), one.stat(follow_symlinks=False))


def _clear_if_left(folder: Path, found: os.stat_result) -> None:
    if not stat.S_ISDIR(found.st_mode) or found.st_uid != _user():
        return
    place = folder / _LOCK
    if not place.is_file():  # a run was killed before there was anything in it
        if time.time() - found.st_mtime > _BEING_MADE:
            (folder / _NEW_LOCK).unlink(missing_ok=True)
            folder.rmdir()  # which it is not, if there is anything else
        return
    with place.open("rb+") as file, suppress(LockedError):
        if lock(file):
            shutil.rmtree(folder, ignore_errors=True)


def _user() -> int:
    return os.getuid() if hasattr(os, "getuid") else 0
