"""The ways in which rows are made of kept records: cells, lines of text, or what they add up to."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any, NamedTuple, Protocol

from ..compile.program import Kept, Program
from ..compile.tallying import Tallied
from ..compile.unfolding import Classes
from ..plan.row_type import RowType
from .protocols import Row


class Made(NamedTuple):
    """The rows of a batch, how many entries of each level they are made of, and the classes of the
    values of columns that were looked for. Of records that are held against what they are by
    definition there are ``cells``, too; where rows were not made, they were ``tallied``."""

    rows: list[Any]
    entries: tuple[int, ...]
    classes: Classes
    cells: list[Row] | None = None
    tallied: Tallied | None = None


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
