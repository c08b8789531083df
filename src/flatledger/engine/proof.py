"""Both sides of the balance: what came in, added on a walk of its own, and what was written."""

from __future__ import annotations

from decimal import Decimal
from operator import itemgetter
from typing import Any

from ..values.numbers import round_to
from .balance import ColumnBalance
from .grouping import Summary, Tallies
from .levels import level_name
from .plan import ColumnPlan, Plan
from .protocols import Row
from .totals import Tally


class Proof:
    """Watches a run and states, for each totalled column, both of its sums.

    The rows that it is shown last are those that are written: it also rounds the cells of exact
    totals, cuts off keys and marks, and counts.
    """

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.rows = 0
        self.rows_of_totals = 0
        self._columns = plan.totalled
        self._marks = [plan.mark_place(column.home) for column in self._columns]
        self._source = [Tally() for _ in self._columns]
        self._written = [Tally() for _ in self._columns]
        self._overlap = [Tally() for _ in self._columns]
        self._total = [Tally() for _ in self._columns]
        self._cut = [Tally() for _ in self._columns]
        self.rows_cut = 0
        self._rounded: list[Any] = [0] * len(self._columns)
        self._straight: list[Any] = [0] * len(self._columns)
        self._width = len(plan.written)
        self._exact = [c for c in self._columns if _is_exact(c) and not c.column.suppressed]

    # ---- what came in

    def source(self, tallies: list[Tally]) -> None:
        """Take in the weight of some kept records."""
        for own, tally in zip(self._source, tallies, strict=True):
            own.merge(tally)

    def overlap(self, rows: list[Row]) -> None:
        """Add what further groups show of an entry that the whole table counts once."""
        depths = len(self.plan.group)
        for column, mark, tally in zip(self._columns, self._marks, self._overlap, strict=True):
            if mark is not None and self.plan.splits(column.home):
                tally.add([row for row in rows if 0 < row[mark] <= depths], column)

    def cut(self, rows: list[Row]) -> None:
        """Take note of rows that are not taken; each totalled entry has one row."""
        self.rows_cut += len(rows)
        for tally, column in zip(self._cut, self._columns, strict=True):
            tally.add(rows, column)

    # ---- what is written

    def detail_rows(self, rows: list[Row]) -> list[Row]:
        """Count detail rows, each entry once, and make them ready to be written."""
        self.rows += len(rows)
        for index, column in enumerate(self._columns):
            mark = self._marks[index]
            shown = rows if mark is None else [row for row in rows if row[mark] == 0]
            self._written[index].add(shown, column)
        if self._exact:
            rows = [self._round(row) for row in rows]
            for index, column in enumerate(self._columns):
                if column in self._exact:
                    mark = self._marks[index]
                    once = [row for row in rows if mark is None or row[mark] == 0]
                    self._rounded[index] += _sum(once, column)
        self._add_straight(rows)
        if rows and len(rows[0]) > self._width:
            return [row[: self._width] for row in rows]
        return rows

    def _round(self, row: Row) -> Row:
        cells = list(row)
        for column in self._exact:
            if isinstance(cells[column.place], int | Decimal):
                unit = Decimal(1).scaleb(-(column.column.decimals or 0))
                cells[column.place] = round_to(cells[column.place], unit, column.column.rounding)
        return tuple(cells)

    def total_rows(self, rows: list[Row]) -> list[Row]:
        """Count total rows."""
        self.rows_of_totals += len(rows)
        self._add_straight(rows)
        return rows

    def groups(self, summary: Summary) -> None:
        """Without detail the written side is what the groups hold, less their overlap."""
        for group in summary.innermost():
            for written, tally in zip(self._written, group.tallies, strict=True):
                written.merge(tally)
        if not self.plan.group:
            for written, tally in zip(self._written, summary.grand.tallies, strict=True):
                written.merge(tally)
        for index, column in enumerate(self._columns):
            self._written[index].count -= self._overlap[index].count
            self._written[index].sum -= self._overlap[index].sum
            if self._adds_cells(column):  # they come with the rows
                self._written[index].sum = -self._overlap[index].sum

    def summary_row(self, row: Row, innermost: bool) -> Row:
        """Count a row of a summary; the cells of the innermost groups make up the written side."""
        if not innermost:
            return self.total_rows([row])[0]
        self.rows += 1
        self._add_straight([row])
        for index, column in enumerate(self._columns):
            if self._adds_cells(column):
                self._written[index].sum += row[column.place] or 0
            elif column in self._exact and column.place < self._width:
                self._rounded[index] += row[column.place] or 0
        return row

    def _adds_cells(self, plan: ColumnPlan) -> bool:
        """Whether the written side of a summary is the sum of its cells."""
        total = plan.column.total
        adds = total is not None and total.kind == "sum" and not total.exact
        return adds and bool(self.plan.group) and plan.place < self._width

    def total(self, grand: Tallies) -> None:
        """Take note of the grand total, shown or not."""
        self._total = grand.tallies

    def _add_straight(self, rows: list[Row]) -> None:
        for index, column in enumerate(self._columns):
            if column.numeric and column.place < self._width:
                self._straight[index] += _sum(rows, column)

    # ---- the verdict

    def columns(self) -> list[ColumnBalance]:
        """Both sides of every totalled column, and whether they agree."""
        return [self._column(index, column) for index, column in enumerate(self._columns)]

    def _column(self, index: int, plan: ColumnPlan) -> ColumnBalance:
        total = plan.column.total
        assert total is not None
        source, written, grand = self._source[index], self._written[index], self._total[index]
        cut = self._cut[index]
        whole = [source, written.with_part(cut), grand.with_part(cut)]
        agree = len({tally.proof(total.kind) for tally in whole}) == 1
        sides = [tally.proof(total.kind) for tally in (source, written, grand)]
        rounding = None
        if total.exact and total.kind == "sum" and plan.column.decimals is not None:
            rounding = self._rounded[index] - (grand.cell(plan.column) or 0)
        return ColumnBalance(
            heading=plan.column.heading,
            kind=total.kind,
            home=level_name(self.plan.chain.levels[plan.home]),
            source=sides[0][0],
            written=sides[1][0],
            total=sides[2][0],
            count=source.count,
            blank=source.blank,
            overlap=self._overlap[index].sum or None,
            cut=cut.sum or None,
            rounding=rounding or None,
            straight=self._straight[index] if plan.numeric else None,
            balanced=agree,
        )


def _is_exact(plan: ColumnPlan) -> bool:
    total = plan.column.total
    return bool(total and total.exact and plan.column.decimals is not None)


def _sum(rows: list[Row], plan: ColumnPlan) -> Any:
    cells = map(itemgetter(plan.place), rows)
    return sum(cell for cell in cells if cell is not None and not isinstance(cell, str))
