"""One step more: a row stands for a group, and its columns are made of aggregates (rule 20).

The rows of the records are gathered in groups, each kept entry once in a group. The groups are then
the records of the table: an aggregate, or a group's key, is a field of them.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

import msgspec

from ..plan.groups import group_record, is_additive
from ..plan.plan import Plan
from ..values.numbers import exactly
from ..values.ordering import told_apart
from .balance import Balance, TotalApart
from .balancing import shown_parts
from .groups import Groups, Key
from .proof import Proof
from .protocols import Batch, Row, RunServices, TotalRow
from .sorting import Sorter
from .state import Gathered, RunState
from .step import Stepper
from .table import TableSteps
from .tallies import Tallies, cells_of, entries_among, goes_by_order
from .totalling import TotalMade, with_counts

TOGETHER = 2_000  # groups that are taken through the plan at once


class GroupStage:
    """Gathers the rows of records in groups, and makes the table of groups.

    ``state`` is that of the records.
    """

    def __init__(self, plan: Plan, state: RunState, services: RunServices) -> None:
        assert plan.over is not None
        self._over, self._rows_plan = plan.over, plan
        self.plan = plan.over.plan
        self._records, self._services = state, services
        self._stepper, self._checker = Stepper(self.plan), Stepper(self.plan)
        self._state = RunState(self.plan, store=services.store, sink=services.faults)
        self._total_shown = plan.over.layout.totals.grand_total and any(
            column.total for column in plan.over.layout.columns
        )
        self._groups: Groups
        self._apart: list[TotalApart] = []
        self._given: GroupProof

    @property
    def proof(self) -> Proof:
        """The proof of what the groups are made of."""
        return self._given.parts

    def gathers(self) -> Groups:
        """What takes in the rows of all records; it holds them, where the entries of some groups
        are wanted again."""
        plan, take = self._rows_plan, self.plan.layout.take
        row_type = plan.row_type
        overlaps = any(row_type.splits(c.home) for c in row_type.totalled if row_type.mark_slot(c))
        again = take is not None and self._total_shown and (overlaps or goes_by_order(plan))
        return Groups(plan, Sorter((), self._services.store) if again else None)

    def blocks(self, rows: Iterable[list[Row]] | Gathered) -> Iterator[list[Row]]:
        """The rows of the groups, the total row last."""
        yield from exactly(self._steps(rows))

    def _steps(self, rows: Iterable[list[Row]] | Gathered) -> Iterator[list[Row]]:
        assert isinstance(rows, Groups)
        groups = self._groups = rows
        blank = (None,) * len(self._rows_plan.written)
        keys = groups.ordered(dict.fromkeys(groups.innermost(), blank))
        known = [(key, groups.tallies(key)) for key in keys]
        self._given = GroupProof(
            self._rows_plan, self.plan, self._records, self._state, known, self._again
        )
        self.proof.grand(groups.whole)
        table = TableSteps(self.plan, self._state, self._services, self._given)
        gathered, made = table.gathers(), self._rows(keys)
        if gathered is not None:
            for block in made:
                gathered.add(block)
        yield from table.blocks(made if gathered is None else gathered)
        self._state.close()
        if self._total_shown:
            yield [self._total(keys)]

    def _rows(self, keys: list[Key]) -> Iterator[list[Row]]:
        """The rows of groups as they come, each with its number."""
        for start in range(0, len(keys), TOGETHER):
            batch = self._batch(keys[start : start + TOGETHER], start + 1)
            yield self._state.absorb(self._stepper.step(batch))

    def _batch(self, keys: Sequence[Key], first: int) -> Batch:
        records = [self._record(self._groups.shown(key), self._groups.tallies(key)) for key in keys]
        return self._as_batch(records, first)

    def _record(self, key: Key, tallies: Tallies) -> dict[str, Any]:
        headings = [one.column.heading for one in tallies.columns]
        return group_record(self._over, key, headings, tallies.tallies)

    def _as_batch(self, records: list[dict[str, Any]], first: int) -> Batch:
        shape: Any = self.plan.record_types.record_type
        shaped = msgspec.convert(records, list[shape])
        return Batch(shaped, range(first, first + len(records)), [])

    def _again(self, keys: Sequence[Key]) -> list[Row]:
        """The rows of groups, worked out once more from what they add up to."""
        return self._checker.step(self._batch(keys, 1)).rows

    # ---- the total row

    def _total(self, keys: list[Key]) -> Row:
        """Each column with a total: its expression taken over all that the groups shown stand for.

        Where no entry is in several groups, a lone sum is that of its rounded cells.
        """
        shown = self._given.numbers
        everything = self._groups.whole
        if len(shown) < len(keys):
            everything = self._of_some([keys[number - 1] for number in shown])
        record = self._record((), everything)
        worked_out = self._stepper.step(self._as_batch([record], 1)).rows[0]
        columns = self._over.layout.written
        cells: list[Any] = []
        for place, column in enumerate(columns):
            cell = worked_out[place] if column.total else None
            lone = self._over.lone_sum(column)
            if column.total and column.decimals is not None and cell is not None:
                added = self._given.added[place]
                if lone is not None and not self._splits(lone):
                    cell = added
                elif added != cell and column.value and is_additive(column.value.node):
                    self._apart.append(TotalApart(column.heading, added, cell))
            cells.append(cell)
        free = [place for place, column in enumerate(columns) if not column.total]
        if free:
            label = self._over.layout.label(0)
            cells[free[0]] = with_counts(label, len(shown), everything.entries)
        again = self._checker.step(self._as_batch([self._record((), everything)], 1)).rows[0]
        self._given.total_row(tuple(cells), again)
        return TotalRow(cells)

    def _splits(self, heading: str) -> bool:
        row_type = self._rows_plan.row_type
        column = row_type.column(heading)
        return row_type.mark_slot(column) is not None and row_type.splits(column.home)

    def _of_some(self, keys: list[Key]) -> Tallies:
        """What some groups add up to together, each entry once."""
        whole = Tallies(self._rows_plan.row_type, 0)
        held = self._groups.held
        if held is None:
            for key in keys:
                whole.merge(self._groups.tallies(key))
            return whole
        wanted, row_type = set(keys), self._rows_plan.row_type
        start = row_type.address.start
        met: list[set[Any]] = [set() for _ in row_type.totalled]
        for block in held.blocks():
            key_of = self._groups.key_of(block)
            rows = [row for row in block if key_of(row) in wanted]
            whole.count(len(rows), entries_among(rows, row_type))
            for index, column in enumerate(row_type.totalled):
                new = []
                for row in rows:
                    entry = row[start : start + column.home + 1]
                    if entry[-1] and entry not in met[index]:
                        met[index].add(entry)
                        new.append(row)
                whole.tallies[index].add(cells_of(new, column, row_type))
        return whole

    def complete(self, balance: Balance) -> None:
        """Say of a run over records what it gave in the end: rows of groups."""
        proof, state = self._given, self._state
        balance.row_per = "group"
        balance.rows, balance.total_rows = proof.rows, proof.total_rows
        balance.rows_not_taken = proof.rows_cut
        balance.groups = self._groups.count
        balance.wrong = [*balance.wrong, *proof.wrong]
        balance.faults = [*balance.faults, *state.faults.kept]
        balance.fault_count += state.faults.count
        places = Counter(balance.fault_places) + Counter(state.faults.places)
        balance.fault_places = dict(places.most_common())
        balance.fault_kinds = [*balance.fault_kinds, *state.faults.told_kinds()]
        drift = state.drift.drift()
        balance.drift.blank_columns = drift.blank_columns
        balance.drift.unread_columns = drift.unread_columns
        balance.columns = shown_parts(self._rows_plan, proof.parts.columns())
        self._tell_rounding(balance)
        balance.totals_apart = self._apart

    def _tell_rounding(self, balance: Balance) -> None:
        """A lone sum is what its rounded cells add up to (rule 16): the table holds that, and not
        what its entries add up to."""
        sums = {one.heading: one for one in balance.columns}
        for place, column in enumerate(self._over.layout.written):
            lone = self._over.lone_sum(column)
            shown = self._total_shown and bool(column.total) and column.decimals is not None
            if lone not in sums or not shown or self._splits(lone):
                continue
            one, cells = sums[lone], self._given.added[place]
            if one.cut is None and one.balanced and cells != one.written:
                one.rounding = cells - one.written
                one.written = one.total = cells


class GroupProof(Proof):
    """The proof of a table of groups: each row is worked out again from its parts, and these are
    what came in.

    ``parts`` is the proof of the parts; ``numbers`` are the groups that were given, and ``added``
    what the cells of each column add up to.
    """

    def __init__(
        self,
        rows_plan: Plan,
        plan: Plan,
        state: RunState,
        groups_state: RunState,
        groups: list[tuple[Key, Tallies]],
        again: Callable[[Sequence[Key]], list[Row]],
    ) -> None:
        super().__init__(plan, groups_state)
        assert rows_plan.over is not None
        self.over = rows_plan.over.layout
        self.parts = Proof(rows_plan, state)
        self.numbers: list[int] = []
        self.added: list[Any] = [0] * len(plan.written)
        self._known = groups
        self._again = again

    def detail(self, given: list[Row], whole: list[Row]) -> None:
        super().detail(given, whole)
        start = self.plan.row_type.address.start
        numbers = [row[start] for row in whole]
        keys = [self._known[number - 1][0] for number in numbers]
        for row, again, number, key in zip(given, self._again(keys), numbers, keys, strict=True):
            if list(map(told_apart, row)) != list(map(told_apart, again[: len(row)])):
                self._wrong.append("the row of a group is not what its parts make")
            self.parts.total(TotalMade((), key, self._known[number - 1][1], innermost=True))
        self.numbers += numbers
        for place, column in enumerate(self.plan.written):
            if column.numeric:
                cells = [row[place] for row in given]
                self.added[place] += sum(
                    c for c in cells if c is not None and not isinstance(c, str)
                )

    def cut(self, rows: list[Row]) -> None:
        super().cut(rows)
        for row in rows:
            self.parts.cut_group(self._known[row[self.plan.row_type.address.start] - 1][1])

    def total_row(self, row: Row, again: Row) -> None:
        """Take note of the total row; ``again`` is what its expressions make of everything."""
        self.total_rows += 1
        for place, column in enumerate(self.over.written):
            if column.total and row[place] not in (again[place], self.added[place]):
                self._wrong.append(f"the total of {column.heading} is wrong")
