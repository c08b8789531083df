"""From rows as they come to the table: sort, total, limit, and give them to an output."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from operator import itemgetter
from typing import Any

from ..plan.plan import Plan
from ..plan.row_order import grouped_order
from ..plan.row_type import ColumnPlan, KeyPlan, RowType
from ..values.numbers import exactly, round_to, unit_of
from .balance import Balance, Differing
from .families import is_below_first
from .first_only import FirstOnly
from .groups import Groups
from .limiting import Limiter
from .proof import Proof
from .protocols import PartialRow, Row, RunServices, StackedRow
from .sorting import BLOCK, Sorter
from .state import Gathered, RunState
from .tallies import Tallies, is_value
from .totalling import Detail, HeadingMade, Made, TotalMade, TotalRowMaker, group_rows

Rounding = Callable[[Any], Any]
_SMALL = 200  # rows of a block that does not go out by itself


class TableSteps:
    """The steps after the records: rows in, the blocks that an output is given out.

    The proof follows what is given. ``groups`` counts the groups of the table.
    """

    def __init__(
        self,
        plan: Plan,
        state: RunState,
        services: RunServices,
        proof: Proof | None = None,
        row_type: RowType | None = None,
    ) -> None:
        """``row_type`` says what the rows are made of, where that is other than the plan's."""
        self.plan = plan
        self._row_type = row_type or plan.row_type
        self.proof = proof or Proof(plan, state, row_type)
        self._identity = state.identity
        self.groups = 0
        self.detail: Detail | None = None
        self.differing: dict[str, int] = {}
        self._store = services.store
        self._make = TotalRowMaker(plan, services.wording(plan))
        self._cells = itemgetter(slice(len(plan.written)))
        self._whole = self._row_type.lined or plan.row_type.width == len(plan.written)
        self._roundings = list(_roundings(plan))
        self._firsts = FirstOnly(plan, self._row_type)
        self._levels = [*_levels(plan)]

    def gathers(self) -> Gathered | None:
        """What takes in all rows before the first is given; none where they are given as they
        come."""
        if not self.plan.layout.totals.detail:
            return Groups(self.plan)
        keys = order_of_rows(self.plan, self._row_type)
        before = self.plan.layout.subtotals.where == "before" and bool(self.plan.group)
        return Sorter(keys, self._store) if keys or before else None

    def blocks(self, rows: Iterable[list[Row]] | Gathered) -> Iterator[list[Row]]:
        """The table, some rows at a time, total rows among them."""
        if isinstance(rows, Groups):
            steps = self._of_groups(rows)
        elif isinstance(rows, Sorter):
            steps = self._of_detail(rows.blocks)
        else:
            again = iter(rows)
            steps = self._of_detail(lambda: again)
        yield from exactly(steps)

    def complete(self, balance: Balance) -> None:
        """Say in the balance what there is to say of groups."""
        balance.groups = self.groups
        if self.detail is not None:
            balance.reopened = self.detail.reopened
            balance.first_reopened = self.detail.first_reopened
        balance.differing = [Differing(*pair) for pair in self.differing.items()]

    # ---- with detail

    def _of_detail(self, rows: Callable[[], Iterable[list[Row]]]) -> Iterator[list[Row]]:
        detail = self.detail = Detail(self.plan, self._row_type, self._make)
        if self.plan.layout.subtotals.where == "before" and self.plan.group:
            pairs = detail.before(self._taken(rows()), self._taken(rows(), proving=False))
            first = next(pairs, None)
            yield self._grand(detail.whole)
            if first is not None:
                yield self._totals(first[1]) + self._rows(first[0])
            for block, totals in pairs:
                yield self._totals(totals) + self._rows(block)
        else:
            pairs = detail.after(self._taken(rows()))
            yield from _together(self._with_totals(*pair) for pair in pairs)
            yield self._grand(detail.whole)
        self.groups = detail.groups

    def _taken(self, blocks: Iterable[list[Row]], proving: bool = True) -> Iterator[list[Row]]:
        """The rows that are taken, in their order; the others are proved to be the rest."""
        take = self.plan.layout.take
        is_part = is_below_first(self._row_type) if self.plan.stack else None
        limiter = Limiter(take, is_part) if take and take.of == "rows" else None
        for block in blocks:
            taken, left = limiter.split(block) if limiter else (block, [])
            if left and proving:
                self.proof.cut(left)
            yield taken

    def _rows(self, whole: list[Row]) -> list[Row]:
        """Rows as they are given: exact totals' cells rounded, keys and the entry cut off."""
        given = self._given(whole)
        self.proof.detail(given, whole)
        return given

    def _given(self, whole: list[Row]) -> list[Row]:
        """The cells of rows that are written."""
        given = whole if self._whole else list(map(self._cells, whole))
        if self._roundings:
            given = [_rounded(row, self._roundings) for row in given]
        if self._firsts.active:
            given = self._firsts.of(given, whole)
        stacked = self.plan.stack and not self._row_type.lined
        return self._stacked(given, whole) if stacked else given

    def _stacked(self, given: list[Row], whole: list[Row]) -> list[Row]:
        """The same rows, each of which says its level."""
        slot, levels = self._row_type.level_slot, self._levels
        found: list[Row] = []
        for cells, row in zip(given, whole, strict=True):
            name, place, own = levels[row[slot]]
            own = own & cells.own if isinstance(cells, PartialRow) else own
            found.append(StackedRow(cells).at_level(name, place).owning(own))
        return found

    def _with_totals(self, block: list[Row], totals: list[Made]) -> list[Row]:
        """Rows as they are given, and the totals after them."""
        given = self._rows(block) if block else block
        return given + self._totals(totals) if totals else given

    def _totals(self, totals: Sequence[Made]) -> list[Row]:
        for total in totals:
            if isinstance(total, HeadingMade):
                self.proof.heading(total)
            else:
                self.proof.total(total)
        return [row for total in totals for row in _rows_of(total)]

    def _grand(self, tallies: Tallies) -> list[Row]:
        self.proof.grand(tallies)
        if not (self.plan.shows_totals and self.plan.layout.totals.grand_total):
            return []
        return self._totals([self._make.grand(tallies)])

    # ---- without detail

    def _of_groups(self, groups: Groups) -> Iterator[list[Row]]:
        before = self.plan.layout.subtotals.where == "before"
        grand = self._grand(groups.whole) if before else []
        totals = list(group_rows(self.plan, groups, self._make))
        self._identify([one.row for one in totals if isinstance(one, TotalMade) and one.innermost])
        self._totals(totals)
        rows = [row for one in totals for row in self._firsts.of_group(one, _rows_of(one))]
        yield grand + rows if before else rows + self._grand(groups.whole)
        self.groups, self.differing = groups.count, groups.differing()

    def _identify(self, rows: list[Row]) -> None:
        """Take note of the primary keys of the rows of groups."""
        if self._identity is None:
            return
        places = [self.plan.column(heading).slot for heading in self.plan.layout.primary_key]
        for number, row in enumerate(rows, 1):
            self._identity.group([row[at] if at < len(row) else "" for at in places], number)


def _rows_of(total: Made) -> tuple[Row, ...]:
    return total.rows if isinstance(total, TotalMade) else (total.row,)


def _levels(plan: Plan) -> Iterator[tuple[str, int, frozenset[int]]]:
    """What each level of the chain is called, its place in the stack, and the columns that are
    filled on its rows."""
    for at, names in enumerate(plan.chain.levels):
        filled = (one.slot for one in plan.written if plan.row_type.shows(one, at))
        place = plan.stack.index(at) if at in plan.stack else 0
        yield plan.chain.called(names), place, frozenset(filled)


def _together(blocks: Iterable[list[Row]]) -> Iterator[list[Row]]:
    """The rows of blocks, of which small ones come together: an empty one stands for one that is
    held, so that what feeds these steps comes to speak (`TableRun`)."""
    held: list[Row] = []
    for block in blocks:
        if len(block) < _SMALL:
            held += block
        if held and (len(held) >= BLOCK or len(block) >= _SMALL):
            yield held
            held = []
        yield block if len(block) >= _SMALL else []
    yield held


def order_of_rows(plan: Plan, row_type: RowType) -> list[KeyPlan]:
    """The keys by which rows are sorted: by the groups first, so that none comes in pieces."""
    if plan.layout.group_order.as_met:
        return list(row_type.sort)
    return grouped_order(row_type.sort, row_type.group)


def _roundings(plan: Plan) -> Iterator[tuple[int, Rounding]]:
    """By its place, how a cell is rounded whose total is exact."""
    for one in plan.written:
        total = one.column.total
        if total and total.exact and one.column.decimals is not None:
            yield one.slot, _rounding(one)


def _rounding(plan: ColumnPlan) -> Rounding:
    last, how = unit_of(plan.column.decimals or 0), plan.column.rounding
    return lambda cell: round_to(cell, last, how) if is_value(cell) else cell


def _rounded(row: Row, roundings: list[tuple[int, Rounding]]) -> Row:
    cells = list(row)
    for place, rounding in roundings:
        cells[place] = rounding(cells[place])
    return tuple(cells)
