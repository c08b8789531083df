"""Workbooks of OpenDocument (ODS; OASIS OpenDocument 1.3, part 3), written row by row.

The rows go to a temporary file first, since the widths of their columns stand before them. Our own
code, as what there is in Python holds a whole document in memory.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from tempfile import TemporaryFile
from typing import IO
from zipfile import ZIP_DEFLATED, ZIP_STORED, ZipFile, ZipInfo

from ..errors import OutputError
from ..layout.column import Column
from ..layout.model import LayoutParts, SettledLayout
from ..plan.row_type import ColumnPlan
from ..run.protocols import Row
from . import opendocument_parts as parts
from .balance_sheets import Heading
from .cell_values import CellValues
from .files import Target
from .opendocument_cells import EARLIEST, Cells
from .opendocument_styles import Styles
from .sheet_shape import check_columns
from .sheet_writer import SheetWriter
from .workbook_files import copy_to

_DATE = (1980, 1, 1, 0, 0, 0)  # the same in every run, so that the bytes are
_FIRST_WIDTH, _FURTHER, _FURTHER_WIDTH = 36, 9, 20  # columns of the sheets beside the table
_PLAIN_COLUMN = Column("")
_PLAIN = CellValues(_PLAIN_COLUMN, EARLIEST)


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


class OpenDocument(SheetWriter):
    """Writes a table as an OpenDocument workbook (a Writer): values with their types."""

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
    ) -> None:
        super().__init__(layout, target, columns, source, EARLIEST)
        self._styles = Styles()
        self._cells = Cells(self._styles)
        self._body = TemporaryFile("w+b", prefix="flatledger-")  # noqa: SIM115 (kept open)
        self._ranges: list[str] = []
        self._level = 0

    def _put(self, text: str) -> None:
        self._body.write(text.encode())

    # ---- sheets

    def begin_sheet(self) -> None:
        output, header = self.layout.output, self.layout.header_rows
        self._put(parts.table_start(self.new_name(output.sheet or self.layout.name)))
        self._put(parts.COLUMNS_HERE)
        for line in output.preamble:
            self._put(parts.row([self._cells.text(line, "title")]))
        if header:
            self._put(parts.HEADER_START)
            styles = ["number-heading" if one else "heading" for one in self.numeric]
            for row in header:
                pairs = zip(row, styles, strict=True)
                self._put(parts.row([self._cells.text(text, style) for text, style in pairs]))
            self._put(parts.HEADER_END)
        self.at = self.above

    def end_sheet(self) -> None:
        self._fold(0)
        self._put(parts.TABLE_END)
        if self.layout.header_rows:
            last = max(self.at, self.above)
            area = self.names[-1], self.above, last, len(self.columns)
            self._ranges.append(parts.filtered(*area))

    def further(self, name: str, rows: Iterable[Row]) -> None:
        self._put(parts.table_start(name))
        self._put(parts.columns([_FIRST_WIDTH, *[_FURTHER_WIDTH] * _FURTHER], self._styles))
        for row in rows:
            style = "title" if isinstance(row, Heading) else ""
            plain = (_PLAIN.of(cell) for cell in row)
            self._put(parts.row([self._cells.cell(cell, _PLAIN_COLUMN, style) for cell in plain]))
        self._put(parts.TABLE_END)

    def _fold(self, level: int) -> None:
        """Open or close the groups around the next row."""
        while self._level < level:
            self._put(parts.GROUP_START)
            self._level += 1
        while self._level > level:
            self._put(parts.GROUP_END)
            self._level -= 1

    # ---- rows

    def row(self, row: Row, style: str, level: int) -> None:
        self._fold(level)
        self._put(parts.row(self._row(row, style)))

    def _row(self, row: Row, style: str) -> Iterator[str]:
        for cell, values, column in zip(row, self.values, self.columns, strict=True):
            value = values.of(cell)
            if isinstance(value, str):
                value = self.long.part(value, self.at + 1, column.title)
            yield self._cells.cell(value, column, style)

    # ---- the end

    def put_together(self) -> None:
        """Put the parts together: the content with the widths that are known by now."""
        widths = [self.widths.of(place) for place in range(len(self.columns))]
        columns = parts.columns(widths, self._styles)
        with TemporaryFile("w+b", prefix="flatledger-") as whole:
            self._pack(whole, columns.encode())
            self.bytes = copy_to(self.target, whole)

    def _pack(self, whole: IO[bytes], columns: bytes) -> None:
        about = parts.meta(self.layout.name, self.layout.about, self.source)
        with ZipFile(whole, "w", ZIP_DEFLATED) as packed:
            packed.writestr(_info("mimetype", ZIP_STORED), parts.MIME_TYPE)
            with packed.open(_info("content.xml"), "w", force_zip64=True) as content:
                content.write(parts.content_start(self._styles.xml()).encode())
                self._body.seek(0)
                for line in self._body:
                    content.write(columns if line == parts.COLUMNS_HERE.encode() else line)
                content.write(parts.content_end(self._ranges).encode())
            for name, text in (
                ("styles.xml", parts.styles(landscape=self.widths.landscape)),
                ("meta.xml", about),
                ("settings.xml", parts.settings(self.names[:1], self.above)),
                ("META-INF/manifest.xml", parts.MANIFEST),
            ):
                packed.writestr(_info(name), text)

    def abandon(self) -> None:
        self._body.close()

    def notes(self) -> list[str]:
        """What a reader of the workbook should know."""
        return [*super().notes(), *self._cells.notes()]


def _info(name: str, how: int = ZIP_DEFLATED) -> ZipInfo:
    info = ZipInfo(name, _DATE)
    info.compress_type = how
    return info
