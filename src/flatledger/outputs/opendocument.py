"""Workbooks of OpenDocument (ODS; OASIS OpenDocument 1.3, part 3), written row by row.

The rows go to a temporary file first, since the widths of their columns stand before them. Our own
code, as what there is in Python holds a whole document in memory.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from tempfile import TemporaryFile
from typing import IO, Any
from zipfile import ZIP_DEFLATED, ZIP_STORED, ZipFile, ZipInfo

from ..errors import OutputError
from ..layout.column import Column
from ..layout.model import LayoutParts, SettledLayout
from ..plan.plan import ColumnPlan
from ..run.balance import Balance
from ..run.protocols import Row, TotalRow
from . import opendocument_parts as parts
from .balance_sheets import Heading, balance_rows, fault_rows
from .cell_values import CellValues
from .files import Target
from .finishing import Finisher
from .form_workbook import without_pattern
from .opendocument_cells import EARLIEST, Cells
from .opendocument_styles import Styles
from .sheet_shape import (
    LONG_TEXTS,
    MOST_ROWS,
    Folding,
    LongTexts,
    Widths,
    check_columns,
    sheet_name,
)
from .workbook_files import copy_to

_DATE = (1980, 1, 1, 0, 0, 0)  # the same in every run, so that the bytes are
_FURTHER = 10  # columns of the sheets beside the table
_FIRST_WIDTH, _FURTHER_WIDTH = 36, 20


def check_table(layout: LayoutParts, name: str) -> None:
    """Raise OutputError where a sheet can't hold the table, or the layout has a form to fill."""
    if layout.form is not None and layout.form.workbook:
        raise OutputError(f"{name}: the form is an XLSX workbook; name a file that ends in .xlsx")
    check_columns(layout, name)


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> OpenDocument:
    """A writer for a target."""
    return OpenDocument(layout, target, columns, source)


class OpenDocument:
    """Writes a table as an OpenDocument workbook (a Writer): values with their types."""

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
    ) -> None:
        self.rows = self.bytes = 0
        self._layout, self._target, self._source = layout, target, source
        self._columns = [one.column for one in columns]
        self._numeric = [one.numeric or one.kind == "number" for one in columns]
        self._finisher = Finisher([without_pattern(one) for one in columns], layout.locale)
        self._values = [CellValues(column, EARLIEST) for column in self._columns]
        self._styles = Styles()
        self._cells = Cells(self._styles)
        self._widths, self._folding = Widths(self._columns), Folding(layout)
        self._long = LongTexts(continued=layout.output.beyond == "continue")
        self._body = TemporaryFile("w+b", prefix="flatledger-")  # noqa: SIM115 (kept open)
        self._names: list[str] = []
        self._ranges: list[str] = []
        self._level = self._at = 0

    # ---- sheets

    def _put(self, text: str) -> None:
        self._body.write(text.encode())

    def _begin_sheet(self) -> None:
        output, header = self._layout.output, self._layout.header_rows
        name = sheet_name(output.sheet or self._layout.name, self._names)
        self._names.append(name)
        self._at = 0
        self._put(parts.table_start(name))
        self._put(parts.COLUMNS_HERE)
        for line in output.preamble:
            self._put(parts.row([self._cells.text(line, "title")]))
            self._at += 1
        if header:
            self._put(parts.HEADER_START)
            for row in header:
                styles = ["number-heading" if one else "heading" for one in self._numeric]
                pairs = zip(row, styles, strict=True)
                self._put(parts.row([self._cells.text(text, style) for text, style in pairs]))
                self._at += 1
            self._put(parts.HEADER_END)

    def _end_sheet(self) -> None:
        self._fold(0)
        self._put(parts.TABLE_END)
        if self._layout.header_rows:
            top = len(self._layout.output.preamble) + len(self._layout.header_rows)
            last = max(self._at, top)
            self._ranges.append(parts.filtered(self._names[-1], top, last, len(self._columns)))

    def _fold(self, level: int) -> None:
        """Open or close the groups around the next row."""
        while self._level < level:
            self._put(parts.GROUP_START)
            self._level += 1
        while self._level > level:
            self._put(parts.GROUP_END)
            self._level -= 1

    # ---- rows

    def write(self, rows: list[Row]) -> None:
        """Write some rows. Raises OutputError where a sheet can't hold them."""
        finished = self._finisher.finished(rows) if self._finisher.active else rows
        self._widths.look_at(finished)
        with self._telling():
            for row in finished:
                if self._at == MOST_ROWS:
                    self._go_on()
                self._fold(self._folding.level(row))
                self._put(parts.row(self._row(row)))
                self._at += 1
                self.rows += 1

    def _go_on(self) -> None:
        if self._layout.output.beyond == "refuse":
            raise OutputError(
                f"{self._target.name}: a sheet holds {MOST_ROWS:,} rows, and the table has more; "
                "`beyond: continue` under `output` goes on with another sheet"
            )
        self._end_sheet()
        self._begin_sheet()

    def _row(self, row: Row) -> Iterator[str]:
        style = ""
        if isinstance(row, TotalRow):
            style = "subtotal" if row.depth else "whole"
        for cell, values, column in zip(row, self._values, self._columns, strict=True):
            value = values.of(cell)
            if isinstance(value, str):
                value = self._long.part(value, self._at + 1, column.title)
            yield self._cells.cell(value, column, style)

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
        if not self._ended:
            self._end_sheet()
            self._ended = True
        name = sheet_name(name, self._names)
        self._names.append(name)
        self._put(parts.table_start(name))
        self._put(parts.columns([_FIRST_WIDTH, *[_FURTHER_WIDTH] * (_FURTHER - 1)], self._styles))
        for row in rows:
            style = "title" if isinstance(row, Heading) else ""
            plain = (_PLAIN.of(cell) for cell in row)
            self._put(parts.row([self._cells.cell(cell, _PLAIN_COLUMN, style) for cell in plain]))
        self._put(parts.TABLE_END)

    _ended = False

    def __enter__(self) -> OpenDocument:
        with self._telling():
            self._begin_sheet()
        return self

    def __exit__(self, kind: type[BaseException] | None, *error: object) -> None:
        with self._body:
            if kind is None:
                with self._telling():
                    if self._long.parts:
                        self._further("Long texts", [Heading(LONG_TEXTS), *self._long.parts])
                    if not self._ended:
                        self._end_sheet()
                    self._package()

    def _package(self) -> None:
        """Put the parts together: the content with the widths that are known by now."""
        widths = [self._widths.of(place) for place in range(len(self._columns))]
        columns = parts.columns(widths, self._styles)
        frozen = len(self._layout.output.preamble) + len(self._layout.header_rows)
        about = self._layout.name, self._layout.about, self._source
        with TemporaryFile("w+b", prefix="flatledger-") as whole:
            self._pack(whole, columns, frozen, about)
            self.bytes = copy_to(self._target, whole)

    def _pack(
        self, whole: IO[bytes], columns: str, frozen: int, about: tuple[str, str, str]
    ) -> None:
        with ZipFile(whole, "w", ZIP_DEFLATED) as packed:
            packed.writestr(_info("mimetype", ZIP_STORED), parts.MIME_TYPE)
            with packed.open(_info("content.xml"), "w", force_zip64=True) as content:
                content.write(parts.content_start(self._styles.xml()).encode())
                self._copy(content, columns.encode())
                content.write(parts.content_end(self._ranges).encode())
            landscape = self._widths.landscape
            for name, text in (
                ("styles.xml", parts.styles(landscape=landscape)),
                ("meta.xml", parts.meta(*about)),
                ("settings.xml", parts.settings(self._names[:1], frozen)),
                ("META-INF/manifest.xml", parts.MANIFEST),
            ):
                packed.writestr(_info(name), text)

    def _copy(self, content: Any, columns: bytes) -> None:
        """The rows, with the columns in the place that is kept for them."""
        mark = parts.COLUMNS_HERE.encode()
        self._body.seek(0)
        for line in self._body:
            content.write(columns if line == mark else line)

    @contextmanager
    def _telling(self) -> Iterator[None]:
        try:
            yield
        except OSError as error:
            raise self._target.failed(error) from None

    def notes(self) -> list[str]:
        """What a reader of the workbook should know."""
        numbers = [note for values in self._values for note in values.notes()]
        return [*numbers, *self._long.notes(), *self._cells.notes()]


_PLAIN_COLUMN = Column("")
_PLAIN = CellValues(_PLAIN_COLUMN, EARLIEST)


def _info(name: str, how: int = ZIP_DEFLATED) -> ZipInfo:
    info = ZipInfo(name, _DATE)
    info.compress_type = how
    return info
