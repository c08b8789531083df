"""The ways in which rows are made of kept records: cells, lines of text, or what they add up to."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any, NamedTuple, Protocol

from ..compile.functions.program import Further, Kept, Program
from ..compile.functions.tallying import GroupTallies, Tallying
from ..compile.functions.unfolding import Classes
from ..plan.plan import Plan
from ..plan.row_type import RowType
from .protocols import Row
from .watched_keys import watched_keys


class Made(NamedTuple):
    """The rows of a batch, how many entries of each level they are made of, and the classes of the
    values of columns that were looked for. Of records that are held against what they are by
    definition there are ``cells``, too; where rows were not made, they were ``tallied``."""

    rows: list[Any]
    entries: tuple[int, ...]
    classes: Classes
    cells: list[Row] | None = None
    tallied: GroupTallies | None = None


class RowSteps(Protocol):
    """Makes the rows of kept records, by one program. ``unmet`` are columns, by their slots, that
    had no value so far."""

    def of(
        self, records: list[Any], numbers: Sequence[int], kept: Kept, unmet: Collection[int]
    ) -> Made:
        """The rows of kept records."""
        ...

    def checked(
        self, records: list[Any], numbers: Sequence[int], kept: Kept, unmet: Collection[int]
    ) -> Made:
        """The same with their cells, of records that are held against what they are by definition;
        what can be made in another way is made so, too."""
        ...


class RowMaking(Protocol):
    """How rows are made in a run, and what they are made of."""

    @property
    def row_type(self) -> RowType: ...

    def steps(self, program: Program) -> RowSteps:
        """What makes them by a program."""
        ...

    def code(self, program: Program) -> str:
        """The text of the function for that which is generated besides the program's own."""
        ...


class CellRows:
    """Rows are tuples of cells."""

    def __init__(self, row_type: RowType) -> None:
        self.row_type = row_type

    def steps(self, program: Program) -> CellSteps:
        """What makes them by a program."""
        return CellSteps(program)

    def code(self, program: Program) -> str:
        """Nothing: the program has it."""
        return ""


class CellSteps:
    """Makes rows of cells."""

    def __init__(self, program: Program) -> None:
        self._program = program

    def of(
        self, records: list[Any], numbers: Sequence[int], kept: Kept, unmet: Collection[int]
    ) -> Made:
        """The rows of kept records."""
        rows, entries = self._program.unfold(records, numbers, kept)
        return Made(rows, entries, classes_of(rows, unmet))

    checked = of


def classes_of(rows: list[Row], places: Collection[int]) -> Classes:
    """The classes of the values in some places of rows, nulls left out."""
    return {place: {row[place].__class__ for row in rows} - {type(None)} for place in places}


# ---- rows that are added up by group as they pass, without being made


_MOST_MADE = 3  # functions, of which each knows more of the columns


class TalliedRows:
    """How rows are added up in a run."""

    def __init__(self, plan: Plan) -> None:
        self.plan, self.row_type = plan, plan.row_type

    def steps(self, program: Program) -> TallySteps:
        """What adds them up by a program."""
        return TallySteps(self.plan, program)

    def code(self, program: Program) -> str:
        """The text of the function that adds rows up."""
        return _written(program, ()).written.text()


class TallySteps:
    """Adds rows up by one program. The first are made, since it is looked at what they hold."""

    def __init__(self, plan: Plan, program: Program) -> None:
        self._program, self._numerals = program, program.watches.numerals_of
        self._watched = [(what, ordered) for _, what, ordered in watched_keys(plan.row_type)]
        self._cells = CellSteps(program)
        self._tally: Further[Tallying] | None = None
        self._made, self._unmet = 0, 0
        self._begun = False

    def of(
        self, records: list[Any], numbers: Sequence[int], kept: Kept, unmet: Collection[int]
    ) -> Made:
        """What kept records add up to; their rows, where these are looked at."""
        if not self._begun or any(self._numerals(what, way).on for what, way in self._watched):
            made = self._cells.of(records, numbers, kept, unmet)
            self._begun = self._begun or bool(made.rows)
            return made
        tallied, entries, classes = self._tally_by(unmet).loud(records, numbers, kept)
        return Made([], entries, classes, tallied=GroupTallies(*tallied))

    def checked(
        self, records: list[Any], numbers: Sequence[int], kept: Kept, unmet: Collection[int]
    ) -> Made:
        """The rows, and what they add up to in the other way, if that was begun."""
        made = self._cells.of(records, numbers, kept, unmet)
        self._begun = self._begun or bool(made.rows)
        made = made._replace(cells=made.rows)
        if self._tally is None:
            return made
        tallied, _, _ = self._tally.quiet(records, numbers, kept)
        return made._replace(tallied=GroupTallies(*tallied))

    def _tally_by(self, unmet: Collection[int]) -> Further[Tallying]:
        """What adds rows up; made anew where some columns need not be looked at any more."""
        if self._tally is None or (2 * len(unmet) <= self._unmet > 0 and self._made < _MOST_MADE):
            self._tally = _written(self._program, unmet)
            self._unmet, self._made = len(unmet), self._made + 1
        return self._tally


def _written(program: Program, unmet: Collection[int]) -> Further[Tallying]:
    """The function that adds rows up by a program."""
    return program.further(lambda plan, constants: Tallying(plan, constants, unmet))
