"""Whether a finished file holds what was written: read again by another reader, cell by cell, and
added up again (docs/rules.md, 18)."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal
from itertools import islice, zip_longest
from typing import Any, BinaryIO

from msgspec.structs import replace

from ...errors import OutputError
from ...layout.model.column import Column
from ...layout.model.model import SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.protocols import Row, RowStore, StackedRow, TotalRow
from ...structure.survey import LEVEL, TOTAL
from ...values.formulas import looks_like_formula
from ...values.functions import text_of
from ...values.literals import Interval, iso_duration
from ...values.numbers import EXACT, read_decimal
from ..cells.arranging import Arrangement
from ..cells.cell_values import DIGITS, LONGEST, too_long
from ..cells.digits import Digits
from ..cells.finishing import Finisher, formatting, without_pattern
from ..cells.writer import Among
from .read_back import Shown, ending_of, has_headings, rows_of

_WORKBOOKS = ("xlsx", "ods")
_GUARDED = ("csv", "tsv")
_NAMED = ("csv", "tsv")  # where columns by level come after the name of the level
_LOSSY = ("ods", "html", "markdown")  # control characters can't stand in them
_MILLISECOND = dt.timedelta(milliseconds=1)


class Verifier:
    """Keeps the rows that are given to the outputs, and holds a finished file against them."""

    def __init__(
        self, layout: SettledLayout, columns: Sequence[ColumnPlan], store: RowStore
    ) -> None:
        self._layout, self._store = layout, store
        self._plans, self._columns = columns, [one.column for one in columns]
        self._finisher = Finisher([without_pattern(one) for one in columns], layout.locale)
        self._kept: list[Callable[[], Iterator[Row]]] = []

    def look_at(self, rows: list[Row]) -> None:
        """Keep some rows, as they are given to the outputs."""
        self._kept.append(self._store.keep(rows))

    def verified(
        self, file: BinaryIO, name: str, format: str, among: Among | None = None
    ) -> tuple[list[str], str]:
        """What is wrong with a file, and what to say of it where nothing is; ``among`` says which
        of several tables in it is meant."""
        sheets, typed = format in _WORKBOOKS, format.startswith("json")
        texts = not (sheets or typed)
        digits = Digits(() if typed else self._plans, sheets=sheets)
        unsure = [place for place, one in enumerate(self._columns) if texts and _is_unsure(one)]
        unsure = [] if format == "html" else unsure  # which has the values beside
        check = _Check(self._layout, self._columns, digits, unsure, format)
        reader = ""
        try:
            check.end(ending_of(file, format, self._layout, among))
            reader, rows = rows_of(file, format, self._layout, among)
            if has_headings(format, self._layout):
                check.headings(list(islice(rows, len(self._layout.header_rows))))
            rows = self._put_back(rows, format, check)
            for number, (expected, got) in enumerate(zip_longest(self._rows(), rows), 1):
                if got is None and sheets and expected is not None and _is_blank(expected):
                    got = [None] * len(expected)  # a sheet ends with its last filled row
                check.row(number, expected, got)
        except OutputError:
            raise
        except Exception as error:  # whatever a reader that is not ours says of it
            return [f"{name} can't be read again: {type(error).__name__}: {str(error)[:200]}"], ""
        rows_are = "1 row as it was" if check.rows == 1 else f"{check.rows:,} rows as they were"
        of = f" of {among.name}" if among is not None else ""
        said = f"{name} was read again by {reader}: {rows_are} written{of}"
        if unsure:
            names = ", ".join(self._columns[place].title for place in unsure)
            said += f"; not verified, since their patterns can't be read back: {names}"
        columns = (one for one in self._layout.columns if not one.further_of)
        hidden = [column.heading for column in columns if column.suppressed]
        if hidden:
            said += f"; not verified, since they are not written: {', '.join(hidden)}"
        return [f"{name}: {one}" for one in check.wrong()], said

    def _put_back(
        self, rows: Iterator[list[Any]], format: str, check: _Check
    ) -> Iterator[list[Any]]:
        """The cells of rows whose columns are those of their level, as they stand in the table."""
        arrangement = Arrangement(self._layout, named=format in _NAMED)
        if not arrangement.active:
            yield from rows
            return
        rows = iter(rows)
        for row in self._rows():
            if arrangement.headed(row):
                check.headings(list(islice(rows, len(self._layout.header_rows))))
            count = len(arrangement.parts(row))
            read = list(islice(rows, count))
            if len(read) < count:
                return
            found = arrangement.back(row, read)
            yield [cell for one in read for cell in one] if found is None else found
        yield from rows

    def _rows(self) -> Iterator[Row]:
        for kept in self._kept:
            rows = list(kept())
            yield from self._finisher.finished(rows) if self._finisher.active else rows


def _is_blank(row: Row) -> bool:
    return not any(cell not in (None, "") for cell in row)


def _is_unsure(column: Column) -> bool:
    """Whether the text of a cell does not tell its value."""
    return column.format is not None


class _Check:
    """Holds rows against those that were read, and adds up both."""

    def __init__(
        self,
        layout: SettledLayout,
        columns: list[Column],
        digits: Digits,
        unsure: list[int],
        format: str,
    ) -> None:
        self.rows = 0
        self._output, self._header = layout.output, layout.header_rows
        if layout.by_level and format in _NAMED:
            self._header = tuple(Arrangement(layout, named=True).headings(self._header))
        self._columns, self._digits, self._unsure = columns, digits, set(unsure)
        self._json, self._sheets = format.startswith("json"), format in _WORKBOOKS
        self._texts, self._lossy = not (self._json or self._sheets), format in _LOSSY
        self._guards = format in _GUARDED and layout.output.formula_guard
        locale = layout.locale  # whose patterns these are, where a column says nothing
        own = [replace(one, locale=one.locale or locale or None) for one in columns]
        self._patterns = [formatting(column) for column in own]
        self._ragged = self._sheets or format == "fixed-width"  # blanks at the end of a row
        self._first: dict[int, str] = {}
        self._sums = [[Decimal(0), Decimal(0)] for _ in columns]
        self._lost = ""

    def headings(self, got: list[list[Any]]) -> None:
        """Hold the rows of headings against what they are to be."""
        for expected, row in zip_longest(self._header, got, fillvalue=()):
            for heading, cell in zip_longest(expected, row):
                if not self._same_text(heading or "", cell, Column("")):
                    self._lost = self._lost or f"the heading {heading!r} is read as {cell!r}"

    def row(self, number: int, expected: Row | None, got: list[Any] | None) -> None:
        if expected is None or got is None:
            blank = got is not None and not any(cell not in (None, "") for cell in got)
            if not self._lost and not blank:
                side = (
                    "is not in the file" if got is None else "is in the file, and was not written"
                )
                self._lost = f"row {number:,} {side}"
            return
        self.rows += 1
        self._look_beyond(number, expected, got)
        for place, value in enumerate(expected):
            if place in self._unsure:
                continue
            cell = got[place] if place < len(got) else None
            self._add(place, value, cell)
            if place not in self._first and not self._same(place, value, cell, expected):
                shown = "nothing" if cell is None else repr(cell)[:60]
                written = repr(text_of(value))[:60]
                self._first[place] = (
                    f"the first row that differs is {number:,}: {written} was written, "
                    f"{shown} is read"
                )

    def end(self, wrong: str) -> None:
        """Take in what is wrong with how the file ends; blank where nothing is."""
        self._lost = self._lost or wrong

    def _look_beyond(self, number: int, expected: Row, got: list[Any]) -> None:
        """Whether a row has other cells than it should; of JSON the depth of a total row follows
        them."""
        more = got[len(expected) :]
        due = _members_due(expected) if self._json else []
        if self._ragged:
            more = [cell for cell in more if cell not in (None, "")]
        if more != due:
            lacks = f"lacks `{LEVEL if isinstance(expected, StackedRow) else TOTAL}`"
            what = f"has {_shown_cells(more)} after its cells" if more else lacks
            self._lost = self._lost or f"row {number:,} {what}"
        elif len(got) < len(expected) and not self._ragged:
            self._lost = self._lost or f"row {number:,} has {len(got):,} cells only"

    def _add(self, place: int, value: Any, cell: Any) -> None:
        if isinstance(value, int | Decimal) and not isinstance(value, bool):
            number = self._number(cell)
            self._sums[place][0] = EXACT.add(self._sums[place][0], Decimal(value))
            if number is not None:
                self._sums[place][1] = EXACT.add(self._sums[place][1], number)

    def _number(self, cell: Any) -> Decimal | None:
        if isinstance(cell, str):
            return read_decimal(cell.replace(self._output.decimal_char, "."))
        if isinstance(cell, float):
            return Decimal(repr(cell))
        return Decimal(cell) if isinstance(cell, int | Decimal) else None

    def _same(self, place: int, value: Any, cell: Any, row: Row) -> bool:
        column, pattern = self._columns[place], self._patterns[place]
        if isinstance(cell, Shown) and pattern is not None:
            shown = pattern(value)
            if shown is not None and self._replaced(text_of(shown)) != cell.shown:
                return False
        if value is None:
            nothing = {"", None, column.default, column.null}
            if not isinstance(row, TotalRow):
                nothing.add(self._output.null)
            return cell in nothing
        if isinstance(value, bool):
            return cell is value or (self._texts and cell == str(value).lower())
        if isinstance(value, int | Decimal):
            number = self._number(cell)
            if isinstance(cell, str) and not self._texts and not self._is_long(value):
                return False
            return number in (value, self._digits.shown(place, value, row))
        if isinstance(value, dt.date | dt.time | Interval):
            return _same_moment(value, cell)
        return self._same_text(text_of(value), cell, column)

    def _is_long(self, value: int | Decimal) -> bool:
        """Whether a sheet holds a number as a text, since it has more digits than its numbers."""
        return self._sheets and len(Decimal(value).normalize(EXACT).as_tuple().digits) > DIGITS

    def _same_text(self, text: str, cell: Any, column: Column) -> bool:
        if cell is None:
            return text == ""
        if not isinstance(cell, str):
            return column.default == text and self._number(cell) == read_decimal(text) is not None
        got = cell
        if got == text or self._unguarded(got, text) == text:
            return True
        if column.default == text and self._number(cell) == read_decimal(text) is not None:
            return True
        if self._output.beyond == "continue" and too_long(text):
            return text.startswith(got) and len(got) * 2 >= LONGEST
        plain = self._replaced(text)
        cut = self._output.too_long == "cut" and column.width is not None
        if cut and plain[: column.width].strip() == got:
            return True
        return plain in (self._replaced(got), self._replaced(self._unguarded(got, text)))

    def _unguarded(self, got: str, text: str) -> str:
        """What was read, without the apostrophe that guards a text which may be calculated."""
        return got[1:] if self._guards and got[:1] == "'" and looks_like_formula(text) else got

    def _replaced(self, text: str) -> str:
        """A text without what an output has put otherwise, and counted."""
        output = self._output
        if self._lossy:
            text = "".join(map(_fit, text.replace("\r\n", "\n").replace("\r", "\n")))
        if output.line_break is not None:
            text = text.replace("\r\n", "\n").replace("\r", "\n").replace("\n", output.line_break)
        if output.unencodable == "replace":
            text = text.encode(output.encoding, "replace").decode(output.encoding)
        return text

    def wrong(self) -> list[str]:
        """What differs: a line for each column, and for rows that are on one side only."""
        found = []
        for place, first in self._first.items():
            written, read = self._sums[place]
            plain = (EXACT.normalize(one) for one in (written, read))
            sums = "{:f} was written and {:f} is read; ".format(*plain) if written != read else ""
            found.append(f"{self._columns[place].title}: {sums}{first}")
        return [*found, *([self._lost] if self._lost else [])]


def _shown_cells(cells: list[Any]) -> str:
    """Some cells in a message."""
    return ", ".join(repr(cell)[:40] for cell in cells[:3])


def _fit(letter: str) -> str:
    """A letter as markup holds it; python-calamine passes over tabs."""
    if letter == "\t":
        return ""
    return letter if letter.isprintable() or letter == "\n" else "\ufffd"


def _members_due(row: Row) -> list[Any]:
    """What a row has in JSON besides its cells: how many groups are around it, or its level."""
    if isinstance(row, StackedRow):
        return [row.level]
    if not isinstance(row, TotalRow):
        return []
    return [row.depth, row.aggregate] if row.named else [row.depth]


def _same_moment(value: dt.date | dt.time | Interval, cell: Any) -> bool:
    """Whether a cell is a moment or a duration; workbooks keep milliseconds."""
    if isinstance(cell, str):
        return text_of(value) in (cell, _plain_duration(cell))
    if isinstance(value, Interval):
        spans = cell if isinstance(cell, dt.timedelta) else _span(cell)
        return spans is not None and abs(spans - value.time) < _MILLISECOND
    if isinstance(value, dt.datetime) or isinstance(cell, dt.datetime):
        one, other = (_moment(part) for part in (value, cell))
        return one is not None and other is not None and abs(one - other) < _MILLISECOND
    if isinstance(value, dt.time):
        one_span, other_span = _span(value), _span(cell)
        return None not in (one_span, other_span) and abs(one_span - other_span) < _MILLISECOND  # type: ignore[operator]
    return bool(cell == value)


def _plain_duration(text: str) -> str:
    """A duration as it is usually written; blank where the text is none."""
    try:
        return str(iso_duration(text))
    except ValueError:
        return ""


def _moment(value: Any) -> dt.datetime | None:
    if isinstance(value, dt.datetime):
        return value
    return dt.datetime(value.year, value.month, value.day) if isinstance(value, dt.date) else None


def _span(value: Any) -> dt.timedelta | None:
    if isinstance(value, dt.timedelta):
        return value
    if isinstance(value, dt.datetime):  # a duration of days, as some readers have it
        return value - dt.datetime(1899, 12, 30)
    if isinstance(value, dt.time):
        return dt.datetime.combine(dt.date.min, value) - dt.datetime.min
    return None
