"""Delimited text: RFC 4180, with the dialect that CSVW describes."""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Sequence
from typing import Any, Literal

from ..engine.protocols import Row
from ..errors import OutputError
from ..layout.model import Output
from .files import Target


def _blanked(row: Row) -> Row:
    return tuple(["" if cell is None else cell for cell in row])


class DelimitedWriter:
    """Writes rows as delimited text. What would break the file is quoted, or refused."""

    def __init__(self, output: Output, target: Target) -> None:
        self.rows = 0
        self.bytes = 0
        self._output = output
        self._delimiter = output.delimiter or ","
        self._target = target
        self._encoder = codecs.getincrementalencoder(output.encoding)()

    def header(self, rows: Sequence[Sequence[str]]) -> None:
        """Write the header rows."""
        for row in rows:
            self._write([tuple(row)])

    def write(self, rows: list[Row]) -> None:
        """Write some rows."""
        self._write(rows)
        self.rows += len(rows)

    def __enter__(self) -> DelimitedWriter:
        return self

    def __exit__(self, *error: object) -> None:
        """All is written already."""

    def notes(self) -> list[str]:
        return []

    def _write(self, rows: list[Row]) -> None:
        text = self._text(rows)
        try:
            data = self._encoder.encode(text)
        except UnicodeEncodeError as error:
            letter = error.object[error.start]
            row = text.count(self._output.line_terminator, 0, error.start) + self.rows + 1
            raise OutputError(
                f"row {row:,} holds {letter!r} (U+{ord(letter):04X}), which "
                f"{self._output.encoding} can't express; choose another `encoding`, such as utf-8"
            ) from None
        self._target.write(data)
        self.bytes += len(data)

    def _text(self, rows: list[Row]) -> str:
        return self._unquoted(rows) or self._quoted(rows)

    def _unquoted(self, rows: list[Row]) -> str | None:
        """The text of rows in which no cell needs a quote, made at once; None if one does.

        Were a delimiter, a quote or a line break in a cell, there would be more of them than the
        rows themselves account for.
        """
        output = self._output
        if output.quote_all or output.quote_char is None or not rows or len(rows[0]) < 2:
            return None
        line = self._delimiter.join(["%s"] * len(rows[0])) + output.line_terminator
        text = "".join([line % row for row in rows])
        if "None" in text:
            text = "".join([line % (_blanked(row) if None in row else row) for row in rows])
        for mark in {self._delimiter, output.quote_char, "\r", "\n"}:
            if text.count(mark) != line.count(mark) * len(rows):
                return None
        return text

    def _quoted(self, rows: list[Row]) -> str:
        buffer = io.StringIO()
        try:
            self._writer(buffer, quote_all=self._output.quote_all).writerows(rows)
        except csv.Error:
            raise self._breaking(rows) from None
        text = buffer.getvalue()
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
        for place, row in enumerate(rows, self.rows + 1):
            for cell in row:
                if isinstance(cell, str) and any(mark in cell for mark in breaking):
                    return OutputError(
                        f"row {place:,} holds the delimiter or a line break ({cell[:60]!r}), and "
                        "`quote-char: none` leaves it bare; allow quotes or change the delimiter"
                    )
        return OutputError(
            "a row of one blank cell can't be written with `quote-char: none`; allow quotes"
        )
