"""The texts within a piece of HTML."""

from __future__ import annotations

from html.parser import HTMLParser


class Texts(HTMLParser):
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


def texts_of(markup: str) -> str:
    """The texts of a piece of HTML, one after another.

    >>> texts_of("<b>Oil</b> &amp; wick")
    'Oil & wick'
    """
    parser = Texts()
    parser.feed(markup)
    parser.close()
    return "".join(parser.parts)
