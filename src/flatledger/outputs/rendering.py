"""Typed cells as texts, for outputs that hold nothing else: code lists, patterns, ISO 8601."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from ..plan.plan import ColumnPlan
from ..run.finishing import Finisher
from ..run.protocols import Row, TotalRow
from ..values.functions import text_of

_AS_THEY_ARE: frozenset[Any] = frozenset({str, int, type(None)})
_PLAIN = ("number", "text", "null", "any")  # kinds that need no more than their own text


class Rendering:
    """Renders the rows of some columns.

    Where a column's kind is only known from the data, its cells are texts or numbers as a rule;
    `careful` renders also those that are not.
    """

    def __init__(self, columns: Sequence[ColumnPlan] = (), locale: str = "en") -> None:
        self._finisher = Finisher(columns, locale)
        self._timed = any(column.kind not in _PLAIN for column in columns)

    def rows(self, rows: list[Row]) -> list[Row]:
        """The rows, their cells being texts, numbers and nulls."""
        if self._finisher.active:
            rows = self._finisher.finished(rows)
        return self.careful(rows) if self._timed else rows

    def careful(self, rows: list[Row]) -> list[Row]:
        """The rows, each cell that is neither text nor number as its text."""
        return [_as_texts(row) for row in rows]


def _as_texts(row: Row) -> Row:
    cells = [cell if cell.__class__ in _AS_THEY_ARE else _text(cell) for cell in row]
    return TotalRow(cells) if row.__class__ is TotalRow else tuple(cells)


def _text(cell: Any) -> Any:
    return cell if isinstance(cell, str | Decimal) else text_of(cell)
