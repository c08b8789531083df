"""The parts of a workbook of Office Open XML (ECMA-376, part 1): XLSX and XLSM."""

from __future__ import annotations

import io
import posixpath
import re
from collections import Counter
from collections.abc import Iterator
from contextlib import suppress
from functools import cached_property
from typing import Any

from lxml import etree

from ...bounds import MOST_SPARSE, SMALL_UNPACKED, SPARSE_TIMES
from ...errors import SourceError
from .workbook_parts import MOST_ROWS, Corner, Marks, Parts, column_of, place_of

_FAR_DOWN = re.compile(rb"""r\s*+=\s*+["'][A-Za-z]*+([0-9]{4,9})["']""")
_FAR_RIGHT = re.compile(rb"""r\s*+=\s*+["']([A-Za-z]{2,3})[0-9]""")
_SHARED, _SHARED_END = "xl/sharedstrings.xml", re.compile(rb"</(?:[\w.-]++:)?si\s*+>")
_ERROR, _HIDDEN = b't="e"', b'hidden="'
_ODD = re.compile(
    rb"v>\s|\s</(?:\w++:)?v>|<(?:\w++:)?f\b[^<>]*+(?:(?<=/)>|>[^<]*+</(?:\w++:)?f>)\s*+</"
)
_LINK = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_DOCUMENT, _SHEET, _TABLE = "/officeDocument", "/worksheet", "/table"


class OfficeParts(Parts):
    """The parts of a workbook (Parts)."""

    @cached_property
    def _workbook(self) -> str:
        found = self._related("", _DOCUMENT)
        if not found:
            raise SourceError(f"{self.name} is a ZIP file, but no workbook (XLSX, XLSM, ODS)")
        return next(iter(found.values()))

    @cached_property
    def _book(self) -> Any:
        return self.xml(self._workbook)

    @cached_property
    def _parts(self) -> dict[str, str]:
        """The part of each sheet that has cells, by its name."""
        places = self._related(self._workbook, _SHEET)
        return {
            one.get("name", ""): places[one.get(_LINK)]
            for one in self._book.iter("{*}sheet")
            if one.get(_LINK) in places
        }

    def _related(self, part: str, kind: str) -> dict[str, str]:
        """The parts of one kind that a part is related to, by their links."""
        folder, name = posixpath.split(part)
        place = posixpath.join(folder, "_rels", f"{name}.rels")
        if place not in self.names:
            return {}
        return {
            one.get("Id", ""): posixpath.normpath(
                posixpath.join("/", folder, one.get("Target", ""))
            ).lstrip("/")
            for one in self.xml(place)
            if one.get("Type", "").endswith(kind)
        }

    def sheets(self) -> Iterator[tuple[str, bool]]:
        for one in self._book.iter("{*}sheet"):
            if one.get("name", "") in self._parts:
                yield one.get("name", ""), one.get("state", "visible") != "visible"

    def area_texts(self) -> Iterator[tuple[str, str, str]]:
        for one in self._book.iter("{*}definedName"):
            sheet, _, cells = (one.text or "").rpartition("!")
            yield one.get("name", ""), sheet.strip("'").replace("''", "'"), cells
        for sheet, part in self._parts.items():
            for table in self._related(part, _TABLE).values():
                root = self.xml(table)
                yield root.get("displayName", root.get("name", "")), sheet, root.get("ref", "")

    def marks(self, sheet: str, *, hidden: bool) -> Marks:
        self.check_sizes({*self._parts.values()})
        data = self.read(self._parts[sheet])
        self._check_reach(data)
        self._check_shared(data)
        odd = _ERROR in data or _ODD.search(data) is not None
        if not odd and not (hidden and _HIDDEN in data):
            return Marks()
        return _marks(data)

    def _check_reach(self, data: bytes) -> None:
        letters = {*_FAR_RIGHT.findall(data)}
        columns = max((column_of(one.decode()) + 1 for one in letters), default=26)
        cells = data.count(b"<c ") + data.count(b":c ")
        if columns * MOST_ROWS > MOST_SPARSE and columns * MOST_ROWS > SPARSE_TIMES * cells:
            rows = max(map(int, _FAR_DOWN.findall(data)), default=999)
            self.refuse_sparse(rows, columns, cells)

    def _check_shared(self, data: bytes) -> None:
        """A text that several cells share is made for each of them."""
        part = next((one for one in self.names if one.lower() == _SHARED), None)
        if part is None:
            return
        shared = self.read(part)
        cells = data.count(b"<c") + data.count(b":c")
        longest = max(map(len, _SHARED_END.split(shared)))
        odd = b"<!" in shared or b"\0" in shared[:4] + data[:4]  # which would make texts look short
        if not odd and longest * cells <= SMALL_UNPACKED:
            return
        try:
            lengths = [sum(map(len, one.itertext())) for one in _elements(shared, "{*}si")]
            places = (one.findtext("{*}v") or "" for one in _elements(data, "{*}c", t="s"))
            asked = Counter(place.strip()[:9] for place in places)
        except etree.XMLSyntaxError as error:
            raise self.damaged(error) from None
        found = ((int(place), count) for place, count in asked.items() if place.isdecimal())
        made = sum(lengths[place] * count for place, count in found if place < len(lengths))
        self.check_made(made, "in the texts of its cells")


def _elements(data: bytes, tag: str, **attributes: str) -> Iterator[Any]:
    """The elements of a part with a name, and with such attributes; each is gone after it."""
    ways: dict[str, Any] = {"resolve_entities": False, "no_network": True, "huge_tree": True}
    for _, element in etree.iterparse(io.BytesIO(data), tag=tag, **ways):
        if all(element.get(name) == value for name, value in attributes.items()):
            yield element
        element.clear(keep_tail=False)


def _marks(data: bytes) -> Marks:
    """The hidden rows of a sheet, its errors, the numbers with blanks around them, and how many
    formulas have no value."""
    hidden, errors, numbers = set[int](), dict[Corner, str](), dict[Corner, float]()
    unvalued = 0
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
            place = place_of(element.get("r", ""))
            column = column + 1 if place is None else place
        elif is_row:
            element.clear()
            while element.getprevious() is not None:
                del element.getparent()[0]
        elif element.get("t") == "e":
            errors[row, column] = "".join(element.itertext("{*}v"))
        else:
            value = "".join(element.itertext("{*}v"))
            unvalued += not value and element.find("{*}f") is not None
            if value != value.strip() and element.get("t", "n") == "n":
                with suppress(ValueError):
                    numbers[row, column] = float(value)
    return Marks(frozenset(hidden), errors, numbers=numbers, unvalued=unvalued)
