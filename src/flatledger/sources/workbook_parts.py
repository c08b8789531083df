"""What is in the parts of a workbook beside the values of its cells: sheets, names, hidden rows,
errors, and how large it is.

The parts are those of ECMA-376 (Office Open XML) and of OASIS OpenDocument 1.3.
"""

from __future__ import annotations

import io
import posixpath
import re
from collections.abc import Iterator
from functools import cached_property
from typing import Any, NamedTuple
from zipfile import BadZipFile, ZipFile
from zlib import error as ZlibError  # noqa: N812 (an exception)

from lxml import etree

from ..bounds import MOST_SPARSE
from ..errors import SourceError
from ..values.literals import iso_duration

Area = tuple[int, int, int, int]  # first row, first column, and those after the last; from 0
_CHUNK = 1 << 20
_AREA = re.compile(r"\$?([A-Z]{1,3})\$?([0-9]{1,7})(?::\$?([A-Z]{1,3})\$?([0-9]{1,7}))?", re.I)
_FAR_DOWN = re.compile(rb' r="([0-9]{4,9})"')
_FAR_RIGHT = re.compile(rb' r="([A-Z]{2,3})[0-9]')
_ERROR, _HIDDEN = b't="e"', b'hidden="'
_MOST_ROWS = 1_048_576
_SMALL = 1 << 16  # bytes of a packed part that can't become large
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_STYLE = "{urn:oasis:names:tc:opendocument:xmlns:style:1.0}"
_NUMBER = "{urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0}"
_DURATION = re.compile(r"PT[0-9]{1,7}H[0-9]{1,2}M[0-9]{1,2}(?:\.[0-9]{1,9})?S")
_CALC = "{urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0}"
_LINK = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_DAMAGED = (
    BadZipFile,
    ZlibError,
    EOFError,
    KeyError,
    ValueError,
    NotImplementedError,
    RuntimeError,
)


class Marks(NamedTuple):
    """The hidden rows of a sheet, the cells that hold an error, and of OpenDocument the texts of
    cells that python-calamine has otherwise: those with tabs, and durations. Counted from 0."""

    hidden: frozenset[int]
    errors: dict[tuple[int, int], str]
    texts: dict[tuple[int, int], str]


def area_of(text: str) -> Area | None:
    """The area that a text such as A4:H90 names; None where it is none.

    >>> area_of("B2:C10"), area_of("Stores")
    ((1, 1, 10, 3), None)
    """
    found = _AREA.fullmatch(text.rpartition("!")[2].rpartition(".")[2] or text)
    if found is None:
        return None
    left, top = _column(found[1]), int(found[2]) - 1
    right, bottom = _column(found[3] or found[1]), int(found[4] or found[2]) - 1
    return min(top, bottom), min(left, right), max(top, bottom) + 1, max(left, right) + 1


def _column(letters: str) -> int:
    number = 0
    for letter in letters.upper():
        number = 26 * number + ord(letter) - 64
    return number - 1


class Parts:
    """The parts of a packed workbook. Raises SourceError where it is none, or too large."""

    def __init__(self, packed: bytes, name: str, largest: int) -> None:
        self.name = name
        try:
            self._zip = ZipFile(io.BytesIO(packed))
            self._names = set(self._zip.namelist())
            self._check(largest)
        except _DAMAGED as error:
            raise SourceError(f"{name}: this workbook is damaged ({error})") from None
        self._office = "[Content_Types].xml" in self._names and bool(
            self._related("", "/worksheet")
        )
        if not self._office and "content.xml" not in self._names:
            raise SourceError(f"{name} is a ZIP file, but no workbook (XLSX, XLSM, ODS)")

    def _check(self, largest: int) -> None:
        """No more is unpacked than may be. What a part's size is said to be holds when it is read:
        a part of another size is damaged."""
        if sum(part.file_size for part in self._zip.infolist()) > largest:
            raise SourceError(
                f"{self.name} has more than {largest >> 20:,} MB when it is unpacked; "
                "`largest-unpacked` under `source` allows more"
            )

    def _check_sizes(self, sheet: str) -> None:
        """Raise SourceError where a part that is read beside a sheet has another size than said."""
        sheets = {*self._places.values()} if self._office else {sheet}
        for part in self._zip.infolist():
            if part.compress_size > _SMALL and part.filename not in sheets:
                self._read(part.filename)

    def _read(self, name: str) -> bytes:
        try:
            return self._zip.read(name)
        except _DAMAGED as error:
            raise SourceError(f"{self.name}: this workbook is damaged ({error})") from None

    def _xml(self, name: str) -> Any:
        parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True)
        try:
            return etree.fromstring(self._read(name), parser)
        except etree.XMLSyntaxError as error:
            raise SourceError(f"{self.name}: this workbook is damaged ({error})") from None

    # ---- its sheets

    @cached_property
    def sheet_names(self) -> list[str]:
        """The names of its sheets that have cells, in their order."""
        return [name for name, _ in self._sheets]

    def first_sheet(self) -> str:
        """The first sheet that is not hidden, or else the first. Raises SourceError."""
        if not self._sheets:
            raise SourceError(f"{self.name}: the workbook has no sheet with cells")
        return next((name for name, hidden in self._sheets if not hidden), self._sheets[0][0])

    @cached_property
    def _sheets(self) -> list[tuple[str, bool]]:
        if not self._office:
            return [(name, hidden) for name, hidden in self._tables()]
        return [
            (one.get("name", ""), one.get("state", "visible") != "visible")
            for one in _named(self._book, "sheet")
            if one.get(_LINK) in self._places
        ]

    @cached_property
    def _workbook(self) -> str:
        found = self._related("", "/officeDocument")
        if not found:
            raise SourceError(f"{self.name} is a ZIP file, but no workbook (XLSX, XLSM, ODS)")
        return next(iter(found.values()))

    @cached_property
    def _book(self) -> Any:
        return self._xml(self._workbook)

    @cached_property
    def _places(self) -> dict[str, str]:
        """The part of each sheet, by the link to it."""
        return self._related(self._workbook, "/worksheet")

    def _related(self, part: str, kind: str) -> dict[str, str]:
        """The parts of one kind that a part is related to, by their links."""
        folder, name = posixpath.split(part)
        place = posixpath.join(folder, "_rels", f"{name}.rels")
        if kind == "/worksheet" and not part:
            part = next(iter(self._related("", "/officeDocument").values()), "")
            return self._related(part, kind) if part else {}
        if place not in self._names:
            return {}
        return {
            one.get("Id", ""): posixpath.normpath(
                posixpath.join("/", folder, one.get("Target", ""))
            ).lstrip("/")
            for one in self._xml(place)
            if one.get("Type", "").endswith(kind)
        }

    def named_areas(self) -> dict[str, tuple[str, Area]]:
        """The sheet and the cells of each named range and table."""
        found: dict[str, tuple[str, Area]] = {}
        for name, sheet, text in self._area_texts():
            area = area_of(text)
            if area is not None and sheet in self.sheet_names:
                found[name] = (sheet, area)
        return found

    def _area_texts(self) -> Iterator[tuple[str, str, str]]:
        if not self._office:
            content = self._xml("content.xml")
            for kind, key in (
                ("named-range", "cell-range-address"),
                ("database-range", "target-range-address"),
            ):
                for one in content.iter(f"{_TABLE}{kind}"):
                    whole = one.get(f"{_TABLE}{key}", "")
                    sheet = whole.partition(":")[0].rpartition(".")[0]
                    cells = whole.replace(f"{sheet}.", "").replace(".", "")
                    yield one.get(f"{_TABLE}name", ""), sheet.strip("$'"), cells
            return
        for one in _named(self._book, "definedName"):
            sheet, _, cells = (one.text or "").rpartition("!")
            yield one.get("name", ""), sheet.strip("'").replace("''", "'"), cells
        for sheet, part in self._sheet_parts().items():
            for table in self._related(part, "/table").values():
                root = self._xml(table)
                yield root.get("displayName", root.get("name", "")), sheet, root.get("ref", "")

    def _sheet_parts(self) -> dict[str, str]:
        return {
            one.get("name", ""): self._places[one.get(_LINK)]
            for one in _named(self._book, "sheet")
            if one.get(_LINK) in self._places
        }

    # ---- what is marked in a sheet

    def marks(self, sheet: str, *, hidden: bool) -> Marks:
        """What is marked in a sheet, with its hidden rows where they are asked for.

        Raises SourceError where it would take too much memory for the few cells that it holds.
        """
        if not self._office:
            return self._table_marks(sheet)
        part = self._sheet_parts()[sheet]
        self._check_sizes(part)
        data = self._read(part)
        self._check_reach(data)
        if _ERROR not in data and not (hidden and _HIDDEN in data):
            return Marks(frozenset(), {}, {})
        return _sheet_marks(data)

    def _check_reach(self, data: bytes) -> None:
        letters = {*_FAR_RIGHT.findall(data)}
        columns = max((_column(one.decode()) + 1 for one in letters), default=26)
        if columns * _MOST_ROWS <= MOST_SPARSE:
            return
        rows = max(map(int, _FAR_DOWN.findall(data)), default=999)
        if rows * columns > MOST_SPARSE:
            self._refuse_sparse(rows, columns, data.count(b"<c ") + data.count(b":c "))

    def _refuse_sparse(self, rows: int, columns: int, cells: int) -> None:
        if rows * columns > MOST_SPARSE and rows * columns > 20 * cells:
            raise SourceError(
                f"{self.name}: a sheet reaches to row {rows:,} and column {columns:,}, and holds "
                f"{cells:,} cells; remove what stands far off and save it again"
            )

    def _tables(self) -> Iterator[tuple[str, bool]]:
        content = self._xml("content.xml")
        hidden = {
            style.get(f"{_STYLE}name")
            for style in content.iter(f"{_STYLE}style")
            for one in style
            if one.get(f"{_TABLE}display") == "false"
        }
        for table in content.iter(f"{_TABLE}table"):
            yield table.get(f"{_TABLE}name", ""), table.get(f"{_TABLE}style-name") in hidden

    def _table_marks(self, sheet: str) -> Marks:
        """The same for OpenDocument, where rows and cells that are alike stand once."""
        self._check_sizes("content.xml")
        content = self._xml("content.xml")
        hidden, errors = set[int](), dict[tuple[int, int], str]()
        texts: dict[tuple[int, int], str] = {}
        spans = _duration_styles(content)
        rows = columns = cells = 0
        tables = content.iter(f"{_TABLE}table")
        table = next(one for one in tables if one.get(f"{_TABLE}name") == sheet)
        at = 0
        for row in table.iter(f"{_TABLE}table-row"):
            repeated = int(row.get(f"{_TABLE}number-rows-repeated", "1"))
            if row.get(f"{_TABLE}visibility", "visible") != "visible":
                hidden.update(range(at, at + min(repeated, MOST_SPARSE)))
            place = 0
            for cell in row:
                times = int(cell.get(f"{_TABLE}number-columns-repeated", "1"))
                if cell.get(f"{_OFFICE}value-type") is not None:
                    rows, columns = at + repeated, max(columns, place + times)
                    cells += 1
                    if cell.get(f"{_CALC}value-type") == "error":
                        text = "".join(cell.itertext())
                        errors |= {(at, place + n): text for n in range(min(times, 1000))}
                    elif next(cell.iter(f"{_TEXT}tab"), None) is not None:
                        texts[at, place] = _text_of(cell)
                    elif cell.get(f"{_TABLE}style-name") in spans:
                        span = _DURATION.fullmatch(cell.get(f"{_OFFICE}time-value", ""))
                        if span is not None:
                            texts[at, place] = str(iso_duration(span[0]))
                place += times
            at += repeated
        self._refuse_sparse(rows, columns, cells)
        return Marks(frozenset(hidden), errors, texts)


def _duration_styles(content: Any) -> set[str]:
    """The styles of cells that show durations: hours go on beyond a day."""
    shown = {
        one.get(f"{_STYLE}name")
        for one in content.iter(f"{_NUMBER}time-style")
        if one.get(f"{_NUMBER}truncate-on-overflow") == "false"
    }
    styles = content.iter(f"{_STYLE}style")
    return {s.get(f"{_STYLE}name") for s in styles if s.get(f"{_STYLE}data-style-name") in shown}


def _text_of(cell: Any) -> str:
    """The text of a cell of OpenDocument: its paragraphs, with blanks and tabs."""
    return "\n".join("".join(_pieces(paragraph)) for paragraph in cell.iter(f"{_TEXT}p"))


def _pieces(element: Any) -> Iterator[str]:
    yield element.text or ""
    for child in element:
        if child.tag == f"{_TEXT}s":
            yield " " * int(child.get(f"{_TEXT}c", "1"))
        elif child.tag == f"{_TEXT}tab":
            yield "\t"
        else:
            yield from _pieces(child)
        yield child.tail or ""


def _named(root: Any, name: str) -> Iterator[Any]:
    """The elements of a name, whatever prefix it has."""
    yield from root.iter(f"{{*}}{name}")


def _sheet_marks(data: bytes) -> Marks:
    """The hidden rows and the errors of a sheet of Office Open XML."""
    hidden, errors = set[int](), dict[tuple[int, int], str]()
    row = column = -1
    for event, element in etree.iterparse(
        io.BytesIO(data),
        events=("start", "end"),
        tag=("{*}row", "{*}c"),
        resolve_entities=False,
        no_network=True,
        huge_tree=True,
    ):
        is_row = element.tag.endswith("}row")
        if event == "start" and is_row:
            row, column = int(element.get("r", row + 2)) - 1, -1
            if element.get("hidden") in ("1", "true"):
                hidden.add(row)
        elif event == "start":
            found = _AREA.fullmatch(element.get("r", ""))
            column = _column(found[1]) if found else column + 1
        elif is_row:
            element.clear()
            while element.getprevious() is not None:
                del element.getparent()[0]
        elif element.get("t") == "e":
            errors[row, column] = "".join(element.itertext("{*}v"))
    return Marks(frozenset(hidden), errors, {})
