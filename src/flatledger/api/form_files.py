"""Reading a published form: the headings of a CSV file, or of the first sheet of a workbook."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from pathlib import Path
from typing import Any
from zipfile import ZipFile

from ..bounds import LARGEST_UNPACKED, SMALL_UNPACKED, TIMES_UNPACKED
from ..errors import LayoutError, Problem
from ..extras import without_warnings
from ..layout.model.model import FormReference, PublishedForm
from ..outputs.sheets.workbook_files import DAMAGED, WORKBOOK, column_letters
from ..sources.tables.csv_files import csv_rows, delimiter_of
from .files_met import reading

_LOOKED_AT = 100  # rows, for headings
_FEWEST = 2  # filled cells in a row of headings, where any row has so many


def read_form(path: Path, reference: FormReference) -> PublishedForm:
    """The form of a file. Its headings are in the row that is named, or the first of two or more.

    Raises LayoutError where the file can't be read, or a heading is blank or comes twice.
    """
    workbook = path.suffix.lower() == WORKBOOK
    rows = list(_sheet_rows(path)) if workbook else _rows_of_csv(path)
    row = reference.header_row or _header_row(rows)
    cells = rows[row - 1] if 0 < row <= len(rows) else []
    filled = [place for place, cell in enumerate(cells) if cell.strip()]
    if not filled:
        where = f"row {row} is blank" if reference.header_row else "no row of headings was found"
        raise LayoutError(str(path), [Problem(f"{where}; `header-row` says where they are")])
    start = filled[0] if workbook else 0
    headings = cells[start : filled[-1] + 1]
    problems = list(_problems(headings, start, row))
    first = reference.first_row or row + 1
    if first <= row:
        problems.append(Problem(f"row {first} is not below the headings in row {row}"))
    if problems:
        raise LayoutError(str(path), problems)
    delimiter = ""
    if not workbook:
        with reading(path):
            delimiter = delimiter_of(path)
    return PublishedForm(str(path), tuple(headings), row, first, start + 1, delimiter)


def _header_row(rows: list[list[str]]) -> int:
    """The first row with two filled cells or more: above it may be a title. Else the first."""
    filled = [sum(bool(cell.strip()) for cell in row) for row in rows]
    for fewest in (_FEWEST, 1):
        for number, count in enumerate(filled, 1):
            if count >= fewest:
                return number
    return 0


def _problems(headings: list[str], start: int, row: int) -> Iterator[Problem]:
    places: dict[str, str] = {}
    for place, heading in enumerate(headings, start + 1):
        cell = f"{column_letters(place)}{row}"
        if not heading.strip():
            yield Problem(f"the heading in {cell} is blank; give it one")
        elif heading in places:
            yield Problem(f"the heading `{heading}` comes twice, in {places[heading]} and {cell}")
        places.setdefault(heading, cell)


def _rows_of_csv(path: Path) -> list[list[str]]:
    with reading(path):
        return [row for _, row in islice(csv_rows(path), _LOOKED_AT)]


def _sheet_rows(path: Path) -> Iterator[list[str]]:
    """The first rows of a workbook's first sheet, as texts."""
    rows = first_sheet(path).iter_rows(max_row=_LOOKED_AT, values_only=True)
    yield from (["" if value is None else str(value) for value in row] for row in rows)


def check_unpacked(path: Path) -> None:
    """Raise LayoutError for a workbook that would fill the memory, and what opening it raises."""
    with ZipFile(path) as packed:
        size = sum(part.file_size for part in packed.infolist())
    largest = min(max(SMALL_UNPACKED, TIMES_UNPACKED * path.stat().st_size), LARGEST_UNPACKED)
    if size > largest:
        most = largest >> 20
        message = f"the workbook would take {size >> 20:,} MB when unpacked; {most:,} are the most"
        raise LayoutError(str(path), [Problem(message)])


def first_sheet(path: Path) -> Any:
    """The first sheet of a workbook, as openpyxl reads it. Raises LayoutError."""
    from openpyxl import load_workbook

    problem = Problem("this is no workbook (XLSX), is damaged, or a password protects it")
    try:
        check_unpacked(path)
        with without_warnings(), path.open("rb") as file:  # of what is kept all the same
            sheets = load_workbook(file, data_only=True).worksheets
        if sheets:
            return sheets[0]
        problem = Problem("the workbook has no sheet with cells")
    except OSError as error:
        problem = Problem(f"the file can't be read: {error.strerror}")
    except DAMAGED:
        pass
    raise LayoutError(str(path), [problem])
