"""Emitting conditions on side levels: of their entries those that pass replace all others."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from ..language import nodes as n
from ..plan.plan import AggregatePlan
from ..structure.levels import Chain
from ..structure.structure import MEMBERS
from .blocks import indented
from .emission import Scope
from .emitter import Emitter


class SideCondition(NamedTuple):
    """A condition on a side level: what it asks, what is kept with the nodes of a tree for which it
    is true, and the lines that count a verdict; ``verdict`` and ``more`` are their variables."""

    text: str
    value: n.Node
    kept_with: str
    verdict: str
    counting: list[str]
    more: str


class SideLevel:
    """Emits the conditions of one side level, which judge the same entries.

    What is left is put into the entry above by `applied`, which may come later: other conditions
    are to see the level in full until then.
    """

    def __init__(
        self, emitter: Emitter, side: Chain, base: int, judged: Sequence[SideCondition]
    ) -> None:
        self._emitter, self._judged = emitter, judged
        outer = emitter.code.scope
        scope = emitter.code.scope = emitter.aggregates.inner_scope(
            AggregatePlan(base, side, False)
        )
        with emitter.code.at(side.row):
            for one in judged:
                emitter.code.serves("condition", one.text)
                emitter.code.add(f"{one.verdict} = {emitter.truth(one.value).code}")
                for line in one.counting:
                    emitter.code.add(line)
        lines = self._loops(scope, base + 1)
        emitter.code.scope = outer
        for line in lines[:-1]:
            emitter.code.add(line)
        self.applied = lines[-1]

    def _loops(self, scope: Scope, level: int) -> list[str]:
        """The loops that give each entry above a side level what is kept below it."""
        variable, owner = scope.variables[level], scope.variables[level - 1]
        kept, lines = f"kept_{variable}", [f"kept_{variable} = []"]
        head = self._emitter.aggregates.loop_head(scope, level, lines)
        names = scope.chain.levels[level][len(scope.chain.levels[level - 1]) :]
        members = names[-1] == MEMBERS
        entry = f"(key_of_{variable}, {variable})" if members else variable
        inside = list(scope.blocks[level].lines)
        after: list[str] = []
        places, place = f"places_of_{kept}", scope.ordinals[level]
        if scope.is_tree(level):
            lines.append(f"{places} = []")
            inside.append(f"{places}.append({place})")
        passed = " and ".join(f"{one.verdict} is True" for one in self._judged)  # mutant: side-kept
        if level == scope.chain.row and scope.is_tree(level):
            lines += [f"{_matched(one)} = []" for one in self._judged]
            for one in self._judged:
                inside.append(f"if {one.verdict} is True: {_matched(one)}.append({place})")
            inside.append(f"{kept}.append({entry})")
            after += self._chosen(kept, places, scope.nodes[level])
        elif level == scope.chain.row:
            inside.append(f"if {passed}: {kept}.append({entry})")
        else:
            inside += [*self._loops(scope, level + 1), f"{kept}.append({entry})"]
            if scope.is_tree(level):
                after.append(f"note_places({kept}, {scope.nodes[level]}.left({places}))")
        steps = self._emitter.code.constants.name(names[:-1] if members else names, "steps")
        what = "with_members" if members else "with_entries"
        rebuilt = f"{owner} = {what}({owner}, {steps}, {kept})"
        return [*lines, head, *indented(inside, 1), *after, rebuilt]

    def _chosen(self, kept: str, places: str, nodes: str) -> list[str]:
        """The lines that leave the nodes of a tree which all conditions keep."""
        lines, left = [], []
        for one in self._judged:
            if not one.kept_with:
                lines.append(f"left_{one.verdict} = frozenset({_matched(one)})")
            else:
                with_more = f"{nodes}.with_{one.kept_with}({_matched(one)})"
                lines.append(f"left_{one.verdict} = {with_more}")
                lines.append(f"{one.more} += len(left_{one.verdict}) - len({_matched(one)})")
            left.append(f"left_{one.verdict}")
        matched = [f"frozenset({_matched(one)})" for one in self._judged if one.kept_with]
        found = " & ".join(matched) or left[0]
        return [*lines, f"{kept} = chosen({kept}, {places}, {nodes}, {' & '.join(left)}, {found})"]


def _matched(one: SideCondition) -> str:
    return f"matched_{one.verdict}"
