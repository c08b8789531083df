"""Text in columns of fixed widths: each cell filled up to its column's width."""

from __future__ import annotations

from collections.abc import Sequence

from ...errors import OutputError
from ...layout.model.column import Column
from ...layout.model.model import LayoutParts, SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.balance import Balance
from ...run.protocols import Row
from ...values.functions import text_of
from ..cells.encoding import Encoded
from ..cells.rendering import Rendering
from ..places.files import Target

_ALIGN = {"left": "<", "right": ">", "center": "^"}


def check_table(layout: LayoutParts, name: str) -> None:
    """Raise OutputError where a column has no width."""
    without = [column.heading for column in layout.written if column.width is None]
    if without:
        raise OutputError(
            f"{name}: text of fixed width needs a `width` for each column; these have none: "
            f"{', '.join(without)}"
        )


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> FixedWidthWriter:
    """A writer for a target, the header written."""
    writer = FixedWidthWriter(layout, target, columns)
    writer.lines([f"{line}" for line in layout.output.preamble])
    for row in layout.header_rows:
        writer.headings(row)
    return writer


class FixedWidthWriter:
    """Writes rows in columns of fixed widths (a Writer). Numbers stand to the right."""

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan]
    ) -> None:
        self.rows = self.bytes = 0
        self._output, self._target = layout.output, target
        self._columns = [one.column for one in columns]
        self._rendering = Rendering(columns, layout.locale, layout.output)
        self._encoded = Encoded(layout.output)
        self._forms = [_form(one) for one in columns]
        self._cut = 0
        self._first = ""

    def headings(self, row: Sequence[str]) -> None:
        """Write a row of headings, cut where they are too long."""
        texts = [
            text if len(text) <= (one.width or 0) else self._shortened(text, one, 0)
            for text, one in zip(row, self._columns, strict=True)
        ]
        cells = zip(texts, self._columns, strict=True)
        self.lines(["".join(text.ljust(one.width or 0) for text, one in cells)])

    def lines(self, lines: list[str]) -> None:
        """Write some lines."""
        if lines:
            self._put(lines, [(line,) for line in lines], 0)

    def write(self, rows: list[Row]) -> None:
        """Write some rows. Raises OutputError for a cell that is too long, or breaks its line."""
        rendered = self._rendering.rows(rows)
        lines = [self._line(row, number) for number, row in enumerate(rendered, self.rows + 1)]
        self._put(lines, rendered, self.rows + 1)
        self.rows += len(rows)

    def _line(self, row: Row, number: int) -> str:
        cells = []
        for cell, form, column in zip(row, self._forms, self._columns, strict=True):
            text = "" if cell is None else text_of(cell)
            width = column.width or 0
            if "\n" in text or "\r" in text:
                raise OutputError(
                    f"row {number:,}, {column.title}: a line break can't stand in text of fixed "
                    "width; `line-break: space` under `output` puts a blank there"
                )
            if len(text) > width:
                text = self._shortened(text, column, number)
            cells.append(form(text))
        return "".join(cells)

    def _shortened(self, text: str, column: Column, number: int) -> str:
        where = f"row {number:,}, {column.title}" if number else "the headings"
        figure = column.numeric and number
        if self._output.too_long == "refuse" or figure:
            raise OutputError(
                f"{where}: {text[:60]!r} has {len(text)} characters, and the column has "
                f"{column.width}; make it wider"
                + ("" if figure else ", or `too-long: cut` under `output` cuts it")
            )
        self._cut += 1
        self._first = self._first or where
        return text[: column.width]

    def _put(self, lines: list[str], rows: Sequence[Row], number: int) -> None:
        def where(place: int) -> str:
            return f"row {number + place:,} holds" if number else "the headings hold"

        end = self._output.line_terminator
        data = self._encoded.encode("".join(line + end for line in lines), rows, where)
        self._target.write(data)
        self.bytes += len(data)

    def __enter__(self) -> FixedWidthWriter:
        return self

    def __exit__(self, *error: object) -> None:
        """All is written already."""

    def finish(self, balance: Balance) -> None:
        """There is no place for a balance in it."""

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        notes = [*self._encoded.notes(), *self._rendering.notes()]
        if not self._cut:
            return notes
        cells = "1 cell was" if self._cut == 1 else f"{self._cut:,} cells were"
        cut = f"{cells} cut to the width of the column; the first is {self._first}"
        return [cut, *notes]


def _form(plan: ColumnPlan) -> _Form:
    column = plan.column
    align = column.align or ("right" if plan.numeric or plan.kind == "number" else "left")
    return _Form(column.fill, _ALIGN[align], column.width or 0)


class _Form:
    """Fills a text up to a width. Zeros stand behind a sign."""

    def __init__(self, fill: str, align: str, width: int) -> None:
        self._form = f"{fill}{align}{width}"
        self._zeros = fill == "0" and align == ">"
        self._width = width

    def __call__(self, text: str) -> str:
        if not text:
            return " " * self._width
        return text.zfill(self._width) if self._zeros else format(text, self._form)
