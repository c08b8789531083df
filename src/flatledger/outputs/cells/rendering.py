"""Typed cells as texts, for outputs that hold nothing else: code lists, patterns, ISO 8601."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from decimal import Decimal
from typing import Any

from ...layout.model.output_options import Output
from ...plan.row_type import ColumnPlan
from ...run.protocols import MarkedRow, PartialRow, Row, TotalRow
from ...values.faults import FaultText
from ...values.functions import text_of
from ...values.numbers import PlainDecimal
from .digits import Digits
from .finishing import Finisher

_AS_THEY_ARE: frozenset[Any] = frozenset({str, int, Decimal, PlainDecimal, FaultText, type(None)})
_PLAIN = ("number", "text", "null", "any")  # kinds that need no more than their own text
_LINE_BREAK = re.compile(r"\r\n|[\r\n]")


class Rendered(str):
    """The text of a value that is none itself."""

    __slots__ = ()


class Rendering:
    """Renders the rows of some columns.

    Where a column's kind is only known from the data, its cells are texts or numbers as a rule;
    `careful` renders also those that are not. ``output`` says how numbers, blanks and line breaks
    are written; line breaks that became something else are counted.
    """

    def __init__(
        self,
        columns: Sequence[ColumnPlan] = (),
        locale: str = "en",
        output: Output | None = None,
    ) -> None:
        output = output or Output()
        self._finisher = Finisher(columns, locale)
        self._digits = Digits(columns)
        self._others = [place for place, one in enumerate(columns) if not _is_plain(one)]
        self._output = output
        usual = (output.null, output.decimal_char, output.line_break) == ("", ".", None)
        self._last: Callable[[Any], Any] | None = None if usual else self._by_dialect
        self._broken = 0

    def rows(self, rows: list[Row]) -> list[Row]:
        """The rows, their cells being texts, numbers, days and nulls."""
        rows = self._digits.fewer(rows)
        if self._finisher.active:
            rows = self._finisher.finished(rows)
        if self._others:
            rows = [_as_texts(row, self._others) for row in rows]
        if self._last is not None:
            rows = [self._written(row) for row in rows]
        return rows

    def changes(self, place: int) -> bool:
        """Whether what is written in a column is more than the text that Python makes of a cell."""
        steps = self._digits.of_row(place), self._finisher.of_row(place)
        return place in self._others or steps != (None, None)

    def of_column(self, place: int) -> Callable[[Any], Any]:
        """What renders the cells of one column, whatever they are."""
        steps = [self._digits.of_row(place), self._finisher.of_row(place), _as_text, self._last]
        made = [step for step in steps if step is not None]

        def render(cell: Any) -> Any:
            for step in made:
                cell = step(cell)
            return cell

        return made[0] if len(made) == 1 else render

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        count = self._broken
        breaks = (
            "1 line break within a cell was"
            if count == 1
            else f"{count:,} line breaks within cells were"
        )
        return [*self._digits.notes(), *([f"{breaks} replaced"] if count else [])]

    def careful(self, rows: list[Row]) -> list[Row]:
        """The rows, each cell that is neither text nor number as its text."""
        return [_as_texts(row, range(len(row))) for row in rows]

    def _written(self, row: Row) -> Row:
        if isinstance(row, TotalRow):  # where nothing stands, nothing is missing
            return row.with_cells(None if one is None else self._by_dialect(one) for one in row)
        if isinstance(row, PartialRow):
            cells = enumerate(row)
            return row.with_cells(
                self._by_dialect(one) if at in row.own else one for at, one in cells
            )
        return tuple(map(self._by_dialect, row))

    def _by_dialect(self, cell: Any) -> Any:
        output = self._output
        if cell is None:
            return output.null or None
        if isinstance(cell, Decimal):
            return cell if output.decimal_char == "." else Rendered(text_of(cell).replace(".", ","))
        if output.line_break is not None and isinstance(cell, str) and _LINE_BREAK.search(cell):
            text, count = _LINE_BREAK.subn(lambda _: output.line_break or "", cell)
            self._broken += count
            return text
        return cell


def _is_plain(plan: ColumnPlan) -> bool:
    """Whether what Python makes of a value is how it is written; of a day that is ISO 8601."""
    return plan.kind in _PLAIN or plan.column.datatype == "date"


def _as_text(cell: Any) -> Any:
    return cell if cell.__class__ in _AS_THEY_ARE else Rendered(text_of(cell))


def _as_texts(row: Row, places: Iterable[int]) -> Row:
    cells = list(row)
    for place in places:
        cells[place] = _as_text(cells[place])
    return row.with_cells(cells) if isinstance(row, MarkedRow) else tuple(cells)
