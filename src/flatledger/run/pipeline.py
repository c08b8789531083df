"""A run: read, filter, unfold, fill, group, sort, total, limit, write, and the proof of it all."""

from __future__ import annotations

import datetime as dt
import decimal
import time
from collections.abc import Iterator

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


class Run:
    """One layout over one source. `blocks` gives the table; after it, `balance` the proof.
    ``gives_lines``: rows carry lines (`line_rows`), since that was lent, and the layout allows it.
    """

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
        self._started = time.monotonic()
        self._progress = progress
        if layout.row_per_group or (layout.take and layout.take.of == "rows"):
            layout = without_keyless(layout)  # of rows not taken they could not be proved
        self.reader = source.open()
        try:
            self._begin(layout, services, structure)
        except BaseException:
            self.reader.close()
            raise

    def _begin(self, layout: SettledLayout, services: RunServices, structure: Place | None) -> None:
        """Look at the first records, and plan."""
        self.first = first = self.reader.peek()
        notation = notation_of(self.reader.states.get("format", ""))
        if notation is not None and notation.format != layout.source.format:
            _check_paths(layout, notation)
        met = structure or structure_met(self.reader, names_wanted(layout))
        if services.definitions is not None:
            met.merge(services.definitions.structure)
        self.plan: Plan = make_plan(
            layout,
            met,
            layout.today or dt.date.today(),
            structure is not None,
        )
        form = services.lines(self.plan) if takes_lines(self.plan) else None
        self.gives_lines = form is not None
        making = self._making = _making(self.plan, form)
        self.stepper = Stepper(self.plan, definitions=services.definitions, making=making)
        self._steps = CheckedSteps(
            self.stepper, self.plan, services.define, everything=services.verify_all, lines=form
        )
        self.reader.keeps = self._steps.keeps
        self.notices = list(self.plan.notices)
        self._looked_at = len(first)
        self._state = RunState(
            self.plan,
            first=first,
            store=services.store,
            sink=services.faults,
            verify_all=services.verify_all,
            row_type=making.row_type,
        )
        self._last = last_step(self.plan, self._state, services, making.row_type)

    @property
    def columns(self) -> list[ColumnPlan]:
        """The columns of the table, in their order."""
        return self._last.plan.written

    def blocks(self) -> Iterator[list[Row]]:
        """The rows of the table as they are given to an output, total rows among them."""
        gathered = self._state.gathered = self._last.gathers()
        if gathered is None:
            yield from self._last.blocks(self._rows())
        else:
            for _ in self._rows():
                pass  # the state takes them in
            self._stop_at_mixed_units()
            for block in self._last.blocks(gathered):
                self._tell("writing")
                yield block
        self._stop_at_mixed_units()
        self._state.close()

    def _rows(self) -> Iterator[list[Row]]:
        """The rows as they come from the source, with their keys, marks and entries."""
        with self.reader:
            exact = self.stepper.exact_type
            batches = decoded(self.reader, self.plan.record_types.record_type, exact)
            for batch in restfully(batches):
                for rows in self._absorbed(batch):
                    self._tell("reading")
                    yield rows

    def _tell(self, phase: str) -> None:
        """Say how far it has come."""
        if self._progress is not None:
            self._progress(RunProgress.of(self._state.read, self.reader.measure, phase))

    def _absorbed(self, batch: Batch) -> Iterator[list[Row]]:
        """The rows of a batch, as its parts are taken in. What a later record shows of levels comes
        before the first of them is given."""
        with at_rest():
            results = list(self._steps.of(batch))
        for result in results:
            with at_rest():
                rows = self._state.absorb(result)
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
