"""The sheet of a form: what stands above the table, its rows, and what comes after them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any
from xml.sax.saxutils import quoteattr

from lxml import etree

from ...errors import OutputError
from ...layout.model.model import PublishedForm
from ...run.protocols import Row
from ..sheets.workbook_cells import CellWriter
from ..sheets.workbook_files import column_letters
from ..sheets.workbook_styles import WorkbookStyles, as_bytes, tag

_MOST_ROWS = 1_048_576
_MARK = b"<!--table-->"
_CELL = re.compile(r"(\$?[A-Z]+)(\$?)(\d+)")
_DRAWN_OUT = (tag("dataValidation"), tag("conditionalFormatting"))
_KEPT = ("ht", "customHeight", "s", "customFormat", "thickTop", "thickBot")


class FormSheet:
    """The first sheet of a form. What is filled below the headings already is never replaced.

    Raises OutputError where something stands in the table's way.
    """

    def __init__(
        self,
        tree: Any,
        form: PublishedForm,
        cells: Sequence[CellWriter],
        styles: WorkbookStyles | None,
    ) -> None:
        self._tree, self._form, self._cells, self._styles = tree, form, cells, styles
        self._row = form.first_row  # the next one
        places = range(form.first_column, form.first_column + len(cells))
        self._letters = [column_letters(place) for place in places]
        self._table = tree.find(tag("sheetData"))
        _number(self._table)
        rows = [row for row in self._table if int(row.get("r")) >= form.first_row]
        self._below = {int(row.get("r")): row for row in rows}
        for row in rows:
            self._table.remove(row)
        self._plain = [self._style_of_column(place) for place in places]
        usual = self._below.get(form.first_row)
        self._height = _attributes(usual)
        self._first = self._own_styles(usual, self._plain)
        self._usual = self._formatted(self._first)
        dimension = tree.find(tag("dimension"))
        if dimension is not None:
            tree.remove(dimension)

    def head(self) -> bytes:
        """The sheet up to the table's first row."""
        return self._halves()[0]

    def tail(self) -> bytes:
        """The sheet from the table's end, ranges that hold its first row drawn out to its last."""
        self._check_merged()
        for part in self._tree.iter(tag("autoFilter")):
            part.set("ref", self.drawn_out(part.get("ref"), self._form.header_row))
        for part in self._tree.iter():
            if part.tag in _DRAWN_OUT:
                part.set("sqref", self.drawn_out(part.get("sqref")))
            elif _is_ranges(part):
                part.text = self.drawn_out(part.text)
        others = b"".join(etree.tostring(row) for _, row in sorted(self._below.items()))
        return others + self._halves()[1]

    def _halves(self) -> tuple[bytes, bytes]:
        mark = etree.Comment("table")
        self._table.append(mark)
        head, _, tail = as_bytes(self._tree).partition(_MARK)
        self._table.remove(mark)
        return head, tail

    # ---- rows

    def rows(self, rows: Iterable[Row]) -> str:
        """The next rows as XML."""
        return "".join(map(self._line, rows))

    def _line(self, row: Row) -> str:
        number = self._row
        if number > _MOST_ROWS:
            raise OutputError(f"a sheet holds {_MOST_ROWS:,} rows; write CSV, or take fewer rows")
        self._row += 1
        there = self._below.pop(number, None)
        styles, attributes, before, after = self._usual, self._height, "", ""
        if there is not None:
            self._check_blank(there)
            styles = self._formatted(self._own_styles(there, self._first))
            attributes = _attributes(there) or self._height
            before, after = self._beside(there)
        cells = "".join(
            [
                one.cell(value, f"{letters}{number}", style)
                for one, value, letters, style in zip(
                    self._cells, row, self._letters, styles, strict=True
                )
            ]
        )
        return f'<row r="{number}"{attributes}>{before}{cells}{after}</row>'

    def _check_blank(self, row: Any) -> None:
        """Nothing may stand where the table goes."""
        for cell in row:
            letters = _letters_of(cell)
            if letters in self._letters and len(cell):
                raise OutputError(
                    f"{self._form.file}: {cell.get('r')} is filled already, and the table would "
                    "go there; clear it, or say in `first-row` where the table begins"
                )

    def _beside(self, row: Any) -> tuple[str, str]:
        """The cells of a row before and after the table's."""
        first, last = (_place_of(one) for one in (self._letters[0], self._letters[-1]))
        texts = [(_place_of(_letters_of(c)), etree.tostring(c, encoding="unicode")) for c in row]
        before = "".join(text for place, text in texts if place < first)
        return before, "".join(text for place, text in texts if place > last)

    # ---- styles

    def _own_styles(self, row: Any, others: list[int]) -> list[int]:
        """The style of each cell of the table that a row has; else what others have there."""
        own = {} if row is None else {_letters_of(c): int(c.get("s", "0")) for c in row}
        pairs = zip(self._letters, others, strict=True)
        return [own.get(letters, other) for letters, other in pairs]

    def _formatted(self, styles: list[int]) -> list[int]:
        """The styles, each with the format of its column's values."""
        if self._styles is None:
            return [0] * len(styles)
        pairs = zip(styles, self._cells, strict=True)
        return [self._styles.formatted(style, cells.format) for style, cells in pairs]

    def _style_of_column(self, place: int) -> int:
        for column in self._tree.iter(tag("col")):
            if int(column.get("min")) <= place <= int(column.get("max")):
                return int(column.get("style", "0"))
        return 0

    # ---- ranges

    def drawn_out(self, ranges: str, start: int | None = None) -> str:
        """Ranges that hold the table's first row (or begin at ``start``), now to its last row."""
        return " ".join(self._to_last(one, start) for one in ranges.split())

    def _to_last(self, text: str, start: int | None) -> str:
        first, _, last = text.partition(":")
        corners = [_CELL.fullmatch(one) for one in (first, last or first)]
        if corners[0] is None or corners[1] is None:
            return text
        top, bottom = int(corners[0][3]), int(corners[1][3])
        left, right = (_place_of(corner[1].strip("$")) for corner in corners if corner)
        ours = right >= self._form.first_column and left <= _place_of(self._letters[-1])
        held = top == start or top <= self._form.first_row <= bottom
        if not ours or not held or bottom >= self._row - 1:
            return text
        return f"{first}:{corners[1][1]}{corners[1][2]}{self._row - 1}"

    def _check_merged(self) -> None:
        """Cells that are one can't hold the values of several."""
        for merged in self._tree.iter(tag("mergeCell")):
            corners = [_CELL.fullmatch(one) for one in merged.get("ref").split(":")]
            rows = [int(corner[3]) for corner in corners if corner]
            places = [_place_of(corner[1]) for corner in corners if corner]
            below = min(rows) < self._row and max(rows) >= self._form.first_row
            last = _place_of(self._letters[-1])
            if below and min(places) <= last and max(places) >= self._form.first_column:
                raise OutputError(
                    f"{self._form.file}: {merged.get('ref')} are merged cells where the table "
                    "would go; part them"
                )


def _number(table: Any) -> None:
    """Number rows and cells that are not, which the standard allows."""
    last_row = 0
    for row in table:
        last_row = int(row.get("r", last_row + 1))
        row.set("r", str(last_row))
        last = 0
        for cell in row:
            last = _place_of(_letters_of(cell)) if cell.get("r") else last + 1
            cell.set("r", f"{column_letters(last)}{last_row}")


def _attributes(row: Any) -> str:
    """What a row says of itself, such as its height."""
    if row is None:
        return ""
    kept = {name: value for name, value in row.items() if name in _KEPT}
    return "".join(f" {name}={quoteattr(value)}" for name, value in kept.items())


def _letters_of(cell: Any) -> str:
    return str(cell.get("r")).rstrip("0123456789")


def _place_of(letters: str) -> int:
    """The place of a column from 1, by its letters.

    >>> _place_of("AB")
    28
    """
    place = 0
    for letter in letters:
        place = place * 26 + ord(letter) - 64
    return place


def _is_ranges(part: Any) -> bool:
    """Whether an extension's part names ranges: the later kinds of formats and choices do so."""
    return isinstance(part.tag, str) and etree.QName(part).localname == "sqref"
