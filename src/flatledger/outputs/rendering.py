"""Typed cells as texts, for outputs that hold nothing else: code lists, patterns, ISO 8601."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import Any

from ..compile.plain_data import FaultText
from ..plan.plan import ColumnPlan
from ..run.protocols import Row, TotalRow
from ..values.functions import text_of
from ..values.numbers import PlainDecimal
from .finishing import Finisher

_AS_THEY_ARE: frozenset[Any] = frozenset({str, int, Decimal, PlainDecimal, FaultText, type(None)})
_PLAIN = ("number", "text", "null", "any")  # kinds that need no more than their own text


class Rendering:
    """Renders the rows of some columns.

    Where a column's kind is only known from the data, its cells are texts or numbers as a rule;
    `careful` renders also those that are not.
    """

    def __init__(self, columns: Sequence[ColumnPlan] = (), locale: str = "en") -> None:
        self._finisher = Finisher(columns, locale)
        self._others = [place for place, one in enumerate(columns) if not _is_plain(one)]

    def rows(self, rows: list[Row]) -> list[Row]:
        """The rows, their cells being texts, numbers, days and nulls."""
        if self._finisher.active:
            rows = self._finisher.finished(rows)
        return [_as_texts(row, self._others) for row in rows] if self._others else rows

    def careful(self, rows: list[Row]) -> list[Row]:
        """The rows, each cell that is neither text nor number as its text."""
        return [_as_texts(row, range(len(row))) for row in rows]


def _is_plain(plan: ColumnPlan) -> bool:
    """Whether what Python makes of a value is how it is written; of a day that is ISO 8601."""
    return plan.kind in _PLAIN or plan.column.datatype == "date"


def _as_texts(row: Row, places: Iterable[int]) -> Row:
    cells = list(row)
    for place in places:
        if cells[place].__class__ not in _AS_THEY_ARE:
            cells[place] = text_of(cells[place])
    return tuple(cells) if row.__class__ is tuple else TotalRow(cells)
