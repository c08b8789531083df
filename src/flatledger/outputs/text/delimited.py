"""Delimited text: RFC 4180, with the dialect that CSVW describes."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import islice
from typing import Any

from ...errors import OutputError
from ...layout.model.column import Column
from ...layout.model.model import LayoutParts, SettledLayout
from ...layout.model.output_options import Output
from ...plan.plan import Plan
from ...plan.row_type import ColumnPlan
from ...run.balance import Balance
from ...run.line_rows import JoinedLines, line_of
from ...run.protocols import Row, TextForm, TotalRow
from ...values.numbers import PlainDecimal
from ..cells.arranging import Arrangement
from ..cells.encoding import Encoded
from ..cells.formula_guard import FormulaGuard
from ..cells.long_cells import LONGEST, LongCells
from ..cells.rendering import Rendering
from ..places.files import Target
from .line_form import form_in
from .line_texts import BreaksFileError, LineTexts

_LONG = 2_048  # bits


def _decimal_if_long(cell: Any) -> Any:
    """A long integer as a decimal, whose text has no bound."""
    return PlainDecimal(cell) if cell.__class__ is int and abs(cell) >> _LONG else cell


def check_table(layout: LayoutParts, name: str) -> None:
    """Raise OutputError where it could not be told what the columns of a row are."""
    if layout.by_level and not layout.output.level_column:
        raise OutputError(
            f"{name}: each level has columns of its own, so that a row has to say which it is of: "
            "`level-column: yes` under `output` puts its level first"
        )


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> DelimitedWriter:
    """A writer for a target, the header written."""
    rendering = Rendering(columns, layout.locale, layout.output)
    arrangement = Arrangement(layout, named=True) if layout.by_level else None
    writer = DelimitedWriter(layout.output, target, layout.written, rendering, arrangement)
    for line in layout.output.preamble:
        writer.header([(line,)])
    rows = layout.header_rows
    if arrangement is not None:
        writer.headings = arrangement.headings(rows)
    writer.header(writer.headings or rows)
    return writer


def line_form(plan: Plan) -> TextForm | None:
    """How a plan's lines are made straight away; None where each cell has to be looked at."""
    return form_in(plan, plan.layout.output)


class DelimitedWriter:
    """Writes rows of ``columns`` as delimited text. What would break the file is quoted, or
    refused; texts that look like formulas are guarded."""

    def __init__(
        self,
        output: Output,
        target: Target,
        columns: Sequence[Column] = (),
        rendering: Rendering | None = None,
        arrangement: Arrangement | None = None,
    ) -> None:
        self.rows = 0
        self._arrangement = arrangement  # of columns by level
        self.headings: Sequence[Row] = ()  # which may stand above each family of rows
        self._given: Sequence[tuple[Row, bool]] = ()  # rows as they came, and whether headings
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
        if self._arrangement is not None:  # come before them; lines may be made more than once
            self._given = [(row, self._arrangement.headed(row)) for row in rows]
        self._write(self._rendering.rows(rows))
        self.rows += len(rows)

    def write_lines(self, rows: list[Any]) -> None:
        """Write rows that carry their lines, or their cells; total rows among them are cells."""
        if isinstance(rows, JoinedLines):
            self._encode(rows.text, rows)
            self.rows += len(rows)
            return
        lines: list[Any] = [row if isinstance(row, TotalRow) else line_of(row) for row in rows]
        if not {*map(type, lines)} <= {str}:
            places = [place for place, line in enumerate(lines) if line.__class__ is not str]
            cells = self._rendering.rows([lines[place] for place in places])
            made = self._lines_of(cells, [self.rows + 1 + place for place in places])
            for place, line in zip(places, made, strict=True):
                lines[place] = line
        self._encode("".join(lines), lines)
        self.rows += len(lines)

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
        if rows:
            numbers = range(self._number(0), self._number(0) + len(rows))
            self._encode("".join(self._lines_of(rows, numbers)), rows)

    def _lines_of(self, rows: list[Row], numbers: Sequence[int]) -> list[str]:
        """The lines of rows that are rendered, which have these numbers in the table."""
        try:
            lines = self._texts(rows, numbers)
        except ValueError:  # Python writes no integer of more than some thousand digits
            rows = [tuple(map(_decimal_if_long, row)) for row in rows]
            lines = self._texts(rows, numbers)
        text = "".join(lines)
        if "True" in text or "False" in text:  # perhaps a truth value, perhaps a name
            rows = self._rendering.careful(rows)
            lines = self._texts(rows, numbers)
            text = "".join(lines)
        if self._guard is not None and self._guard.may_matter(text, len(rows)):
            lines = self._texts(self._guard.guarded(rows, numbers), numbers)
        return lines

    def _encode(self, text: str, rows: Sequence[Any]) -> None:
        """Write the text of rows; these are cells, or lines."""
        data = self._encoded.encode(text, rows, self._where)
        self._target.write(data)
        self.bytes += len(data)

    def _number(self, place: int) -> int:
        """The number of a row among those that are written now; 0 stands for the headings."""
        return 0 if self._in_header else self.rows + 1 + place

    def _where(self, place: int) -> str:
        return self._called(self._number(place))

    def _called(self, number: int) -> str:
        return "the headings hold" if self._in_header else f"row {number:,} holds"

    def _texts(self, rows: list[Row], numbers: Sequence[int]) -> list[str]:
        try:
            lines = self._lines.of(rows) if not self._arranges else self._arranged(rows)
        except BreaksFileError as error:
            raise self._breaking(error, numbers[error.place]) from None
        if max(map(len, lines)) > LONGEST:
            self._long.look_at(rows, numbers)
        return lines

    @property
    def _arranges(self) -> bool:
        return self._arrangement is not None and not self._in_header

    def _arranged(self, rows: list[Row]) -> list[str]:
        """The lines of rows whose columns are those of their level; of a total row there may be
        several."""
        assert self._arrangement is not None
        pairs = zip(self._given, rows, strict=True)
        parts = [
            [*(self._headings() if headed else ()), *self._arrangement.rows(given, row)]
            for (given, headed), row in pairs
        ]
        lines = iter(self._lines.of([row for part in parts for row in part]))
        return ["".join(islice(lines, len(part))) for part in parts]

    def _headings(self) -> list[Row]:
        """The rows of headings, as they stand above a family again."""
        rows = list(self.headings)
        return rows if self._guard is None else self._guard.guarded(rows, [0] * len(rows))

    def _breaking(self, error: BreaksFileError, number: int) -> OutputError:
        """Without quotes, the first row that would break the file."""
        if not error.cell:
            return OutputError(
                "a row of one blank cell can't be written with `quote-char: none`; allow quotes"
            )
        return OutputError(
            f"{self._called(number)} the delimiter or a line break ({error.cell[:60]!r}), and "
            "`quote-char: none` leaves it bare; allow quotes, or an `escape-char`, or change the "
            "delimiter"
        )
