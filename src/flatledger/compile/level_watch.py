"""Watching for lists of several where the first records showed none (DESIGN, rule 1).

A place that the plan reads and that turns out to repeat makes it another plan: the run then begins
again, once, with the structure of all records. Where the layout states its levels nothing is
watched for.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from functools import cache
from typing import Any

from ..plan.plan import Plan
from ..structure.levels import Chain, Names
from ..structure.record_types import Field
from .blocks import function_head, indented
from .constants import Constants

Steps = tuple[tuple[str, "Steps"], ...]  # names that are read, each with those below it


class LevelsDifferError(Exception):
    """A list of several stands where the first records, by which the run was planned, had none; or
    a level ``nests`` in itself that they show as a plain one."""

    def __init__(self, names: Names, number: int, nests: bool = False) -> None:
        super().__init__(names, number, nests)
        self.names, self.number, self.nests = names, number, nests


class Crowd:
    """What the generated function calls: it raises LevelsDifferError for a list of several."""

    def __init__(self, chain: Chain) -> None:
        self._is_level = cache(chain.is_level)

    def note(self, number: int, *found: tuple[Any, Names]) -> None:
        """Judge the values at some places that are no levels."""
        for value, names in found:
            if value.__class__ is list and len(value) > 1:
                raise LevelsDifferError(names, number)

    def below(self, number: int, value: Any, names: Names, steps: Steps) -> None:
        """Judge what steps lead to within plain data that stands at a place."""
        waiting = [value]
        while waiting:
            entry = waiting.pop()
            if entry.__class__ is dict:
                for name, further in steps:
                    inner = entry.get(name)
                    if inner.__class__ is list or inner.__class__ is dict:  # else it holds no list
                        self.below(number, inner, (*names, name), further)
            elif entry.__class__ is list:
                if len(entry) > 1 and not self._is_level(names):
                    raise LevelsDifferError(names, number)
                waiting += entry


def _steps(rests: Iterable[Names]) -> Steps:
    """What is read below a place, as steps from one name to the next.

    >>> _steps([("key",), ("value",), ("value", "no")])
    (('key', ()), ('value', (('no', ()),)))
    """
    below: dict[str, list[Names]] = {}
    for rest in sorted(rests):
        if rest:
            below.setdefault(rest[0], []).append(rest[1:])
    return tuple((name, _steps(further)) for name, further in below.items())


def watch_source(
    plan: Plan, constants: Constants, name: str, tested: Collection[Names] = ()
) -> str:
    """The text of the function; blank where there is nothing to watch for but what is ``tested``
    elsewhere."""
    if plan.chain.known.settled:
        return ""
    body = _Watch(plan, constants, tested).lines()
    if not body:
        return ""
    head = [
        function_head(name, "records", "numbers"),
        "    for record, number in zip(records, numbers):",
    ]
    return "\n".join([*head, *indented(body, 2)])


class _Watch:
    def __init__(self, plan: Plan, constants: Constants, tested: Collection[Names]) -> None:
        self._tested = tested
        self._chain, self._constants = plan.chain, constants
        self._types, self._root = plan.record_types, plan.record_types.root
        self._rests: dict[Names, set[Names]] = {}  # what is read below each place
        for names in plan.places:
            for length in range(len(names)):
                self._rests.setdefault(names[:length], set()).add(names[length:])
        self._count = 0

    def lines(self) -> list[str]:
        if self._root.whole:
            return self._below((), "record")
        return self._struct(self._root, "record")

    def _struct(self, place: Field, variable: str) -> list[str]:
        """The lines that judge the fields of a struct."""
        lines: list[str] = []
        fields = [(child, f"{variable}.{child.attribute}") for child in place.children.values()]
        plain = [
            (child, code) for child, code in fields if child.whole and not self._passed_over(child)
        ]
        if plain:
            tests = [f"or {code}.__class__ is list" for _, code in plain]
            pairs = [f"({code}, {self._name(child.names)})," for child, code in plain]
            lines += ["if (", *indented([tests[0].removeprefix("or "), *tests[1:]], 1), "):"]
            lines += ["    note_lists(", "        number,", *indented(pairs, 2), "    )"]
        for child, code in fields:
            lines += self._below(child.names, code) if child.whole else self._inner(child, code)
        return lines

    def _exact(self, child: Field, code: str) -> list[str]:
        """The lines for a place where the decoder lets through one kind of thing only."""
        self._count += 1
        inner = f"at_{self._count}"
        body = self._struct(child, inner)
        if not body:
            return []
        if child.only is list:
            return [f"for {inner} in {code} or ():", *indented(body, 1)]
        return [f"{inner} = {code}", f"if {inner} is not None:", *indented(body, 1)]

    def _inner(self, child: Field, code: str) -> list[str]:
        if child.only is not None:
            return self._exact(child, code)
        self._count += 1
        inner = f"at_{self._count}"
        body = self._struct(child, inner)
        struct = self._constants.name(child.struct, child.struct.__name__)
        if self._chain.is_level(child.names):
            if not body:
                return []
            loop = f"for {inner} in {code} if {code}.__class__ is list else ({code},):"
            return [loop, f"    if {inner}.__class__ is {struct}:", *indented(body, 2)]
        note = f"note_lists(number, ({inner}, {self._name(child.names)}))"
        tested = child.names in self._tested
        if tested and not body:
            return []
        found = [] if tested else [note]
        found += [f"{inner} = {inner}[0] if {inner} else None"] if body else []
        lines = [f"{inner} = {code}", f"if {inner}.__class__ is list:", *indented(found, 1)]
        if body:
            lines += [f"if {inner}.__class__ is {struct}:", *indented(body, 1)]
        return lines

    def _below(self, names: Names, code: str) -> list[str]:
        """The lines that judge what is read within plain data."""
        rests = self._rests.get(names)
        place = self._types.field_of(names)
        if not rests or (place is not None and place.only is not None):
            return []
        steps = self._constants.name(_steps(rests), "steps")
        return [f"look_below(number, {code}, {self._name(names)}, {steps})"]

    def _passed_over(self, child: Field) -> bool:
        if child.only is not None:  # it is no list, or one at a level
            return True
        return self._chain.is_level(child.names) or child.names in self._tested

    def _name(self, names: Names) -> str:
        return self._constants.name(names, "place")
