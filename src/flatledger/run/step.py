"""One batch through the generated functions: what comes out is a result that can go anywhere."""

from __future__ import annotations

import decimal
from collections import Counter
from collections.abc import Iterable
from functools import cached_property
from itertools import zip_longest
from typing import Any

import msgspec

from ..compile.functions.doubting import BothFigures, Look
from ..compile.functions.program import Kept, Program, generate, generate_doubts
from ..compile.functions.tallying import FIRST
from ..compile.runtime.definitions import NodeDefinitions
from ..compile.runtime.plain_data import below
from ..plan.plan import Plan
from ..values.faults import Fault
from ..values.functions import text_of
from ..values.numbers import EXACT
from .drift import DriftLook
from .expecting import sequences
from .protocols import Batch, Origin, Row
from .results import BatchResult, ControlSums
from .row_making import CellRows, RowMaking, RowSteps
from .watched_keys import keys_shown_alike, watched_keys


class Stepper:
    """Takes batches through one plan. It holds nothing that a later batch depends on."""

    def __init__(
        self,
        plan: Plan,
        program: Program | None = None,
        definitions: NodeDefinitions | None = None,
        making: RowMaking | None = None,
    ) -> None:
        """``definitions`` are those by which nodes of a tree are opened; ``making`` says how rows
        are made, where these are no cells."""
        self.plan = plan
        self._making = making or CellRows(plan.row_type)
        self._program = program
        self._definitions = definitions
        self._drift = DriftLook(plan)
        self._exact: Stepper | None = None
        take = plan.layout.take
        self._chooses_records = take is not None and take.of == "records"
        self._keys = list(watched_keys(self._making.row_type))
        self._alike = list(keys_shown_alike(plan, self._making.row_type))
        self._doubts: Look | None = None
        self._told: set[int] = set()  # doubts for which a record was found

    @classmethod
    def of_raw(cls, plan: Plan) -> Stepper:
        """One whose cells are the values as they come, before anything is done to them for a
        column."""
        return cls(plan, generate(plan, raw=True))

    @property
    def program(self) -> Program:
        """The generated functions, made when they are first wanted."""
        if self._program is None:
            self._program = generate(self.plan, definitions=self._definitions)
        return self._program

    def step(self, batch: Batch, *, checked: bool = False) -> BatchResult:
        """Filter, unfold and fill the records of a batch, and add up what there is to prove.

        Of records that are to be ``checked`` the cells are given, too, where rows carry lines.
        """
        with decimal.localcontext(EXACT):
            return (self._exactly() if batch.exact else self)._step(batch, checked)

    @property
    def mostly(self) -> Stepper:
        """What takes most batches: that of exact types, where there are some."""
        return self if self.exact_type is None else self._exactly()

    def _exactly(self) -> Stepper:
        """What takes batches of records in exact types."""
        if self._exact is None:
            assert self.plan.exactly is not None
            self._exact = Stepper(
                self.plan.exactly, definitions=self._definitions, making=self._making
            )
        return self._exact

    @property
    def exact_type(self) -> Any:
        """The exact type in which it takes records; None where there is none, or definitions do
        not fit it."""
        if self.plan.exactly is None:
            return None
        if self._definitions is not None:
            try:
                self._exactly().program  # noqa: B018 (made here, since it may not fit)
            except msgspec.ValidationError:
                return None
        return self.plan.exactly.record_types.record_type

    def _step(self, batch: Batch, checked: bool) -> BatchResult:
        program, origin = self.program, batch.origin
        program.origins.take(origin.file, origin.before, batch.numbers, origin.rows)
        if program.lay_flat is not None:
            batch = batch._replace(records=program.lay_flat(batch.records, batch.numbers))
        if program.watch_nests is not None:
            program.watch_nests(batch.records, batch.numbers)
        if program.watch is not None:
            program.watch(batch.records, batch.numbers)
        records, numbers, kept, counts = program.keep(batch.records, batch.numbers)
        judged = program.faults.taken()
        program.lists.taken()
        make = self._rows.checked if checked else self._rows.of
        made = make(records, numbers, kept, self._drift.unmet_columns)
        rows, entries, tallied = made.rows, made.entries, made.tallied
        if program.lists.taken() and program.watch_all is not None:
            program.watch_all(batch.records, batch.numbers)
        known = {fault.address for fault in judged}
        filled = [fault for fault in program.faults.taken() if fault.address not in known]
        sums, by_record = ControlSums((), {}), list[tuple[ControlSums, list[int]]]()
        if self._chooses_records:
            by_record = self._each(records, numbers, kept)
        else:
            sums = ControlSums(*program.control_sums(records, numbers, kept))
        self._look_at_keys(rows)
        firsts = [parts[FIRST] for parts in tallied.by_group.values()] if tallied else rows
        self._look_at_days(firsts)
        names = self._identified(batch) if judged or filled else {}
        counted = Counter(dict(zip(program.counters, counts, strict=True)))
        counted.update({f"kept_{level}": count for level, count in enumerate(entries, 1)})
        if not program.counters:  # what was met has all been kept
            counted.update({f"met_{level}": count for level, count in enumerate(entries, 1)})
        count = tallied.rows if tallied is not None else len(rows)
        return BatchResult(
            read=len(batch.records) + len(batch.faults),
            unreadable=len(batch.faults),
            told=_named([*batch.remarks, *batch.faults], {}, origin),  # a record's before it
            judged=_named(judged, names, origin),
            filled=_named(filled, names, origin),
            counts=counted,
            passed=numbers,
            rows=rows,
            sums=sums,
            by_record=by_record,
            seen=self._drift.seen(batch, count, made.classes, program.nested),
            sequences=sequences(self.plan, batch),
            watches=program.watches.taken(),
            levels_met=frozenset(program.listed),
            both_figures=self._both_figures(batch),
            repeats=batch.repeats,
            cells=made.cells,
            tallied=tallied,
        )

    @cached_property
    def _rows(self) -> RowSteps:
        """What makes rows by the program."""
        return self._making.steps(self.program)

    def _both_figures(self, batch: Batch) -> list[BothFigures]:
        """The first record for each doubt in which it makes a difference."""
        if self._doubts is None:
            self._doubts = generate_doubts(self.plan, self._definitions)
        found: dict[int, BothFigures] = {}
        if self._doubts is not None and len(self._told) < len(self.plan.doubts):
            for one in self._doubts(batch.records, batch.numbers):
                found.setdefault(one.doubt, one)
        self._told |= found.keys()
        return list(found.values())

    def _each(
        self, records: list[Any], numbers: list[int], kept: Kept
    ) -> list[tuple[ControlSums, list[int]]]:
        """The control sums of each record alone, and how many entries of each level it has."""
        found = []
        levels = range(1, self.plan.chain.row + 1)
        for record, number, entries in zip_longest(records, numbers, kept):
            alone = [] if entries is None else [entries]
            sums = ControlSums(*self.program.control_sums([record], [number], alone))
            found.append((sums, [below(entries, level) for level in levels]))
        return found

    def _look_at_keys(self, rows: list[Row]) -> None:
        for place, what, ordered in self._keys:
            watch = self.program.watches.numerals_of(what, ordered)
            if watch.on:
                watch.look([row[place] for row in rows])

    def _look_at_days(self, rows: list[Row]) -> None:
        for place, *called in self._alike:
            self.program.watches.alike_of(*called).look(row[place] for row in rows)

    def _identified(self, batch: Batch) -> dict[int, str]:
        """What the primary key says of the records of a batch, by their numbers."""
        if self.program.identify is None:
            return {}
        keys = self.program.identify(batch.records, batch.numbers)
        texts = (", ".join(text_of(cell) for cell in key if cell is not None) for key in keys)
        return dict(zip(batch.numbers, texts, strict=True))


def _named(faults: Iterable[Fault], names: dict[int, str], origin: Origin) -> list[Fault]:
    """Faults with what their records are called, and of several files with the one they are in."""
    placed = origin.placed(faults)
    if not names:
        return placed
    return [msgspec.structs.replace(one, identifier=names.get(one.record, "")) for one in placed]
