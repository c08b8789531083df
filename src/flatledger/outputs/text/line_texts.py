"""Rows as lines of text, the cells as they are: what needs quotes is seen afterwards."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from ...layout.model.output_options import Output
from ...run.protocols import Row
from ..cells.rendering import Rendered
from ..cells.row_code import line_maker


class BreaksFileError(Exception):
    """A cell that would break the file, since it holds what parts cells or rows and can't be
    quoted: ``place`` is that of its row."""

    def __init__(self, place: int, cell: str) -> None:
        super().__init__(cell)
        self.place, self.cell = place, cell


class LineTexts:
    """Makes the lines of rows in a dialect.

    As long as no cell is blank one format does for a row; then each cell is looked at. A cell that
    holds a letter of the delimiter or of the line's end, a quote, an escape or a line break stands
    within quotes, a quote within being doubled (RFC 4180) or escaped.

    >>> lines = LineTexts(Output(delimiter=";", line_terminator="\\n"))
    >>> lines.of([(1, "oil")]), lines.of([(2, None), (3, 'a;"b" c')])
    (['1;oil\\n'], ['2;\\n', '3;"a;""b"" c"\\n'])
    >>> LineTexts(Output(delimiter="||", quote="texts", escape_char="!")).of([(1, 'a "b"|!')])
    ['1||"a !"b!"|!!"\\r\\n']
    """

    def __init__(self, output: Output) -> None:
        self._delimiter = output.delimiter or ","
        self._quote, self._escape = output.quote_char, output.escape_char
        self._end = output.line_terminator
        self._mode = output.quote
        special = [*self._delimiter, *self._end, "\r", "\n", self._quote, self._escape]
        self._marks = list(dict.fromkeys(mark for mark in special if mark))
        self._search = re.compile("|".join(map(re.escape, self._marks))).search
        self._escaped = re.compile("|".join(map(re.escape, filter(None, self._inside()))))
        self._blanks = False

    def _inside(self) -> Sequence[str | None]:
        """What is escaped, or doubled, within quotes; everything special where there are none."""
        return (self._quote, self._escape) if self._quote else self._marks

    def of(self, rows: list[Row]) -> list[str]:
        """The line of each row; all have as many cells as the first. Raises BreaksFileError."""
        if self._mode == "needed" and self._quote and len(rows[0]) > 1:
            lines = self._plain(rows)
            if self.are_bare("".join(lines), len(rows[0]), len(lines)):
                return lines
        columns = [self._cells(cells) for cells in zip(*rows, strict=True)]
        if len(columns) == 1:
            columns = [[text or self._blank(at) for at, text in enumerate(columns[0])]]
        line = self._line(len(columns))
        return [line % cells for cells in zip(*columns, strict=True)]

    def _line(self, width: int) -> str:
        """The form of a line, for the `%` operator."""
        return self._delimiter.replace("%", "%%").join(["%s"] * width) + self._end.replace(
            "%", "%%"
        )

    def _plain(self, rows: list[Row]) -> list[str]:
        line = self._line(len(rows[0]))
        if not self._blanks:
            lines = [line % row for row in rows]
            self._blanks = "None" in "".join(lines)
            if not self._blanks:
                return lines
        return line_maker(len(rows[0]))(line, rows)

    def are_bare(self, text: str, width: int, lines: int, quoted: str = "") -> bool:
        """Whether no cell needs a quote but those that are ``quoted`` in the text of some lines:
        were anything special in another one, there would be more of it than the rows themselves
        account for."""
        plain = self._delimiter * (width - 1) + self._end
        return all(
            text.count(mark) == plain.count(mark) * lines + quoted.count(mark)
            for mark in self._marks
        )

    def has_special(self, cells: Sequence[Any]) -> bool:
        """Whether something special stands in one of the cells of a column."""
        whole = "".join([one if one.__class__ is str else str(one) for one in cells])
        return self._search(whole) is not None

    def quoted_if_needed(self, text: str) -> str:
        """A cell within quotes, if it has to be."""
        return self._within_quotes(text) if self._search(text) else text

    def _blank(self, place: int) -> str:
        """A lone blank cell, which a reader would take for a blank line."""
        if not self._quote:
            raise BreaksFileError(place, "")
        return self._quote * 2

    def _cells(self, cells: Sequence[Any]) -> list[str]:
        """The cells of a column as they are written."""
        texts = ["" if one is None else one if one.__class__ is str else str(one) for one in cells]
        if not self._quote:
            return self._without_quotes(texts)
        if self._mode == "all":
            return list(map(self._within_quotes, texts))
        wanted = self._search
        if self._mode == "texts":
            pairs = zip(cells, texts, strict=True)
            return [
                self._within_quotes(text) if _is_text(cell) or wanted(text) else text
                for cell, text in pairs
            ]
        whole = "".join(texts)
        met = [mark for mark in self._marks if mark in whole]
        if not met:
            return texts
        if len(met) == 1 and met[0] not in (self._quote, self._escape):
            (mark,), quote = met, self._quote
            return [f"{quote}{text}{quote}" if mark in text else text for text in texts]
        wanted = re.compile("|".join(map(re.escape, met))).search
        return [self._within_quotes(text) if wanted(text) else text for text in texts]

    def _within_quotes(self, text: str) -> str:
        return f"{self._quote}{self._escaped.sub(self._safely, text)}{self._quote}"

    def _safely(self, found: re.Match[str]) -> str:
        return (self._escape or found[0]) + found[0]

    def _without_quotes(self, texts: list[str]) -> list[str]:
        for place, text in enumerate(texts):
            if self._search(text) and not self._escape:
                raise BreaksFileError(place, text)
        return [self._escaped.sub(self._safely, text) for text in texts] if self._escape else texts


def _is_text(cell: Any) -> bool:
    """Whether a cell is a text, and no value that is written as one."""
    return isinstance(cell, str) and cell.__class__ is not Rendered
