"""Rows that carry their lines of text, or their cells where these need care.

A row is a tuple of what stands beside the line, and last the line; or the line itself, where
nothing stands beside it. In the place of the line the written cells stand, as a tuple, where some
cell of their batch is to be looked at by itself.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from ..compile.functions.lines import LineUnfolding
from ..compile.functions.program import Further, Kept, Program
from ..plan.line_rows import places_beside, with_lines
from ..plan.plan import Plan
from ..plan.row_order import cells_at
from .protocols import Row, TextForm
from .row_making import Made, classes_of

_MOST_MADE = 6  # functions, of which each knows more of the columns
_PATIENCE = 3  # batches that do not fit, after which there are more of the others at least


class JoinedLines(list[str]):
    """Lines, of which nothing else is asked, with their ``text``."""

    def __init__(self, lines: list[str], text: str) -> None:
        super().__init__(lines)
        self.text = text


class LineRows:
    """How rows carry lines in a run."""

    def __init__(self, plan: Plan, form: TextForm) -> None:
        self.form = form
        self.row_type = with_lines(plan)
        self.width = len(plan.written)
        beside = places_beside(plan)
        beside += range(len(plan.columns), plan.row_type.width)
        self._beside, self._stands_beside = cells_at(beside), bool(beside)
        self._fitting = self._unfit = 0

    def steps(self, program: Program) -> LineSteps:
        """What makes them by a program."""
        return LineSteps(self, program)

    def written(self, program: Program, unmet: Collection[int]) -> Further[LineUnfolding]:
        """The function that makes lines by a program."""
        return program.further(
            lambda plan, constants: LineUnfolding(plan, constants, self.form, unmet)
        )

    def code(self, program: Program) -> str:
        """The text of the function that makes lines."""
        return self.written(program, ()).written.text()

    @property
    def worth_trying(self) -> bool:
        """Whether lines fit often enough."""
        return self._unfit < _PATIENCE or self._unfit < self._fitting

    def note(self, fits: bool) -> None:
        """Take note of a batch that was made into lines."""
        self._fitting += fits
        self._unfit += not fits

    def with_cells(self, rows: list[Row]) -> list[Row]:
        """Rows that carry their cells in the place of a line."""
        width = self.width
        return [(*self._beside(row), row[:width]) for row in rows]

    def fitting(self, rows: list[Any], truths: bool) -> list[Any] | None:
        """The rows, if their lines are as they have to be; with their text, where they are lines
        and nothing else."""
        alone = not self._stands_beside
        text = self.form.joined(rows if alone else [row[-1] for row in rows], truths)
        if text is None:
            return None
        return JoinedLines(rows, text) if alone else rows


def line_of(row: Any) -> Any:
    """The line of a row that carries one, or its cells."""
    return row if row.__class__ is str else row[-1]


class LineSteps:
    """Makes rows with lines by one program."""

    def __init__(self, lines: LineRows, program: Program) -> None:
        self._lines, self._program = lines, program
        self._maker: Further[LineUnfolding] | None = None
        self._made = 0
        self._known: tuple[int, int] = (0, 0)  # columns that the maker is careful of, or looks for
        self._begun = False

    def of(
        self, records: list[Any], numbers: Sequence[int], kept: Kept, unmet: Collection[int]
    ) -> Made:
        """The rows of kept records; ``unmet`` are columns that had no value so far."""
        maker, program = self._maker_for(unmet), self._program
        if maker is None:
            return self._with_cells(*program.unfold(records, numbers, kept), unmet)
        counted = program.watches.taken() if program.watches.counts else None
        self._lines.form.begin()
        try:
            rows, entries, classes = maker.loud(records, numbers, kept)
        except ValueError:  # Python writes no integer of more than some thousand digits
            self._lines.note(fits=False)
            program.faults.taken()  # of a part of the records, as what was counted of them
            if counted is not None:
                program.watches.taken()
                program.watches.merge(counted)
            return self._with_cells(*program.unfold(records, numbers, kept), unmet)
        if counted is not None:
            program.watches.merge(counted)
        fitting = self._lines.fitting(rows, maker.written.truths)
        self._lines.note(fits=fitting is not None)
        if fitting is not None:
            return Made(fitting, entries, classes)
        cells, entries = program.unfold_again(records, numbers, kept)
        self._lines.form.look_at([row[: self._lines.width] for row in cells])
        return self._with_cells(cells, entries, unmet)

    def checked(
        self, records: list[Any], numbers: Sequence[int], kept: Kept, unmet: Collection[int]
    ) -> Made:
        """The same with the cells, of records that are held against what they are by definition;
        where lines are made, they are made of the same records too."""
        cells, entries = self._program.unfold(records, numbers, kept)
        made = self._with_cells(cells, entries, unmet)._replace(cells=cells)
        if self._maker is None:
            return made
        self._lines.form.begin()
        try:
            rows, _, _ = self._maker.quiet(records, numbers, kept)
            fitting = self._lines.fitting(rows, self._maker.written.truths)
        except ValueError:
            return made
        return made if fitting is None else made._replace(rows=fitting)

    def _with_cells(
        self, cells: list[Row], entries: tuple[int, ...], unmet: Collection[int]
    ) -> Made:
        self._begun = self._begun or bool(cells)
        return Made(self._lines.with_cells(cells), entries, classes_of(cells, unmet))

    def _maker_for(self, unmet: Collection[int]) -> Further[LineUnfolding] | None:
        """What makes lines: made once some rows are known, and anew where more is known of the
        columns."""
        if not self._begun or not self._lines.worth_trying:
            return None
        careful, (known, unmet_then) = len(self._lines.form.careful), self._known
        more = careful > known or 2 * len(unmet) <= unmet_then > 0  # worth being made anew for
        if self._maker is None or (more and self._made < _MOST_MADE):
            self._maker = self._lines.written(self._program, unmet)
            self._known, self._made = (careful, len(unmet)), self._made + 1
        return self._maker
