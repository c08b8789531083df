"""Writing `part`: kept records taken apart by their groups, so that each group can be weighed.

It shares nothing with the rows and their groups but what makes a group's key.
"""

from __future__ import annotations

from collections.abc import Iterator

from ..plan.plan import Plan
from ..structure.structure import MEMBERS
from .blocks import function_head, indented, listed_codes
from .constants import Constants
from .emission import entry_name, ordinal_name
from .emitter import Emitter
from .unfolding import loop


def part_source(plan: Plan, constants: Constants) -> str:
    """The text of the function; blank where no sum is proved group by group."""
    if not plan.grouped_totals:
        return ""
    return _Parting(plan, constants).text()


class _Parting:
    """Writes `part`: at the level of the groups each entry goes to its own, with what is kept below
    it; from there upwards each entry to every group that has something of it."""

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan = plan
        self.emitter = Emitter(plan, constants)
        self.level = max(key.home for key in plan.group)
        self.key = listed_codes(self._key())

    def text(self) -> str:
        lines = [
            function_head("part", "records", "numbers", "kept"),
            "    own_0 = {}",
            *indented([loop(self.plan, 0), *indented(self._entry(0), 1)], 1),
            "    return own_0",
        ]
        return "\n".join(lines)

    def _key(self) -> Iterator[str]:
        """The values that make an entry's group, the same for those that are equal."""
        code = self.emitter.code
        for key in self.plan.group:
            with code.at(key.home):
                if key.place < len(self.plan.columns):
                    value = self.emitter.columns.cell(self.plan.columns[key.place])
                else:
                    node = self.plan.extra_keys[key.place - len(self.plan.columns)][0]
                    value = self.emitter.columns.key(node)
                name = code.held(value).code
            if key.kind in ("number", "text", "null"):
                yield name
            elif key.kind == "any":
                yield f"{name} if {name}.__class__ is not bool else told_apart({name})"
            else:
                yield f"told_apart({name})"

    def _entry(self, level: int) -> list[str]:
        """The lines that put one entry of a level into its groups."""
        lines = list(self.emitter.code.scope.blocks[level].lines)
        if level == self.level:
            return [*lines, f"group = ({self.key})", *self._into(level, self._below(level))]
        deeper = level + 1
        inside = [loop(self.plan, deeper), *indented(self._entry(deeper), 1)]
        each = f"for group, below in own_{deeper}.items():"
        return [
            *lines,
            f"own_{deeper} = {{}}",
            *inside,
            each,
            *indented(self._into(level, "below"), 1),
        ]

    def _below(self, level: int) -> str:
        """What is kept below an entry, whole."""
        parts = ["entries", "ordinals", "belows"][: 2 + (level + 1 < self.plan.chain.row)]
        return f"({', '.join(f'{part}_{level + 1}' for part in parts)})"

    def _into(self, level: int, below: str) -> list[str]:
        """The lines that put an entry, its place, and what is below it, into a group."""
        entry = entry_name(level)
        if self.plan.chain.levels[level][-1:] == (MEMBERS,):
            entry = f"(key_of_{entry}, {entry})"
        codes = [entry, ordinal_name(level)]
        if level < self.plan.chain.row:
            codes.append(below)
        new = f"({', '.join('[]' for _ in codes)})"
        appends = [f"mine[{at}].append({code})" for at, code in enumerate(codes)]
        return [
            f"mine = own_{level}.get(group)",
            f"if mine is None: mine = own_{level}[group] = {new}",
            "; ".join(appends),
        ]
