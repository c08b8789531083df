"""The names that a layout may use for characters, and finding the nearest known name."""

from __future__ import annotations

import difflib
from collections.abc import Iterable

CHARACTERS = {
    "comma": ",",
    "semicolon": ";",
    "tab": "\t",
    "pipe": "|",
    "tilde": "~",
    "space": " ",
    "colon": ":",
    "slash": "/",
    "caret": "^",
    "hash": "#",
    "backslash": "\\",
    "quote": '"',
    "apostrophe": "'",
    "line-feed": "\n",
    "unit-separator": "\x1f",
    "record-separator": "\x1e",
}
LINE_TERMINATORS = {"crlf": "\r\n", "lf": "\n"}


def nearest(name: str, known: Iterable[str]) -> str | None:
    """The known name that ``name`` was probably meant to be, or None.

    >>> nearest("statoin", ["status", "station"])
    'station'
    """
    by_folded = {candidate.casefold(): candidate for candidate in known}
    close = difflib.get_close_matches(name.casefold(), by_folded, n=1, cutoff=0.72)
    return by_folded[close[0]] if close else None


def proposal(name: str, known: Iterable[str]) -> str:
    """``; did you mean `…`?`` or nothing.

    >>> proposal("colums", ["columns", "only"])
    '; did you mean `columns`?'
    """
    near = nearest(name, known)
    return f"; did you mean `{near}`?" if near else ""
