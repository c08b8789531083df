"""Cleaning texts of noise: blanks, line breaks, markup, forms of Unicode."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable

_BLANKS = re.compile(r"[^\S\r\n]+")
_ALL_BLANKS = re.compile(r"\s+")


def without_markup(text: str) -> str:
    """The texts of a piece of HTML.

    >>> without_markup("<p>Oil &amp; wick</p>").strip()
    'Oil & wick'
    """
    if "<" not in text and "&" not in text:
        return text
    from .markup import texts_of  # which takes long to import, and is rarely wanted

    return texts_of(text)


def on_one_line(text: str) -> str:
    """A text whose line breaks are a blank each, with the blanks around them.

    >>> on_one_line("two \\n\\n lines,  so")
    'two lines,  so'
    """
    return _ALL_BLANKS.sub(lambda found: " " if _breaks(found[0]) else found[0], text)


def _breaks(blanks: str) -> bool:
    return "\n" in blanks or "\r" in blanks


STEPS: dict[str, Callable[[str], str]] = {
    "strip-markup": without_markup,
    "nfc": lambda text: unicodedata.normalize("NFC", text),
    "single-line": on_one_line,
    "collapse": lambda text: _BLANKS.sub(" ", text),
    "trim": str.strip,
}


def cleaned(text: str | None, steps: tuple[str, ...]) -> str | None:
    """A text after some steps, always in the order of `STEPS`; null where nothing is left.

    >>> cleaned("  a\\n b ", ("trim", "single-line"))
    'a b'
    """
    if text is None:
        return None
    for name, step in STEPS.items():
        if name in steps:
            text = step(text)
    return text if text.strip() else None
