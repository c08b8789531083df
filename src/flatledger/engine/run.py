"""A run: read, keep, unfold, fill, sort, group, total, and the proof that it adds up."""

from __future__ import annotations

import decimal
import time
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import islice, zip_longest
from typing import Any

from ..errors import LayoutError
from ..layout.model import LayoutModel
from ..layout.spreading import without_keyless
from ..values.functions import text_of
from ..values.matching import ListWatch
from ..values.numbers import EXACT
from ..values.numerals import NumeralWatch
from ..values.ordering import Alike
from .balance import (
    Asked,
    Balance,
    ConditionCount,
    LevelCount,
    ListCount,
    PeriodDays,
    Returning,
    keyless_notes,
)
from .drift import DriftWatch
from .expecting import OrderWatch
from .faults import Fault, FaultLog
from .finishing import Finisher
from .grouping import Detail, Summary, TotalRows
from .identity import IdentityWatch
from .levels import level_name
from .missing_fields import MissingPath
from .plain_data import below
from .plan import KeyPlan, Plan
from .planner import make_plan
from .program import Kept, generate
from .proof import Proof
from .protocols import Batch, Row, RowStore, Source
from .sorting import Sorter, grouped_order
from .structure import Place, observe
from .taking import Taker
from .wanted import names_wanted

UNMET_SHOWN = 20
NO_RECORDS = "the source holds no records"
Progress = Callable[[int], None]


class Run:
    """One layout over one source. `blocks` gives the table; after it, `balance` the proof."""

    def __init__(
        self,
        model: LayoutModel,
        source: Source,
        progress: Progress | None = None,
        store: RowStore | None = None,
        structure: Place | None = None,
        faults: Callable[[Fault], None] | None = None,
    ) -> None:
        self._started = time.monotonic()
        if model.take and model.take.of == "rows":  # of rows not taken they could not be proved
            model = without_keyless(model)
        first = source.look_ahead()
        whole = structure is not None
        self.plan: Plan = make_plan(
            model, structure or observe(first, names_wanted(model)), complete=whole
        )
        self._drift = DriftWatch(self.plan, first)
        self._looked_at = len(first)
        self.notices: list[str] = []
        self.log = FaultLog(sink=faults)
        self._identity: IdentityWatch | None = None
        if model.primary_key:
            self._identity = IdentityWatch(self.plan, self.log, store)
        self.program = generate(self.plan, self.log)
        self._source = source
        self._store = store
        self._progress = progress
        self._proof = Proof(self.plan)
        self._order = OrderWatch(self.plan, self.log)
        take = model.take
        self._records_taken = Taker(take) if take and take.of == "records" else None
        self._not_taken = 0
        self._counts: Counter[str] = Counter()
        self._read = self._unreadable = self._kept = 0
        self._groups = 0
        self._notes: list[str] = []
        self._returned = 0
        self._returning: list[Returning] = []

    def blocks(self) -> Iterator[list[Row]]:
        """The rows of the table as they are written, total rows among them, some at a time."""
        finisher = Finisher(self.plan)
        alike = self.plan.holds_alike
        for block in self._blocks():
            rows = finisher.finished(block) if finisher.active else block
            yield [_plainly(row) for row in rows] if alike else rows
        self._stop_at_mixed_units()
        if self._identity is not None:
            self._identity.tell_doubles()

    def _stop_at_mixed_units(self) -> None:
        """Amounts in several units can't be added up, compared or set side by side."""
        columns = [self.plan.column(one.heading).column for one in self.plan.units.values()]
        mixed = [one for one in columns if self.plan.units[one.heading].mixed]
        if mixed:
            problems = [one.problem(self.plan.units[one.heading].message()) for one in mixed]
            raise LayoutError(self.plan.model.name, problems)

    def _blocks(self) -> Iterator[list[Row]]:
        if not self.plan.model.totals.detail:
            yield from self._summary()
        elif self.plan.model.totals.subtotals == "before" and self.plan.group:
            yield from self._detail_before()
        else:
            yield from self._detail_after()

    # ---- read, keep, unfold, fill

    def _unfolded(self) -> Iterator[list[Row]]:
        """The rows as they come from the source, with their keys and marks."""
        watches = self._watched_keys()
        for batch in self._source.batches(self.plan.shape.record_type):
            with decimal.localcontext(EXACT):
                rows = self._take(batch)
            for place, watch in watches:
                if watch.on:
                    watch.look([row[place] for row in rows])
            if self._progress:
                self._progress(self._read)
            yield rows

    def _take(self, batch: Batch) -> list[Row]:
        self._read += len(batch.records) + len(batch.faults)
        self._unreadable += len(batch.faults)
        if self.program.watch is not None:
            self.program.watch(batch.records, batch.numbers)
        self._drift.records(batch)
        for fault in (*batch.faults, *batch.remarks):
            self.log.add(fault)
        self.log.begin()
        if self.plan.model.expects:
            self._order.records(batch)
        records, numbers, kept, counts = self.program.keep(batch.records, batch.numbers)
        self._counts.update(dict(zip(self.program.counters, counts, strict=True)))
        kept_numbers = numbers
        if self._records_taken is not None:
            records, numbers, kept = self._taken_records(
                self._records_taken, records, numbers, kept
            )
        self._kept += len(records)
        rows, entries = self.program.unfold(records, numbers, kept)
        self._counts.update({f"kept_{level}": count for level, count in enumerate(entries, 1)})
        self._proof.source(self.program.weigh(records, numbers, kept))
        if self._identity is not None and self.plan.model.totals.detail:
            self._identity.rows(rows)
        self._proof.overlap(rows)
        self._drift.rows(rows)
        self.log.settle(batch.numbers, kept_numbers, lambda: self._identified(batch))
        return rows

    def _identified(self, batch: Batch) -> dict[int, str]:
        """What the primary key says of the records of a batch, by their numbers."""
        if self.program.identify is None:
            return {}
        keys = self.program.identify(batch.records, batch.numbers)
        texts = (", ".join(text_of(cell) for cell in key if cell is not None) for key in keys)
        return dict(zip(batch.numbers, texts, strict=True))

    def _taken_records(
        self, taker: Taker, records: list[Any], numbers: list[int], kept: Kept
    ) -> tuple[list[Any], list[int], Kept]:
        """The kept records that are taken; the entries of the others go with them."""
        taken, left = taker.split(list(zip_longest(records, numbers, kept)))
        self._not_taken += len(left)
        for level in range(1, self.plan.chain.row + 1):
            count = sum(below(entries, level) for *_, entries in left)
            self._counts[f"with_parent_{level}"] += count
        return [one[0] for one in taken], [one[1] for one in taken], [one[2] for one in taken]

    def _taken_rows(self, blocks: Iterable[list[Row]], prove: bool = True) -> Iterator[list[Row]]:
        """The rows that are taken, in their order; the others are proved to be the rest."""
        take = self.plan.model.take
        taker = Taker(take) if take and take.of == "rows" else None
        for block in blocks:
            taken, left = taker.split(block) if taker else (block, [])
            if left and prove:
                self._proof.cut(left)
            yield taken

    # ---- sort, group, total

    def _order_of_rows(self) -> list[KeyPlan]:
        if self.plan.model.group_order.as_met:
            return list(self.plan.sort)
        return grouped_order(self.plan.sort, self.plan.group)

    def _watched_keys(self) -> list[tuple[int, NumeralWatch]]:
        """The keys whose texts could be meant as numbers, each with its watch."""
        clear = {c.place for c in self.plan.columns if c.numeric or c.column.typed}
        found = [
            (key.place, NumeralWatch(f"sort by `{key.text}`"))
            for key in self.plan.sort
            if not key.collation and key.place not in clear
        ]
        sorted_by = {place for place, _ in found} | clear
        found += [
            (key.place, NumeralWatch(f"group by `{key.text}`", ordered=False))
            for key in self.plan.group
            if key.place not in sorted_by
        ]
        self.plan.numerals += [watch for _, watch in found]
        return found

    def _ordered(self, keys: Sequence[KeyPlan]) -> Callable[[], Iterator[list[Row]]]:
        """All rows in their order, as often as they are asked for."""
        sorter = Sorter(keys, self._store)
        for block in self._unfolded():
            sorter.add(block)
        return sorter.blocks

    def _detail_after(self) -> Iterator[list[Row]]:
        keys = self._order_of_rows()
        blocks = self._ordered(keys)() if keys else self._unfolded()
        detail = Detail(self.plan)
        for rows, totals in self._exactly(detail.after(self._taken_rows(blocks))):
            yield self._finished(rows) + self._proof.total_rows(totals)
        yield self._grand(detail.grand)
        self._groups = detail.group_count
        self._returned, self._returning = detail.returned, detail.returning

    def _detail_before(self) -> Iterator[list[Row]]:
        detail = Detail(self.plan)
        held: list[list[Row]] = []
        ordered = self._ordered(self._order_of_rows())
        once, again = self._taken_rows(ordered()), self._taken_rows(ordered(), prove=False)
        for rows, totals in self._exactly(detail.before(once, again)):
            if not held:
                held.append(self._grand(detail.grand))
                yield held[0]
            yield self._proof.total_rows(totals) + self._finished(rows)
        if not held:
            yield self._grand(detail.grand)
        self._groups = detail.group_count

    def summarised(self) -> tuple[Summary, list[Row]]:
        """The groups without their detail, and a row for each."""
        summary = Summary(self.plan)
        for rows in self._unfolded():
            with decimal.localcontext(EXACT):
                summary.add(rows)
        with decimal.localcontext(EXACT):
            self._proof.groups(summary)
            rows = []
            for row, inner in summary.rows():
                rows.append(self._proof.summary_row(row, inner))
                if inner and self._identity is not None:
                    self._identify_group(row, len(rows))
            self._proof.total(summary.grand)
        self._groups = summary.group_count
        return summary, rows

    def _identify_group(self, row: Row, number: int) -> None:
        """Take note of the key of a group's row."""
        assert self._identity is not None
        places = [self.plan.column(heading).place for heading in self.plan.model.primary_key]
        self._identity.group([row[at] if at < len(row) else "" for at in places], number)

    def _summary(self) -> Iterator[list[Row]]:
        summary, rows = self.summarised()
        before = self.plan.model.totals.subtotals == "before"
        grand = self._grand(summary.grand)
        yield grand + rows if before else rows + grand
        for heading, count in summary.differing.items():
            self._notes.append(
                f"column {heading} differs within {count:,} of {self._groups:,} groups; "
                "the value met first was taken"
            )

    def _exactly(self, pairs: Iterator[Any]) -> Iterator[Any]:
        """Go through pairs of rows with exact arithmetic, which the caller does not see."""
        while True:
            with decimal.localcontext(EXACT):
                pair = next(pairs, None)
            if pair is None:
                return
            yield pair

    def _finished(self, rows: list[Row]) -> list[Row]:
        with decimal.localcontext(EXACT):
            return self._proof.detail_rows(rows)

    def _grand(self, grand: Any) -> list[Row]:
        with decimal.localcontext(EXACT):
            self._proof.total(grand)
            if not (self.plan.shows_totals and self.plan.model.totals.grand_total):
                return []
            return self._proof.total_rows([TotalRows(self.plan).grand(grand.cells())])

    # ---- the balance

    def missing(self) -> list[MissingPath]:
        """The paths that no record had, once all have been read; of no records none is judged."""
        if self._read == self._unreadable:
            return []
        unmet = self._drift.unmet()
        return [one for one in self.plan.missing if one.names in unmet]

    @property
    def saw_all(self) -> bool:
        """Whether the structure that the plan was made by is that of all records."""
        return self.plan.chain.known.complete or self._read <= self._looked_at

    def balance(self) -> Balance:
        """The proof of the run, once the blocks have been taken to their end."""
        with decimal.localcontext(EXACT):
            columns = self._proof.columns()
        checks = {one.column.heading for one in self.plan.columns if one.column.checks}
        keyless = {one.heading: one.source for one in columns if one.heading in checks}
        columns = [one for one in columns if one.heading not in checks or not one.balanced]
        counts = self._counts
        return Balance(
            layout=self.plan.model.name,
            source=self._source.name,
            row_per=level_name(self.plan.chain.levels[-1]),
            read=self._read,
            unreadable=self._unreadable,
            kept=self._kept,
            held_back=counts["dropped_0"],
            without_rows=counts["emptied_0"],
            not_taken=self._not_taken,
            rows_not_taken=self._proof.rows_cut,
            returned=self._returned,
            returning=self._returning,
            returning_allowed=self.plan.model.group_order.may_return,
            asked=[Asked(one.name, one.text, one.given) for one in self.plan.model.answers],
            periods=[PeriodDays(text, *days[:2]) for text, days in self.plan.periods().items()],
            conditions=[self._condition(index) for index in range(len(self.plan.conditions))],
            repeating=[level_name(names) for names in self.plan.repeating()],
            levels_stated=self.plan.chain.known.stated is not None,
            levels=[self._level(level) for level in range(1, self.plan.chain.row + 1)],
            lists=[_list_count(name, watch) for (name, _), watch in self.plan.lists.items()],
            rows=self._proof.rows,
            total_rows=self._proof.rows_of_totals,
            groups=self._groups,
            columns=columns,
            fault_count=self.log.count,
            fault_places=dict(self.log.places.most_common()),
            faults_filtered_out=self.log.filtered,
            faults=self.log.kept,
            notes=[*self._notes, *keyless_notes(keyless), *([] if self._read else [NO_RECORDS])],
            drift=self._drift.drift(),
            notices=list(dict.fromkeys([*self.notices, *self._numerals()])),
            seconds=time.monotonic() - self._started,
        )

    def _numerals(self) -> Iterator[str]:
        """What there is to point out of numbers that were compared as texts."""
        return (notice for watch in self.plan.numerals if (notice := watch.notice()))

    def _condition(self, index: int) -> ConditionCount:
        plan = self.plan.conditions[index]
        kept, no, unknown = (self._counts[f"{k}_{index}"] for k in ("true", "false", "unknown"))
        left = self._counts[f"left_{index}"] if plan.side is None else kept
        seen = self.plan.seen.get(index)
        return ConditionCount(
            text=plan.condition.value.text,
            level=level_name(
                (plan.side or self.plan.chain).levels[-1 if plan.side else plan.level]
            ),
            met=kept + no + unknown,
            kept=kept,
            held_back=no,
            unknown=unknown,
            left=left,
            name=plan.condition.name,
            because=plan.condition.because,
            origin=plan.condition.origin,
            field=seen.field if seen and not left else "",
            values=seen.most_common() if seen and not left else {},
        )

    def _level(self, level: int) -> LevelCount:
        return LevelCount(
            level=level_name(self.plan.chain.levels[level]),
            met=self._counts[f"met_{level}"],
            kept=self._counts[f"kept_{level}"],
            held_back=self._counts[f"dropped_{level}"] + self._counts[f"emptied_{level}"],
            with_parent=self._counts[f"with_parent_{level}"],
        )


def _plainly(row: Row) -> Row:
    """A row whose texts are no more than texts, now that they have been ordered and grouped."""
    return row.__class__([str(cell) if cell.__class__ is Alike else cell for cell in row])


def _list_count(name: str, watch: ListWatch) -> ListCount:
    unmet = len(watch.met) - sum(watch.met.values())
    return ListCount(name, len(watch.met), unmet, list(islice(watch.unmet(), UNMET_SHOWN)))
