"""The shape of a table in a sheet, whatever the format of the workbook: levels at which rows fold,
widths, names, and what a sheet can't hold."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any

from ...errors import OutputError
from ...layout.model.column import Column
from ...layout.model.model import LayoutParts, SettledLayout
from ...run.protocols import Row, TotalRow
from ...values.functions import text_of
from ..cells.cell_values import LONGEST, too_long, units

MOST_ROWS = 1_048_576
MOST_COLUMNS = 16_384
_MOST_FOLDED = 7  # levels of outline
_NARROWEST, _WIDEST, _LONGEST_HEADING, _LOOKED_AT = 6, 60, 24, 2_000
LONG_TEXTS = ("Row", "Column", "Part", "Text")  # the headings of their sheet
_UNFIT_FOR_SHEETS = re.compile(r"[\[\]:*?/\\\x00-\x1f\ud800-\udfff\ufffe\uffff]")
_LONGEST_NAME = 31
_RESERVED = ("history",)  # which no sheet may be called
_SURE_PAGE = 64  # those that it holds for certain, whatever the font is replaced by
_WIDE_PAGE = 95  # characters that a page holds upright


def check_columns(layout: LayoutParts, name: str) -> None:
    """Raise OutputError where a sheet can't hold so many columns."""
    if len(layout.written) > MOST_COLUMNS:
        raise OutputError(
            f"{name}: a sheet holds {MOST_COLUMNS:,} columns, and these are "
            f"{len(layout.written):,}; write delimited text, or leave some out"
        )


def sheet_name(text: str, taken: Sequence[str] = ()) -> str:
    """A name that a sheet can have, and that no other has.

    >>> sheet_name("Lines: March/April"), sheet_name("Lines", ["lines"])
    ('Lines- March-April', 'Lines 2')
    """
    plain = _UNFIT_FOR_SHEETS.sub("-", text).strip("' ")[:_LONGEST_NAME].strip("' ") or "Table"
    taken = (*taken, *_RESERVED)
    name, number = plain, 1
    while name.casefold() in {one.casefold() for one in taken}:
        number += 1
        name = f"{plain[: _LONGEST_NAME - len(str(number)) - 1]} {number}"
    return name


class Folding:
    """At which level of outline each row of a table stands; 0 does not fold.

    ``above``: totals stand above what they add up.
    """

    def __init__(self, layout: SettledLayout) -> None:
        subtotals, groups = layout.subtotals, len(layout.group)
        self.above = subtotals.where == "before"
        inner = groups if layout.totals.detail else groups - 1
        self._depths = [depth for depth in subtotals.depths if depth <= inner]
        self.detail = min(len(self._depths), _MOST_FOLDED)

    def level(self, row: Row) -> int:
        if isinstance(row, TotalRow):  # of those around its group it is part
            return min(sum(depth < row.depth for depth in self._depths), self.detail)
        return self.detail


class Widths:
    """How wide the columns of a table are, in characters: as stated, or by the first rows."""

    def __init__(self, columns: Sequence[Column], places: Sequence[int]) -> None:
        """``places`` are where the cells of the columns stand; several may stand below one
        another."""
        self._places = places
        self._stated: dict[int, int] = {}
        self._found = [0] * (max(places, default=-1) + 1)
        for column, place in zip(columns, places, strict=True):
            words = [min(len(column.title), _LONGEST_HEADING), *map(len, column.title.split())]
            self._found[place] = max(self._found[place], *words)
            if column.width is not None:
                self._stated[place] = max(self._stated.get(place, 0), column.width)
        self._left = _LOOKED_AT

    @property
    def count(self) -> int:
        """How many cells a row has."""
        return len(self._found)

    def look_at(self, rows: Sequence[Row]) -> None:
        for row in rows[: self._left]:
            for place, cell in zip(self._places, row, strict=False):
                if cell is not None:
                    self._found[place] = max(self._found[place], _length(cell))
        self._left = max(self._left - len(rows), 0)

    def of(self, place: int) -> int:
        """The width of one column."""
        return self._stated.get(place) or min(max(self._found[place] + 2, _NARROWEST), _WIDEST)

    @property
    def landscape(self) -> bool:
        """Whether a page has to lie on its side to hold them."""
        return self._whole > _WIDE_PAGE

    @property
    def _whole(self) -> int:
        return sum(map(self.of, range(len(self._found))))

    @property
    def scale(self) -> int:
        """To which part of its size, in percent, a sheet shrinks so that a page is as wide."""
        room = _SURE_PAGE * 3 // 2 if self.landscape else _SURE_PAGE
        return max(10, min(100, 100 * room // max(self._whole, 1)))


def _length(cell: Any) -> int:
    text = cell if cell.__class__ is str else text_of(cell)
    return max(map(len, text.split("\n")))


class LongTexts:
    """Texts that no cell holds: refused, or continued on a sheet of their own, as is chosen."""

    def __init__(self, continued: bool) -> None:
        self.continued = continued
        self.parts: list[tuple[int, str, int, str]] = []

    def part(self, text: str, row: int, heading: str) -> str:
        """What of a text goes into its cell. Raises OutputError.

        >>> LongTexts(continued=True).part("x" * 40_000, 2, "Note") == "x" * 32_767
        True
        """
        if not too_long(text):
            return text
        if not self.continued:
            raise OutputError(
                f"row {row:,}, {heading}: a cell holds {LONGEST:,} letters, and this is "
                f"{units(text):,}; `beyond: continue` under `output` puts the rest on a sheet of "
                "its own"
            )
        first, *others = _parts(text)
        self.parts += [(row, heading, number, part) for number, part in enumerate(others, 2)]
        return first

    def notes(self) -> list[str]:
        """What a reader of the workbook should know."""
        if not self.parts:
            return []
        cells = {(row, heading) for row, heading, _, _ in self.parts}
        many = "1 text goes" if len(cells) == 1 else f"{len(cells):,} texts go"
        row, heading, _, _ = self.parts[0]
        return [f"{many} on, on the sheet Long texts; the first is of row {row:,}, {heading}"]


def _parts(text: str) -> Iterator[str]:
    """The text in parts that a cell holds; no character is cut in two."""
    while text:
        end = LONGEST
        while units(text[:end]) > LONGEST:
            end -= max((units(text[:end]) - LONGEST) // 2, 1)
        yield text[:end]
        text = text[end:]
