"""Files that are being written: beside their place, locked, and gone if they do not get there.

Where the file system has no locks, nobody can tell whether an unfinished file is still written to:
each run has one under a name that is its own, and clears no other.
"""

from __future__ import annotations

import atexit
import errno
import hashlib
import os
import secrets
import shutil
import signal
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from io import BufferedRandom, BufferedWriter
from pathlib import Path
from stat import S_IMODE
from typing import Protocol

from ...errors import OutputError
from .locks import LockedError, lock
from .names import LONGEST_NAME

SUFFIX = ".flatledger-unfinished"
_TRIES = 10
_GROUP = 0o070  # the permissions of a file's group


class Unfinished:
    """A file beside a place, which takes that place when it is whole.

    Nobody else can read it before that, unless the file that it replaces says so. What a run that
    was killed has left there is ``cleared``, or ``left`` where that can't be told. Raises
    OutputError where another run is writing to the place, and OSError.
    """

    def __init__(self, place: Path) -> None:
        self._place = place
        self._process = os.getpid()
        self.path = place.with_name(unfinished_name(place))
        self.cleared = False
        self.left: list[Path] = []
        self._names: list[Path] = []  # further names that it or its former was given
        with signals_waiting():
            self.file = self._made()
            self._made_as = os.fstat(self.file.fileno())
            TO_CLEAR.add(self)
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
                file = _new(self.path)
                if not self._lock(file):
                    return self._made_without_locks(file)
                if _is_at(self.path, os.fstat(file.fileno())):
                    return file
                file.close()  # another run has cleared it before it was locked
                continue
            with suppress(FileNotFoundError), self.path.open("rb+") as left:
                if not self._lock(left):
                    return self._made_without_locks()
                if _is_at(self.path, os.fstat(left.fileno())):
                    self.path.unlink()
                    self.cleared = True
        raise self._busy()

    def _made_without_locks(self, file: BufferedRandom | None = None) -> BufferedRandom:
        """A file under a name that no other run comes to; others are left, and told of."""
        start = f".{self._place.name}."
        names = (one for one in self._place.parent.iterdir() if one.name.endswith(SUFFIX))
        own = self._place.with_name(unfinished_name(self._place, f".{secrets.token_hex(8)}"))
        if file is not None:
            os.rename(self.path, own)
        self.left = sorted(one for one in names if one.name.startswith(start) and one != own)
        self.path = own
        return _new(own) if file is None else file

    def _lock(self, file: BufferedRandom) -> bool:
        try:
            return lock(file)
        except LockedError:
            file.close()
            raise self._busy() from None

    def _busy(self) -> OutputError:
        return OutputError(f"another run is writing to {self._place}; wait until it has ended")

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

    def give_name(self, file: Path, name: Path) -> bool:
        """Give a file, this one or its former, a further name, or a copy where it can have none.

        False where the name is taken. With `abandon` it is gone again. Raises OSError.
        """
        with signals_waiting():
            copy = _linked(file, name)
            if copy is not False:
                self._names.append(name)
        if isinstance(copy, BufferedWriter):
            with copy, file.open("rb") as old:
                shutil.copyfileobj(old, copy)
            shutil.copystat(file, name)
        return copy is not False

    def settle(self) -> str:
        """Have the disk hold all of it; a hash of what has been written. Raises OSError."""
        self.file.flush()
        os.fsync(self.file.fileno())
        if self._former is None:
            os.chmod(self.path, 0o666 & ~_umask())
        self.file.seek(0)
        return hashlib.file_digest(self.file, "blake2b").hexdigest()

    def take_place(self, place: Path | None) -> None:
        """Move it to a place; None where it has been given its name. Raises OSError."""
        if not _is_at(self.path, self._made_as):
            raise OSError(errno.ESTALE, "another program has moved or removed what was written")
        if os.name == "nt":  # where an open file can't be moved
            self.file.close()
        if place is None:
            self.path.unlink()
        else:
            os.replace(self.path, place)
        self._names.clear()
        TO_CLEAR.discard(self)
        self.file.close()
        _settle(self._place.parent)

    def abandon(self) -> None:
        """Clear it away, if it has not taken its place.

        A process that was forked off a run leaves the run's file alone.
        """
        if self in TO_CLEAR:
            if self._process == os.getpid():
                self._clear()
            TO_CLEAR.discard(self)
        with suppress(OSError):  # a full disk is told where something is written
            self.file.close()

    def _clear(self) -> None:
        with suppress(OSError):
            if _is_at(self.path, self._made_as):
                self.path.unlink()
        for name in self._names:
            with suppress(OSError):
                name.unlink()


def _new(path: Path) -> BufferedRandom:
    return os.fdopen(os.open(path, _NEW, 0o600), "w+b")


def _linked(file: Path, name: Path) -> BufferedWriter | bool:
    """Whether a file could be given a further name; where it can have none, a new file of it."""
    try:
        os.link(file, name)
    except FileExistsError:
        return False
    except OSError:  # not every file system has several names for one file
        try:
            return name.open("xb")
        except FileExistsError:
            return False
    return True


class _Clears(Protocol):
    def abandon(self) -> None: ...


TO_CLEAR: set[_Clears] = set()  # what is not to outlive this process
_NEW = os.O_RDWR | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0)


@contextmanager
def signals_waiting() -> Iterator[None]:
    """Meanwhile no signal stops the run: a file that has just been made is not known yet."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, signal.valid_signals())
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


PLACED: list[str] = []  # what took its place last, for whoever is stopped just then


@atexit.register
def clear_unfinished() -> list[str]:
    """Clear away whatever is unfinished when the process ends; what took its place last."""
    for one in list(TO_CLEAR):
        one.abandon()
    return PLACED


def unfinished_name(place: Path, own: str = "") -> str:
    """What the unfinished file of a place is called: always the same, however long its name, but
    for what makes it a run's ``own``.

    >>> unfinished_name(Path("table.csv")), unfinished_name(Path("table.csv"), ".c0ffee")
    ('.table.csv.flatledger-unfinished', '.table.csv.c0ffee.flatledger-unfinished')
    """
    name = f".{place.name}{own}{SUFFIX}"
    if len(os.fsencode(name)) <= _longest_name(place.parent):
        return name
    short = hashlib.blake2b(os.fsencode(place.name), digest_size=16).hexdigest()
    return f".{short}{own}{SUFFIX}"


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


def _is_at(path: Path, file: os.stat_result) -> bool:
    """Whether a file is the one that has a name."""
    found = _stat(path)
    return found is not None and os.path.samestat(found, file)


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
