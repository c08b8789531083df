"""What takes part in a run is not written over by it."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterable
from os import PathLike, fspath
from pathlib import Path
from stat import S_ISCHR, S_ISREG
from typing import Any

from ...errors import SamePlaceError
from .names import name_of
from .streams import stream_number

_OUT, _IN = 1, 0
_Identity = tuple[object, ...]


class Apart:
    """The files that a run reads, by what they are at its beginning; nothing writes over them.

    Inputs are paths (``-`` is the standard stream), open files, or None. A file is the same by
    whatever link it is reached.
    """

    def __init__(self, inputs: Iterable[Any] = ()) -> None:
        found = (_identity(one, _IN) for one in inputs)
        self._read = frozenset(one for one in found if one is not None and one[0] == "file")

    def check(self, outputs: Iterable[tuple[str, Any]]) -> None:
        """Raise SamePlaceError where one of the ``outputs`` is an input, or another of them.

        Beside an output is what it is for.
        """
        written = set[_Identity]()
        for purpose, place in outputs:
            found = _identity(place, _OUT)
            if found is None:
                continue
            if found in self._read or found in written:
                reason = (
                    "takes part in this run, and would be written over"
                    if found in self._read
                    else "is written by this run already"
                )
                message = f"{name_of(place)} {reason}; name another file for {purpose}"
                raise SamePlaceError(message, place)
            written.add(found)


def check_apart(inputs: Iterable[Any], outputs: Iterable[tuple[str, Any]]) -> None:
    """Raise SamePlaceError where one of the ``outputs`` is an input, or another of them."""
    Apart(inputs).check(outputs)


def _identity(place: Any, standard: int) -> _Identity | None:
    """What a place is the same by; None where it may serve for several."""
    if place is None:
        return None
    if not isinstance(place, str | PathLike):
        return _of_open_file(place)
    number = standard if fspath(place) == "-" else stream_number(Path(place))
    if number is not None:
        return _of_stream(number)
    try:
        found = os.stat(place)
    except (OSError, ValueError):
        return ("path", os.path.realpath(place)) if "\0" not in fspath(place) else None
    return _of_stat(found, fspath(place))


def _of_open_file(file: Any) -> _Identity | None:
    try:
        return _of_stat(os.fstat(file.fileno()), str(file.fileno()))
    except (OSError, AttributeError, ValueError):
        return ("object", id(file))


def _of_stream(number: int) -> _Identity | None:
    if (sys.stdin, sys.stdout, sys.stderr)[number : number + 1] == (None,):
        return None
    try:
        return _of_stat(os.fstat(number), str(number))
    except OSError:
        return None


def _of_stat(found: os.stat_result, name: str) -> _Identity | None:
    """Files and pipes by their inode; devices by name, but for the one that swallows all."""
    if S_ISCHR(found.st_mode):
        swallows = found.st_rdev == os.stat(os.devnull).st_rdev
        return None if swallows else ("device", name)
    return ("file" if S_ISREG(found.st_mode) else "pipe", found.st_dev, found.st_ino)
