"""Files that are being written: beside their place, locked, and gone if they do not get there."""

from __future__ import annotations

import atexit
import hashlib
import os
import shutil
import signal
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from io import BufferedRandom
from pathlib import Path
from stat import S_IMODE

from ..errors import OutputError
from .locks import LockedError, lock

SUFFIX = ".flatledger-unfinished"
LONGEST_NAME = 255  # bytes, where the file system does not tell
_TRIES = 10
_GROUP = 0o070  # the permissions of a file's group


class Unfinished:
    """A file beside a place, which takes that place when it is whole.

    Nobody else can read it before that, unless the file that it replaces says so. What a run that
    was killed has left there is ``cleared``. Raises OutputError where another run is writing to the
    place, and OSError.
    """

    def __init__(self, place: Path) -> None:
        self._place = place
        self._process = os.getpid()
        self.path = place.with_name(unfinished_name(place))
        self.cleared = False
        with _signals_waiting():
            self.file = self._made()
            _OPEN.add(self)
        self._former = _stat(place)
        if self._former is not None:
            try:
                self._take_after(self._former)
            except BaseException:
                self.abandon()
                raise

    def _made(self) -> BufferedRandom:
        """A file of our own, new and locked. One that nobody has locked any more is cleared."""
        for _ in range(_TRIES):
            with suppress(FileExistsError):
                file = os.fdopen(os.open(self.path, _NEW, 0o600), "w+b")
                self._lock(file)
                if self._is_there(file):
                    return file
                file.close()  # another run has cleared it before it was locked
                continue
            with suppress(FileNotFoundError), self.path.open("rb+") as left:
                self._lock(left)
                if self._is_there(left):
                    self.path.unlink()
                    self.cleared = True
        raise self._busy()

    def _lock(self, file: BufferedRandom) -> None:
        try:
            lock(file)
        except LockedError:
            file.close()
            raise self._busy() from None

    def _busy(self) -> OutputError:
        return OutputError(f"another run is writing to {self._place}; wait until it has ended")

    def _is_there(self, file: BufferedRandom) -> bool:
        found = _stat(self.path)
        return found is not None and os.path.samestat(found, os.fstat(file.fileno()))

    def _take_after(self, former: os.stat_result) -> None:
        """The owner and the permissions of the file that is replaced, as far as they can be had."""
        mode = S_IMODE(former.st_mode)
        with suppress(OSError, AttributeError):
            os.fchown(self.file.fileno(), -1, former.st_gid)
        with suppress(OSError, AttributeError):
            os.fchown(self.file.fileno(), former.st_uid, -1)
        if os.fstat(self.file.fileno()).st_gid != former.st_gid:
            mode &= ~_GROUP  # which would be another group's
        os.chmod(self.path, mode)

    def digest(self) -> str:
        """A hash of what has been written."""
        self.file.flush()
        self.file.seek(0)
        return hashlib.file_digest(self.file, "blake2b").hexdigest()

    def take_place(self, move: Callable[[Path], None]) -> None:
        """Have it moved to its place by ``move``, once the disk has it. Raises OSError."""
        self.file.flush()
        os.fsync(self.file.fileno())
        if self._former is None:
            os.chmod(self.path, 0o666 & ~_umask())
        if os.name == "nt":  # where an open file can't be moved
            self.file.close()
        move(self.path)
        _OPEN.discard(self)
        self.file.close()
        _settle(self._place.parent)

    def abandon(self) -> None:
        """Clear it away, if it has not taken its place.

        A process that was forked off a run leaves the run's file alone.
        """
        if self in _OPEN:
            with suppress(OSError):
                if self._process == os.getpid():
                    self.path.unlink()
            _OPEN.discard(self)
        with suppress(OSError):  # a full disk is told where something is written
            self.file.close()


class ScratchFolder:
    """A temporary folder, which is gone when it is cleared or the process ends, stopped or not."""

    def __init__(self) -> None:
        with _signals_waiting():
            self.path = Path(tempfile.mkdtemp(prefix="flatledger-"))
            _FOLDERS.add(self)

    def clear(self) -> None:
        """Remove it with what is in it."""
        _FOLDERS.discard(self)
        shutil.rmtree(self.path, ignore_errors=True)


_OPEN: set[Unfinished] = set()
_FOLDERS: set[ScratchFolder] = set()
_NEW = os.O_RDWR | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0)


@contextmanager
def _signals_waiting() -> Iterator[None]:
    """Meanwhile no signal stops the run: a file that has just been made is not known yet."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, signal.valid_signals())
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


@atexit.register
def clear_unfinished() -> None:
    """Clear away whatever is unfinished when the process ends."""
    for one in list(_OPEN):
        one.abandon()
    for folder in list(_FOLDERS):
        folder.clear()


def unfinished_name(place: Path) -> str:
    """What the unfinished file of a place is called: always the same, however long its name.

    >>> unfinished_name(Path("table.csv"))
    '.table.csv.flatledger-unfinished'
    """
    name = f".{place.name}{SUFFIX}"
    if len(os.fsencode(name)) <= _longest_name(place.parent):
        return name
    return f".{hashlib.blake2b(os.fsencode(place.name), digest_size=16).hexdigest()}{SUFFIX}"


def _longest_name(folder: Path) -> int:
    try:
        return os.pathconf(folder, "PC_NAME_MAX")
    except (OSError, ValueError, AttributeError):
        return LONGEST_NAME


def _stat(path: Path) -> os.stat_result | None:
    try:
        return path.lstat()
    except FileNotFoundError:
        return None


def _umask() -> int:
    """The permissions that new files are not to have; it can only be read by setting it."""
    mask = os.umask(0o077)
    os.umask(mask)
    return mask


def _settle(folder: Path) -> None:
    """Have the disk know of the new name, where a folder can be told so."""
    with suppress(OSError):
        known = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(known)
        finally:
            os.close(known)
