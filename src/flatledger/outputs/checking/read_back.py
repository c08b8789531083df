"""Finished tables read again by readers that are not ours, row by row.

Delimited text by the standard library's, workbooks by openpyxl and python-calamine, JSON by the
standard library's, pages by lxml, Markdown by markdown-it-py.
"""

from __future__ import annotations

import codecs
import csv
import io
import json
from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal
from itertools import islice
from typing import Any, BinaryIO

from msgspec.structs import replace

from ...errors import OutputError
from ...extras import without_warnings
from ...layout.model.model import SettledLayout
from ...layout.model.output_options import Output
from ..cells.writer import Among

Cells = Iterator[list[Any]]


class Shown(str):
    """A value that is shown as another text (``shown``), by a pattern."""

    __slots__ = ("shown",)
    shown: str

    @classmethod
    def of(cls, value: str, shown: str) -> Shown:
        """Both together."""
        found = cls(value)
        found.shown = shown
        return found


def rows_of(
    file: BinaryIO, format: str, layout: SettledLayout, among: Among | None = None
) -> tuple[str, Cells]:
    """What the file is read with, and its rows as they come; of the one ``among`` several tables.

    Raises OutputError where nothing but ours reads such a file.
    """
    readers: dict[str, tuple[str, Callable[[BinaryIO, SettledLayout], Cells]]] = {
        "csv": ("Python's csv", _delimited),
        "tsv": ("Python's csv", _tabbed),
        "fixed-width": ("the widths of its columns", _fixed),
        "xlsx": ("openpyxl", _xlsx),
        "ods": ("python-calamine", _ods),
        "json": ("Python's json", _json),
        "jsonl": ("Python's json", _json_lines),
        "html": ("lxml", _page),
        "markdown": ("markdown-it-py", _markdown),
    }
    several: dict[str, Callable[[BinaryIO, SettledLayout, Among], Cells]] = {
        "xlsx": _xlsx,
        "ods": _ods,
        "json": _json,
        "html": _page,
    }
    name, read = readers[format]
    file.seek(0)
    return name, read(file, layout) if among is None else several[format](file, layout, among)


_FURTHER = ("Balance", "Faults", "Long texts")  # sheets beside the table
_WITH_HEADINGS = (
    "csv",
    "tsv",
    "xlsx",
    "ods",
    "html",
    "markdown",
)  # whose headings are read again, as rows


def has_headings(format: str, layout: SettledLayout) -> bool:
    """Whether headings come before the rows; a form that is filled has its own."""
    return format in _WITH_HEADINGS and not (format == "xlsx" and _fills_form(layout))


def _fills_form(layout: SettledLayout) -> bool:
    return layout.form is not None and layout.form.workbook


def above(layout: SettledLayout) -> int:
    """How many rows stand above those that are read again."""
    return len(layout.output.preamble)


def check_readable(output: Output, format: str) -> None:
    """Raise OutputError where no reader but ours reads such a file.

    >>> check_readable(Output(delimiter="||"), "csv")
    Traceback (most recent call last):
    flatledger.errors.OutputError: delimiters of several characters and line ends of other kinds \
can't be read again by a reader that is not ours, so that such a file can't be verified
    """
    odd = len(output.delimiter) > 1 or not {*output.line_terminator} <= {"\r", "\n"}
    if format in ("csv", "fixed-width") and odd:
        raise OutputError(
            "delimiters of several characters and line ends of other kinds can't be read again by "
            "a reader that is not ours, so that such a file can't be verified"
        ).typing("leave out --verify")


def ending_of(
    file: BinaryIO, format: str, layout: SettledLayout, among: Among | None = None
) -> str:
    """What is wrong with the way a file ends; blank where nothing is."""
    json_end = b"]\n" if among is None else b"}\n"
    due = {"html": b"</html>", "json": json_end, "jsonl": b"\n", "markdown": b"\n"}
    end = due.get(format, b"")
    if format in ("csv", "tsv", "fixed-width"):
        end = layout.output.line_terminator.encode(layout.output.encoding.removesuffix("-sig"))
        end = end.removeprefix(codecs.BOM_UTF16_LE).removeprefix(codecs.BOM_UTF16_BE)
    size = file.seek(0, io.SEEK_END)
    file.seek(max(0, size - len(end)))
    last = file.read()
    return "" if not size or last == end else f"the file ends with {last!r}, and not as it should"


# ---- texts -----------------------------------------------------------------------------------


def _text(file: BinaryIO, layout: SettledLayout) -> io.TextIOWrapper:
    return io.TextIOWrapper(file, layout.output.encoding, newline="")


def _tabbed(file: BinaryIO, layout: SettledLayout) -> Cells:
    output = replace(layout.output, delimiter="\t")
    return _delimited(file, replace(layout, output=output))


def _delimited(file: BinaryIO, layout: SettledLayout) -> Cells:
    output = layout.output
    text = _text(file, layout)
    rows = csv.reader(
        text,
        delimiter=output.delimiter or ",",
        quotechar=output.quote_char,
        quoting=csv.QUOTE_MINIMAL if output.quote_char else csv.QUOTE_NONE,
        escapechar=output.escape_char or None,
        doublequote=not output.escape_char,
        strict=True,
    )
    yield from islice(rows, above(layout), None)
    text.detach()


def _fixed(file: BinaryIO, layout: SettledLayout) -> Cells:
    text = _text(file, layout)
    for line in islice(text, above(layout) + len(layout.header_rows), None):
        cells, at = [], 0
        for column in layout.written:
            width = column.width or 0
            cells.append(line[at : at + width].strip(" " if column.fill == "0" else column.fill))
            at += width
        yield cells
    text.detach()


# ---- workbooks -------------------------------------------------------------------------------


def _xlsx(file: BinaryIO, layout: SettledLayout, among: Among | None = None) -> Cells:
    from openpyxl import load_workbook
    from openpyxl.utils.escape import unescape

    form = layout.form if _fills_form(layout) else None
    skipped = form.first_row - 1 if form is not None else above(layout)
    with without_warnings():
        book = load_workbook(file, read_only=True, data_only=True)
    for sheet in map(book.__getitem__, _own_sheets(book.sheetnames, layout, among)):
        first = form.first_column if form is not None else 1
        if form is None:
            sheet.reset_dimensions()  # which may say that it ends before its last cell
        for row in sheet.iter_rows(min_row=skipped + 1, min_col=first, values_only=True):
            yield [unescape(cell) if isinstance(cell, str) else cell for cell in row]
        skipped = above(layout) + len(layout.header_rows)  # of a sheet on which the table goes on
    book.close()


def _own_sheets(names: Sequence[str], layout: SettledLayout, among: Among | None) -> Iterator[str]:
    """The sheets of the table: those that it was written to where it is ``among`` several."""
    if among is not None:
        yield from among.sheets
        return
    for name in names:
        if _is_beside(name, names, layout):
            return
        yield name


def _is_beside(name: str, names: Sequence[str], layout: SettledLayout) -> bool:
    """Whether a sheet is one beside that of the table, which goes on only where that is chosen."""
    return name != names[0] and (name in _FURTHER or layout.output.beyond == "refuse")


def _ods(file: BinaryIO, layout: SettledLayout, among: Among | None = None) -> Cells:
    from python_calamine import CalamineWorkbook

    book = CalamineWorkbook.from_filelike(file)
    skipped = above(layout)
    for name in _own_sheets(book.sheet_names, layout, among):
        rows = book.get_sheet_by_name(name).to_python(skip_empty_area=False)
        yield from ([None if cell == "" else cell for cell in row] for row in rows[skipped:])
        skipped = above(layout) + len(layout.header_rows)  # of a sheet on which the table goes on


# ---- documents -------------------------------------------------------------------------------


def _json(file: BinaryIO, layout: SettledLayout, among: Among | None = None) -> Cells:
    whole = json.load(file, parse_float=Decimal, object_pairs_hook=_members)
    for record in whole if among is None else whole[among.name]:
        yield _cells(record, layout)


def _json_lines(file: BinaryIO, layout: SettledLayout) -> Cells:
    for line in file:
        record = json.loads(line, parse_float=Decimal, object_pairs_hook=_members)
        yield _cells(record, layout)


def _members(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """The members of an object, of which none may come twice. Raises ValueError."""
    members = dict(pairs)
    if len(members) < len(pairs):
        raise ValueError("a member comes twice")
    return members


def _cells(record: dict[str, Any], layout: SettledLayout) -> list[Any]:
    """The cells of a row in their order, and what else there is. Raises ValueError."""
    missing = [heading for heading in layout.headings if heading not in record]
    if missing:
        raise ValueError(f"there is no member {missing[0]!r}")
    return [*(record.pop(heading) for heading in layout.headings), *record.values()]


def _page(file: BinaryIO, layout: SettledLayout, among: Among | None = None) -> Cells:
    from lxml import html

    tree: Any = html.parse(file, html.HTMLParser(encoding="utf-8", huge_tree=True), base_url="")
    tree = tree.findall(".//section")[among.place if among is not None else 0]
    for row in tree.iterfind(".//thead/tr"):
        heads = ((cell.find("button"), cell) for cell in row.iterfind("th"))
        yield [(cell if button is None else button).text_content() for button, cell in heads]
    for row in tree.iterfind(".//tbody/tr"):
        yield [
            cell.text_content() if value is None else Shown.of(value, cell.text_content())
            for cell in row  # those of headings, too, which may stand above each family
            for value in [cell.get("data-value")]
        ]


def _markdown(file: BinaryIO, layout: SettledLayout) -> Cells:
    from markdown_it import MarkdownIt

    tokens = MarkdownIt("commonmark", {"html": True}).enable("table").parse(file.read().decode())
    row: list[Any] | None = None
    for token in tokens:
        if token.type == "tr_open":
            row = []
        elif token.type == "inline" and row is not None:
            parts = token.children or []
            row.append("".join("\n" if p.type == "html_inline" else p.content for p in parts))
        elif token.type == "tr_close" and row is not None:
            yield row
            row = None
