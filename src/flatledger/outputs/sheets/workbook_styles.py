"""The styles of a workbook: those that its cells have, and the same with a format for values."""

from __future__ import annotations

import copy
from typing import Any

from lxml import etree

MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
PARSER = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True)
_FIRST_OWN = 164  # numbers of formats below it are the standard's (ECMA-376, 18.8.30)


def tag(name: str) -> str:
    """A name of SpreadsheetML in lxml's form."""
    return f"{{{MAIN}}}{name}"


def as_bytes(tree: Any) -> bytes:
    """A part of the file."""
    data: bytes = etree.tostring(tree, xml_declaration=True, encoding="UTF-8", standalone=True)
    return data


class WorkbookStyles:
    """The styles part. ``tree`` is its XML, with what was added."""

    def __init__(self, data: bytes) -> None:
        self.tree = etree.fromstring(data, PARSER)
        self._made: dict[tuple[int, str], int] = {}

    def formatted(self, style: int, code: str | None) -> int:
        """The number of a style with a format; one that has a format already keeps it."""
        cells = self.tree.find(tag("cellXfs"))
        if code is None or cells is None or style >= len(cells):
            return style
        if cells[style].get("numFmtId", "0") != "0":
            return style
        if (style, code) not in self._made:
            made = copy.deepcopy(cells[style])
            made.set("numFmtId", str(self._format(code)))
            made.set("applyNumberFormat", "1")
            cells.append(made)
            cells.set("count", str(len(cells)))
            self._made[style, code] = len(cells) - 1
        return self._made[style, code]

    def _format(self, code: str) -> int:
        """The number of a format; a new one is added."""
        formats = self.tree.find(tag("numFmts"))
        if formats is None:
            formats = etree.Element(tag("numFmts"))
            self.tree.insert(0, formats)  # the first part, as the standard orders them
        for one in formats:
            if one.get("formatCode") == code:
                return int(one.get("numFmtId"))
        number = max([_FIRST_OWN - 1, *(int(one.get("numFmtId")) for one in formats)]) + 1
        etree.SubElement(formats, tag("numFmt"), numFmtId=str(number), formatCode=code)
        formats.set("count", str(len(formats)))
        return number
