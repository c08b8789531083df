"""The proof: what came in, added up on a walk of its own, against what an output is given.

It stands at the very end. Nothing is changed after it, so a row that is lost, doubled or in the
wrong group, or a cell that is changed on the way, does not balance (docs/the-balance.md). A value
that was wrong on both sides is found by `checking`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any, Protocol

from ..plan.plan import Plan
from ..plan.row_type import ColumnPlan, RowType
from ..values.numbers import QUOTIENT, round_to, unit_of
from ..values.ordering import told_apart
from .balance import ColumnBalance
from .families import FamilyWatch
from .groups import GroupKeys, Key
from .protocols import Row
from .tallies import Tallies, Tally, cells_of, is_value, tally_of
from .totalling import HeadingMade, TotalMade, places_of_totals


class SourceSide(Protocol):
    """What came in: the control sums of each column with a total. ``overlaps`` are, for each depth
    of groups and each column, what groups of that depth show of entries that all rows count once.
    """

    overlaps: list[list[Tally]]

    def control_sums(self) -> list[Tally]:
        """Those of all records."""
        ...

    def sums_of_group(self, key: Key) -> list[Tally]:
        """Those of a group."""
        ...


class Proof:
    """Follows the blocks that an output is given, and states both sides of each total."""

    def __init__(self, plan: Plan, state: SourceSide, row_type: RowType | None = None) -> None:
        """``state`` knows what came in; ``row_type`` says what the rows are made of, where that is
        other than the plan's."""
        self._state = state
        self.plan = plan
        self.rows = self.total_rows = self.rows_cut = 0
        self._row_type = row_type or plan.row_type
        pairs = zip(plan.totalled, self._row_type.totalled, strict=True)
        self._columns = [
            _Watched(self._row_type, column, in_rows, column.slot < len(plan.written))
            for column, in_rows in pairs
        ]
        self._places = [key.slot for key in plan.group]
        self._grouped = {*plan.grouped_totals, *plan.split_totals}
        depths = range(len(plan.group) + 1)
        self._open = [self._empty() for _ in depths]  # what came since a group of a depth began
        self._shown = [self._empty() for _ in depths]  # what the groups of a depth show in all
        self._waiting: list[TotalMade | None] = [None for _ in depths]  # a total before its rows
        subtotals, totals = plan.layout.subtotals, plan.layout.totals
        self._before = subtotals.where == "before"
        self._totalled = subtotals.depths if plan.shows_totals else ()
        self._tells = max(self._totalled, default=0)  # the depth of groups that totals tell of
        self._inner = 0 if self._before else self._tells  # groups tell when they end
        self._written, self._cut = self._empty(), self._empty()
        self._keys = GroupKeys(self._row_type)
        self._headed = [at for at, one in enumerate(plan.layout.group, 1) if one.shown == "row"]
        if not totals.detail:
            self._headed = [at for at in self._headed if at < len(plan.group)]
        self._group: Key | None = None
        self.headings = 0
        self._named: dict[int, Key] = {}  # the groups that headings have named, by their depth
        self._ended: set[Key] = set()  # groups whose total has been given
        self._wrong: list[str] = []
        rows = range(len(plan.layout.total_rows))
        self._places_of_totals = [places_of_totals(plan, at) for at in rows]
        self.families = FamilyWatch(self._row_type) if plan.stack else None
        self._grand: Tallies | None = None
        self._grand_of_all = False

    def _empty(self) -> list[Tally]:
        return [Tally(column.aggregate) for column in self._columns]

    # ---- what an output is given

    def detail(self, given: list[Row], whole: list[Row]) -> None:
        """Take note of rows as they are given, and of the whole rows that these are part of."""
        self.rows += len(given)
        if self.families is not None:
            self.families.given(whole)
        if self.plan.group:
            self._same_group(whole)
            self._below_headings(self._keys.of(whole), whole)
        for index, column in enumerate(self._columns):
            at_depths = column.at_each_depth(given, whole)
            self._written[index].merge(at_depths[0])
            if self._rolls_up(column):
                self._open[self._inner][index].merge(at_depths[0])
                continue
            for tallies, tally in zip(self._open, at_depths, strict=True):
                tallies[index].merge(tally)

    def _rolls_up(self, column: _Watched) -> bool:
        """Whether what a column has in a group goes to the one around it when the group ends."""
        return self._inner > 0 and not column.splits

    def _same_group(self, rows: list[Row]) -> None:
        """Rows between two totals are of one group, which is the one that the totals name."""
        if not self._tells:
            return
        key_of = self._keys.of(rows)
        met = [*map(key_of, rows)]
        if self._tells < len(self._places):
            met = [key[: self._tells] for key in met]
        groups = {*met} if self._group is None else {self._group, *met}
        if len(groups) > 1:  # mutant: two-groups
            self._wrong.append("a row stands in a group that is not its own")
        self._group = met[-1] if met else self._group

    def _below_headings(self, key_of: Callable[[Row], Key], rows: list[Row]) -> None:
        """Rows stand below the headings of their groups, where these have one."""
        for key in {key_of(row) for row in rows} if self._headed else ():
            if any(self._named.get(depth) != key[:depth] for depth in self._headed):
                self._wrong.append("a row stands below the heading of another group")

    def total(self, total: TotalMade) -> None:
        """Take note of a total row, or of the row of a group whose rows are not shown."""
        depth, before = len(total.group), self._before
        group = tuple(map(told_apart, total.group))
        if total.innermost:
            self._of_group(total, depth, group)
        else:
            self._count(total.rows)
            if before and self.plan.layout.totals.detail:
                self._begin(total, depth, group)
            else:
                self._end(total, depth, group)

    def heading(self, made: HeadingMade) -> None:
        """Take note of a row that names a group: the next row is of it."""
        self.headings += 1
        depth = len(made.group)
        self._named = {at: key for at, key in self._named.items() if at < depth}
        self._named[depth] = tuple(map(told_apart, made.group))

    def _of_group(self, total: TotalMade, depth: int, group: Key) -> None:
        """The row of a group is what its parts make; it is part of the groups around it."""
        self.rows += 1
        self._below_headings(lambda _: group, [total.row])
        if total.row:  # else it is shown by another proof
            self._agree(total, total.tallies.tallies)
            self._straight(total.row)
            self._count(total.further)
        self._once(group)
        known = self._state.sums_of_group(group)
        for index, tally in enumerate(total.tallies.tallies):
            self._written[index].merge(tally)
            self._shown[depth][index].merge(tally)
            # mutant: group-sums
            if index in self._grouped and tally.proof() != known[index].proof():
                heading = self._columns[index].plan.column.heading
                self._wrong.append(f"{heading} of a group is not what its entries add up to")
        for place, value in zip(self._places, total.group, strict=True):
            # mutant: row-names-group
            if place < len(total.row) and told_apart(total.row[place]) != told_apart(value):
                self._wrong.append("a row names a group that is not its own")

    def _begin(self, total: TotalMade, depth: int, group: Key) -> None:
        """A total before its rows: those of the groups that end here are held against theirs."""
        self._settle(depth)
        self._once(group)
        self._waiting[depth] = total
        self._group = None if depth < self._tells else group

    def _settle(self, depth: int) -> None:
        for at in range(len(self._open) - 1, depth - 1, -1):
            waiting = self._waiting[at]
            if waiting is not None:
                self._agree(waiting, self._open[at])
                self._add_shown(waiting, at)
            if at:
                self._open[at] = self._empty()
            self._waiting[at] = None

    def _end(self, total: TotalMade, depth: int, group: Key) -> None:
        """A total after its rows, or beside the rows of its groups."""
        if self.plan.layout.totals.detail:
            if depth and self._group is not None and self._group[:depth] != group:
                self._wrong.append("a total row names another group than that of its rows")
            self._once(group)
            parts = self._open[depth] if depth else self._written
            self._agree(total, parts)
            if depth == self._tells:
                self._group = None
        else:
            self._agree(total, total.tallies.tallies)
        if depth:
            self._add_shown(total, depth)
            around = max((one for one in self._totalled if one < depth), default=0)
            for index, column in enumerate(self._columns):
                if self._rolls_up(column):
                    self._open[around][index].merge(self._open[depth][index])
            self._open[depth] = self._empty()

    def _once(self, group: Key) -> None:
        """A group is in one piece, unless groups come as they are met."""
        if group in self._ended and not self.plan.layout.group_order.as_met:
            self._wrong.append("a group comes in pieces")
        self._ended.add(group)

    def _add_shown(self, total: TotalMade, depth: int) -> None:
        for index, tally in enumerate(total.tallies.tallies):
            self._shown[depth][index].merge(tally)

    def _count(self, rows: Sequence[Row]) -> None:
        """Count total rows, and add their cells to those straight down the file."""
        self.total_rows += len(rows)
        for row in rows:
            self._straight(row)

    def _straight(self, row: Row) -> None:
        for column in self._columns:
            column.add_straight(row)

    def _agree(self, total: TotalMade, parts: list[Tally]) -> None:
        """Each cell of a total row is what its parts make, worked out again."""
        for at, row in enumerate(total.rows):
            for place, index in self._places_of_totals[at]:
                column, tally = self._columns[index], parts[index]
                if not at:
                    column.shown(total)
                # mutant: total-cell
                if not column.is_shown(row[place], tally):
                    self._wrong.append(f"a total of {column.plan.column.heading} is wrong")
                    column.wrong += 1

    # ---- what is not given

    def cut(self, rows: list[Row]) -> None:
        """Take note of rows that are not taken; each totalled entry has one row."""
        self.rows_cut += len(rows)
        row_type = self._row_type
        if self.families is not None:
            self.families.cut(rows)
        for tally, column in zip(self._cut, row_type.totalled, strict=True):
            mark = row_type.mark_slot(column)
            new = rows if mark is None else [row for row in rows if not row[mark]]
            tally.add(cells_of(new, column, row_type))

    def cut_group(self, tallies: Tallies) -> None:
        """Take note of a group that is not taken; the grand total is that of all groups."""
        self._grand_of_all = True
        for own, other in zip(self._cut, tallies.tallies, strict=True):
            own.merge(other)

    def grand(self, tallies: Tallies) -> None:
        """Take note of the grand total, shown or not."""
        self._grand = tallies
        if not self.plan.group and not self.plan.layout.totals.detail:
            for own, other in zip(self._written, tallies.tallies, strict=True):
                own.merge(other)

    # ---- the verdict

    @property
    def wrong(self) -> list[str]:
        """What was found wrong with single rows."""
        self._settle(0)
        return list(dict.fromkeys(self._wrong))

    def columns(self) -> list[ColumnBalance]:
        """Both sides of every totalled column, and whether they agree."""
        self._settle(0)
        pairs = zip(self._columns, self._state.control_sums(), strict=True)
        return [self._column(index, *pair) for index, pair in enumerate(pairs)]

    def _column(self, index: int, column: _Watched, source: Tally) -> ColumnBalance:
        plan, total = column.plan, column.plan.column.total
        assert total is not None
        assert self._grand is not None
        detail = self.plan.layout.totals.detail
        cut, grand, overlaps = self._cut[index], self._grand.tallies[index], self._state.overlaps
        overlap = overlaps[-1][index] if overlaps else Tally(source.aggregate)
        written = self._written[index]
        if not detail:
            written = _less(written, overlap)
        sides = [written.and_then(cut), grand if self._grand_of_all else grand.and_then(cut)]
        # mutant: sides-agree
        agree = all(side.proof() == source.proof() for side in sides) and not column.wrong
        for depth, tallies in enumerate(self._shown[1:]):
            shown = tallies[index]
            if shown.count or self._shows_all(depth + 1):
                less = _less(shown, overlaps[depth][index]).and_then(cut)
                agree = agree and less.proof() == source.proof()  # mutant: depths-agree
        rounding = None
        if total.exact and total.name == "sum" and plan.column.decimals is not None:
            whole = column.rounded(grand.result()) if grand.count else 0
            rounding = column.shown_sum - whole
        return ColumnBalance(
            heading=plan.column.further_of or plan.column.heading,
            aggregate=total.name,
            home=self.plan.chain.called(self.plan.chain.levels[plan.home]),
            source=source.figure(),
            written=written.figure(),
            total=grand.figure(),
            count=source.count,
            blank=source.blank,
            overlap=overlap.state if overlap.aggregate.adds and overlap.state else None,
            cut=cut.state if cut.aggregate.adds and cut.state else None,
            rounding=rounding or None,
            straight=column.straight if plan.numeric and self.plan.over is None else None,
            balanced=agree,
            nodes=plan.nodes,
            passed_over=source.passed_over,
        )

    def _shows_all(self, depth: int) -> bool:
        """Whether each group of a depth has a row, so that together they make up the whole."""
        totals = self.plan.layout.totals
        if depth == len(self.plan.group) and not totals.detail:
            return True
        return self.rows > 0 and depth in self._totalled


class _Watched:
    """A column with a total: how its cells are added up as they go by. They stand elsewhere in
    rows that carry lines (``in_rows``) than in total rows."""

    def __init__(
        self, row_type: RowType, column: ColumnPlan, in_rows: ColumnPlan, given: bool
    ) -> None:
        """``given``: an output is given the cells."""
        self.plan = column
        self._in_rows = in_rows
        self.straight: Any = 0
        self.shown_sum: Any = 0  # of the rounded cells of an exact total, each entry once
        self.wrong = 0
        self._row_type = row_type
        self._mark = row_type.mark_slot(in_rows)
        self.aggregate = tally_of(column).aggregate
        self._name = self.aggregate.name
        self.splits = self._mark is not None and row_type.splits(column.home)
        self._depths = len(row_type.group) + 1
        self._given = given
        total = column.column.total
        self._exact = bool(total and total.exact and column.column.decimals is not None)

    def at_each_depth(self, given: list[Row], whole: list[Row]) -> list[Tally]:
        """What rows add up to: in all, and in the groups of each depth."""
        if self._given and self._mark is not None and self.plan.numeric:
            self.straight += _sum(given, self._in_rows.slot)
        if not self.splits:
            tally = self._tally(given, whole, 0)
            if self._given and self._mark is None:
                self.straight += self._straight_of(tally, given)
            return [tally] * self._depths
        return [self._tally(given, whole, depth) for depth in range(self._depths)]

    def _straight_of(self, tally: Tally, given: list[Row]) -> Any:
        if tally.aggregate.adds and not self._exact:
            return tally.state
        return _sum(given, self._in_rows.slot) if self.plan.numeric else 0

    def add_straight(self, row: Row) -> None:
        """Add a total row's cell to those straight down the file, repeats and totals included."""
        cell = row[self.plan.slot] if self.plan.numeric and self._given else None
        if cell is not None and not isinstance(cell, str):
            self.straight += cell

    def is_shown(self, cell: Any, tally: Tally) -> bool:
        """Whether a total's cell is what its parts make."""
        if self._name == "count":
            return bool(cell == tally.count)
        if not tally.count:
            return cell is None
        value = tally.state if tally.aggregate.adds else tally.result()
        if self._name == "avg":
            value = QUOTIENT.divide(tally.state, tally.count)
        number = isinstance(value, int | Decimal) and not isinstance(value, bool)
        if number and self.plan.column.decimals is not None:
            value = self.rounded(value)
        return bool(told_apart(cell) == told_apart(value))

    def rounded(self, value: Any) -> Decimal:
        """A number as the column shows it, worked out again."""
        return round_to(value, unit_of(self.plan.column.decimals or 0), self.plan.column.rounding)

    def shown(self, total: TotalMade) -> None:
        """Take note of the cell of a group whose rows are not shown."""
        if self._exact and total.innermost:
            self.shown_sum += _sum([total.row], self.plan.slot)

    def _tally(self, given: list[Row], whole: list[Row], depth: int) -> Tally:
        """The tally of the entries that are new at a depth of groups."""
        place, mark = self._in_rows.slot, self._mark
        tally = Tally(self.aggregate)
        if mark is not None:
            if tally.aggregate.unknown or not self._given or self._exact:
                # mutant: marks-in-proof
                kept = [at for at, row in enumerate(whole) if row[mark] <= depth]
                given, whole = [given[at] for at in kept], [whole[at] for at in kept]
            else:
                pairs = zip(given, whole, strict=True)
                tally.add([row[place] for row, full in pairs if full[mark] <= depth])
                return tally
        if self._exact and self._given:
            self._check_rounding(given, whole, depth)
        if self._given and not self._exact and not tally.aggregate.unknown:
            tally.add([row[place] for row in given])
        else:
            tally.add(cells_of(whole, self._in_rows, self._row_type))
        return tally

    def _check_rounding(self, given: list[Row], whole: list[Row], depth: int) -> None:
        """The cells of an exact total are rounded, and their values are what is added up."""
        place = self.plan.slot
        for row, full in zip(given, whole, strict=True):
            # mutant: rounding-checked
            if is_value(full[place]) and row[place] != self.rounded(full[place]):
                self.wrong += 1
        if depth == 0:
            self.shown_sum += _sum(given, place)


def _less(tally: Tally, part: Tally) -> Tally:
    """A tally without what several groups show and the whole counts once."""
    state = tally.state - part.state if tally.aggregate.adds else tally.state
    return Tally(tally.aggregate, tally.count - part.count, state, tally.blank)


def _sum(rows: list[Row], place: int) -> Any:
    """What cells add up to; texts among them are none."""
    cells = [row[place] for row in rows]
    try:
        return sum(cells)
    except TypeError:
        return sum(cell for cell in cells if cell is not None and not isinstance(cell, str))
