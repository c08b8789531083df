"""Delimited text: RFC 4180, with the dialect that CSVW describes."""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Sequence
from typing import Any, Literal

from ..errors import OutputError
from ..layout.column import Column
from ..layout.model import LayoutParts, Output, SettledLayout
from ..plan.plan import ColumnPlan
from ..run.protocols import Row
from ..values.numbers import PlainDecimal
from .files import Target
from .formula_guard import FormulaGuard
from .line_texts import LineTexts
from .long_cells import LONGEST, LongCells
from .rendering import Rendering

_LONG = 2_048  # bits


def _decimal_if_long(cell: Any) -> Any:
    """A long integer as a decimal, whose text has no bound."""
    return PlainDecimal(cell) if cell.__class__ is int and abs(cell) >> _LONG else cell


def check_table(layout: LayoutParts, name: str) -> None:
    """Every table can be written so."""


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan]
) -> DelimitedWriter:
    """A writer for a target, the header written."""
    rendering = Rendering(columns, layout.locale)
    writer = DelimitedWriter(layout.output, target, layout.written, rendering)
    writer.header(layout.header_rows)
    return writer


class DelimitedWriter:
    """Writes rows of ``columns`` as delimited text. What would break the file is quoted, or
    refused; texts that look like formulas are guarded."""

    def __init__(
        self,
        output: Output,
        target: Target,
        columns: Sequence[Column] = (),
        rendering: Rendering | None = None,
    ) -> None:
        self.rows = 0
        self._rendering = rendering or Rendering()
        self.bytes = 0
        self._output = output
        self._delimiter = output.delimiter or ","
        self._lines = LineTexts(self._delimiter, output.line_terminator)
        self._target = target
        self._encoder = codecs.getincrementalencoder(output.encoding)()
        self._guard = FormulaGuard(columns, self._delimiter) if output.formula_guard else None
        self._in_header = False
        self._long = LongCells(columns)

    def header(self, rows: Sequence[Sequence[str]]) -> None:
        """Write the header rows."""
        self._in_header = True
        self._write([tuple(row) for row in rows])
        self._in_header = False

    def write(self, rows: list[Row]) -> None:
        """Write some rows."""
        self._write(self._rendering.rows(rows))
        self.rows += len(rows)

    def __enter__(self) -> DelimitedWriter:
        return self

    def __exit__(self, *error: object) -> None:
        """All is written already."""

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        return [*self._long.notes(), *self._guard_notes()]

    def _guard_notes(self) -> list[str]:
        if self._guard is None or not self._guard.count:
            return []
        count = self._guard.count
        return [
            f"{count:,} {'text' if count == 1 else 'texts'} that a spreadsheet would take for a "
            f"formula begin with an apostrophe; the first is {self._guard.first} "
            "(`output: {formula-guard: no}` leaves them as they are)"
        ]

    def _write(self, rows: list[Row]) -> None:
        if not rows:
            return
        try:
            text = self._text(rows)
        except ValueError:  # Python writes no integer of more than some thousand digits
            rows = [tuple(map(_decimal_if_long, row)) for row in rows]
            text = self._text(rows)
        if "True" in text or "False" in text:  # perhaps a truth value, perhaps a name
            rows = self._rendering.careful(rows)
            text = self._text(rows)
        if self._guard is not None and self._guard.may_matter(text, len(rows)):
            text = self._text(self._guard.guarded(rows, self._number(0)))
        try:
            data = self._encoder.encode(text)
        except UnicodeEncodeError as error:
            raise self._inexpressible(rows, error) from None
        self._target.write(data)
        self.bytes += len(data)

    def _number(self, place: int) -> int:
        """The number of a row among those that are written now; 0 stands for the headings."""
        return 0 if self._in_header else self.rows + 1 + place

    def _where(self, place: int) -> str:
        return "the headings hold" if self._in_header else f"row {self._number(place):,} holds"

    def _inexpressible(self, rows: list[Row], error: UnicodeEncodeError) -> OutputError:
        """Which row holds a letter that the encoding has not."""
        letter = error.object[error.start]
        place = next(n for n, row in enumerate(rows) if any(letter in str(cell) for cell in row))
        return OutputError(
            f"{self._where(place)} {letter!r} (U+{ord(letter):04X}), which "
            f"{self._output.encoding} can't express; choose another `encoding`, such as utf-8"
        )

    def _text(self, rows: list[Row]) -> str:
        """The text of rows: made at once where each row is a line of cells, some in quotes."""
        output = self._output
        if output.quote_all or output.quote_char is None or not rows or len(rows[0]) < 2:
            return self._written(rows)
        lines = self._lines.of(rows)
        text = "".join(lines)
        if not self._is_bare(text, len(rows), len(rows[0])):
            if output.line_terminator == "\n" and "\r" in text:
                return self._written(rows)
            lines = self._lines.quoted(rows, output.quote_char)
            text = "".join(lines)
        if max(map(len, lines)) > LONGEST:
            self._long.look_at(rows, self._number(0))
        return text

    def _is_bare(self, text: str, rows: int, width: int) -> bool:
        """Whether no cell needs a quote: were a delimiter, a quote or a line break in one, there
        would be more of them than the rows themselves account for."""
        output = self._output
        plain = self._delimiter * (width - 1) + output.line_terminator
        marks = {self._delimiter, output.quote_char or "", "\r", "\n"}
        return all(text.count(mark) == plain.count(mark) * rows for mark in marks)

    def _written(self, rows: list[Row]) -> str:
        """The same by the standard library, for every dialect."""
        buffer = io.StringIO()
        try:
            self._writer(buffer, quote_all=self._output.quote_all).writerows(rows)
        except csv.Error:
            raise self._breaking(rows) from None
        text = buffer.getvalue()
        if len(text) > LONGEST:
            self._long.look_at(rows, self._number(0))
        if self._output.line_terminator == "\n" and "\r" in text:
            return self._guarded(rows)
        return text

    def _guarded(self, rows: list[Row]) -> str:
        """A bare carriage return ends a row for many readers, so its row is quoted throughout."""
        if self._output.quote_char is None:
            raise self._breaking(rows)
        buffer = io.StringIO()
        plain = self._writer(buffer, quote_all=self._output.quote_all)
        quoted = self._writer(buffer, quote_all=True)
        for row in rows:
            breaks = any(isinstance(cell, str) and "\r" in cell for cell in row)
            (quoted if breaks else plain).writerow(row)
        return buffer.getvalue()

    def _writer(self, buffer: io.StringIO, quote_all: bool) -> Any:
        output = self._output
        quoting: Literal[0, 1, 3] = csv.QUOTE_ALL if quote_all else csv.QUOTE_MINIMAL
        if output.quote_char is None:
            quoting = csv.QUOTE_NONE
        return csv.writer(
            buffer,
            delimiter=self._delimiter,
            quotechar=output.quote_char,
            quoting=quoting,
            lineterminator=output.line_terminator,
        )

    def _breaking(self, rows: list[Row]) -> OutputError:
        """Without quotes, the first row that would break the file."""
        breaking = (self._delimiter, "\r", "\n")
        for place, row in enumerate(rows):
            for cell in row:
                if isinstance(cell, str) and any(mark in cell for mark in breaking):
                    return OutputError(
                        f"{self._where(place)} the delimiter or a line break ({cell[:60]!r}), and "
                        "`quote-char: none` leaves it bare; allow quotes or change the delimiter"
                    )
        return OutputError(
            "a row of one blank cell can't be written with `quote-char: none`; allow quotes"
        )
