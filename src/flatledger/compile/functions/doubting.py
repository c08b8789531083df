"""Writing `doubts`: values worked out in two ways, where a place may be a level or none.

It looks at the records as they came, and tells of no fault: what it meets has been met before.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import msgspec

from ...plan.plan import Doubt, Plan
from ...structure.levels import Names
from ..expressions.as_they_came import keeps_all
from ..expressions.blocks import function_head, indented
from ..expressions.constants import Constants
from ..expressions.emission import Variables
from ..expressions.emitter import Emitter
from .keeping import keep_source
from .walking import load_entries, loop


class BothFigures(NamedTuple):
    """What a value is by the plan, and what it would be: the doubt (by its index), the record in
    which they differ, and both."""

    doubt: int
    record: int
    value: Any
    other: Any


Look = Callable[[list[Any], Sequence[int]], list[BothFigures]]


def looked_at_whole(plan: Plan) -> Plan:
    """The same plan over all that records hold, without its conditions."""
    return replace(plan, conditions=()).sharing(plan)


def doubts_source(plan: Plan, constants: Constants) -> str:
    """Write it, for a plan without conditions, with the `keep` that it may need."""
    keep = "" if keeps_all(plan) else keep_source(plan, constants)[0]
    return "\n\n\n".join(filter(None, [keep, _Doubts(plan, constants).text()])) + "\n"


class _Doubts:
    """Writes `doubts`: an emitter for what the plan has, and one for each place in doubt, by whose
    plan it is a level."""

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan = plan
        self._deepest = max(one.level for one in plan.doubts)
        variables = Variables()
        own = Emitter(plan, constants, variables=variables)
        load_entries(own, plan, self._deepest)
        others: dict[Names, Emitter] = {}
        self._shown: dict[int, list[str]] = {}  # what rows show that have no deeper entries
        for index, doubt in enumerate(plan.doubts):
            if doubt.names not in others:
                supposed = _supposed(plan, doubt)
                others[doubt.names] = Emitter(supposed, constants, variables=variables)
            self._compare(index, doubt, own, others[doubt.names])
        self._emitters = [own, *others.values()]

    def _compare(self, index: int, doubt: Doubt, own: Emitter, supposed: Emitter) -> None:
        with own.code.at(doubt.level):
            value = own.code.held(own.value(doubt.value)).code
        with supposed.code.at(doubt.level) as block:
            other = supposed.code.held(supposed.value(doubt.other)).code
            both = f"found.append(({index}, number, {value}, {other}))"
            block.add(f"if {value} != {other}: {both}")
        for level in range(doubt.home, doubt.level):
            line = f"if {value} is not None: found.append(({index}, number, {value}, None))"
            self._shown.setdefault(level, []).append(line)

    def text(self) -> str:
        lines = [
            function_head("doubts", "records", "numbers", "kept"),
            "    found = []",
            *indented(self._loop(0), 1),
            "    return found",
        ]
        return "\n".join(lines)

    def _level_lines(self, level: int) -> list[str]:
        lines = [line for one in self._emitters for line in one.code.scope.blocks[level].lines]
        if level < self._deepest:
            if level in self._shown:
                lines += [f"if not entries_{level + 1}:", *indented(self._shown[level], 1)]
            lines += self._loop(level + 1)
        return lines

    def _loop(self, level: int) -> list[str]:
        return loop(self._emitters[0], self.plan, level, self._level_lines(level))


def _supposed(plan: Plan, doubt: Doubt) -> Plan:
    """The plan in which the place is a level, over the same types of records."""
    chain = msgspec.structs.replace(plan.chain, known=doubt.known)
    return replace(plan, chain=chain).sharing(plan)
