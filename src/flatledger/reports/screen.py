"""The one way to a terminal: every text is shown as text, none is taken as markup or obeyed."""

from __future__ import annotations

import os
import sys
from collections.abc import Collection, Sequence
from typing import Any, Literal, TextIO

from rich.cells import cell_len, set_cell_size
from rich.console import Console
from rich.table import Table
from rich.text import Text

from ..values.visible import visible

Part = tuple[str, str]  # a text and its style
WIDEST = 160  # where the width is not that of a terminal
_USUAL = 80
_NARROWEST = 72  # a narrower terminal breaks the lines itself
_GAP = 2
Verdict = Literal["well", "look", "wrong"]
_VERDICTS: dict[Verdict, tuple[str, str, str]] = {  # a colour, a mark, and one in ASCII
    "well": ("green", "\u2713", "OK:"),
    "look": ("yellow", "!", "!"),
    "wrong": ("red", "\u2717", "WRONG:"),
}


class Grid:
    """A table without lines: its headings, those of the columns that stand to the right, rows."""

    def __init__(
        self, headings: Sequence[str], right: Collection[int] = (), gap: int = _GAP
    ) -> None:
        self._table = Table(
            box=None, pad_edge=False, padding=(0, gap, 0, 0), header_style="underline"
        )
        for place, heading in enumerate(headings):
            numeric = place in right  # and a number is never broken
            self._table.add_column(
                _text(heading),
                justify="right" if numeric else "left",
                overflow="fold",
                no_wrap=numeric,
            )

    def add(self, *cells: str, style: str = "") -> None:
        """Add a row of texts; the first has the style."""
        first = [_text(cell, style) for cell in cells[:1]]
        self._table.add_row(*first, *map(_text, cells[1:]))

    @property
    def table(self) -> Table:
        """What a console prints."""
        return self._table


class _Console(Console):
    """A console that leaves it to the command what a closed pipe means."""

    def on_broken_pipe(self) -> None:
        raise BrokenPipeError


class Screen:
    """A stream that shows lines and grids; None is one that is closed, and shows nothing."""

    def __init__(self, stream: TextIO | None) -> None:
        self._console = None if stream is None else _Console(file=stream, width=_width(stream))

    @property
    def width(self) -> int:
        """How many letters stand side by side."""
        return WIDEST if self._console is None else self._console.width

    def line(self, text: str = "", style: str = "", whole: bool = False) -> None:
        """Show a line of text, which is broken where it is too long, unless it stays ``whole``."""
        self._print(_text(text, style), soft_wrap=whole)

    def parts(self, parts: Sequence[Part]) -> None:
        """Show a line of texts, each in a style of its own; it stays whole."""
        self._print(Text.assemble(*((visible(text), style) for text, style in parts)), True)

    def lines(self, texts: Collection[str]) -> None:
        """Show some lines."""
        for text in texts:
            self.line(text)

    def grid(self, grid: Grid) -> None:
        """Show a grid; what is no terminal gets no blanks at the ends of lines."""
        if self._console is None or self._console.is_terminal:
            self._print(grid.table)
            return
        with self._console.capture() as captured:
            self._print(grid.table)
        for line in captured.get().splitlines():
            self._print(Text(line.rstrip()), soft_wrap=True)

    def verdict(self, text: str, verdict: Verdict) -> None:
        """Show the line that a run ends with, with a mark and in a colour that say how it went."""
        style, mark, plain = _VERDICTS[verdict]
        encoding = getattr(self._console and self._console.file, "encoding", None) or "utf-8"
        try:
            mark.encode(encoding)
        except UnicodeEncodeError:
            mark = plain
        self.line(f"{mark} {text}", f"bold {style}", whole=True)

    def _print(self, what: Any, soft_wrap: bool = False) -> None:
        if self._console is not None:
            whole = soft_wrap or (isinstance(what, Text) and not self._console.is_terminal)
            self._console.print(what, markup=False, emoji=False, highlight=False, soft_wrap=whole)


def wide(text: str) -> int:
    """How much room a text takes: some letters take that of two.

    >>> wide("ok"), wide("\u6f22")
    (2, 2)
    """
    return cell_len(text)


def cut(text: str, longest: int) -> str:
    """A text that is cut where it takes more room than there is.

    >>> cut("a long text", 7)
    'a long…'
    """
    return text if wide(text) <= longest else set_cell_size(text, longest - 1).rstrip() + "…"


def results() -> Screen:
    """The screen for results: standard output."""
    return Screen(sys.stdout)


class _Reports(Screen):
    """Where nobody can be told that a report can't be shown, the run goes on without it."""

    def _print(self, what: Any, soft_wrap: bool = False) -> None:
        try:
            super()._print(what, soft_wrap)
        except OSError:
            self._console = None


def reports() -> Screen:
    """The screen for progress and reports: standard error."""
    return _Reports(sys.stderr)


def _text(text: str, style: str = "") -> Text:
    return Text(visible(text), style=style)


def _width(stream: TextIO) -> int:
    """The width of a stream that is a terminal; COLUMNS, if it is set, goes first."""
    if not stream.isatty():
        return WIDEST
    stated = os.environ.get("COLUMNS", "")
    try:
        width = int(stated) if stated.isdecimal() else os.get_terminal_size(stream.fileno()).columns
    except OSError:
        width = _USUAL
    return max(width, _NARROWEST)
