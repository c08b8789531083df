"""Delimited text: RFC 4180, with the dialect that CSVW describes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..errors import OutputError
from ..layout.column import Column
from ..layout.model import LayoutParts, SettledLayout
from ..layout.output_options import Output
from ..plan.plan import ColumnPlan
from ..run.balance import Balance
from ..run.protocols import Row
from ..values.numbers import PlainDecimal
from .encoding import Encoded
from .files import Target
from .formula_guard import FormulaGuard
from .line_texts import BreaksFileError, LineTexts
from .long_cells import LONGEST, LongCells
from .rendering import Rendering

_LONG = 2_048  # bits


def _decimal_if_long(cell: Any) -> Any:
    """A long integer as a decimal, whose text has no bound."""
    return PlainDecimal(cell) if cell.__class__ is int and abs(cell) >> _LONG else cell


def check_table(layout: LayoutParts, name: str) -> None:
    """Every table can be written so."""


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> DelimitedWriter:
    """A writer for a target, the header written."""
    rendering = Rendering(columns, layout.locale, layout.output)
    writer = DelimitedWriter(layout.output, target, layout.written, rendering)
    for line in layout.output.preamble:
        writer.header([(line,)])
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
        self._lines = LineTexts(output)
        self._target = target
        self._encoded = Encoded(output)
        self._guard = FormulaGuard(columns, output) if output.formula_guard else None
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

    def finish(self, balance: Balance) -> None:
        """There is no place for a balance in it."""

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        guard = self._guard.notes() if self._guard is not None else []
        rendering = self._rendering.notes()
        return [*self._long.notes(), *guard, *self._encoded.notes(), *rendering]

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
        data = self._encoded.encode(text, rows, self._where)
        self._target.write(data)
        self.bytes += len(data)

    def _number(self, place: int) -> int:
        """The number of a row among those that are written now; 0 stands for the headings."""
        return 0 if self._in_header else self.rows + 1 + place

    def _where(self, place: int) -> str:
        return "the headings hold" if self._in_header else f"row {self._number(place):,} holds"

    def _text(self, rows: list[Row]) -> str:
        try:
            lines = self._lines.of(rows)
        except BreaksFileError as error:
            raise self._breaking(error) from None
        if max(map(len, lines)) > LONGEST:
            self._long.look_at(rows, self._number(0))
        return "".join(lines)

    def _breaking(self, error: BreaksFileError) -> OutputError:
        """Without quotes, the first row that would break the file."""
        if not error.cell:
            return OutputError(
                "a row of one blank cell can't be written with `quote-char: none`; allow quotes"
            )
        return OutputError(
            f"{self._where(error.place)} the delimiter or a line break ({error.cell[:60]!r}), and "
            "`quote-char: none` leaves it bare; allow quotes, or an `escape-char`, or change the "
            "delimiter"
        )
