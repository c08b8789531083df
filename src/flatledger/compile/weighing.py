"""Writing `weigh`: control sums, on a walk that shares nothing with the rows."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec.structs import replace

from ..plan.plan import ColumnPlan, Plan
from ..values.aggregates import Aggregate
from .blocks import indented, listed_codes
from .constants import Constants
from .emitter import Emitter
from .unfolding import loop


def weigh_source(plan: Plan, constants: Constants) -> str:
    """Write `weigh`: each totalled column over the kept entries of its home, without unfolding."""
    return _Weighing(plan, constants).text()


class _Weighing:
    """Writes `weigh`. What belongs to one group only is added up for each group."""

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan, self.constants = plan, constants
        self.emitter = Emitter(plan, constants)
        self.columns = list(enumerate(plan.totalled))
        grouped = plan.grouped_totals
        self.grouped = [(i, column) for i, column in self.columns if i in grouped]
        self.level = max((key.home for key in plan.group), default=0)  # of the groups
        for index, column in self.columns:
            if column.once is not None:
                column = replace(column, value=column.once, shown=None, once=None)
            value = self.emitter.columns.cell(column)
            with self.emitter.code.at(column.home) as block:
                for line in _weighing(index, self.emitter.code.held(value).code, column):
                    block.add(line)
        self.key = list(self._key()) if self.grouped else []
        homes = [column.home for _, column in self.columns]
        self.deepest = max([*homes, *([self.level] if self.grouped else [])], default=0)

    def text(self) -> str:
        alone = [(i, column) for i, column in self.columns if (i, column) not in self.grouped]
        starts = ["by_group = {}", "met_0 = len(records)"]
        starts += [f"met_{level} = 0" for level in range(1, self.deepest + 1)]
        sums = "".join(
            f"{self._sums(i, column) if (i, column) in alone else None}, "
            for i, column in self.columns
        )
        lines = [
            "def weigh(records, numbers, kept):",
            *indented([*starts, *self._starts(alone)], 1),
            *indented([loop(self.plan, 0)], 1),
            *indented(self._level_lines(0), 2),
            *indented([f"return ({sums}), by_group"], 1),
        ]
        return "\n".join(lines)

    def _level_lines(self, level: int) -> list[str]:
        lines = list(self.emitter.code.scope.blocks[level].lines)
        if level < self.deepest:
            lines.append(f"met_{level + 1} += len(entries_{level + 1})")
            lines += [loop(self.plan, level + 1), *indented(self._level_lines(level + 1), 1)]
        if self.grouped and level == self.level:
            deeper = {column.home for _, column in self.grouped if column.home > level}
            starts = [f"met_{home} = 0" for home in sorted(deeper)]
            return [*starts, *self._starts(self.grouped), *lines, *self._into_group()]
        return lines or ["pass"]

    def _starts(self, columns: list[tuple[int, ColumnPlan]]) -> list[str]:
        return [
            f"blank_{i} = text_{i} = 0; state_{i} = {_aggregate(column).start}"
            for i, column in columns
        ]

    def _count(self, index: int, column: ColumnPlan) -> str:
        own = (index, column) in self.grouped and column.home == self.level
        return f"{1 if own else f'met_{column.home}'} - blank_{index} - text_{index}"

    def _sums(self, index: int, column: ColumnPlan) -> str:
        """How many values of a column there are, the state of its aggregate, how many blanks."""
        aggregate = _aggregate(column)
        name = self.constants.name(aggregate, aggregate.name)
        taken = aggregate.taken(f"state_{index}", name)
        return f"({self._count(index, column)}, {taken}, blank_{index})"

    def _key(self) -> Iterator[str]:
        """The values that make an entry's group, the same for those that are equal."""
        for key in self.plan.group:
            with self.emitter.code.at(key.home):
                if key.place < len(self.plan.columns):
                    value = self.emitter.columns.cell(self.plan.columns[key.place])
                else:
                    node = self.plan.extra_keys[key.place - len(self.plan.columns)][0]
                    value = self.emitter.columns.key(node)
                code = self.emitter.code.held(value).code
            if key.kind in ("number", "text", "null"):
                yield code
            elif key.kind == "any":
                yield f"{code} if {code}.__class__ is not bool else told_apart({code})"
            else:
                yield f"told_apart({code})"

    def _into_group(self) -> list[str]:
        """The lines that add what one entry has to its group: counts, states, blanks."""
        parts = []
        for i, column in self.grouped:
            parts += [self._count(i, column), f"state_{i}", f"blank_{i}"]
        grow = [f"own[{at}] += {part}" for at, part in enumerate(parts) if self._grows(at)]
        return [
            f"group = ({listed_codes(self.key)})",
            "own = by_group.get(group)",
            f"if own is None: by_group[group] = [{', '.join(parts)}]",
            f"else: {'; '.join(grow)}",
        ]

    def _grows(self, at: int) -> bool:
        """Whether one part of a group's sums is a number or list, and no state that is none."""
        _, column = self.grouped[at // 3]
        return at % 3 != 1 or _aggregate(column).start != "None"


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
