"""One record by definition: what is let through, the rows it gives, what their cells hold."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from ..layout.model.column import Column
from ..plan.plan import Plan
from ..structure.levels import Names
from .cells import Cells
from .entries import Entry, Record
from .expressions import Expressions
from .faults import Faults
from .filtering import Filtering
from .homes import Homes
from .paths import Paths
from .protocols import Here, Origin

NO_ORIGIN = Origin()


class RowRead(NamedTuple):
    """A row: the entries that it stands for, from the record down, and its cells and keys."""

    here: Here
    cells: tuple[Any, ...]

    @property
    def address(self) -> tuple[int, ...]:
        """The record's number and the place of the entry at each level."""
        return tuple(entry.place for entry in self.here)


class Reading:
    """Reads one record by a plan. The columns of a row are in the order of the plan's: the written
    ones, the suppressed ones, then keys that are no columns."""

    def __init__(
        self,
        plan: Plan,
        plain: Any,
        number: int,
        paths: Paths | None = None,
        origin: Origin = NO_ORIGIN,
    ) -> None:
        self.plan, self.faults = plan, Faults()
        self.record = Record(plan, plain, number, self.faults)
        columns = [one.column for one in plan.columns]
        self.paths = paths or Paths(plan)
        self.paths.faults = self.faults
        self.expressions = Expressions(plan, columns, self.record, self.paths, self.faults, origin)
        self.homes = Homes(self.expressions)
        self.cells = Cells(self.expressions)
        self.filtering = Filtering(self.expressions, self.homes)
        self.passes = self.filtering.passes(self.record.top)

    @property
    def levels(self) -> tuple[Names, ...]:
        return self.plan.chain.levels

    def home(self, column: Column) -> int:
        """The level that a column belongs to (rule 2)."""
        if column.value is None:
            return len(self.levels) - 1
        return self.homes.of(column.value.node, self.levels)

    # ---- unfolding (rule 7)

    def entries_of_rows(self) -> list[Here]:
        """The entries of rows: one without entries below it gives a row that ends there."""
        if not self.passes:
            return []
        return [entry.chain for entry in self._ends(self.record.top, 1)]

    def _ends(self, entry: Entry, level: int) -> list[Entry]:
        below = self.record.kept(entry, self.levels[level]) if level < len(self.levels) else []
        found = [end for one in below for end in self._ends(one, level + 1)]
        stack = self.plan.stack
        if stack and level > stack[0]:  # those of a parent stand below its own row, if it has one
            return [entry, *found] if level - 1 in stack else found
        return found or [entry]

    def _is_filled(self, column: Column, here: Here) -> bool:
        """Whether a row shows a column: one of a stack those of its own level, and with
        `repeat-parents` those of levels above it."""
        stack, level, home = self.plan.stack, len(here) - 1, self.home(column)
        if not stack:
            return home <= level
        value = column.value
        pathless = value is None or self.homes.of(value.node, self.levels, -1) == -1
        if column.level is not None:
            there = level >= stack[0] or pathless or home <= level
            return max(level, stack[0]) == stack[column.level] and there
        if value is not None and pathless:
            return True
        if level < stack[0]:
            return home <= level
        own = min(one for one in stack if one >= home)
        return own == level or (own < level and self.plan.layout.repeat_parents)

    def rows(self, chosen: Sequence[int] | None = None) -> list[RowRead]:
        """The rows of the record, or some by their places among them."""
        found = self.entries_of_rows()
        wanted = found if chosen is None else [found[at] for at in chosen]
        columns = [one.column for one in self.plan.columns]
        keys = [(node, self.homes.of(node, self.levels)) for node, _ in self.plan.extra_keys]
        rows = []
        for here in wanted:
            cells = [self._cell(column, here) for column in columns]
            cells += [
                self.cells.key(node, here) if home < len(here) else None for node, home in keys
            ]
            rows.append(RowRead(here, tuple(cells)))
        return rows

    def _cell(self, column: Column, here: Here) -> Any:
        if column.total is not None and column.total.part:
            return None  # of a group it is told by the groups themselves
        if column.text is not None and column.level is None:
            return column.text
        return self.cells.cell(column, here) if self._is_filled(column, here) else None
