"""Blank tables for people who fill them in: headings, an example, and what each column takes."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import msgspec

from ...errors import OutputError
from ...layout.model.column import Column
from ...layout.model.output_options import Output
from ...values.functions import text_of
from ...values.visible import visible
from ..cells.cell_values import CellValues
from ..cells.writer import suffix_of
from ..places.files import Target
from ..sheets.sheet_shape import sheet_name
from ..sheets.workbook_cells import days_in_16_digits
from ..text.delimited import DelimitedWriter

SUFFIXES = (".xlsx", ".csv", ".tsv", ".txt")
_A4 = 9
_ROWS = 1_000  # that are ready to be filled in
_LONGEST_LIST = 255  # characters of a list that stands in the cells' own rule
_CREATED = dt.datetime(2000, 1, 1)
_RULES = {"whole number": "integer", "number": "decimal"}
_FORMATS = {
    "date": "yyyy-mm-dd", "date and time": "yyyy-mm-dd hh:mm:ss", "time": "hh:mm:ss",
    "whole number": "0",
}  # fmt: skip
_COUNTED = ("whole number", "number", "date", "date and time", "time", "duration")
_PLAIN = Column("")
_HEADING = {"bold": True, "text_wrap": True, "bottom": 1, "bg_color": "#E9EDF0"}
_COLUMNS = ("Column", "Type", "May be empty", "Unit", "Allowed values", "Example")


class SpecimenColumn(msgspec.Struct, frozen=True):
    """A column to be filled in: its heading, the type of its values in plain words, whether it may
    be empty, its unit, the values that are allowed (None: any), and an example."""

    heading: str
    type: str
    required: bool = False
    unit: str = ""
    allowed: tuple[str, ...] | None = None
    example: Any = None
    decimals: int | None = None

    def said(self) -> str:
        """What the column takes, in a sentence.

        >>> SpecimenColumn("Qty", "whole number", required=True).said()
        'A whole number. It may not be empty.'
        """
        kind = f"A {self.type}" if self.type in _COUNTED else self.type.capitalize()
        kind = "One of a list" if self.allowed is not None else kind
        unit = f" in {self.unit}" if self.unit else ""
        empty = "It may not be empty." if self.required else "It may be empty."
        return f"{kind}{unit}. {empty}"


def write_specimen(columns: Sequence[SpecimenColumn], target: Target, name: str) -> None:
    """Write a blank table. Raises OutputError."""
    if suffix_of(target.name) == ".xlsx":
        _write_workbook(columns, target, name)
        return
    delimiter = "\t" if suffix_of(target.name) == ".tsv" else ","
    writer = DelimitedWriter(Output(delimiter=delimiter), target)
    writer.header([[one.heading for one in columns]])
    writer.write([tuple(None if c.example is None else text_of(c.example) for c in columns)])


def _write_workbook(columns: Sequence[SpecimenColumn], target: Target, name: str) -> None:
    import xlsxwriter
    from xlsxwriter.exceptions import XlsxWriterException

    packed = io.BytesIO()
    with xlsxwriter.Workbook(packed, {"in_memory": True}) as book:
        book.set_properties({"title": visible(name), "created": _CREATED})
        sheet = book.add_worksheet(sheet_name(name))
        looks = _Looks(book)
        about, lists = book.add_worksheet("Columns"), _Lists(book)
        try:
            for place, column in enumerate(columns):
                _write_column(sheet, place, column, looks, lists)
            _write_about(about, columns, looks)
        except XlsxWriterException as error:
            raise OutputError(f"{target.name}: {error}") from None
        sheet.freeze_panes(1, 0)
        for one in (sheet, about):
            one.set_landscape()
            one.set_paper(_A4)
            one.fit_to_pages(1, 0)
    target.write(packed.getvalue())


class _Looks:
    """The formats of the cells of a workbook."""

    def __init__(self, book: Any) -> None:
        self._book = book
        self.heading = book.add_format(_HEADING)
        self.wrap = book.add_format({"text_wrap": True, "valign": "top"})

    def of(self, column: SpecimenColumn, *, example: bool) -> Any:
        """The format of what is filled into a column, or of its example."""
        code = _FORMATS.get(column.type, "@" if column.type == "text" else "General")
        if column.decimals is not None:
            code = f"0.{'0' * column.decimals}" if column.decimals else "0"
        look = {"italic": True, "font_color": "#5A646E"} if example else {}
        return self._book.add_format({"num_format": code, **look})


class _Lists:
    """Lists of allowed values: in the cells' own rule, or where they are long on a sheet apart."""

    def __init__(self, book: Any) -> None:
        self._book = book
        self._sheet: Any = None
        self._count = 0

    def source(self, allowed: Sequence[str]) -> Any:
        if len(",".join(allowed)) <= _LONGEST_LIST and not any("," in one for one in allowed):
            return list(allowed)
        if self._sheet is None:
            self._sheet = self._book.add_worksheet("Allowed")
            self._sheet.hide()
        for row, one in enumerate(allowed):
            self._sheet.write_string(row, self._count, one)
        from xlsxwriter.utility import xl_range_abs

        cells = xl_range_abs(0, self._count, len(allowed) - 1, self._count)
        self._count += 1
        return f"=Allowed!{cells}"


def _write_column(
    sheet: Any, place: int, column: SpecimenColumn, looks: _Looks, lists: _Lists
) -> None:
    texts = column.heading, text_of("" if column.example is None else column.example)
    width = min(max(12, *(len(text) + 2 for text in texts)), 40)
    sheet.set_column(place, place, width, looks.of(column, example=False))
    sheet.write_string(0, place, column.heading, looks.heading)
    value = CellValues(_PLAIN).of(column.example)
    look = looks.of(column, example=True)
    if isinstance(value, bool):
        sheet.write_boolean(1, place, value, look)
    elif isinstance(value, int | Decimal):
        sheet.write_number(1, place, value, look)
    elif isinstance(value, str):
        sheet.write_string(1, place, value, look)
    elif value is not None:
        sheet.write_number(1, place, days_in_16_digits(value), look)
    rule: dict[str, Any] = {
        "ignore_blank": not column.required,
        "input_title": column.heading[:32],
        "input_message": column.said()[:255],
        "error_message": column.said()[:255],
    }
    if column.allowed:
        rule |= {"validate": "list", "source": lists.source(column.allowed)}
    elif column.type in _RULES:
        bounds = {"criteria": "between", "minimum": -(10**15), "maximum": 10**15}
        rule |= {"validate": _RULES[column.type], **bounds}
    elif column.type == "date":
        earliest = {"criteria": ">=", "value": dt.date(1900, 3, 1)}
        rule |= {"validate": "date", **earliest}
    else:
        rule |= {"validate": "any"}
    sheet.data_validation(1, place, _ROWS, place, rule)


def _write_about(sheet: Any, columns: Sequence[SpecimenColumn], looks: _Looks) -> None:
    """What each column takes, on a sheet of its own."""
    sheet.write_row(0, 0, _COLUMNS, looks.heading)
    for row, one in enumerate(columns, 1):
        empty = "no" if one.required else "yes"
        allowed = ", ".join(one.allowed or ())
        example = "" if one.example is None else text_of(one.example)
        for place, text in enumerate((one.heading, one.type, empty, one.unit, allowed, example)):
            sheet.write_string(row, place, text, looks.wrap)
    for place, width in enumerate((28, 16, 14, 10, 48, 24)):
        sheet.set_column(place, place, width)
