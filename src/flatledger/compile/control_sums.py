"""Writing `control_sums`: control sums, on a walk that shares nothing with the rows."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec.structs import replace

from ..language import nodes as n
from ..plan.plan import ColumnPlan, Plan
from ..values.aggregates import Aggregate
from .blocks import function_head, indented, listed_codes
from .constants import Constants
from .emitter import Emitter
from .walking import load_entries, loop


def control_sums_source(plan: Plan, constants: Constants) -> str:
    """Write it: each totalled column over the kept entries of its home, without unfolding."""
    return _ControlSums(plan, constants).text()


class _ControlSums:
    """Writes `control_sums`. Sums that are proved group by group are kept in a list for each group,
    which is found where an entry's group is known; the others in variables.
    """

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan, self.constants = plan, constants
        roots = [column.once or column.value for column in plan.totalled]
        self.emitter = Emitter(plan, constants, roots)
        self.columns = list(enumerate(plan.totalled))
        self.grouped = set(plan.grouped_totals)
        self.level = max((key.home for key in plan.group), default=0)  # of the groups
        homes = {column.home for _, column in self.columns}
        self.deepest = max([*homes, self.level if self.grouped else 0])
        load_entries(self.emitter, plan, self.deepest)
        self.parts: list[str] = []  # what a group's list begins with
        self.met = {
            home: self._part("0") for home in sorted({plan.totalled[i].home for i in self.grouped})
        }
        if self.grouped:
            self._find_group()
        self.names = {i: self._variables(i, column) for i, column in self.columns}
        for index, column in self.columns:
            self._add_up(index, column)

    def _part(self, start: str) -> str:
        """A further part of a group's list."""
        self.parts.append(start)
        return f"own[{len(self.parts) - 1}]"

    def _variables(self, index: int, column: ColumnPlan) -> tuple[str, str, str]:
        """Where the state of a column stands, its blanks, and its texts among numbers."""
        starts = (_aggregate(column).start, "0", "0")
        if index in self.grouped:
            state, blank, text = map(self._part, starts)
            return state, blank, text
        return f"state_{index}", f"blank_{index}", f"text_{index}"

    def _find_group(self) -> None:
        """The lines that find the list of an entry's group."""
        keys = list(self._key())
        key = keys[0] if len(keys) == 1 else f"({listed_codes(keys)})"
        with self.emitter.code.at(self.level):
            self.emitter.code.add(f"group = {key}")
            self.emitter.code.add("own = by_group.get(group)")
            self.emitter.code.add("if own is None: own = by_group[group] = new_group()")
            if self.level in self.met:
                self.emitter.code.add(f"{self.met[self.level]} += 1")

    def _key(self) -> Iterator[str]:
        """The values that make an entry's group, the same for those that are equal."""
        code = self.emitter.code
        for key in self.plan.group:
            with code.at(key.home):
                node: n.Node | None
                if key.slot < len(self.plan.columns):
                    node = self.plan.columns[key.slot].value
                    value = self.emitter.columns.cell(self.plan.columns[key.slot])
                else:
                    node = self.plan.extra_keys[key.slot - len(self.plan.columns)][0]
                    value = self.emitter.columns.key(node)
                name = code.held(value).code
            if key.kind in ("number", "text", "null") or self.emitter.columns.is_text(node):
                yield name
            elif key.kind == "any":
                yield f"{name} if {name}.__class__ is not bool else told_apart({name})"
            else:
                yield f"told_apart({name})"

    def _add_up(self, index: int, column: ColumnPlan) -> None:
        """The lines that add up a column; what is neither blank nor a text among numbers counts."""
        state, blank, text = self.names[index]
        aggregate = _aggregate(column)
        shows_texts = column.shows_texts or not column.numeric
        shows_texts = shows_texts and not self.emitter.columns.is_integer(column)
        if column.once is not None:
            column = replace(column, value=column.once, shown=None, once=None)
        value = self.emitter.columns.cell(column)
        with self.emitter.code.at(column.home) as block:
            name = self.emitter.code.held(value).code
            take = aggregate.taking(state, name)
            if aggregate.unknown:
                block.add(take)
                return
            block.add(f"if {name} is None: {blank} += 1")
            if shows_texts:
                block.add(f"elif {name}.__class__ is FaultText: {text} += 1")
            block.add(f"else: {take}")

    def text(self) -> str:
        alone = [(i, column) for i, column in self.columns if i not in self.grouped]
        starts = ["by_group = {}", "met_0 = len(records)"]
        starts += [f"met_{level} = 0" for level in range(1, self.deepest + 1)]
        starts += [
            f"blank_{i} = text_{i} = 0; state_{i} = {_aggregate(column).start}"
            for i, column in alone
        ]
        whole = listed_codes(
            "None" if i in self.grouped else self._sums(i) for i, _ in self.columns
        )
        each = listed_codes(self._sums(i) if i in self.grouped else "None" for i, _ in self.columns)
        group = "(group, )" if len(self.plan.group) == 1 else "group"
        lines = [
            function_head("control_sums", "records", "numbers", "kept"),
            f"    def new_group(): return [{', '.join(self.parts)}]",
            *indented(starts, 1),
            *indented(self._walk(), 1),
            f"    by_group = {{{group}: ({each}) for group, own in by_group.items()}}",
            *indented([f"return ({whole}), by_group"], 1),
        ]
        return "\n".join(lines)

    def _walk(self) -> list[str]:
        """The loops over the records and what lies below, if there is anything to add up."""
        lines = self._level_lines(0) if self.deepest or self.columns else []
        return [loop(self.plan, 0), *indented(lines, 1)] if lines else []

    def _level_lines(self, level: int) -> list[str]:
        lines = list(self.emitter.code.scope.blocks[level].lines)
        deeper = level + 1
        if level < self.deepest:
            lines.append(f"met_{deeper} += len(entries_{deeper})")
            if deeper > self.level and deeper in self.met:
                lines.append(f"{self.met[deeper]} += len(entries_{deeper})")
            lines += [loop(self.plan, deeper), *indented(self._level_lines(deeper), 1)]
        return lines

    def _sums(self, index: int) -> str:
        """How many values of a column there are, the state of its aggregate, how many blanks."""
        state, blank, text = self.names[index]
        column = self.plan.totalled[index]
        aggregate = _aggregate(column)
        name = self.constants.name(aggregate, aggregate.name)
        met = self.met[column.home] if index in self.grouped else f"met_{column.home}"
        return f"({met} - {blank} - {text}, {aggregate.taken(state, name)}, {blank})"


def _aggregate(plan: ColumnPlan) -> Aggregate:
    assert plan.column.total is not None
    return plan.column.total.aggregate
