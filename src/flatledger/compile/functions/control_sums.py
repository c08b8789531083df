"""Writing `control_sums`: what totalled columns add up to, on a walk that makes no rows.

It shares the emitters of expressions with the rows: it proves which entries are counted, and where,
and not that a value is right, for which records are read a second time by definition.
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec.structs import replace

from ...language import nodes as n
from ...plan.plan import Plan
from ...plan.row_type import ColumnPlan
from ..expressions.blocks import function_head, indented, listed_codes
from ..expressions.constants import Constants
from ..expressions.emission import ordinal_name, places_name
from ..expressions.emitter import Emitter
from ..expressions.tree_walks import ByStack
from .ledger import LedgerForm, aggregate_of, part_name
from .unfolding import told_apart_code
from .walking import load_entries, loop


def control_sums_source(plan: Plan, constants: Constants) -> str:
    """Write it: each totalled column over the kept entries of its home, without unfolding."""
    return _ControlSums(plan, constants).text()


# the same nodes as those that rows are marked by, but found in another way
_FOUND_ANOTHER_WAY = {"leaves": "childless", "tops": "parentless"}


class _ControlSums:
    """Writes `control_sums`. Sums that are proved group by group are kept in a list for each group,
    which is found where an entry's group is known; the others in variables. What is split, since
    an entry of its home can be in several groups, is in both: once in all, and once in each.
    """

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan, self.constants = plan, constants
        roots = [column.once or column.value for column in plan.totalled]
        self.emitter = Emitter(plan, constants, roots, walk=ByStack, by_column=True)
        self.columns = list(enumerate(plan.totalled))
        self.grouped, self.split = set(plan.grouped_totals), set(plan.split_totals)
        self.level = max((key.home for key in plan.group), default=0)  # of the groups
        homes = {column.home for _, column in self.columns}
        self.deepest = max([*homes, self.level if self.grouped | self.split else 0])
        load_entries(self.emitter, plan, self.deepest)
        self.form = LedgerForm(plan)
        self.counted = {  # how many nodes of a tree a column takes, where these are not all
            i: self._counted(i) if i in self.grouped else f"counted_{i}"
            for i, column in self.columns
            if column.nodes
        }
        for home in self.form.split_met:
            with self.emitter.code.at(home, whole=True) as block:
                block.add(f"seen_{home} = set()")
        self.names = {i: self._variables(i) for i, _ in self.columns}
        self.values = {i: self._value(column) for i, column in self.columns}
        self.keys: list[tuple[str, int]] = []
        if self.grouped or self.split:
            self.keys += self._key()
            with self.emitter.code.at(self.level) as block:
                for line in self._find_group(self.level):
                    block.add(line)
        for index, column in self.columns:
            with self.emitter.code.at(column.home) as block:
                for line in self._taking(index, self.names[index], self.counted.get(index)):
                    block.add(line)

    def _counted(self, index: int) -> str:
        """The part of a group's list with how many nodes of a tree a column takes."""
        place = self.form.parts[index].counted
        return "" if place is None else part_name(place)

    def _variables(self, index: int) -> tuple[str, str, str]:
        """Where the state of a column stands, its blanks, and its texts among numbers."""
        if index in self.grouped:
            return self.form.parts[index].names
        return f"state_{index}", f"blank_{index}", f"text_{index}"

    def _find_group(self, level: int) -> list[str]:
        """The lines that find the list of a group: of an entry of the groups' level, or of one
        above it that has none."""
        known = [code if home <= level else "None" for code, home in self.keys]
        lines = [
            f"group = {known[0] if len(known) == 1 else f'({listed_codes(known)})'}",
            "own = by_group.get(group)",
            "if own is None: own = by_group[group] = new_group()",
        ]
        if level == self.level in self.form.met:
            lines.append(f"{part_name(self.form.met[level])} += 1")
        for home, met in ((one, met) for one, met in self.form.split_met.items() if one <= level):
            inside = [f"seen_{home}.add(group)", f"{part_name(met)} += 1"]
            for index in (i for i in self.form.split if self.plan.totalled[i].home == home):
                names = self.form.parts[index].names
                inside += self._taking(index, names, self._counted(index) or None)
            lines += [f"if group not in seen_{home}:", *indented(inside, 1)]
        return lines

    def _key(self) -> Iterator[tuple[str, int]]:
        """The values that make an entry's group, the same for those that are equal; their homes."""
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
            plain = self.emitter.columns.is_text(node)
            yield name if plain else told_apart_code(name, key), key.home

    def _value(self, column: ColumnPlan) -> str:
        """The variable with the value of a column, for an entry of its home."""
        if column.once is not None:
            column = replace(column, value=column.once, shown=None, once=None)
        value = self.emitter.columns.cell(column)
        with self.emitter.code.at(column.home):
            return self.emitter.code.held(value).code

    def _taking(self, index: int, parts: tuple[str, str, str], counted: str | None) -> list[str]:
        """The lines that add up a column; of a tree those nodes that it takes, and no others."""
        home, nodes = self.plan.totalled[index].home, self.plan.totalled[index].nodes
        lines = self._adding(index, parts)
        if counted is None:
            return lines
        walk = self.emitter.code.scope.walks[home]
        if walk is not None:
            return [f"if {walk.test(nodes)}:", *indented([f"{counted} += 1", *lines], 1)]
        found = _FOUND_ANOTHER_WAY[nodes]
        with self.emitter.code.at(home - 1, whole=True) as above:
            above.add(f"{found}_{index} = {places_name(home)}.{found}")
        test = f"if {found}_{index}[{ordinal_name(home)}]:"
        return [test, *indented([f"{counted} += 1", *lines], 1)]

    def _adding(self, index: int, parts: tuple[str, str, str]) -> list[str]:
        """The lines that add up a column; what is neither blank nor a text among numbers counts."""
        column, name = self.plan.totalled[index], self.values[index]
        state, blank, text = parts
        aggregate = aggregate_of(column)
        take = aggregate.taking(state, name)
        if aggregate.unknown:
            return [take]
        shows_texts = column.shows_texts or not column.numeric
        lines = [f"if {name} is None: {blank} += 1"]
        if shows_texts and not self.emitter.columns.is_integer(column):
            lines.append(f"elif {name}.__class__ is FaultText: {text} += 1")
        return [*lines, f"else: {take}"]

    def text(self) -> str:
        alone = [(i, column) for i, column in self.columns if i not in self.grouped]
        starts = ["by_group = {}", "met_0 = len(records)"]
        starts += [f"met_{level} = 0" for level in range(1, self.deepest + 1)]
        starts += [
            f"blank_{i} = text_{i} = 0; state_{i} = {aggregate_of(column).start}"
            for i, column in alone
        ]
        starts += [f"{name} = 0" for i, name in self.counted.items() if i not in self.grouped]
        whole = listed_codes(
            "None" if i in self.grouped else self._sums(i) for i, _ in self.columns
        )
        lines = [
            function_head("control_sums", "records", "numbers", "kept"),
            f"    def new_group(): return [{', '.join(self.form.starts)}]",
            *indented([*self.emitter.code.column_lines(), *starts], 1),
            *indented([*self._walk(), *self.emitter.code.column_ends()], 1),
            *indented(self._taken(), 1),
            *indented([f"return ({whole}), by_group"], 1),
        ]
        return "\n".join(lines)

    def _taken(self) -> list[str]:
        """The lines that make states of the values that parts hold, and a key of each group."""
        lines = []
        for place, aggregate in self.form.states:
            name = self.constants.name(aggregate, aggregate.name)
            state = aggregate.taken(part_name(place), name)
            lines.append(f"for own in by_group.values(): {part_name(place)} = {state}")
        if len(self.plan.group) == 1:
            lines.append("by_group = {(group, ): own for group, own in by_group.items()}")
        return lines

    def _walk(self) -> list[str]:
        """The loops over the records and what lies below, if there is anything to add up."""
        lines = self._level_lines(0) if self.deepest or self.columns else []
        return loop(self.emitter, self.plan, 0, lines) if lines else []

    def _level_lines(self, level: int) -> list[str]:
        lines = list(self.emitter.code.scope.blocks[level].lines)
        deeper = level + 1
        if level < self.level and any(home <= level for home in self.form.split_met):
            lines += [f"if not entries_{deeper}:", *indented(self._find_group(level), 1)]
        if level < self.deepest:
            walk = self.emitter.code.scope.walks[deeper]
            met = f"len(entries_{deeper})" if walk is None else walk.place
            counts = [f"met_{deeper} += {met}"]
            if deeper > self.level and deeper in self.form.met:
                counts.append(f"{part_name(self.form.met[deeper])} += {met}")
            looped = loop(self.emitter, self.plan, deeper, self._level_lines(deeper))
            lines += [*counts, *looped] if walk is None else [*looped, *counts]
        return lines

    def _sums(self, index: int) -> str:
        """How many values of a column there are, the state of its aggregate, how many blanks."""
        column, counted = self.plan.totalled[index], self.counted.get(index)
        state, blank, text = self.names[index]
        aggregate, met, over = aggregate_of(column), f"met_{column.home}", ""
        taken = aggregate.taken(state, self.constants.name(aggregate, aggregate.name))
        if counted is not None:  # some nodes of a tree, and not the others
            met, over = counted, f", {met} - {counted}"
        return f"({met} - {blank} - {text}, {taken}, {blank}{over})"
