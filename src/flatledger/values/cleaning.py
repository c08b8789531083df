"""Cleaning texts of noise: blanks, line breaks, markup, forms of Unicode."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable
from html.parser import HTMLParser

_BLANKS = re.compile(r"[^\S\r\n]+")
_LINES = re.compile(r"\s*[\r\n]+\s*")


class _Texts(HTMLParser):
    """Gathers the texts of a piece of HTML; a tag that ends a block parts words."""

    BLOCKS = ("p", "div", "br", "li", "tr", "td", "th", "h1", "h2", "h3")

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.parts: list[str] = []

    def handle_data(self, data: str) -> None:
        self.parts.append(data)

    def handle_starttag(self, tag: str, attrs: object) -> None:
        if tag in self.BLOCKS:
            self.parts.append(" ")

    def handle_endtag(self, tag: str) -> None:
        if tag in self.BLOCKS:
            self.parts.append(" ")


def without_markup(text: str) -> str:
    """The texts of a piece of HTML.

    >>> without_markup("<p>Oil &amp; wick</p>").strip()
    'Oil & wick'
    """
    if "<" not in text and "&" not in text:
        return text
    parser = _Texts()
    parser.feed(text)
    parser.close()
    return "".join(parser.parts)


STEPS: dict[str, Callable[[str], str]] = {
    "strip-markup": without_markup,
    "nfc": lambda text: unicodedata.normalize("NFC", text),
    "single-line": lambda text: _LINES.sub(" ", text),
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
