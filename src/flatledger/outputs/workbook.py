"""Workbooks (XLSX), written by XlsxWriter row by row: memory does not grow with them."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from decimal import Decimal
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from ..errors import OutputError
from ..layout.column import Column
from ..layout.model import LayoutParts, SettledLayout
from ..plan.plan import ColumnPlan
from ..run.balance import Balance
from ..run.protocols import Row, TotalRow
from ..values.functions import text_of
from . import form_workbook
from .balance_sheets import Heading, balance_rows, fault_rows
from .cell_values import CellValues
from .files import Target
from .finishing import Finisher
from .sheet_shape import (
    LONG_TEXTS,
    MOST_ROWS,
    Folding,
    LongTexts,
    Widths,
    check_columns,
    sheet_name,
)
from .workbook_cells import cell_text, days_in_16_digits, moment_format, number_format
from .workbook_files import copy_to

_CREATED = dt.datetime(2000, 1, 1)  # the same in every run, so that its bytes are
_A4 = 9
_FIRST_WIDTH, _FURTHER, _FURTHER_WIDTH = 36, 9, 20  # columns of the sheets beside the table
_SHORT = 16_000  # letters of a text that every cell holds
_ODD = re.compile(r"[\n\r\ud800-\udfff\ufffe\uffff]|\A<r>").search
_RAW = re.compile(r"[\r\ud800-\udfff\ufffe\uffff]|\A<r>")
_HEADING = {"bold": True, "text_wrap": True, "valign": "top", "bottom": 1, "bg_color": "#E9EDF0"}
_RIGHT = {"align": "right", "indent": 1}
_TRUTH = '"TRUE";"TRUE";"FALSE"'  # since some programs show 1 and 0 else
_PLAIN = CellValues(Column(""))
_STYLES: dict[str, dict[str, Any]] = {
    "title": {"bold": True},
    "heading": _HEADING,
    "subtotal": {"bold": True, "top": 1},
    "whole": {"bold": True, "top": 1, "bottom": 6},
    "moment": {"align": "left", "indent": 1},
    "wrap": {"text_wrap": True, "valign": "top"},
}


def check_table(layout: LayoutParts, name: str) -> None:
    """Raise OutputError where a sheet can't hold the table."""
    check_columns(layout, name)


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> Workbook | form_workbook.FormWorkbook:
    """A writer for a target; into a copy of the layout's form, if that is a workbook."""
    if layout.form is not None and layout.form.workbook:
        return form_workbook.FormWorkbook(layout.form, columns, layout.locale, target)
    return Workbook(layout, target, columns, source)


class Workbook:
    """Writes a table as a workbook (a Writer): values with their types, formats by column."""

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
    ) -> None:
        import xlsxwriter

        self.rows = self.bytes = 0
        self._layout, self._target = layout, target
        self._columns = [one.column for one in columns]
        plain = [form_workbook.without_pattern(one) for one in columns]
        self._finisher = Finisher(plain, layout.locale)
        self._cells = [CellValues(column) for column in self._columns]
        self._numeric = [one.numeric or one.kind == "number" for one in columns]
        self._codes = [number_format(column) or "" for column in self._columns]
        self._widths, self._folding = Widths(self._columns), Folding(layout)
        self._long = LongTexts(continued=layout.output.beyond == "continue")
        self._folder = TemporaryDirectory(prefix="flatledger-")
        ways = {"constant_memory": True, "tmpdir": self._folder.name}
        self._packed = Path(self._folder.name, "table.xlsx")
        self._book = xlsxwriter.Workbook(str(self._packed), ways)
        about = {"title": layout.name, "subject": layout.about, "comments": f"Source: {source}"}
        self._book.set_properties({**about, "created": _CREATED})
        self._formats: dict[tuple[str, str], Any] = {}
        self._by_style: dict[str, list[Any]] = {}
        self._sheets: dict[str, Any] = {}
        self._sheet: Any = None
        self._ended = False
        self._at = 0

    def _format(self, code: str, style: str) -> Any:
        """The format of cells of a style with a number format; None where it is the usual one."""
        if not code and not style:
            return None
        if (code, style) not in self._formats:
            made = {**_STYLES.get(style, {}), **({"num_format": code} if code else {})}
            if style.endswith(" number"):
                made |= {**_STYLES.get(style.removesuffix(" number"), {}), **_RIGHT}
            self._formats[code, style] = self._book.add_format(made)
        return self._formats[code, style]

    # ---- sheets

    def _add(self, name: str) -> Any:
        name = sheet_name(name, list(self._sheets))
        self._sheets[name] = sheet = self._book.add_worksheet(name)
        return sheet

    def _begin_sheet(self) -> None:
        """Begin a sheet, with the rows above the table."""
        output, header = self._layout.output, self._layout.header_rows
        sheet = self._sheet = self._add(output.sheet or self._layout.name)
        for at, line in enumerate(output.preamble):
            self._text(at, 0, line, "title")
        first = len(output.preamble)
        for at, row in enumerate(header, first):
            for place, text in enumerate(row):
                style = "heading number" if self._numeric[place] else "heading"
                self._text(at, place, text, style)
        self._at = first + len(header)
        if header:
            sheet.freeze_panes(self._at, 0)
            sheet.repeat_rows(first, self._at - 1)
        sheet.outline_settings(True, not self._folding.above, True, False)
        sheet.set_paper(_A4)
        sheet.fit_to_pages(1, 0)

    def _end_sheet(self) -> None:
        sheet, last = self._sheet, len(self._columns) - 1
        for place in range(len(self._columns)):
            sheet.set_column(place, place, self._widths.of(place))
        if self._widths.landscape:
            sheet.set_landscape()
        if self._layout.header_rows:
            header = len(self._layout.output.preamble) + len(self._layout.header_rows) - 1
            sheet.autofilter(header, 0, max(self._at - 1, header), last)

    # ---- rows

    def write(self, rows: list[Row]) -> None:
        """Write some rows. Raises OutputError where a sheet can't hold them."""
        finished = self._finisher.finished(rows) if self._finisher.active else rows
        self._widths.look_at(finished)
        with self._telling():
            for row in finished:
                if self._at == MOST_ROWS:
                    self._go_on()
                self._row(row)
                self._at += 1
                self.rows += 1

    def _go_on(self) -> None:
        """Go on with another sheet. Raises OutputError where that is not wanted."""
        if self._layout.output.beyond == "refuse":
            raise OutputError(
                f"{self._target.name}: a sheet holds {MOST_ROWS:,} rows, and the table has more; "
                "`beyond: continue` under `output` goes on with another sheet"
            )
        self._end_sheet()
        self._begin_sheet()

    def _row(self, row: Row) -> None:
        at, style, level = self._at, "", self._folding.level(row)
        if isinstance(row, TotalRow):
            style = "subtotal" if row.depth else "whole"
        if level:
            self._sheet.set_row(at, None, None, {"level": level})
            for known in (self._sheet.row_info, self._sheet.row_sizes):  # memory is not to grow
                known.pop(at - 2, None)  # by rows that are written
        texts = self._format("", style)
        numbers = self._number_formats(style)
        write_string, write_number = self._sheet.write_string, self._sheet.write_number
        for place, (cell, values) in enumerate(zip(row, self._cells, strict=True)):
            kind = cell.__class__
            if kind is str and values.default is None:
                if len(cell) <= _SHORT and not _ODD(cell):
                    write_string(at, place, cell, texts)
                else:
                    self._text(at, place, cell, style)
                continue
            value = values.of(cell)
            if isinstance(value, int | Decimal) and not isinstance(value, bool):
                write_number(at, place, value, numbers[place])
            elif value is not None:
                self._other(at, place, value, style)
            elif style:
                self._sheet.write_blank(at, place, None, texts)

    def _number_formats(self, style: str) -> list[Any]:
        """The formats of numbers in the columns, in a row of a style."""
        if style not in self._by_style:
            self._by_style[style] = [self._format(code, f"{style} number") for code in self._codes]
        return self._by_style[style]

    def _other(self, at: int, place: int, value: Any, style: str) -> None:
        """A truth value, a moment or a duration; else a text."""
        if isinstance(value, bool):
            self._sheet.write_boolean(at, place, value, self._format(_TRUTH, style or "moment"))
        elif isinstance(value, str):
            self._text(at, place, str(value), style)
        else:
            code = moment_format(self._columns[place], value)
            days = days_in_16_digits(value)
            self._sheet.write_number(at, place, days, self._format(code, style or "moment"))

    def _text(self, at: int, place: int, text: str, style: str) -> None:
        title = self._columns[place].title if place < len(self._columns) else ""
        text = self._long.part(text, at + 1, title)
        if not style and "\n" in text:
            style = "wrap"
        if _RAW.search(text):  # what XlsxWriter would change, or take for markup
            raw = cell_text(text, title).replace("_x", "&#95;x")
            text = f'<r><t xml:space="preserve">{raw}</t></r>'
        self._sheet.write_string(at, place, text, self._format("", style))

    # ---- the end

    def finish(self, balance: Balance) -> None:
        """Add sheets for the balance and the faults, if they are wanted."""
        if not self._layout.output.with_balance:
            return
        with self._telling():
            self._further("Balance", balance_rows(balance))
            if balance.fault_count:
                self._further("Faults", fault_rows(balance))

    def _further(self, name: str, rows: Iterable[Row]) -> None:
        """A sheet beside that of the table."""
        self._end_sheet_once()
        self._sheet = self._add(name)
        self._sheet.set_column(0, 0, _FIRST_WIDTH)
        self._sheet.set_column(1, _FURTHER, _FURTHER_WIDTH)
        self._sheet.set_landscape()
        self._sheet.set_paper(_A4)
        self._sheet.fit_to_pages(1, 0)
        for at, row in enumerate(rows):
            style = "title" if isinstance(row, Heading) else ""
            for place, cell in enumerate(row):
                value = _PLAIN.of(cell)
                if isinstance(value, int | Decimal) and not isinstance(value, bool):
                    self._sheet.write_number(at, place, value, self._format("", style))
                elif value is not None:
                    self._text(at, place, text_of(value), style)

    def _end_sheet_once(self) -> None:
        if not self._ended:
            self._end_sheet()
            self._ended = True

    def __enter__(self) -> Workbook:
        try:
            with self._telling():
                self._begin_sheet()
        except BaseException:
            self._abandon()
            raise
        return self

    def __exit__(self, kind: type[BaseException] | None, *error: object) -> None:
        try:
            if kind is None:
                with self._telling():
                    self._end_sheet_once()
                    if self._long.parts:
                        self._further("Long texts", [Heading(LONG_TEXTS), *self._long.parts])
                    self._book.close()
                    with self._packed.open("rb") as packed:
                        self.bytes = copy_to(self._target, packed)
        finally:
            self._abandon()

    def _abandon(self) -> None:
        """Leave what is not whole by now, and what it was made from."""
        self._book.fileclosed = True
        for sheet in self._sheets.values():
            with suppress(OSError):
                sheet.row_data_fh.close()
        self._folder.cleanup()

    @contextmanager
    def _telling(self) -> Iterator[None]:
        from xlsxwriter.exceptions import FileCreateError

        try:
            yield
        except FileCreateError as error:
            raise self._target.failed(error.args[0]) from None
        except OSError as error:
            raise self._target.failed(error) from None

    def notes(self) -> list[str]:
        """What a reader of the workbook should know."""
        return [*(note for cells in self._cells for note in cells.notes()), *self._long.notes()]
