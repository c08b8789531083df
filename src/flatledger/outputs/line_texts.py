"""Rows as lines of text, the cells as they are: what needs quotes is seen afterwards."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any

from ..run.protocols import Row
from .row_code import line_maker


class LineTexts:
    """Makes the lines of rows.

    As long as no cell is blank one format does for a row; then each cell is looked at.

    >>> lines = LineTexts(";", "\\n")
    >>> lines.of([(1, "oil")]), lines.of([(2, None), (3, "None")])
    (['1;oil\\n'], ['2;\\n', '3;None\\n'])
    """

    def __init__(self, delimiter: str, line_end: str) -> None:
        self._delimiter = delimiter.replace("%", "%%")
        self._line_end = line_end
        self._blanks = False

    def of(self, rows: list[Row]) -> list[str]:
        """The line of each row; all have as many cells as the first."""
        width = len(rows[0])
        line = self._delimiter.join(["%s"] * width) + self._line_end
        if not self._blanks:
            lines = [line % row for row in rows]
            self._blanks = "None" in "".join(lines)
            if not self._blanks:
                return lines
        return line_maker(width)(line, rows)

    def quoted(self, rows: list[Row], quote: str) -> list[str]:
        """The same, each cell that holds a delimiter, a quote or a line break within quotes.

        A quote within is doubled (RFC 4180).

        >>> LineTexts(",", "!").quoted([("a 'b'", "1,2", None)], "'")
        ["'a ''b''','1,2',!"]
        """
        marks = (self._delimiter.replace("%%", "%"), quote, "\r", "\n")
        columns = [list(_quoted(cells, marks)) for cells in zip(*rows, strict=True)]
        line = self._delimiter.join(["%s"] * len(columns)) + self._line_end
        return [line % cells for cells in zip(*columns, strict=True)]


def _quoted(cells: Sequence[Any], marks: tuple[str, str, str, str]) -> Iterable[Any]:
    """The cells of a column as they are written."""
    texts = ["" if cell is None else cell if cell.__class__ is str else str(cell) for cell in cells]
    whole = "".join(texts)
    met = [mark for mark in marks if mark in whole]
    if not met:
        return texts
    quote, twice = marks[1], marks[1] * 2
    if len(met) == 1 and quote not in met:
        (mark,) = met
        return [f"{quote}{text}{quote}" if mark in text else text for text in texts]
    special = re.compile("|".join(map(re.escape, met))).search
    return [
        f"{quote}{text.replace(quote, twice)}{quote}" if special(text) else text for text in texts
    ]
