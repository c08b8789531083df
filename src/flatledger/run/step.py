"""One batch through the generated functions: what comes out is a result that can go anywhere."""

from __future__ import annotations

import decimal
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from itertools import zip_longest
from typing import Any

import msgspec

from ..compile.definitions import Definitions
from ..compile.doubting import BothFigures, Look
from ..compile.plain_data import below
from ..compile.program import Kept, Program, generate, generate_doubts
from ..language.nodes import FieldPath, Node
from ..layout.column import Column
from ..plan.known import declared_of
from ..plan.plan import Plan
from ..values.faults import Fault
from ..values.field_values import DATES
from ..values.functions import text_of
from ..values.numbers import EXACT
from ..values.shown_alike import period_shown
from .drift import DriftLook
from .expecting import sequences
from .line_rows import LinesOfPlan, LineSteps, Made, classes_of
from .protocols import Batch, Origin, Row
from .results import BatchResult, ControlSums


class Stepper:
    """Takes batches through one plan. It holds nothing that a later batch depends on."""

    def __init__(
        self,
        plan: Plan,
        program: Program | None = None,
        definitions: Definitions | None = None,
        lines: LinesOfPlan | None = None,
    ) -> None:
        """``definitions`` are those by which nodes of a tree are opened; rows carry ``lines``."""
        self.plan = plan
        self._lines = lines
        self._line_steps: LineSteps | None = None
        self._program = program
        self._definitions = definitions
        self._drift = DriftLook(plan)
        self._exact: Stepper | None = None
        take = plan.layout.take
        self._chooses_records = take is not None and take.of == "records"
        rows = plan if lines is None else lines.carried
        self._keys = list(watched_keys(rows))
        self._alike = list(keys_shown_alike(rows))
        self._doubts: Look | None = None
        self._told: set[int] = set()  # doubts for which a record was found

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

    def _exactly(self) -> Stepper:
        """What takes batches of records in exact types."""
        if self._exact is None:
            assert self.plan.exactly is not None
            self._exact = Stepper(
                self.plan.exactly, definitions=self._definitions, lines=self._lines
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
        rows, entries, classes, cells = self._made(records, numbers, kept, checked)
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
        self._look_at_days(rows)
        names = self._identified(batch) if judged or filled else {}
        counted = Counter(dict(zip(program.counters, counts, strict=True)))
        counted.update({f"kept_{level}": count for level, count in enumerate(entries, 1)})
        if not program.counters:  # what was met has all been kept
            counted.update({f"met_{level}": count for level, count in enumerate(entries, 1)})
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
            seen=self._drift.seen(batch, len(rows), classes, program.nested),
            sequences=sequences(self.plan, batch),
            watches=program.watches.taken(),
            levels_met=frozenset(program.listed),
            both_figures=self._both_figures(batch),
            repeats=batch.repeats,
            cells=cells,
        )

    def _made(self, records: list[Any], numbers: Sequence[int], kept: Kept, checked: bool) -> Made:
        """The rows of kept records."""
        unmet = self._drift.unmet_columns
        if self._lines is None:
            rows, entries = self.program.unfold(records, numbers, kept)
            return Made(rows, entries, classes_of(rows, unmet))
        if self._line_steps is None:
            self._line_steps = LineSteps(self._lines, self.program)
        make = self._line_steps.checked if checked else self._line_steps.of
        return make(records, numbers, kept, unmet)

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


def _is_typed(node: Node | None) -> bool:
    """Whether a value is a field that is declared to have a datatype."""
    declared = declared_of(node) if node is not None else None
    return declared is not None and bool(declared.datatype)


def watched_keys(plan: Plan) -> Iterator[tuple[int, str, bool]]:
    """The keys whose texts could be meant as numbers: their places, what to call them, and whether
    they are ordered."""
    clear = {c.slot for c in plan.columns if c.numeric or c.column.typed or _is_typed(c.value)}
    keys = enumerate(plan.extra_keys, len(plan.columns))
    clear |= {slot for slot, (node, _) in keys if _is_typed(node)}
    sorted_by = set()
    for key in plan.sort:
        if not key.collation and key.slot not in clear:
            sorted_by.add(key.slot)
            yield key.slot, f"sort by `{key.text}`", True
    for key in plan.group:
        if key.slot not in sorted_by | clear:
            yield key.slot, f"group by `{key.text}`", False


def keys_shown_alike(plan: Plan) -> Iterator[tuple[int, str, str, str]]:
    """The keys of days that a format shows by a longer period: their places, what to call them,
    the value, and the format."""
    table = plan if plan.over is None else plan.over.plan
    shown = [one.column for one in table.columns if one.column.format and one.column.value]
    for way, keys in (("group", plan.group), ("sort", plan.sort)):
        for key in keys:
            if key.slot >= len(plan.columns):
                continue
            own = plan.columns[key.slot].column
            for column in shown:
                same = column.heading == own.heading or _stands_for(column, own.heading)
                pattern, value = column.format or "", own.value
                if same and value and column.datatype in DATES and period_shown(pattern):
                    text = f"{way} by `{column.heading}`"
                    yield key.slot, text, " ".join(value.text.split()), pattern


def _stands_for(column: Column, key: str) -> bool:
    """Whether a column over groups shows a key as it is."""
    node = column.value.node if column.value is not None else None
    return isinstance(node, FieldPath) and node.names() == (key,)
