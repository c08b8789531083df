"""Workbooks (XLSX), written by XlsxWriter row by row: memory does not grow with them."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from decimal import Decimal
from typing import Any

from ...layout.model.column import Column
from ...layout.model.model import SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.protocols import Row
from ...values.functions import text_of
from ...values.visible import visible
from ..cells.cell_values import FIRST_DAY, CellValues
from ..places.files import Target
from ..places.scratch import ScratchFolder
from .balance_sheets import SheetHeading
from .sheet_writer import SheetWriter
from .workbook_cells import cell_text, days_in_16_digits, moment_format, number_format
from .workbook_files import copy_to

_CREATED = dt.datetime(2000, 1, 1)  # the same in every run, so that its bytes are
_A4 = 9
_FIRST_WIDTH, _FURTHER, _FURTHER_WIDTH = 36, 9, 20  # columns of the sheets beside the table
_MOST_PAGES = 1_023  # breaks that a sheet takes
_SHORT = 16_000  # letters of a text that every cell holds
_ODD = re.compile(r"[\n\r\ud800-\udfff\ufffe\uffff]|\A<r>").search
_RAW = re.compile(r"[\r\ud800-\udfff\ufffe\uffff]|\A<r>")
_HEADING = {
    "bold": True,
    "text_wrap": True,
    "valign": "top",
    "bottom": 1,
    "bg_color": "#E9EDF0",
}
_RIGHT = {"align": "right", "indent": 1}
_TRUTH = '"TRUE";"TRUE";"FALSE"'  # since some programs show 1 and 0 else
_PLAIN = CellValues(Column(""))
_STYLES: dict[str, dict[str, Any]] = {
    "title": {"bold": True},
    "heading": _HEADING,
    "subtotal": {"bold": True, "top": 1},
    "whole": {"bold": True, "top": 1, "bottom": 6},
    "moment": {"align": "left", "indent": 1},
    "indented": {"indent": 1},
    "wrap": {"text_wrap": True, "valign": "top"},
}


class Workbook(SheetWriter):
    """Writes a table as a workbook (a Writer): values with their types, formats by column."""

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
    ) -> None:
        import xlsxwriter

        super().__init__(layout, target, columns, source, FIRST_DAY)
        self._folder = ScratchFolder()
        ways = {"constant_memory": True, "tmpdir": str(self._folder.path)}
        self._packed = self._folder.path / "table.xlsx"
        self._book = xlsxwriter.Workbook(str(self._packed), ways)
        self._formats: dict[tuple[str, str], Any] = {}
        self._sheet: Any = None
        self._pages: list[int] = []

    def take(self, layout: SettledLayout, columns: Sequence[ColumnPlan]) -> None:
        super().take(layout, columns)
        self._codes = [number_format(column) or "" for column in self.columns]
        self._by_style: dict[str, list[Any]] = {}

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

    def begin_sheet(self) -> None:
        output, header = self.layout.output, self.layout.header_rows
        name = self.table_name()
        sheet = self._sheet = self._book.add_worksheet(name)
        for at, line in enumerate(output.preamble):
            self._text(at, 0, line, "title")
        first = len(output.preamble)
        for at, row in enumerate(header, first):
            self.at = at
            self.heading_row(at - first, row)
        for place in range(self.widths.count):
            sheet.set_column(place, place, None, self._beside_figures(place))
        self.at = self.above
        self._pages = []
        if header:
            sheet.freeze_panes(self.at, 0)
            sheet.repeat_rows(first, self.at - 1)
        sheet.outline_settings(True, not self.folding.above, True, False)
        sheet.set_paper(_A4)
        if self.several:  # whose names are on their sheets' tabs alone else
            sheet.set_header("&L&A")
        if not self.breaks.active:  # some programs pass over breaks where a page is to be fitted
            sheet.fit_to_pages(1, 0)

    def heading_row(self, header: int, texts: Sequence[str]) -> None:
        for place, text in enumerate(texts):
            number = self.numeric_at(header, place)
            self._text(self.at, place, text, "heading number" if number else "heading")

    def _beside_figures(self, place: int) -> Any:
        """The format of a column of texts right after figures, which do not touch then."""
        if self.arrangement.active:  # below one another stand figures and texts
            return None
        beside = place > 0 and self.numeric[place - 1] and not self.numeric[place]
        return self._format("", "indented") if beside else None

    def end_sheet(self) -> None:
        sheet, last = self._sheet, len(self.columns) - 1
        for place in range(self.widths.count):
            sheet.set_column(place, place, self.widths.of(place), self._beside_figures(place))
        if self.widths.landscape:
            sheet.set_landscape()
        if self.breaks.active:
            sheet.set_print_scale(self.widths.scale)
            sheet.set_h_pagebreaks(self._pages[:_MOST_PAGES])
        if self.layout.header_rows and not self.layout.reads_in_order:
            sheet.autofilter(self.above - 1, 0, max(self.at, self.above) - 1, last)

    def new_page(self) -> None:
        self._pages.append(self.at)

    def further(self, name: str, rows: Iterable[Row]) -> None:
        self._sheet = self._book.add_worksheet(name)
        self._sheet.set_column(0, 0, _FIRST_WIDTH)
        self._sheet.set_column(1, _FURTHER, _FURTHER_WIDTH)
        self._sheet.set_landscape()
        self._sheet.set_paper(_A4)
        self._sheet.fit_to_pages(1, 0)
        for at, row in enumerate(rows):
            style = "title" if isinstance(row, SheetHeading) else ""
            for place, cell in enumerate(row):
                value = _PLAIN.of(cell)
                if isinstance(value, int | Decimal) and not isinstance(value, bool):
                    self._sheet.write_number(at, place, value, self._format("", style))
                elif value is not None:
                    self._text(at, place, text_of(value), style)

    # ---- rows

    def row(self, row: Row, style: str, level: int, slots: Sequence[int]) -> None:
        at = self.at
        if level:
            self._sheet.set_row(at, None, None, {"level": level})
            for name in (
                "row_info",
                "row_sizes",
            ):  # memory is not to grow by rows that are written,
                getattr(self._sheet, name, {}).pop(at - 2, None)  # where the library keeps them so
        texts = self._format("", style)
        numbers = self._number_formats(style)
        write_string, write_number = self._sheet.write_string, self._sheet.write_number
        places, all_values = self.arrangement.places, self.values
        for slot in slots:
            cell, values, place = row[slot], all_values[slot], places[slot]
            if cell.__class__ is str and values.default is None:
                if len(cell) <= _SHORT and not _ODD(cell):
                    write_string(at, place, cell, texts)
                else:
                    self._text(at, place, cell, style, slot)
                continue
            value = values.of(cell)
            if isinstance(value, int | Decimal) and not isinstance(value, bool):
                write_number(at, place, value, numbers[slot])
            elif value is not None:
                self._other(at, place, value, style, slot)
            elif style:
                self._sheet.write_blank(at, place, None, texts)

    def _number_formats(self, style: str) -> list[Any]:
        """The formats of numbers in the columns, in a row of a style."""
        if style not in self._by_style:
            self._by_style[style] = [self._format(code, f"{style} number") for code in self._codes]
        return self._by_style[style]

    def _other(self, at: int, place: int, value: Any, style: str, slot: int) -> None:
        """A truth value, a moment or a duration; else a text."""
        if isinstance(value, bool):
            self._sheet.write_boolean(at, place, value, self._format(_TRUTH, style or "moment"))
        elif isinstance(value, str):
            self._text(at, place, str(value), style, slot)
        else:
            code = moment_format(self.columns[slot], value)
            days = days_in_16_digits(value)
            self._sheet.write_number(at, place, days, self._format(code, style or "moment"))

    def _text(self, at: int, place: int, text: str, style: str, slot: int | None = None) -> None:
        """A text; ``slot`` is that of its column."""
        title = self.columns[slot].title if slot is not None else ""
        text = self.long_part(text, at + 1, title)
        if not style and "\n" in text:
            style = "wrap"
        if _RAW.search(text):  # what XlsxWriter would change, or take for markup
            raw = cell_text(text, title).replace("_x", "&#95;x")
            text = f'<r><t xml:space="preserve">{raw}</t></r>'
        self._sheet.write_string(at, place, text, self._format("", style))

    # ---- the end

    def put_together(self) -> None:
        texts = {"title": self.title, "subject": self.about, "comments": f"Source: {self.source}"}
        about = {what: visible(text) for what, text in texts.items()}
        self._book.set_properties({**about, "created": _CREATED})
        self._book.close()
        with self._packed.open("rb") as packed:
            self.bytes = copy_to(self.target, packed)

    def abandon(self) -> None:
        self._book.fileclosed = True
        for sheet in self._book.worksheets():
            with suppress(OSError):
                sheet.row_data_fh.close()
        self._folder.abandon()

    @contextmanager
    def telling(self) -> Iterator[None]:
        from xlsxwriter.exceptions import FileCreateError

        try:
            with super().telling():
                yield
        except FileCreateError as error:
            raise self.target.failed(error.args[0]) from None
