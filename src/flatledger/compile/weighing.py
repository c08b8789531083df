"""Writing `weigh`: control sums, on a walk that shares nothing with the rows."""

from __future__ import annotations

from msgspec.structs import replace

from ..plan.plan import ColumnPlan, Plan
from ..values.aggregates import Aggregate
from .blocks import function_head, indented, listed_codes
from .constants import Constants
from .emitter import Emitter
from .unfolding import loop


def weigh_source(plan: Plan, constants: Constants) -> str:
    """Write `weigh`: each totalled column over the kept entries of its home, without unfolding."""
    return _Weighing(plan, constants).text()


class _Weighing:
    """Writes `weigh`."""

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan, self.constants = plan, constants
        self.emitter = Emitter(plan, constants)
        self.columns = list(enumerate(plan.totalled))
        self.deepest = max((column.home for _, column in self.columns), default=0)
        for index, column in self.columns:
            if column.once is not None:
                column = replace(column, value=column.once, shown=None, once=None)
            value = self.emitter.columns.cell(column)
            with self.emitter.code.at(column.home) as block:
                for line in _weighing(index, self.emitter.code.held(value).code, column):
                    block.add(line)

    def text(self) -> str:
        starts = ["met_0 = len(records)"]
        starts += [f"met_{level} = 0" for level in range(1, self.deepest + 1)]
        starts += [
            f"blank_{i} = text_{i} = 0; state_{i} = {_aggregate(column).start}"
            for i, column in self.columns
        ]
        sums = listed_codes(self._sums(i, column) for i, column in self.columns)
        lines = [
            function_head("weigh", "records", "numbers", "kept"),
            *indented(starts, 1),
            *indented([loop(self.plan, 0)], 1),
            *indented(self._level_lines(0), 2),
            *indented([f"return ({sums})"], 1),
        ]
        return "\n".join(lines)

    def _level_lines(self, level: int) -> list[str]:
        lines = list(self.emitter.code.scope.blocks[level].lines)
        if level < self.deepest:
            lines.append(f"met_{level + 1} += len(entries_{level + 1})")
            lines += [loop(self.plan, level + 1), *indented(self._level_lines(level + 1), 1)]
        return lines or ["pass"]

    def _sums(self, index: int, column: ColumnPlan) -> str:
        """How many values of a column there are, the state of its aggregate, how many blanks."""
        aggregate = _aggregate(column)
        name = self.constants.name(aggregate, aggregate.name)
        taken = aggregate.taken(f"state_{index}", name)
        return f"(met_{column.home} - blank_{index} - text_{index}, {taken}, blank_{index})"


def _aggregate(plan: ColumnPlan) -> Aggregate:
    assert plan.column.total is not None
    return plan.column.total.aggregate


def _weighing(index: int, value: str, plan: ColumnPlan) -> list[str]:
    """The lines that add up one value; what is neither blank nor a text among numbers counts."""
    aggregate = _aggregate(plan)
    take = aggregate.taking(f"state_{index}", value)
    if aggregate.unknown:
        return [take]
    lines = [f"if {value} is None: blank_{index} += 1"]
    if plan.shows_texts or not plan.numeric:
        lines.append(f"elif {value}.__class__ is FaultText: text_{index} += 1")
    return [*lines, f"else: {take}"]
