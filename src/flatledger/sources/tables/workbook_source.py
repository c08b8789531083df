"""Workbooks (XLSX, XLSM, ODS): a record for each row of a sheet, a range or a table.

The cells are read by python-calamine: it keeps the types that cells have, takes all three formats,
and is some ten times as fast as what is written in Python. What it does not tell (hidden rows, the
names of ranges, cells with an error, how far an almost empty sheet reaches) is read by
`workbook_parts`, where it is wanted.
"""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import Any

from ...errors import SourceError
from ...layout.model.names import proposal
from ...layout.model.source_options import TableReading
from ...values.functions import text_of
from ...values.literals import Interval
from ...values.numbers import Unreadable
from ..files.naming import what_it_is
from ..files.options import Options
from ..files.reading import Bytes
from .dialects import FirstRow, found_header
from .office_parts import OfficeParts
from .opendocument_parts import CONTENT, OpenDocumentParts
from .row_texts import RowBlock
from .tables import TableReader, headings_of, unguarded
from .workbook_parts import Area, Parts, area_of

_BLOCK = 500
_ZIP, _SHOWN = b"PK", 1_000
_FOR_HEADINGS = 100  # rows that are looked at
_ERROR = "is an error of the workbook"


def open_reader(data: Bytes, options: Options) -> TableReader:
    """A reading of some bytes. Raises SourceError."""
    name, stated = data.name, options.table
    if options.records:
        raise SourceError(f"{name}: there is no place within a table; leave out `records`")
    packed = b"".join(data.chunks())
    if not packed.startswith(_ZIP):
        what = what_it_is(packed[:_SHOWN]) or "something else"
        raise SourceError(f"{name} is not a workbook (XLSX, XLSM, ODS), but {what}")
    parts = _parts_of(packed, name, stated.largest_unpacked << 20)
    sheet, area = _place(parts, stated)
    cells = _Cells(parts, packed, sheet, area, stated)
    skipped, header = _header(cells, stated)
    joiner = "." if stated.nested else " "
    above = [
        ["" if (value := _value(cell)) is None else text_of(value) for cell in row]
        for row in cells.rows[skipped : skipped + header]
    ]
    headings, notes, double = headings_of(above, joiner)
    if stated.headings:
        headings, notes, double = list(stated.headings), (), ()
    headings, width = _as_wide(headings, cells, skipped + header, stated)
    if not headings:
        raise SourceError(
            f"{name}: the sheet {sheet} has no headings; name its `range`, or `headings`"
        )
    said = f"sheet {sheet}" + (f", {stated.range}" if stated.range else "")
    if skipped:
        said += f"; headings in row {cells.number(skipped)}"
    blocks = _blocks(cells, skipped + header, width)
    return TableReader(
        name,
        headings,
        unguarded(blocks) if stated.formula_guard else blocks,
        "; ".join([f"a workbook, {said}", *cells.notes, *notes]),
        close=data.close,
        double=double,
        nested=stated.nested,
        texts=False,
        value=_value,
        stated=stated,
        notices=cells.notices,
    )


def _parts_of(packed: bytes, name: str, largest: int) -> Parts:
    parts = OfficeParts(packed, name, largest)
    return OpenDocumentParts(packed, name, largest) if CONTENT in parts.names else parts


def _place(parts: Parts, stated: TableReading) -> tuple[str, Area | None]:
    """The sheet, and the area of it that is stated by its cells or by a name."""
    area, sheet = None, stated.sheet
    if stated.range:
        area = area_of(stated.range)
        if area is None:
            named = parts.named_areas()
            if stated.range not in named:
                known = ", ".join(named) or "none"
                hint = proposal(stated.range, named) or f"; named are {known}"
                raise SourceError(f"{parts.name}: no range or table `{stated.range}`{hint}")
            sheet, area = named[stated.range]
    names = parts.sheet_names
    if sheet and sheet not in names:
        hint = proposal(sheet, names) or f"; there are {', '.join(names)}"
        raise SourceError(f"{parts.name}: no sheet `{sheet}`{hint}")
    return sheet or parts.first_sheet(), area


class _Cells:
    """The cells of a sheet, or of an area of it, row by row as the records have them."""

    def __init__(
        self, parts: Parts, packed: bytes, sheet: str, area: Area | None, stated: TableReading
    ) -> None:
        marks = parts.marks(sheet, hidden=stated.hidden_rows == "drop")
        rows, merged = _read(parts, packed, sheet)
        self.notes: list[str] = []
        self.notices: list[str] = []
        for (row, column), text in marks.errors.items():
            if row < len(rows) and column < len(rows[row]):
                rows[row][column] = Unreadable(text, _ERROR)
        for (row, column), text in marks.texts.items():
            if row < len(rows) and column < len(rows[row]):
                rows[row][column] = text
        for (row, column), number in marks.numbers.items():
            rows[row][column] = number
        if marks.unvalued:
            have = "formula has" if marks.unvalued == 1 else "formulas have"
            what = "is blank here" if marks.unvalued == 1 else "are blank here"
            self.notices.append(
                f"{marks.unvalued:,} {have} no stored value in the workbook, and {what}; open it "
                "where formulas are calculated, and save it again"
            )
        merged = marks.merged or merged
        if merged and stated.fill_merged:
            _fill(rows, merged)
        hidden = marks.hidden if stated.hidden_rows == "drop" else frozenset[int]()
        top, left, bottom, right = area or (0, 0, len(rows), max(map(len, rows), default=0))
        self._numbers = [at + 1 for at in range(top, min(bottom, len(rows))) if at not in hidden]
        self.rows: list[Sequence[Any]] = [
            rows[number - 1][left:right] if area else rows[number - 1] for number in self._numbers
        ]
        dropped = min(bottom, len(rows)) - top - len(self._numbers)
        if dropped > 0:
            rows_are = "1 hidden row is" if dropped == 1 else f"{dropped:,} hidden rows are"
            self.notes.append(f"{rows_are} left out")
        others = [one for one in parts.sheet_names if one != sheet]
        if others and not stated.sheet and not stated.range:
            also = "sheet" if len(others) == 1 else "sheets"
            self.notes.append(f"not read: {also} {', '.join(others)}")

    def number(self, place: int) -> int:
        """The number that a row has in the sheet."""
        return self._numbers[place]


def _read(parts: Parts, packed: bytes, sheet: str) -> tuple[list[list[Any]], Sequence[Any]]:
    """The cells of a sheet, and the areas of its merged ones. Raises SourceError."""
    from python_calamine import CalamineError, CalamineWorkbook

    try:
        try:
            book = CalamineWorkbook.from_filelike(io.BytesIO(packed))
        except CalamineError:
            plainer = parts.without_blanks()
            if plainer is None:
                raise
            book = CalamineWorkbook.from_filelike(io.BytesIO(plainer))
        found = book.get_sheet_by_name(sheet)
        return [*found.to_python(skip_empty_area=False)], found.merged_cell_ranges or ()
    except (CalamineError, OSError, ValueError) as error:
        raise parts.damaged(error) from error


def _fill(rows: list[list[Any]], merged: Sequence[Any]) -> None:
    """Put the value of merged cells into each of them."""
    for (top, left), (bottom, right) in merged:
        value = rows[top][left] if top < len(rows) and left < len(rows[top]) else ""
        for row in rows[top : bottom + 1]:
            row[left : right + 1] = [value] * len(row[left : right + 1])


def _header(cells: _Cells, stated: TableReading) -> tuple[int, int]:
    """How many rows are above the headings, and how many rows of these there are."""
    header = 1 if stated.header_row_count is None else stated.header_row_count
    if stated.headings and stated.header_row_count is None:
        header = 0
    if stated.skip_rows is not None or header != 1:
        return min(stated.skip_rows or 0, len(cells.rows)), header
    first = [
        FirstRow(at, texts)
        for at, row in enumerate(cells.rows[:_FOR_HEADINGS])
        if (texts := _up_to_last([text_of(cell) for cell in row]))
    ]
    return (found_header(first), 1) if first else (0, 0)


def _up_to_last(texts: list[str]) -> list[str]:
    while texts and not texts[-1].strip():
        texts.pop()
    return texts


def _as_wide(
    headings: list[str], cells: _Cells, start: int, stated: TableReading
) -> tuple[list[str], int]:
    """The headings of columns that hold anything, and how many columns these are."""
    rows = cells.rows[start:]
    above = cells.rows[start - 1] if 0 < start <= len(cells.rows) else ()
    used = len(stated.headings)
    if not used:
        named = (at for at, cell in enumerate(above, 1) if cell not in ("", None))
        used = max(named, default=0)
        for row in rows:
            while used < len(row) and any(cell not in ("", None) for cell in row[used:]):
                used += 1
    if not headings and not stated.headings:
        headings = headings_of([[""] * used], " ").names
    return headings[:used], used


def _blocks(cells: _Cells, start: int, width: int) -> Iterator[RowBlock]:
    """The rows below the headings that are not blank."""
    for first in range(start, len(cells.rows), _BLOCK):
        rows, places = [], []
        for at in range(first, min(first + _BLOCK, len(cells.rows))):
            row = cells.rows[at]
            if len(row) != width:
                row = [*row[:width], *[""] * (width - len(row))]
            if row.count("") < width:
                rows.append(row)
                places.append(cells.number(at))
        yield RowBlock(rows, places.__getitem__, even=True, unit="row")


def _value(cell: Any) -> Any:
    """A cell as a record has it: numbers exact, moments by ISO 8601, nothing for a blank."""
    kind = cell.__class__
    if kind is str:
        return cell or None
    if kind is float:
        return int(cell) if cell.is_integer() and abs(cell) < 1e15 else _decimal(cell)
    if kind in (dt.datetime, dt.date, dt.time):
        return cell.isoformat()
    return str(Interval(0, cell, 0)) if kind is dt.timedelta else cell


def _decimal(cell: float) -> Any:
    """The shortest decimal that is this binary number."""
    number = Decimal(repr(cell))
    return int(number) if number == number.to_integral_value() else number
