"""The parts of a workbook of OASIS OpenDocument 1.3: ODS."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from functools import cached_property
from typing import Any, NamedTuple
from zipfile import ZipFile

from lxml import etree

from ...values.literals import iso_duration
from .workbook_parts import MOST_ROWS, Corner, Marks, Parts

CONTENT, _STYLES = "content.xml", "styles.xml"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_STYLE = "{urn:oasis:names:tc:opendocument:xmlns:style:1.0}"
_NUMBER = "{urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0}"
_CALC = "{urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0}"
_SPAN = re.compile(r"PT([0-9]{1,7})H[0-9]{1,2}M[0-9]{1,2}(?:\.[0-9]{1,9})?S")
_DAY = 24  # hours: a time of so many is a duration, and no time of day
_MOST_CELLS = 1 << 34  # of a sheet: no count is larger
_MOST_ALIKE = 1_000  # cells with one error beside each other
_AREAS = {"named-range": "cell-range-address", "database-range": "target-range-address"}


class _Cell(NamedTuple):
    """A cell that stands at a place, and so many times beside itself."""

    row: int
    column: int
    times: int
    element: Any

    def get(self, name: str) -> str | None:
        found: str | None = self.element.get(name)
        return found


class OpenDocumentParts(Parts):
    """The parts of a workbook (Parts). All sheets are in one part, which is held."""

    @cached_property
    def _content(self) -> Any:
        return self.xml(CONTENT)

    def sheets(self) -> Iterator[tuple[str, bool]]:
        hidden = {
            style.get(f"{_STYLE}name")
            for style in self._content.iter(f"{_STYLE}style")
            for one in style
            if one.get(f"{_TABLE}display") == "false"
        }
        for table in self._content.iter(f"{_TABLE}table"):
            yield table.get(f"{_TABLE}name", ""), table.get(f"{_TABLE}style-name") in hidden

    def area_texts(self) -> Iterator[tuple[str, str, str]]:
        for kind, key in _AREAS.items():
            for one in self._content.iter(f"{_TABLE}{kind}"):
                whole = one.get(f"{_TABLE}{key}", "")
                sheet = whole.partition(":")[0].rpartition(".")[0]
                cells = whole.replace(f"{sheet}.", "").replace(".", "")
                yield one.get(f"{_TABLE}name", ""), sheet.strip("$'"), cells

    def marks(self, sheet: str, *, hidden: bool) -> Marks:
        self.check_sizes({CONTENT})
        tables = self._content.iter(f"{_TABLE}table")
        table = next(one for one in tables if one.get(f"{_TABLE}name") == sheet)
        found = _Found(self._duration_styles())
        for row, repeated, element in _rows(table):
            if element.get(f"{_TABLE}visibility", "visible") != "visible":
                found.hidden.update(range(row, row + min(repeated, MOST_ROWS)))
            for cell in _cells(row, element):
                if cell.get(f"{_OFFICE}value-type") is not None:
                    found.look_at(cell, repeated)
        self.refuse_sparse(found.rows, found.columns, found.cells)
        blanks = (_number(one.get(f"{_TEXT}c")) for one in table.iter(f"{_TEXT}s"))
        self.check_made(found.repeated + sum(blanks), "in the texts of its cells")
        return found.marks()

    def without_blanks(self) -> bytes:
        """The workbook without the white space between its elements, which python-calamine does not
        take between cells."""
        for element in self._content.iter(f"{_TABLE}*"):
            for side in ("text", "tail"):
                if not (getattr(element, side) or "").strip():
                    setattr(element, side, None)
        packed = io.BytesIO()
        with ZipFile(packed, "w") as new:
            for name in ("mimetype", "META-INF/manifest.xml"):
                new.writestr(name, self.read(name))
            new.writestr(CONTENT, etree.tostring(self._content))
        return packed.getvalue()

    def _duration_styles(self) -> set[str]:
        """The styles of cells that show durations: hours go on beyond a day."""
        both = [self._content, *([self.xml(_STYLES)] if _STYLES in self.names else [])]
        shown = {
            one.get(f"{_STYLE}name")
            for part in both
            for one in part.iter(f"{_NUMBER}time-style")
            if one.get(f"{_NUMBER}truncate-on-overflow") == "false"
        }
        styles = (one for part in both for one in part.iter(f"{_STYLE}style"))
        named = f"{_STYLE}data-style-name"
        return {style.get(f"{_STYLE}name") for style in styles if style.get(named) in shown}


class _Found:
    """What is found in the cells of a sheet."""

    def __init__(self, durations: set[str]) -> None:
        self.rows = self.columns = self.cells = 0
        self.repeated = 0  # letters of cells that stand several times
        self.hidden: set[int] = set()
        self._durations = durations
        self._errors: dict[Corner, str] = {}
        self._texts: dict[Corner, str] = {}
        self._merged: list[tuple[Corner, Corner]] = []

    def look_at(self, cell: _Cell, repeated: int) -> None:
        """Look at a cell that holds something, in a row that stands so many times."""
        self.rows = cell.row + repeated
        self.columns = max(self.columns, cell.column + cell.times)
        self.cells += 1
        if (times := cell.times * repeated) > 1:
            self.repeated += times * sum(map(len, cell.element.itertext()))
        corner = cell.row, cell.column
        if cell.get(f"{_CALC}value-type") == "error":
            text = _text_of(cell.element)
            places = range(min(cell.times, _MOST_ALIKE))
            self._errors |= {(cell.row, cell.column + place): text for place in places}
        elif (duration := self._duration(cell)) is not None:
            self._texts[corner] = duration
        elif next(cell.element.iter(f"{_TEXT}tab"), None) is not None:
            self._texts[corner] = _text_of(cell.element)
        down = _number(cell.get(f"{_TABLE}number-rows-spanned"))
        right = _number(cell.get(f"{_TABLE}number-columns-spanned"))
        if down > 1 or right > 1:
            self._merged.append((corner, (cell.row + down - 1, cell.column + right - 1)))

    def _duration(self, cell: _Cell) -> str | None:
        """A duration as ISO 8601 has it; of a time of day none."""
        found = _SPAN.fullmatch(cell.get(f"{_OFFICE}time-value") or "")
        if found is None:
            return None
        is_duration = int(found[1]) >= _DAY or cell.get(f"{_TABLE}style-name") in self._durations
        return str(iso_duration(found[0])) if is_duration else None

    def marks(self) -> Marks:
        return Marks(frozenset(self.hidden), self._errors, self._texts, tuple(self._merged))


def _number(text: str | None) -> int:
    """A count that is said; 1 where none is, and no more than there can be of anything."""
    return min(int((text or "1")[:12]), _MOST_CELLS)


def _rows(table: Any) -> Iterator[tuple[int, int, Any]]:
    """The rows of a table: which it is, how many times it stands there, and its element."""
    at = 0
    for row in table.iter(f"{_TABLE}table-row"):
        repeated = _number(row.get(f"{_TABLE}number-rows-repeated"))
        yield at, repeated, row
        at += repeated


def _cells(row: int, element: Any) -> Iterator[_Cell]:
    place = 0
    for one in element:
        times = _number(one.get(f"{_TABLE}number-columns-repeated"))
        yield _Cell(row, place, times, one)
        place += times


def _text_of(cell: Any) -> str:
    """The text of a cell: its paragraphs, with blanks and tabs."""
    return "\n".join("".join(_pieces(paragraph)) for paragraph in cell.iter(f"{_TEXT}p"))


def _pieces(element: Any) -> Iterator[str]:
    yield element.text or ""
    for child in element:
        if child.tag == f"{_TEXT}s":
            yield " " * _number(child.get(f"{_TEXT}c"))
        elif child.tag == f"{_TEXT}tab":
            yield "\t"
        else:
            yield from _pieces(child)
        yield child.tail or ""
