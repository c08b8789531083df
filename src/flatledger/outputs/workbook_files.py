"""What is known of workbook files, whoever reads or writes them."""

from __future__ import annotations

import zlib
from zipfile import BadZipFile

WORKBOOK = ".xlsx"
DAMAGED = (  # what reading a damaged workbook raises
    *(ArithmeticError, AttributeError, BadZipFile, EOFError, LookupError, NotImplementedError),
    *(RuntimeError, StopIteration, SyntaxError, TypeError, ValueError, zlib.error),
)


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
