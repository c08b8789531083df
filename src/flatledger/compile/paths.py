"""Emitting paths: loads, and steps through structs and plain data."""

from __future__ import annotations

from ..language import nodes as n
from ..language.selecting import compile_path
from ..plan.kinds import Operand
from ..plan.known import access_of, known_of
from ..structure.levels import Access, Names, level_name
from ..structure.record_types import Field
from ..structure.structure import MEMBERS
from .emission import Expressions


class Paths:
    """Emits the loads of paths, each once at the level that it starts from."""

    def __init__(self, emit: Expressions) -> None:
        self.emit, self.code = emit, emit.code
        self._steps = "walk"

    def variable_of(self, access: Access) -> str:
        return self.code.scope.variables[access.anchor]

    def value(self, node: n.FieldPath) -> Operand:
        """The value at a path, whatever it is."""
        return self.load(access_of(node))

    def load(self, access: Access) -> Operand:
        """The value at a path as it came; loaded once, at the level it starts from."""
        key = ("load", self.variable_of(access), access.names, access.rest)
        known = self.code.known(key)
        if known is None:
            with self.code.at(access.anchor, whole=True):
                known = self.code.note(key, self.raw(access))
        return known

    def aligned(self, node: n.Node) -> Operand:
        """The values at a path, with a null for each entry that has none."""
        if not isinstance(node, n.FieldPath):
            return self.emit.value(node)
        access = access_of(node)
        with self.code.at(access.anchor):
            self._steps = "walk_aligned"
            value = self.raw(access)
            self._steps = "walk"
        return value

    def raw(self, access: Access) -> Operand:
        """Load the value at a path as it came."""
        level = self.code.scope.chain.levels[access.anchor]
        variable = self.variable_of(access)
        result = self.code.variable("raw")
        names, rest = self._split(level, access)
        place = (
            self.code.plan.record_types.place_of(level)
            if access.anchor <= self.own_levels()
            else None
        )
        if place is None or place.whole:
            self._walk(variable, names, result)
        else:
            self._step(place, variable, names, result)
        if rest:
            self._select((*level, *names), rest, result)
        return Operand(result, "any")

    def _split(self, level: Names, access: Access) -> tuple[Names, tuple[n.Segment, ...]]:
        """The names before the first place that repeats, and everything after them as segments."""
        if not access.rest:
            return access.names, ()
        plain = next(
            (
                length
                for length in range(1, len(access.names))
                if self.code.plan.chain.is_level((*level, *access.names[:length]))
            ),
            len(access.names),
        )
        after = tuple(
            n.Segment(0, (n.Wildcard(0) if name == MEMBERS else n.Name(0, name),))
            for name in access.names[plain:]
        )
        return access.names[:plain], after + access.rest

    def own_levels(self) -> int:
        """The deepest level of the scope that is of the row's chain: its entries are kept ones."""
        own, levels = self.code.plan.chain.levels, self.code.scope.chain.levels
        shared = [place for place, level in enumerate(levels) if own[place : place + 1] == (level,)]
        return max(shared)

    def _step(self, place: Field, variable: str, names: Names, result: str) -> None:
        if place.whole:
            self._walk(variable, names, result)
            return
        child = place.children[names[0]]
        if len(names) == 1:
            self.code.add(f"{result} = {variable}.{child.attribute}")
            return
        inner = self.code.variable("part")
        self.code.add(f"{inner} = {variable}.{child.attribute}")
        if child.whole:
            self._walk(inner, names[1:], result)
            return
        struct = self.code.constants.name(child.struct, child.struct.__name__)
        with self.code.below(f"if {inner}.__class__ is {struct}:"):
            self._step(child, inner, names[1:], result)
        with self.code.below(f"elif {inner} is None:"):
            self.code.add(f"{result} = None")
        steps = self.code.constants.name(names[1:], "steps")
        site = self.code.constants.name(level_name(child.names), "site")
        with self.code.below("else:"):
            self.code.add(f"{result} = stray({inner}, {steps}, {site}, {self.code.where})")

    def _walk(self, variable: str, names: Names, result: str) -> None:
        """Steps through plain data; one name in an object is looked up at once."""
        if not names:
            self.code.add(f"{result} = {variable}")
            return
        steps = self.code.constants.name(names, "steps")
        slow = f"{self._steps}({variable}, {steps})"
        if len(names) > 1 or names == (MEMBERS,):
            self.code.add(f"{result} = {slow}")
            return
        quick = f"{variable}.get({names[0]!r})"
        self.code.add(f"{result} = {quick} if {variable}.__class__ is dict else {slow}")

    def _select(self, start: Names, rest: tuple[n.Segment, ...], result: str) -> None:
        """Apply further segments of the standard: one node gives its value, several a list."""
        selection = compile_path(rest, start=start, is_level=self.code.plan.chain.is_level)
        name = self.code.constants.name(selection, "selection")
        site = self.code.constants.name(level_name(start) + "…", "site")
        root = "record" if self.code.plan.record_types.root.whole else "None"
        self.code.add(f"{result} = select({name}, {result}, {root}, {site}, {self.code.where})")

    def kinds_met(self, node: n.Node) -> list[type]:
        """The kinds of value that the records read so far have at a path, the commonest first."""
        if not isinstance(node, n.FieldPath):
            return []
        access = access_of(node)
        names = (*known_of(node).start, *access.names)
        place = None if access.rest else self.code.plan.chain.structure.find(names)
        return [kind for kind, _ in place.kinds.most_common(2)] if place else []

    # ---- loads
