"""What places are called, and the names beside them."""

from __future__ import annotations

import os
from collections.abc import Iterator
from itertools import count
from os import PathLike, fspath
from pathlib import Path
from typing import BinaryIO

from .streams import stream_number

Destination = str | PathLike[str] | BinaryIO
LONGEST_NAME = 255  # bytes, where the file system does not tell


def name_of(to: Destination) -> str:
    """What a place is called."""
    if not isinstance(to, str | PathLike):
        return str(getattr(to, "name", "open file"))
    return "standard output" if fspath(to) == "-" else fspath(to)


def is_file(to: str | PathLike[str]) -> bool:
    """Whether a path is that of a file, or would be: no stream, device or pipe."""
    path = Path(to)
    if fspath(to) == "-" or stream_number(path) is not None:
        return False
    try:
        return not path.exists() or path.is_file()
    except OSError:  # a name that is too long is told of where it is opened
        return True


def aside(place: Path, word: str) -> Path:
    """The name beside a place that has a word before the suffix.

    >>> aside(Path("table.csv"), "unbalanced").name
    'table.unbalanced.csv'
    """
    return _with_ending(place, f".{word}")


def further_names(place: Path, word: str) -> Iterator[Path]:
    """The names beside a place that have a word before the suffix, numbered from the second on.

    >>> from itertools import islice
    >>> [name.name for name in islice(further_names(Path("table.csv"), ".former"), 2)]
    ['table.former.csv', 'table.former-2.csv']
    """
    for number in count(1):
        yield _with_ending(place, f"{word}-{number}" if number > 1 else word)


def _with_ending(place: Path, ending: str) -> Path:
    """A name with more at the end of its stem, which is cut where the name would be too long."""
    stem = place.stem
    while ending and len(os.fsencode(f"{stem}{ending}{place.suffix}")) > LONGEST_NAME:
        stem = stem[:-1]
    return place.with_name(f"{stem}{ending}{place.suffix}")
