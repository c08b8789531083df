"""Workbooks of OpenDocument (ODS; OASIS OpenDocument 1.3, part 3), written row by row.

The rows go to a temporary file first, since the widths of their columns stand before them. Our own
code, as what there is in Python holds a whole document in memory.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable, Iterator, Sequence
from decimal import Decimal
from tempfile import TemporaryFile
from typing import IO, Any
from xml.sax.saxutils import escape, quoteattr
from zipfile import ZIP_DEFLATED, ZIP_STORED, ZipFile, ZipInfo

from ...errors import OutputError
from ...layout.model.column import Column
from ...layout.model.model import LayoutParts, SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.protocols import Row
from ...values.literals import Interval
from ..cells.cell_values import CellValues
from ..places.files import Target
from . import opendocument_parts as parts
from .balance_sheets import SheetHeading
from .opendocument_styles import OpenDocumentStyles
from .sheet_shape import check_columns
from .sheet_writer import SheetWriter
from .workbook_files import copy_to

# ---- cells of OpenDocument: values with their types as XML (OpenDocument 1.3, part 3, 19.385)


EARLIEST = dt.datetime(1, 1, 1)
_UNFIT = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
_INSTEAD = "\ufffd"
_LINE_BREAK = re.compile(r"\r\n|[\r\n]")
_SPACES = re.compile(r"(?:^| ) +|^ | $|\t")


class OpenDocumentCells:
    """Makes cells. Characters that XML can't hold are replaced, and counted."""

    def __init__(self, styles: OpenDocumentStyles) -> None:
        self._styles = styles
        self._replaced = 0

    def cell(self, value: Any, column: Column, style: str) -> str:
        """One cell.

        >>> cells = OpenDocumentCells(OpenDocumentStyles())
        >>> cells.cell(True, Column("Sent"), "wrap").partition(" office")[2]
        ':value-type="boolean" office:boolean-value="true"/>'
        """
        if value is None:
            name = self._styles.of("", None, style)
            return f"<table:table-cell{_styled(name)}/>"
        if isinstance(value, str):
            return self.text(value, style)
        kind, attribute, text = _value(value)
        name = self._styles.of(kind, column, style)
        return (
            f'<table:table-cell{_styled(name)} office:value-type="{kind}" '
            f'office:{attribute}="{text}"/>'
        )

    def text(self, text: str, style: str) -> str:
        """A cell that holds a text: a paragraph for each of its lines."""
        text, count = _UNFIT.subn(_INSTEAD, text)
        self._replaced += count
        lines = "".join(f"<text:p>{_line(line)}</text:p>" for line in _LINE_BREAK.split(text))
        name = self._styles.of("string", None, style or ("wrap" if "\n" in text else ""))
        return (
            f'<table:table-cell{_styled(name)} office:value-type="string">{lines}'
            "</table:table-cell>"
        )

    def notes(self) -> list[str]:
        """What a reader of the workbook should know."""
        if not self._replaced:
            return []
        return [
            f"{self._replaced:,} control characters, which a workbook of OpenDocument can't hold, "
            f"were replaced by {_INSTEAD}"
        ]


def _styled(name: str) -> str:
    return f" table:style-name={quoteattr(name)}" if name else ""


def _value(value: Any) -> tuple[str, str, str]:
    """The kind of a value, the attribute that holds it, and its text."""
    if isinstance(value, bool):
        return "boolean", "boolean-value", str(value).lower()
    if isinstance(value, int | Decimal):
        return "float", "value", format(value, "f") if isinstance(value, Decimal) else str(value)
    if isinstance(value, dt.date):  # moments too
        return "date", "date-value", value.isoformat()
    if isinstance(value, dt.time):
        return "time", "time-value", _clock(dt.timedelta(0), value)
    assert isinstance(value, Interval)
    return "time", "time-value", _clock(value.time, dt.time(0))


def _clock(span: dt.timedelta, time: dt.time) -> str:
    """A time of day, or a duration, in hours, minutes and seconds."""
    hours, seconds = divmod(span.seconds + time.hour * 3600 + time.minute * 60 + time.second, 3600)
    minutes, seconds = divmod(seconds, 60)
    part = span.microseconds or time.microsecond
    fraction = f".{part:06d}" if part else ""
    return f"PT{hours + 24 * span.days:02d}H{minutes:02d}M{seconds:02d}{fraction}S"


def _line(text: str) -> str:
    """A line of a text; blanks and tabs, which XML would drop, by elements of their own."""
    return _SPACES.sub(_spaced, escape(text))


def _spaced(found: re.Match[str]) -> str:
    text = found[0]
    return "<text:tab/>" if text == "\t" else f'<text:s text:c="{len(text)}"/>'


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
        self._styles = OpenDocumentStyles()
        self._cells = OpenDocumentCells(self._styles)
        self._body = TemporaryFile("w+b", prefix="flatledger-")  # noqa: SIM115 (kept open)
        self._ranges: list[str] = []
        self._columns: dict[bytes, bytes] = {}  # of each table, by what stands where they go
        self._frozen: dict[str, int] = {}  # rows above the table, by the sheet on which it begins
        self._level, self._new_page = 0, False

    def _put(self, text: str) -> None:
        self._body.write(text.encode())

    # ---- sheets

    def begin_sheet(self) -> None:
        output, header = self.layout.output, self.layout.header_rows
        self._put(parts.table_start(self.table_name()))
        self._put(parts.columns_here(len(self._sheets)))
        for line in output.preamble:
            self._put(parts.row([self._cells.text(line, "title")]))
        if header:
            self._put(parts.HEADER_START)
            for at, row in enumerate(header):
                self.heading_row(at, row)
            self._put(parts.HEADER_END)
        self.at = self.above
        self._frozen.setdefault(self._sheets[-1][0], self.above)

    def heading_row(self, header: int, texts: Sequence[str]) -> None:
        numbers = [self.numeric_at(header, place) for place in range(len(texts))]
        styles = ["number-heading" if one else "heading" for one in numbers]
        pairs = zip(texts, styles, strict=True)
        page = self._page_style()
        self._put(parts.row([self._cells.text(text, style) for text, style in pairs], page))

    def end_sheet(self) -> None:
        self._fold(0)
        self._put(parts.TABLE_END)
        widths = [self.widths.of(place) for place in range(self.widths.count)]
        here = parts.columns_here(len(self._sheets)).encode()
        self._columns[here] = parts.columns(widths, self._styles).encode()
        if self.layout.header_rows and not self.layout.reads_in_order:
            last = max(self.at, self.above)
            area = self.names[-1], self.above, last, self.widths.count
            self._ranges.append(parts.filtered(*area))

    def new_page(self) -> None:
        self._new_page = True

    def further(self, name: str, rows: Iterable[Row]) -> None:
        self._put(parts.table_start(name))
        self._put(parts.columns([_FIRST_WIDTH, *[_FURTHER_WIDTH] * _FURTHER], self._styles))
        for row in rows:
            style = "title" if isinstance(row, SheetHeading) else ""
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

    def row(self, row: Row, style: str, level: int, slots: Sequence[int]) -> None:
        self._fold(level)
        page = self._page_style()
        self._put(parts.row(self._row(row, style, slots), page))

    def _page_style(self) -> str:
        """The style of the next row, where a page begins with it."""
        begins, self._new_page = self._new_page, False
        return self._styles.new_page() if begins else ""

    def _row(self, row: Row, style: str, slots: Sequence[int]) -> Iterator[str]:
        at = 0
        for slot in slots:
            for _ in range(at, self.arrangement.places[slot]):
                yield self._cells.cell(None, _PLAIN_COLUMN, style)
            at = self.arrangement.places[slot] + 1
            value, column = self.values[slot].of(row[slot]), self.columns[slot]
            if isinstance(value, str):
                value = self.long_part(value, self.at + 1, column.title)
            yield self._cells.cell(value, column, style)

    # ---- the end

    def put_together(self) -> None:
        """Put the parts together: the content with the widths that are known by now."""
        with TemporaryFile("w+b", prefix="flatledger-") as whole:
            self._pack(whole)
            self.bytes = copy_to(self.target, whole)

    def _pack(self, whole: IO[bytes]) -> None:
        about = parts.meta(self.title, self.about, self.source)
        with ZipFile(whole, "w", ZIP_DEFLATED) as packed:
            packed.writestr(_info("mimetype", ZIP_STORED), parts.MIME_TYPE)
            with packed.open(_info("content.xml"), "w", force_zip64=True) as content:
                content.write(parts.content_start(self._styles.xml()).encode())
                self._body.seek(0)
                for line in self._body:
                    content.write(self._columns.get(line, line))
                content.write(parts.content_end(self._ranges).encode())
            for name, text in (
                ("styles.xml", parts.styles(landscape=self.wide, named=self.several)),
                ("meta.xml", about),
                ("settings.xml", parts.settings(self._frozen)),
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
