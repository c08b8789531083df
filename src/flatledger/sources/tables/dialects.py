"""The dialect of delimited text: as it is stated, and for the rest as its beginning shows it."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Sequence
from contextlib import suppress
from typing import Any, NamedTuple

DELIMITERS = (",", ";", "\t", "|", "~", "^", "\x1f", "||", "::", "~~", "|~|", "^|^", ":")
_ROWS = 100  # that are looked at
_COMMENT = "#"  # what lines above the headings may begin with
_QUOTED = re.compile(r"(?:^|[,;|\t])'(?:[^']|'')*'(?=[,;|\t]|$)")
_STANDS_IN = "\ue000"
NAMES = {
    ",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars", "~": "tildes",
    "^": "carets", "\x1f": "unit separators", ":": "colons", " ": "blanks",
}  # fmt: skip


class Dialect(NamedTuple):
    """How cells and rows are told apart (CSVW, dialect description).

    A blank ``line_terminator`` is any of CR LF, LF and CR; a blank ``escape_char`` means that a
    quote within quotes is doubled; without a ``quote_char`` nothing is quoted.
    """

    delimiter: str = ","
    quote_char: str | None = '"'
    escape_char: str = ""
    line_terminator: str = ""
    comment_prefix: str = ""

    def as_told(self, delimiter: str, *, strict: bool = False) -> dict[str, Any]:
        """The same as the standard library's reader is told it; its delimiters are single."""
        return {
            "delimiter": delimiter,
            "quotechar": self.quote_char,
            "quoting": csv.QUOTE_MINIMAL if self.quote_char else csv.QUOTE_NONE,
            "escapechar": self.escape_char or None,
            "doublequote": not self.escape_char,
            "strict": strict,
        }

    def named(self) -> str:
        """What to call text of this dialect.

        >>> Dialect(";").named(), Dialect("||").named()
        ('text with semicolons', 'text with `||`')
        """
        quoted = "" if self.quote_char in ('"', None) else f", quoted by {self.quote_char}"
        return f"text with {NAMES.get(self.delimiter, f'`{self.delimiter}`')}{quoted}"


def found_delimiter(text: str, dialect: Dialect) -> str:
    """What stands between the cells of a text, by its first rows; a comma where nothing does.

    It is what parts most rows into the same number of cells; of several, what makes the most cells.

    >>> [found_delimiter(text, Dialect()) for text in ('a;b\\n"x;y";2,5\\n', "a||b\\n1||2\\n")]
    [';', '||']
    """

    def score(mark: str) -> tuple[float, int]:
        rows = first_rows(text, dialect._replace(delimiter=mark))
        return _score([row.cells for row in rows])

    most, best = max(((score(one), one) for one in DELIMITERS), key=lambda pair: pair[0])
    return best if most > (0, 0) else ","


def found_quote(text: str) -> str:
    """What stands around cells: an apostrophe, where the first line and all others that are there
    have a cell within such, and no double quote is met; as a rule a double quote.

    >>> found_quote("'a','b'\\n'x, y',2\\n"), found_quote("a,b\\n'x',2\\n")
    ("'", '"')
    """
    lines = [line for line in text.splitlines()[:_ROWS] if line.strip()]
    apostrophes = len(lines) > 1 and '"' not in text and all(map(_QUOTED.search, lines))
    return "'" if apostrophes else '"'


def _score(rows: Sequence[Sequence[str]]) -> tuple[float, int]:
    """Which share of rows have as many cells as most have, and how many these are."""
    width, count = usual_width(rows)
    if width < 2:
        return (0, 0)
    part = count / len(rows)
    blanks = sum(not cell for row in rows for cell in row) / sum(map(len, rows))
    return (round(part - blanks / 2, 1), width)


def usual_width(rows: Sequence[Sequence[str]]) -> tuple[int, int]:
    """How many cells most rows have, and how many these rows are.

    >>> usual_width([["title"], ["a", "b"], ["1", "2"]])
    (2, 2)
    """
    widths = Counter(map(len, rows))
    return max(widths.items(), key=lambda pair: (pair[1], pair[0]), default=(0, 0))


class FirstRow(NamedTuple):
    """A row, and how many lines stand before it."""

    line: int
    cells: list[str]


def first_rows(text: str, dialect: Dialect) -> list[FirstRow]:
    """The first rows of a text that are not blank; what is odd ends them."""
    mark = dialect.delimiter
    if len(mark) > 1:
        text, mark = text.replace(mark, _STANDS_IN), _STANDS_IN
    if dialect.line_terminator:
        text = text.replace(dialect.line_terminator, "\n")
    rows = csv.reader(io.StringIO(text, newline=""), **dialect.as_told(mark))
    found: list[FirstRow] = []
    line = 0
    with suppress(csv.Error):
        for row in rows:
            comment = dialect.comment_prefix and row and row[0].startswith(dialect.comment_prefix)
            if row and not comment:
                found.append(FirstRow(line, row))
            line = rows.line_num
            if len(found) == _ROWS:
                break
    return found


def found_header(rows: Sequence[FirstRow]) -> int:
    """The line of the headings: what is above them is a title, a period, or a comment.

    Such a row has fewer cells than most rows have, and no more than half as many filled; or as many
    cells, of which one is filled.

    >>> found_header(first_rows("Requisitions\\n\\nNo,Part\\nR1,wick\\n", Dialect()))
    2
    """
    width, _ = usual_width([row.cells for row in rows])
    usual = sorted(sum(bool(cell.strip()) for cell in row.cells) for row in rows)
    wide = usual[len(usual) // 2] if usual else 0
    return next((line for line, cells in rows if not _is_above(cells, width, wide)), 0)


def _is_above(cells: Sequence[str], width: int, wide: int) -> bool:
    """Whether a row is above the headings, where most rows have ``wide`` cells that are filled."""
    filled = sum(bool(cell.strip()) for cell in cells)
    if len(cells) > width:
        return cells[0].startswith(_COMMENT)
    if len(cells) < width:
        return filled <= width / 2 or cells[0].startswith(_COMMENT)
    return filled == 0 or (filled == 1 and width > 2 and wide > 1)
