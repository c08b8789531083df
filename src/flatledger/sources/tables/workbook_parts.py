"""What is in the parts of a workbook beside the values of its cells: sheets, names, hidden rows,
errors, and how large it is. `office_parts` and `opendocument_parts` read it for their formats.
"""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from functools import cached_property
from typing import Any, NamedTuple
from zipfile import BadZipFile, ZipFile
from zlib import error as ZlibError  # noqa: N812 (an exception)

from lxml import etree

from ...bounds import LARGEST_UNPACKED, MOST_SPARSE, SMALL_UNPACKED, SPARSE_TIMES, TIMES_UNPACKED
from ...errors import SourceError

Area = tuple[int, int, int, int]  # first row, first column, and those after the last; from 0
Corner = tuple[int, int]
MOST_ROWS = 1_048_576
_AREA = re.compile(r"\$?([A-Z]{1,3})\$?([0-9]{1,7})(?::\$?([A-Z]{1,3})\$?([0-9]{1,7}))?", re.I)
_SMALL = 1 << 16  # bytes of a packed part that can't become large
_DAMAGED = (
    *(BadZipFile, ZlibError, EOFError, KeyError, ValueError),
    *(NotImplementedError, RuntimeError),
)


class Marks(NamedTuple):
    """The hidden rows of a sheet; the cells that hold an error; the texts of cells that
    python-calamine has otherwise; the areas of merged cells, where it has none; the numbers that it
    takes for texts; and how many formulas have no stored value. From 0."""

    hidden: frozenset[int] = frozenset()
    errors: dict[Corner, str] = {}  # noqa: RUF012 (of a tuple)
    texts: dict[Corner, str] = {}  # noqa: RUF012
    merged: tuple[tuple[Corner, Corner], ...] = ()
    numbers: dict[Corner, float] = {}  # noqa: RUF012
    unvalued: int = 0


def area_of(text: str) -> Area | None:
    """The area that a text such as A4:H90 names; None where it is none.

    >>> area_of("B2:C10"), area_of("Stores")
    ((1, 1, 10, 3), None)
    """
    found = _AREA.fullmatch(text.rpartition("!")[2])
    if found is None:
        return None
    left, top = column_of(found[1]), int(found[2]) - 1
    right, bottom = column_of(found[3] or found[1]), int(found[4] or found[2]) - 1
    return min(top, bottom), min(left, right), max(top, bottom) + 1, max(left, right) + 1


def column_of(letters: str) -> int:
    """The place of a column, from 0, by its letters.

    >>> column_of("A"), column_of("AB")
    (0, 27)
    """
    number = 0
    for letter in letters.upper():
        number = 26 * number + ord(letter) - 64
    return number - 1


def place_of(cell: str) -> int | None:
    """The place of the column of a cell such as AB7; None where that is none."""
    found = _AREA.fullmatch(cell)
    return column_of(found[1]) if found else None


class Parts:
    """The parts of a packed workbook. Raises SourceError where they are damaged, or too large."""

    def __init__(self, packed: bytes, name: str, largest: int) -> None:
        """``largest`` are the bytes that are made of it at the most; 0: by its size."""
        self.name = name
        usual = max(SMALL_UNPACKED, TIMES_UNPACKED * len(packed))
        self._largest = largest or min(usual, LARGEST_UNPACKED)
        try:
            self._zip = ZipFile(io.BytesIO(packed))
        except _DAMAGED as error:
            raise self.damaged(error) from None
        self.names = set(self._zip.namelist())
        self.check_made(sum(part.file_size for part in self._zip.infolist()), "when unpacked")

    def damaged(self, error: Exception) -> SourceError:
        """What to say of a workbook that can't be read."""
        return SourceError(f"{self.name}: this workbook is damaged ({error})")

    def check_made(self, size: int, what: str) -> None:
        """Raise SourceError where more would be made of the workbook than may be. What a part's
        size is said to be holds when it is read: a part of another size is damaged."""
        if size > self._largest:
            raise SourceError(
                f"{self.name} has {size >> 20:,} MB {what}, and {self._largest >> 20:,} are the "
                "most; `largest-unpacked` under `source` says how many it may have"
            )

    def check_sizes(self, without: set[str]) -> None:
        """Raise SourceError where a part that is read beside a sheet has another size than said."""
        for part in self._zip.infolist():
            if part.compress_size > _SMALL and part.filename not in without:
                self.read(part.filename)

    def read(self, name: str) -> bytes:
        """The bytes of a part."""
        try:
            return self._zip.read(name)
        except _DAMAGED as error:
            raise self.damaged(error) from None

    def xml(self, name: str) -> Any:
        """The elements of a part."""
        parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True)
        try:
            return etree.fromstring(self.read(name), parser)
        except etree.XMLSyntaxError as error:
            raise self.damaged(error) from None

    def refuse_sparse(self, rows: int, columns: int, cells: int) -> None:
        """Raise SourceError where a sheet would take too much memory for the few cells it holds."""
        if rows * columns > MOST_SPARSE and rows * columns > SPARSE_TIMES * cells:
            raise SourceError(
                f"{self.name}: a sheet reaches to row {rows:,} and column {columns:,}, and holds "
                f"{cells:,} cells; remove what stands far off and save it again"
            )

    # ---- what a format says

    def sheets(self) -> Iterator[tuple[str, bool]]:
        """The name of each sheet that has cells, and whether it is hidden."""
        raise NotImplementedError

    def area_texts(self) -> Iterator[tuple[str, str, str]]:
        """The name of each named range and table, its sheet, and the text of its area."""
        raise NotImplementedError

    def marks(self, sheet: str, *, hidden: bool) -> Marks:
        """What is marked in a sheet, with its hidden rows where they are asked for.

        Raises SourceError where it would take too much memory for the few cells that it holds.
        """
        raise NotImplementedError

    def without_blanks(self) -> bytes | None:
        """The workbook in a form that is read where it was not; None where there is none such."""
        return None

    # ---- the same for all

    @cached_property
    def _sheets(self) -> list[tuple[str, bool]]:
        return list(self.sheets())

    @property
    def sheet_names(self) -> list[str]:
        """The names of its sheets that have cells, in their order."""
        return [name for name, _ in self._sheets]

    def first_sheet(self) -> str:
        """The first sheet that is not hidden, or else the first. Raises SourceError."""
        if not self._sheets:
            raise SourceError(f"{self.name}: the workbook has no sheet with cells")
        return next((name for name, hidden in self._sheets if not hidden), self._sheets[0][0])

    def named_areas(self) -> dict[str, tuple[str, Area]]:
        """The sheet and the cells of each named range and table."""
        found: dict[str, tuple[str, Area]] = {}
        for name, sheet, text in self.area_texts():
            area = area_of(text)
            if area is not None and sheet in self.sheet_names:
                found[name] = (sheet, area)
        return found
