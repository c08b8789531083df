"""What is known of workbook files, whoever reads or writes them."""

from __future__ import annotations

import zlib
from typing import IO
from zipfile import BadZipFile

from ..places.files import Target

_CHUNK = 1 << 20
WORKBOOK = ".xlsx"
DAMAGED = (  # what reading a damaged workbook raises
    *(ArithmeticError, AttributeError, BadZipFile, EOFError, LookupError, NotImplementedError),
    *(RuntimeError, StopIteration, SyntaxError, TypeError, ValueError, zlib.error),
)


def copy_to(target: Target, whole: IO[bytes]) -> int:
    """Copy a whole workbook to its target, so that one that fails leaves nothing half closed; its
    size. Raises OutputError."""
    whole.seek(0)
    size = 0
    while data := whole.read(_CHUNK):
        target.write(data)
        size += len(data)
    return size


def column_letters(place: int) -> str:
    """What a column is called in a sheet, by its place from 1.

    >>> column_letters(1), column_letters(28)
    ('A', 'AB')
    """
    letters = ""
    while place:
        place, letter = divmod(place - 1, 26)
        letters = chr(65 + letter) + letters
    return letters
