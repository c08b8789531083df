"""Typed cells as texts, for outputs that hold nothing else: code lists, patterns, ISO 8601."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from decimal import Decimal
from typing import Any

from ..compile.plain_data import FaultText
from ..language.nodes import Call
from ..layout.column import Column
from ..layout.output_options import Output
from ..plan.plan import ColumnPlan
from ..run.protocols import Row, TotalRow
from ..values.functions import text_of
from ..values.numbers import PlainDecimal, round_to
from .finishing import Finisher

_AS_THEY_ARE: frozenset[Any] = frozenset({str, int, Decimal, PlainDecimal, FaultText, type(None)})
_PLAIN = ("number", "text", "null", "any")  # kinds that need no more than their own text
_OF_MEANS = 6
_LINE_BREAK = re.compile(r"\r\n|[\r\n]")


class Rendered(str):
    """The text of a value that is none itself."""

    __slots__ = ()


class Rendering:
    """Renders the rows of some columns.

    Where a column's kind is only known from the data, its cells are texts or numbers as a rule;
    `careful` renders also those that are not. ``output`` says how numbers, blanks and line breaks
    are written; ``broken`` counts the line breaks that became something else.
    """

    def __init__(
        self,
        columns: Sequence[ColumnPlan] = (),
        locale: str = "en",
        output: Output | None = None,
    ) -> None:
        output = output or Output()
        self._finisher = Finisher(columns, locale)
        self._means = [place for place, one in enumerate(columns) if has_means(one.column)]
        self._columns = [one.column for one in columns]
        self._others = [place for place, one in enumerate(columns) if not _is_plain(one)]
        self._output = output
        usual = (output.null, output.decimal_char, output.line_break) == ("", ".", None)
        self._last: Callable[[Any], Any] | None = None if usual else self._by_dialect
        self.broken = 0

    def rows(self, rows: list[Row]) -> list[Row]:
        """The rows, their cells being texts, numbers, days and nulls."""
        if self._finisher.active:
            rows = self._finisher.finished(rows)
        if self._means:
            rows = [self._shortened(row) for row in rows]
        if self._others:
            rows = [_as_texts(row, self._others) for row in rows]
        if self._last is not None:
            rows = [self._written(row) for row in rows]
        return rows

    def careful(self, rows: list[Row]) -> list[Row]:
        """The rows, each cell that is neither text nor number as its text."""
        return [_as_texts(row, range(len(row))) for row in rows]

    def _shortened(self, row: Row) -> Row:
        cells = list(row)
        for place in self._means:
            cells[place] = shortened(cells[place], self._columns[place], row)
        return row.with_cells(cells) if isinstance(row, TotalRow) else tuple(cells)

    def _written(self, row: Row) -> Row:
        if isinstance(row, TotalRow):  # where nothing stands, nothing is missing
            return row.with_cells(None if one is None else self._by_dialect(one) for one in row)
        return tuple(map(self._by_dialect, row))

    def _by_dialect(self, cell: Any) -> Any:
        output = self._output
        if cell is None:
            return output.null or None
        if isinstance(cell, Decimal):
            return cell if output.decimal_char == "." else Rendered(text_of(cell).replace(".", ","))
        if output.line_break is not None and isinstance(cell, str) and _LINE_BREAK.search(cell):
            text, count = _LINE_BREAK.subn(lambda _: output.line_break or "", cell)
            self.broken += count
            return text
        return cell


def has_means(column: Column) -> bool:
    """Whether a column has means, in its total rows at least, that nothing rounds."""
    if column.decimals is not None or column.format is not None:
        return False
    return _is_mean(column) or (column.total is not None and column.total.name == "avg")


def _is_mean(column: Column) -> bool:
    node = column.value.node if column.value is not None else None
    adds = column.total is not None and column.total.name == "sum"  # and is to add up
    return isinstance(node, Call) and node.name == "avg" and not adds


def shortened(cell: Any, column: Column, row: Row) -> Any:
    """A mean as it is written as a text: with six digits after the decimal mark at most."""
    if not isinstance(cell, Decimal) or -int(cell.as_tuple().exponent) <= _OF_MEANS:
        return cell
    is_mean = _is_mean(column) or (isinstance(row, TotalRow) and has_means(column))
    return round_to(cell, Decimal(1).scaleb(-_OF_MEANS)) if is_mean else cell


def _is_plain(plan: ColumnPlan) -> bool:
    """Whether what Python makes of a value is how it is written; of a day that is ISO 8601."""
    return plan.kind in _PLAIN or plan.column.datatype == "date"


def _as_texts(row: Row, places: Iterable[int]) -> Row:
    cells = list(row)
    for place in places:
        if cells[place].__class__ not in _AS_THEY_ARE:
            cells[place] = Rendered(text_of(cells[place]))
    return row.with_cells(cells) if isinstance(row, TotalRow) else tuple(cells)
