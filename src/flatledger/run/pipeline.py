"""A run: read, filter, unfold, fill, group, sort, total, limit, write, and the proof of it all."""

from __future__ import annotations

import datetime as dt
import decimal
import time
from collections import deque
from collections.abc import Iterator
from typing import Any

from ..compile.functions.tallying import takes_tallies
from ..errors import LayoutError, Problem
from ..language import nodes as n
from ..language.notations import Notation, notation_of
from ..layout.model.model import SettledLayout
from ..layout.reading.spreading import without_keyless
from ..plan.line_rows import takes_lines
from ..plan.making import make_plan
from ..plan.plan import Plan
from ..plan.row_type import ColumnPlan, RowType
from ..structure.missing_fields import MissingPath
from ..structure.structure import Place
from ..structure.wanted import names_wanted
from ..values.numbers import EXACT
from .balance import Balance
from .balancing import balance_of
from .checking import CheckedSteps
from .collecting import at_rest, restfully
from .decoding import decoded, structure_met
from .line_rows import LineRows
from .over_groups import GroupStage
from .protocols import (
    NO_SERVICES,
    Batch,
    Progress,
    Reader,
    Row,
    RunProgress,
    RunServices,
    Source,
    TextForm,
)
from .row_making import CellRows, RowMaking, TalliedRows
from .state import RunState
from .step import Stepper
from .table import TableSteps


def last_step(
    plan: Plan,
    state: RunState,
    services: RunServices = NO_SERVICES,
    row_type: RowType | None = None,
) -> TableSteps | GroupStage:
    """What makes the table of rows: with one step more where a row stands for a group. ``row_type``
    says what these are made of, where that is other than the plan's."""
    if plan.over is not None:
        return GroupStage(plan, state, services)
    return TableSteps(plan, state, services, row_type=row_type)


def _check_paths(layout: SettledLayout, notation: Notation) -> None:
    """Raise LayoutError for a column without a path that would have one in the notation of the
    records, if the layout does not say that they are in it."""
    numbers = (
        (one, notation.without_path(one.heading, one.value.text.strip()))
        for one in layout.columns
        if one.value is not None and isinstance(one.value.node, n.Literal)
    )
    problems = [one.problem(said) for one, said in numbers if said]
    if problems:
        raise LayoutError(layout.name, problems)


def _making(plan: Plan, form: TextForm | None) -> RowMaking:
    """How the rows of a plan are made: as lines, if they have a ``form``."""
    if form is not None:
        return LineRows(plan, form)
    return TalliedRows(plan) if takes_tallies(plan) else CellRows(plan.row_type)


def planned(layout: SettledLayout, reader: Reader, met: Place, complete: bool) -> Plan:
    """The plan of a layout for what a reader gives; ``met`` is what its records look like, the
    first ones, or all where that is ``complete``."""
    if layout.row_per_group or (layout.take and layout.take.of == "rows"):
        layout = without_keyless(layout)  # of rows not taken they could not be proved
    notation = notation_of(reader.states.get("format", ""))
    if notation is not None and notation.format != layout.source.format:
        _check_paths(layout, notation)
    return make_plan(layout, met, layout.today or dt.date.today(), complete)


class TableRun:
    """A plan over the records of a reader, batch by batch. `take` and `end` give the table;
    ``gives_lines``: rows carry lines (`line_rows`), since that was lent, and the layout allows it.
    """

    def __init__(self, plan: Plan, reader: Reader, services: RunServices) -> None:
        self._started = time.monotonic()
        self.reader, self.plan = reader, plan
        self.first = reader.peek()
        form = services.lines(plan) if takes_lines(plan) else None
        self.gives_lines = form is not None
        making = self._making = _making(plan, form)
        self.stepper = Stepper(plan, definitions=services.definitions, making=making)
        self._steps = CheckedSteps(
            self.stepper, plan, services.define, everything=services.verify_all, lines=form
        )
        self.keeps = self._steps.keeps
        self.notices = list(plan.notices)
        self._looked_at = len(self.first)
        self._state = RunState(
            plan,
            first=self.first,
            store=services.store,
            sink=services.faults,
            verify_all=services.verify_all,
            row_type=making.row_type,
        )
        self._last = last_step(plan, self._state, services, making.row_type)
        self._waiting: deque[list[Row]] = deque()  # rows that the last steps have not taken
        gathered = self._state.gathered = self._last.gathers()
        self._gathers = gathered is not None
        self._blocks = self._last.blocks(self._fed() if gathered is None else gathered)

    @property
    def columns(self) -> list[ColumnPlan]:
        """The columns of the table, in their order."""
        return self._last.plan.written

    @property
    def read(self) -> int:
        """How many records have been taken."""
        return self._state.read

    # ---- the table, batch by batch

    def take(self, batch: Batch) -> Iterator[list[Row]]:
        """Take the next records; what is given of the table by then, in blocks that are not empty.

        What a later record of the batch shows of levels comes before the first of them is given.
        """
        with at_rest():
            results = list(self._steps.of(batch))
        for result in results:
            with at_rest():
                rows = self._state.absorb(result)
            if rows and not self._gathers:
                self._waiting.append(rows)
                while self._waiting:
                    if block := next(self._blocks):
                        yield block

    def end(self) -> Iterator[list[Row]]:
        """What is left of the table, when all records have been taken."""
        self._stop_at_mixed_units()
        self._waiting.append([])
        yield from filter(None, self._blocks)
        self._state.close()

    def _fed(self) -> Iterator[list[Row]]:
        """The rows that wait. The last steps give a block, be it an empty one, for each of them, so
        that they do not ask before there is one; none is the end."""
        while rows := self._waiting.popleft():
            yield rows

    def _stop_at_mixed_units(self) -> None:
        """Amounts in several units can't be added up, compared or set side by side."""
        mixed = [one for one in self._state.watches.units.values() if one.mixed]
        if mixed:
            columns = {f"column `{one.column.heading}`": one.column for one in self.plan.columns}
            problems = [
                columns[one.what].problem(one.message())
                if one.what in columns
                else Problem(one.message())
                for one in mixed
            ]
            raise LayoutError(self.plan.layout.name, problems)

    def code(self) -> str:
        """The generated functions of the run: for exact types, where records come in these."""
        program = self.stepper.mostly.program
        return "\n\n".join(filter(None, (program.source, self._making.code(program))))

    # ---- afterwards

    def missing(self) -> list[MissingPath]:
        """The paths that no record had, once all have been read; of no records none is judged."""
        if self._state.read == self._state.unreadable:
            return []
        unmet = self._state.drift.unmet()
        return [one for one in self.plan.missing if one.names in unmet]

    @property
    def saw_all(self) -> bool:
        """Whether the structure that the plan was made by is that of all records."""
        return self.plan.chain.known.complete or self._state.read <= self._looked_at

    def balance(self) -> Balance:
        """The proof of the run, once the blocks have been taken to their end."""
        with decimal.localcontext(EXACT):
            balance = balance_of(self.plan, self._state, self._last.proof)
            self._last.complete(balance)
        balance.source, balance.manner = self.reader.name, self.reader.manner
        account = self.reader.account
        balance.files_read = list(account.files)
        balance.totals_left_out = account.left_out
        in_files = sum(one.records + one.unreadable for one in account.files)
        if account.of_files and in_files != balance.read:
            balance.wrong.append("the records of the files are not those of the table")
        if len(account.files) != account.of_files:
            told = f"{len(account.files):,} of the {account.of_files:,} files are accounted for"
            balance.wrong.append(told)
        notices = [*account.notices, *self.notices, *balance.notices]
        balance.notices = list(dict.fromkeys(notices))
        if self._steps.looks:
            balance.checked = self._state.checks.summary()
            balance.wrong += balance.checked.told
        balance.seconds = time.monotonic() - self._started
        return balance


class Run(TableRun):
    """One layout over one source. `blocks` gives the table; after it, `balance` the proof."""

    def __init__(
        self,
        layout: SettledLayout,
        source: Source,
        services: RunServices = NO_SERVICES,
        *,
        progress: Progress | None = None,
        structure: Place | None = None,
    ) -> None:
        """With ``structure`` what all records look like is known already."""
        reader, self._progress = source.open(), progress
        try:
            met = structure or structure_met(reader, names_wanted(layout))
            if services.definitions is not None:
                met.merge(services.definitions.structure)
            plan = planned(layout, reader, met, structure is not None)
            super().__init__(plan, reader, services)
        except BaseException:
            reader.close()
            raise
        reader.keeps = self.keeps

    def blocks(self) -> Iterator[list[Row]]:
        """The rows of the table as they are given to an output, total rows among them."""
        with self.reader:
            for batch in batches_of(self.reader, self.plan, self.stepper.exact_type):
                yield from self.take(batch)
                tell(self._progress, self, "reading")
        for block in self.end():
            tell(self._progress, self, "writing")
            yield block


def batches_of(reader: Reader, plan: Plan, exact: Any) -> Iterator[Batch]:
    """The records of a reader in the types of a plan; in ``exact`` ones wherever they fit."""
    return restfully(decoded(reader, plan.record_types.record_type, exact))


def tell(progress: Progress | None, run: TableRun, phase: str) -> None:
    """Say how far a run has come."""
    if progress is not None:
        progress(RunProgress.of(run.read, run.reader.measure, phase))
