"""Tallies: what is known of the values that were added up, and the cell that a total shows."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from ..layout.column import Column
from ..values.aggregates import AGGREGATES
from ..values.numbers import EXACT, QUOTIENT, ValueFaultError, plain, round_to
from .plain_data import FaultText
from .plan import ColumnPlan
from .protocols import Row

Number = int | Decimal


@dataclass(slots=True)
class Tally:
    """The count, sum and extremes of some values, and how many were blank.

    Tallies of two parts merge into the tally of the whole.
    """

    count: int = 0
    sum: Number = 0
    low: Any = None
    high: Any = None
    blank: int = 0
    values: list[Any] = field(default_factory=list)

    def add(self, rows: Iterable[Row], plan: ColumnPlan) -> None:
        """Add a column's cells. Blank ones don't count, nor does a text among numbers (a fault)."""
        place = plan.place
        kind = plan.column.total.kind if plan.column.total else "count"
        cells = [row[place] for row in rows]
        if kind in ("sum", "avg"):
            try:
                self.sum += sum(cells)  # one that is no number, which is rare, ends in the except
            except TypeError:
                cells = [cell for cell in cells if _counts(cell)]
                self.sum += sum(cells)
            self.count += len(cells)
            return
        cells = [cell for cell in cells if _counts(cell)]
        self.count += len(cells)
        if kind == "list" and plan.column.total:
            self._gather(cells, plan.column.total.keeps)
        elif kind in ("min", "max") and cells:
            self._extremes(min(cells), max(cells))

    def _gather(self, cells: list[Any], keeps: str) -> None:
        for cell in cells:
            self.values += cell if cell.__class__ is list else [cell]
        if keeps and len(self.values) > 1:
            try:
                self.values = [AGGREGATES[keeps](self.values, False)]
            except ValueFaultError:  # one of each kind goes on telling that they don't go together
                kinds = {isinstance(v, str) or type(v).__name__: v for v in reversed(self.values)}
                self.values = list(kinds.values())

    def merge(self, other: Tally) -> None:
        """Take in the tally of another part."""
        self.count += other.count
        self.sum += other.sum
        self.blank += other.blank
        self.values += other.values
        self._extremes(other.low, other.high)

    def with_part(self, other: Tally) -> Tally:
        """The tally of this and another part together."""
        whole = Tally()
        whole.merge(self)
        whole.merge(other)
        return whole

    def _extremes(self, low: Any, high: Any) -> None:
        if low is not None and (self.low is None or low < self.low):
            self.low = low
        if high is not None and (self.high is None or high > self.high):
            self.high = high

    def proof(self, kind: str) -> tuple[Any, ...]:
        """What must be equal on both sides of the balance for a kind of total."""
        return {
            "sum": (self.sum,),
            "avg": (self.sum, self.count),
            "count": (self.count,),
            "min": (self.low,),
            "max": (self.high,),
            "list": (self.count,),
        }[kind]

    def cell(self, column: Column) -> Number | None:
        """What a total shows. The sum, mean or extreme of nothing is blank."""
        total = column.total
        assert total is not None
        if total.kind in ("count", "list"):
            return self.count
        if not self.count:
            return None
        value = {"sum": self.sum, "min": self.low, "max": self.high}.get(total.kind)
        if total.kind == "avg":
            value = QUOTIENT.divide(self.sum, self.count)
        if value is not None and column.decimals is not None:
            return round_to(value, Decimal(1).scaleb(-column.decimals, EXACT), column.rounding)
        return plain(value) if isinstance(value, Decimal) else value


def _counts(cell: Any) -> bool:
    """Whether a cell holds a value: it is neither blank nor a fault."""
    return cell is not None and cell.__class__ is not FaultText
