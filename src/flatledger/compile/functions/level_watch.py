"""Watching for lists where the first records showed none (docs/rules.md, 1).

A list that makes it another plan has the run begin again, once, with the structure of all records:
of whatever length at some places, of several entries at others. Where the layout states its levels
nothing is watched for.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from typing import Any, NamedTuple

import msgspec

from ...plan.plan import Plan
from ...structure.levels import LevelsDifferError, Names
from ...structure.record_types import Field
from ...structure.structure import MEMBERS
from ...structure.trees import holds_objects
from ...values.parts import flattened
from ..expressions.as_they_came import walked_trees
from ..expressions.blocks import function_head, indented
from ..expressions.constants import Constants

Steps = tuple[tuple[str, "Steps"], ...]  # names that are read, each with those below it


class Watched(NamedTuple):
    """The places at which a list would make it another plan, of whatever length or of several
    entries; and ``others`` that the plan reads, which a list shows to be levels."""

    lists: frozenset[Names]
    several: frozenset[Names]
    others: frozenset[Names]

    @property
    def places(self) -> frozenset[Names]:
        """All of them."""
        return self.lists | self.several | self.others

    @classmethod
    def of(cls, plan: Plan) -> Watched:
        """What a plan is to be watched for: what its structure does not show already."""
        chain = plan.chain
        if chain.known.settled:
            return cls(frozenset(), frozenset(), frozenset())
        read = {names[:length] for names in plan.places for length in range(1, len(names) + 1)}
        plain = {one for one in read | plan.lists_matter if not chain.is_level(one)}
        several = {
            one for one in plan.several_matter if not chain.known.repeats(one, chain.structure)
        }
        lists = plan.lists_matter & plain
        return cls(lists, frozenset(several - lists), frozenset(plain - lists - several))


class LevelListWatch:
    """What the generated function calls: it raises LevelsDifferError for a list that matters, and
    takes note of others (``met``)."""

    def __init__(self, watched: Watched) -> None:
        self._watched = watched
        self.met: set[Names] = set()

    def note(self, number: int, *found: tuple[Any, Names]) -> None:
        """Judge the values at some places."""
        for value, names in found:
            if value.__class__ is list:
                self._judge(number, value, names)

    def _judge(self, number: int, value: list[Any], names: Names) -> None:
        several = len(value) > 1 and sum(one is not None for one in value) > 1
        if names in self._watched.lists or (several and names in self._watched.several):
            raise LevelsDifferError(names, number, several=several)
        if names in self._watched.places:
            self.met.add(names)

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
                self._judge(number, entry, names)
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
    watched = Watched.of(plan)
    if not watched.places:
        return ""
    body = _Watch(plan, constants, watched, tested).lines()
    if not body:
        return ""
    head = [
        function_head(name, "records", "numbers"),
        "    for record, number in zip(records, numbers):",
    ]
    return "\n".join([*head, *indented(body, 2)])


class _Watch:
    def __init__(
        self, plan: Plan, constants: Constants, watched: Watched, tested: Collection[Names]
    ) -> None:
        self._places = watched.places
        self._tested = tested
        self._chain, self._constants = plan.chain, constants
        self._types, self._root = plan.record_types, plan.record_types.root
        self._walked = walked_trees(plan)
        self._rests: dict[Names, set[Names]] = {}  # what is watched below each place
        for names in self._places:
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
        plain = [(child, code) for child, code in fields if not self._passed_over(child)]
        plain = [(child, code) for child, code in plain if child.whole or child.only is list]
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
            entries = f"{code} or ()"
            if child.names in self._walked:
                entries = f"all_nodes({code}, {child.below!r})"
            return [f"for {inner} in {entries}:", *indented(body, 1)]
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
        tested = child.names in self._tested or child.names not in self._places
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
        if child.names not in self._places or child.names in self._tested:
            return True
        return child.only not in (None, list)  # then it is no list

    def _name(self, names: Names) -> str:
        return self._constants.name(names, "place")


# ---- watching for entries that hold further entries of their level, though the first ones do not
#
# Such a level is a tree, whichever record shows it: the run then begins again (docs/rules.md, 19).


class NestWatch:
    """Looks at records whose types let through what would show that a place nests in itself."""

    def __init__(self, plan: Plan) -> None:
        self._types, self._is_level = plan.record_types, plan.chain.is_level
        self._places = [names for names in _guarded(plan) if self._may_show(names)]

    @property
    def needed(self) -> bool:
        """Whether there is a place to look at: the exact types let nothing through."""
        return bool(self._places)

    def look(self, records: list[Any], numbers: Sequence[int]) -> None:
        """Raise LevelsDifferError for a record that shows that a place nests."""
        for names in self._places:
            for record, self._number in zip(records, numbers, strict=True):
                self._look(record, names, names, self._types.root)

    def _may_show(self, level: Names) -> bool:
        """Whether the types of the records let through what would show that a level nests."""
        place = self._types.field_of(level)
        return place is None or (place.whole and place.only is None) or bool(place.guard)

    def _look(self, value: Any, rest: Names, level: Names, place: Field | None) -> None:
        """Raise LevelsDifferError where an entry of a level holds further ones."""
        if value.__class__ is list:
            for entry in flattened(value):
                self._look(entry, rest, level, place)
        elif value.__class__ is dict:
            names = [rest[0]] if rest else [level[-1]]
            for inner in value.values() if names == [MEMBERS] else map(value.get, names):
                if rest:
                    self._look(inner, rest[1:], level, None)
                elif self._nests(inner, level):
                    raise LevelsDifferError(level, self._number, nests=True)
        elif place is not None and isinstance(value, msgspec.Struct):
            if rest:
                child = place.children.get(rest[0])
                inner = getattr(value, child.attribute) if child else None
                self._look(inner, rest[1:], level, child)
            elif place.guard and self._nests(getattr(value, place.guard), level):
                raise LevelsDifferError(level, self._number, nests=True)

    def _nests(self, inner: Any, names: Names) -> bool:
        """Whether a member of its own name shows that a place nests in itself: of a level any
        object does, of another place a list, however deep."""
        if self._is_level(names):
            return holds_objects(inner)
        while inner.__class__ is dict:
            inner = inner.get(names[-1])
        return inner.__class__ is list and holds_objects(inner)


def _guarded(plan: Plan) -> Iterator[Names]:
    """The places that the plan reads and that may turn out to nest in themselves."""
    known, read = plan.chain.known, dict[Names, None]()
    for names in plan.places:
        read |= dict.fromkeys(names[:length] for length in range(1, len(names)))
    for names in dict.fromkeys([*plan.repeating, *read]):
        level = plan.chain.is_level(names)
        if known.may_nest(names) and (level or known.stated is None) and MEMBERS not in names:
            yield names
