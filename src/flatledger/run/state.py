"""The state of a run: results of batches are taken in, and the states of parts merge.

Any cut of the records into parts, each absorbed by a state of its own and merged in order, gives
the same table, balance and faults as one state for all.
"""

from __future__ import annotations

import decimal
from collections import Counter
from collections.abc import Callable, Iterable
from typing import Any

from ..compile.functions.doubting import BothFigures
from ..compile.functions.ledger import Ledger, LedgerForm, Sums
from ..compile.runtime.watches import Watches
from ..plan.plan import Plan
from ..plan.row_type import RowType
from ..values.faults import Fault, FaultLog
from ..values.numbers import EXACT
from .checks import Checks, ChecksOfAll
from .drift import DriftWatch
from .expecting import OrderWatch
from .families import Families
from .groups import Groups
from .identity import IdentityWatch
from .limiting import Limiter
from .protocols import Repeats, Row, RowStore
from .results import BatchResult, ControlSums
from .sorting import Sorter
from .tallies import Tally, cells_of, tally_of

Gathered = Sorter | Groups


class RunState:
    """What is known after some records.

    ``gathered`` takes the rows in; without it, `absorb` gives them back and keeps none. A state
    that does not begin the source (``begins``) leaves open what depends on the records before.
    ``first`` are the first records of the source, and ``sink`` is called with each fault.
    ``row_type`` says what the rows are made of, where that is other than the plan's.
    """

    def __init__(
        self,
        plan: Plan,
        gathered: Gathered | None = None,
        *,
        begins: bool = True,
        first: Iterable[Any] = (),
        store: RowStore | None = None,
        sink: Callable[[Fault], None] | None = None,
        verify_all: bool = False,
        row_type: RowType | None = None,
    ) -> None:
        self.plan = plan
        self._row_type = row_type or plan.row_type
        self.gathered = gathered
        self.read = self.unreadable = self.passed = self.not_taken = self.rows = 0
        self.counts: Counter[str] = Counter()
        keep = store.keep if store is not None else None
        self.faults = FaultLog(sink=sink, of_part=not begins, keep=keep)
        self.sums = [tally_of(column) for column in plan.totalled]  # but those that are proved by
        self._ledger: Ledger = {}  # group
        self._ledger_form = LedgerForm(plan)
        self.overlaps = [[tally_of(c) for c in plan.totalled] for _ in plan.group]
        self.drift = DriftWatch(plan, first)
        self.watches = Watches.of(plan.layout)
        self.levels_met = {*plan.repeating}
        self.repeats = Repeats()
        self.checks = ChecksOfAll() if verify_all else Checks()
        self.of_inner = {index: tally_of(plan.totalled[index]) for index in plan.sums_of_own}
        self.both_figures: dict[int, BothFigures] = {}  # of the first record, by the doubt
        self.identity: IdentityWatch | None = None
        if plan.layout.primary_key:
            self.identity = IdentityWatch(plan, self._row_type, self._note, store)
        self._order = OrderWatch(plan, self._note)
        self._found: list[Fault] = []  # faults of one batch
        take = plan.layout.take
        self._limiter = Limiter(take) if take and take.of == "records" else None
        self._families = Families(self._row_type) if plan.within else None
        self._waits = not begins and (self._limiter is not None or bool(plan.layout.expects))
        self._waiting: list[BatchResult] = []

    def absorb(self, result: BatchResult) -> list[Row]:
        """Take in what became of the next batch; the rows of the records that are taken."""
        if self._waits:
            self._waiting.append(result)
            return []
        with decimal.localcontext(EXACT):
            return self._absorb(result)

    def _absorb(self, result: BatchResult) -> list[Row]:
        self.read += result.read
        self.unreadable += result.unreadable
        self.counts.update(result.counts)
        self._order.absorb(result.sequences)
        self._found += [*result.told, *result.judged]
        rows = self._taken(result)
        if self._families is not None:
            rows = self._families.arranged(rows)
        self.rows += len(rows) if result.tallied is None else result.tallied.rows
        self._add_overlaps(rows)
        self.drift.absorb(result.seen)
        self.watches.merge(result.watches)
        self.levels_met |= result.levels_met
        self._note_figures(result.both_figures)
        self.repeats = self.repeats.and_later(result.repeats)
        self.checks.add(result.checked)
        self._add_inner(rows)
        if self.identity is not None and self.plan.layout.totals.detail:
            self.identity.rows(rows)
        self._count_faults()
        if self.gathered is not None:
            self.gathered.add(rows)
        if result.tallied is not None:
            assert isinstance(self.gathered, Groups)
            self.gathered.add_tallied(result.tallied)
        return rows

    def close(self) -> None:
        """Tell of what can only be told when all records have been taken in: double keys."""
        if self.identity is not None:
            self.identity.tell_doubles()
        self._count_faults()

    def _note_figures(self, found: Iterable[BothFigures]) -> None:
        for one in found:
            known = self.both_figures.get(one.doubt, one)
            self.both_figures[one.doubt] = min(known, one, key=lambda both: both.record)

    def _note(self, fault: Fault) -> None:
        self._found.append(fault)

    def _count_faults(self) -> None:
        """Count what was found, record by record, however the records were cut into batches."""
        for fault in sorted(self._found, key=lambda one: one.record):
            self.faults.add(fault)
        self._found.clear()

    def _taken(self, result: BatchResult) -> list[Row]:
        """The rows of the records that are taken; of the others all is counted as not taken."""
        if self._limiter is None:
            self.passed += len(result.passed)
            self._add_sums(result.sums)
            self._found += result.filled
            return result.rows
        records = list(zip(result.passed, result.by_record, strict=True))
        taken, left = self._limiter.split(records)
        self.passed += len(taken)
        self.not_taken += len(left)
        for _, (sums, _) in taken:
            self._add_sums(sums)
        for _, (_, entries) in left:
            for level, count in enumerate(entries, 1):
                self.counts[f"with_parent_{level}"] += count
                self.counts[f"kept_{level}"] -= count
        numbers, place = {number for number, _ in taken}, self._row_type.address.start
        self._found += [fault for fault in result.filled if fault.record in numbers]
        return [row for row in result.rows if row[place] in numbers]

    def _add_sums(self, later: ControlSums) -> None:
        _add(self.sums, later.sums)
        self._ledger_form.post(self._ledger, later.by_group)

    def control_sums(self) -> list[Tally]:
        """What came in, over all records."""
        whole = [tally_of(column) for column in self.plan.totalled]
        for own, other in zip(whole, self.sums, strict=True):
            own.merge(other)
        grouped: Ledger = {}
        for parts in self._ledger.values():
            self._ledger_form.post(grouped, {(): parts.copy()})
        found = self._ledger_form.read(grouped.get(()))
        for index in self.plan.grouped_totals if found else ():  # of what is split, it is known
            whole[index].grow(*found[index])
        return whole

    def sums_of_group(self, key: tuple[Any, ...]) -> list[Tally]:
        """What came in of a group, for each column with a total that is proved group by group."""
        sums = self._ledger_form.read(self._ledger.get(key))
        return [
            Tally.of(one.aggregate, *sums[index]) if index in sums else Tally(one.aggregate)
            for index, one in enumerate(self.sums)
        ]

    def _add_overlaps(self, rows: list[Row]) -> None:
        """Add what further groups show of an entry that all rows count once."""
        row_type = self._row_type
        for index, column in enumerate(row_type.totalled):
            mark = row_type.mark_slot(column)
            if mark is None or not row_type.splits(column.home):
                continue
            for depth, tallies in enumerate(self.overlaps, 1):
                new = [row for row in rows if 0 < row[mark] <= depth]  # mutant: overlap-marks
                tallies[index].add(cells_of(new, column, row_type))

    def _add_inner(self, rows: list[Row]) -> None:
        """Add what nodes have themselves that are in no total, since others are below them."""
        for index, tally in self.of_inner.items():
            column = self._row_type.totalled[index]
            mark = self._row_type.mark_slot(column)
            tally.add([row[column.slot] for row in rows if mark is not None and row[mark]])

    def merge(self, later: RunState) -> None:
        """Take in the state of the records that came next."""
        for result in later._waiting:
            self.absorb(result)  # mutant: merge-waiting
        if later._waits:
            return
        with decimal.localcontext(EXACT):
            self._merge(later)

    def _merge(self, later: RunState) -> None:
        for name in ("read", "unreadable", "passed", "not_taken", "rows"):
            setattr(self, name, getattr(self, name) + getattr(later, name))
        self.counts.update(later.counts)  # mutant: merge-counts
        self.faults.merge(later.faults)
        pairs = [(self.sums, later.sums), *zip(self.overlaps, later.overlaps, strict=True)]
        for own, others in pairs:
            for tally, other in zip(own, others, strict=True):
                tally.merge(other)
        self._ledger_form.post(self._ledger, later._ledger)
        self.drift.merge(later.drift)
        self.watches.merge(later.watches)
        self.levels_met |= later.levels_met
        self._note_figures(later.both_figures.values())
        self.repeats = self.repeats.and_later(later.repeats)
        self.checks.merge(later.checks)
        for index, tally in later.of_inner.items():
            self.of_inner[index].merge(tally)
        if self.identity is not None and later.identity is not None:
            self.identity.merge(later.identity)
        if self.gathered is not None:
            gathered: Any = later.gathered  # of the same kind, since the plan is the same
            self.gathered.merge(gathered)


def _add(tallies: list[Tally], sums: Iterable[Sums | None]) -> None:
    for own, found in zip(tallies, sums, strict=True):
        if found is not None:
            own.grow(*found)
