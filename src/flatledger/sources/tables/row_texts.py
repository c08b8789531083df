"""Rows of delimited text, some at a time: by the standard library where the text is as RFC 4180
has it, and with care where it is not.

A quote that opens and does not end as it should is not let swallow the rows after it: the line on
which it opens is told, and the next line is read for itself.
"""

from __future__ import annotations

import csv
import io
from bisect import bisect_left
from collections.abc import Callable, Iterator, Sequence
from itertools import chain
from typing import Any, NamedTuple

from ...bounds import MOST_QUOTED_LINES, MOST_SOURCE_COLUMNS
from ...errors import SourceError
from ..files.text_encodings import pieces
from .dialects import Dialect

NEVER_ENDS = "a quote opens here that does not end before the next delimiter or line break"
TOO_MUCH = "text stands between a closing quote and the next delimiter"
_STAND_INS = "\ue000\ue001\ue002\ue003\uf8f0\uf8f1\uf8f2\uf8f3\x1c\x1d\x02\x03"
_LONG_ROW = 1 << 20  # characters that are no row yet, after which its cells are counted
csv.field_size_limit((1 << 31) - 1)  # how large a record may be is bounded here


class WrongRow(NamedTuple):
    """A line that could not be read as a row: before which of the rows it stands, its number, its
    text, and why."""

    before: int
    line: int
    text: str
    reason: str


class RowBlock(NamedTuple):
    """Some rows, none of them blank; what could not be read, and what is odd and kept all the same
    (``odd``, by the place of the row); and a function from the place of a row to the number of its
    line, or of its row in a sheet (``unit``). ``even``: all are known to have as many cells as they
    should."""

    rows: list[Any]
    number: Callable[[int], int]
    wrong: Sequence[WrongRow] = ()
    odd: Sequence[tuple[int, str]] = ()
    even: bool = False
    unit: str = "line"

    def where(self, place: int) -> str:
        """Where a row is, in words."""
        return f"{self.unit} {self.number(place):,}"

    def numbers(self, places: Sequence[int] | None = None) -> list[int]:
        """The numbers of the rows at some places, or of all."""
        return [self.number(at) for at in (range(len(self.rows)) if places is None else places)]

    def keeping(self, places: Sequence[int], odd: Sequence[tuple[int, str]]) -> RowBlock:
        """The same with the rows at some places alone; some of all are ``odd``."""
        number, now = self.number, {place: at for at, place in enumerate(places)}
        wrong = [one._replace(before=bisect_left(places, one.before)) for one in self.wrong]
        told = [(now[place], reason) for place, reason in odd if place in now]
        rows = [self.rows[place] for place in places]
        return RowBlock(rows, lambda at: number(places[at]), wrong, told, self.even, self.unit)

    def without(self, first: int) -> RowBlock:
        """The same without its first rows."""
        number = self.number
        wrong = [one._replace(before=max(one.before - first, 0)) for one in self.wrong]
        odd = [(place - first, reason) for place, reason in self.odd if place >= first]
        rows = self.rows[first:]
        return RowBlock(rows, lambda place: number(place + first), wrong, odd, unit=self.unit)


class RowTexts:
    """Cuts a text into rows. ``width`` is how many cells a row has, once that is known."""

    def __init__(self, dialect: Dialect, largest: int, line: int = 1) -> None:
        """``line`` is the number of the first line."""
        self.width = 0
        self._dialect = dialect
        self._largest = largest
        self._line = line  # the number of the next

    def blocks(self, texts: Iterator[str]) -> Iterator[RowBlock]:
        """The rows of a text that comes in pieces.

        Where a quote does not end, what follows its line is gone through again.
        """
        held, wanted, final = "", 0, False
        while not final or held:
            text = next(texts, None)
            final = text is None
            held += text or ""
            if len(held) < wanted and not final:
                continue
            if len(held) > _LONG_ROW:
                self._check_cells(held)
            endless = self._is_endless(held)
            never = final or endless
            cut = self._first_line(held) if endless else len(held) if final else self._cut(held)
            block, rest = self._block(held[:cut], never)
            if block is not None:
                yield block
            if never:
                rest += held[cut:]
                texts = chain(pieces(rest), texts)
                held, wanted, final = "", 0, final and not rest
            else:
                held = rest + held[cut:]
                wanted = 2 * len(held)

    def _is_endless(self, text: str) -> bool:
        """Whether a quote that has not ended by now never does."""
        lines = text.count("\n") if len(text) > _LONG_ROW else 0
        return len(text) > self._largest or lines > MOST_QUOTED_LINES

    def _first_line(self, text: str) -> int:
        """Where the first line of a text ends, at which a quote opens that does not end."""
        mark = self._dialect.line_terminator or "\n"
        found = text.find(mark)
        return found + len(mark) if found >= 0 else len(text)

    def _check_cells(self, text: str) -> None:
        """Raise SourceError where a line has more cells than a table may have columns."""
        end = text.find("\n")
        cells = text.count(self._dialect.delimiter, 0, end if end >= 0 else len(text)) + 1
        if cells > MOST_SOURCE_COLUMNS:
            raise SourceError(
                f"line {self._line:,} has {cells:,} cells or more, and {MOST_SOURCE_COLUMNS:,} are "
                "the most; is it delimited text, with this delimiter?"
            )

    def _cut(self, text: str) -> int:
        """Where the last line ends that a row may end with: not within an odd quote, as a rule."""
        dialect = self._dialect
        mark, end = dialect.line_terminator or "\n", len(text)
        if dialect.quote_char and text.count(dialect.quote_char) % 2:
            end = text.rfind(dialect.quote_char)
        for before in (end, len(text)):
            found = text.rfind(mark, 0, before)
            if found >= 0:
                return found + len(mark)
            if not dialect.line_terminator and (found := text.rfind("\r", 0, before - 1)) >= 0:
                return found + 1
        return 0

    def _block(self, text: str, final: bool) -> tuple[RowBlock | None, str]:
        """The rows of a text that ends with a line, and what of it belongs to the next text."""
        if not text:
            return None, ""
        standing = _StandIns(self._dialect, text)
        lines = standing.text
        block = None if self._dialect.comment_prefix else self._at_once(lines, standing)
        if block is not None:
            return block if block.rows else None, ""
        return self._carefully(list(io.StringIO(lines, newline="")), standing, final)

    def _at_once(self, lines: str, standing: _StandIns) -> RowBlock | None:
        """The rows of some lines; None where one is no row by RFC 4180, or where one of several
        lines has another number of cells than it should."""
        reader = self._reader(io.StringIO(lines, newline=""), standing)
        try:
            rows = list(reader)
        except csv.Error:
            return None
        widths = {*map(len, rows)}
        if self.width and not widths <= {0, self.width} and len(rows) < reader.line_num:
            return None
        start = self._line
        self._line += reader.line_num
        if 0 in widths:
            rows = [row for row in rows if row]
        standing.put_back(rows)
        where = _Lines(lambda: self._starts(lines, standing, start))
        return RowBlock(rows, where, even=widths <= {0, self.width})

    def _reader(self, lines: Any, standing: _StandIns, strict: bool = True) -> Any:
        return csv.reader(lines, **self._dialect.as_told(standing.delimiter, strict=strict))

    def _starts(self, lines: str, standing: _StandIns, start: int) -> list[int]:
        """The number of the line that each row begins on."""
        reader = self._reader(io.StringIO(lines, newline=""), standing)
        starts, line = [], 0
        for row in reader:
            if row:
                starts.append(start + line)
            line = reader.line_num
        return starts

    def _carefully(
        self, lines: list[str], standing: _StandIns, final: bool
    ) -> tuple[RowBlock | None, str]:
        """The rows of some lines one by one, and what of them belongs to the next text."""

        def reader(lines: Iterator[str], strict: bool) -> Any:
            return self._reader(lines, standing, strict)

        found = RowByRow(reader, self.width, self._dialect.comment_prefix)
        end = found.read(lines, final)
        first, self._line = self._line, self._line + end
        standing.put_back(found.rows)
        wrong = [
            WrongRow(before, first + at, standing.original(lines[at]).rstrip("\r\n"), NEVER_ENDS)
            for before, at in found.wrong
        ]
        where = _Lines(lambda: [first + at for at in found.starts])
        block = RowBlock(found.rows, where, wrong, [(place, TOO_MUCH) for place in found.odd])
        rest = standing.original("".join(lines[end:]))
        return block if found.rows or wrong else None, rest


class _Lines:
    """Where rows are, found out when it is first asked for."""

    def __init__(self, find: Callable[[], list[int]]) -> None:
        self._find = find
        self._starts: list[int] | None = None

    def __call__(self, place: int) -> int:
        if self._starts is None:
            self._starts = self._find()
        return self._starts[place]


class _StandIns:
    """What the standard library can't be told (delimiters of several characters, other line ends)
    is put as single characters that the text does not hold, and put back in the cells."""

    def __init__(self, dialect: Dialect, text: str) -> None:
        self.delimiter = dialect.delimiter
        self._pairs: list[tuple[str, str]] = []
        self.text = text
        if len(dialect.delimiter) == 1 and not dialect.line_terminator:
            return
        free = (one for one in _STAND_INS if one not in text and one != dialect.quote_char)
        if dialect.line_terminator:
            end = next(free)
            self.text = text.replace(dialect.line_terminator, end)
            for mark in ("\n", "\r"):
                if mark in self.text:
                    self._put(mark, next(free))
            self.text = self.text.replace(end, "\n")
            self._pairs.append((dialect.line_terminator, "\n"))
        if len(dialect.delimiter) > 1:
            self.delimiter = next(free)
            self._put(dialect.delimiter, self.delimiter)

    def _put(self, mark: str, stands: str) -> None:
        self.text = self.text.replace(mark, stands)
        self._pairs.append((mark, stands))

    def original(self, text: str) -> str:
        """A part of the text as it was."""
        for mark, stands in reversed(self._pairs):
            text = text.replace(stands, mark)
        return text

    def put_back(self, rows: list[list[str]]) -> None:
        """Put the marks back into the cells of rows."""
        if not self._pairs:
            return
        for row in rows:
            for place, cell in enumerate(row):
                row[place] = self.original(cell)


# ---- rows of delimited text one by one, where it is not all as RFC 4180 has it


class RowByRow:
    """Takes rows out of lines. ``reader`` makes a reader of lines, a strict one or one that takes
    what it finds; ``width`` is how many cells a row should have, or 0.

    ``starts`` are the places of the lines that the rows begin on. ``wrong`` are lines on which a
    quote opens that does not end: each with how many rows stand before it, and its place. ``odd``
    are rows (by their places) with text after a closing quote.
    """

    def __init__(
        self, reader: Callable[[Iterator[str], bool], Any], width: int, comment_prefix: str
    ) -> None:
        self.rows: list[list[str]] = []
        self.starts: list[int] = []
        self.wrong: list[tuple[int, int]] = []
        self.odd: list[int] = []
        self._reader, self._width, self._comment = reader, width, comment_prefix

    def read(self, lines: list[str], final: bool) -> int:
        """Read some lines, as far as is certain; the place of the first that is not read.

        Where they are not the ``final`` ones, a quote may end in those that follow. One that never
        ends is told, and what follows its line is to be read for itself.
        """
        source = _From(lines)
        rows = self._reader(source, True)
        while source.at < len(lines):
            at = source.at
            if self._comment and lines[at].startswith(self._comment):
                source.at += 1
                continue
            row = self._next(rows, source)
            if row is None and source.ran_out and not final:
                return at
            if row is None:
                several, endless = source.at - at > 1 or source.ran_out, source.ran_out
                source.at, source.ran_out = at + 1, False
                rows = self._reader(source, True)
                if several:
                    self.wrong.append((len(self.rows), at))
                    if endless:
                        return at + 1
                    continue
                row = next(self._reader(iter([lines[at]]), False))
                self.odd.append(len(self.rows))
            if row:
                self.rows.append(row)
                self.starts.append(at)
        return len(lines)

    def _next(self, rows: Any, source: _From) -> list[str] | None:
        """The next row; None where it is none, or where it goes over several lines and has another
        number of cells than it should."""
        at = source.at
        try:
            row: list[str] = next(rows)
        except csv.Error:
            return None
        fits = source.at - at == 1 or not self._width or len(row) in (0, self._width)
        return row if fits else None


class _From(Iterator[str]):
    """Lines from a place on. ``ran_out``: more were asked for than there are."""

    def __init__(self, lines: list[str]) -> None:
        self._lines = lines
        self.at = 0
        self.ran_out = False

    def __next__(self) -> str:
        if self.at == len(self._lines):
            self.ran_out = True
            raise StopIteration
        self.at += 1
        return self._lines[self.at - 1]
