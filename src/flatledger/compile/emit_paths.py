"""Emitting paths: loads, steps, and taking a value as a number, text or another kind."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from decimal import Decimal
from typing import Any

from ..language import nodes as n
from ..language.selecting import compile_path
from ..plan.kinds import TIMES, Operand, kind_of_literal
from ..plan.known import access_of, known_of, text_of_node
from ..plan.plan import Plan
from ..structure.levels import Access, Chain, Names, level_name
from ..structure.shape import Field
from ..structure.structure import MEMBERS
from ..values.functions import text_of
from .code import Constants, Lines, listed_codes

_CLASSES: dict[str, tuple[type, ...]] = {
    "number": (int, Decimal),
    "text": (str,),
    "truth": (bool,),
    "moment": (),
    "time": (),
    "interval": (),
    "when": (),
}


def entry_name(level: int) -> str:
    """The variable that holds the entry of a chain's level."""
    return "record" if level == 0 else f"entry_{level}"


def ordinal_name(level: int) -> str:
    """The variable that holds the place of that entry in its list, from 1: a record's number."""
    return "number" if level == 0 else f"ordinal_{level}"


class Scope:
    """Where expressions are evaluated: a chain, with a variable and a block of lines per level.

    ``ordinals`` are the variables that hold the places of the entries, the record's number first.
    """

    def __init__(
        self, chain: Chain, variables: list[str], ordinals: list[str], blocks: list[Lines]
    ) -> None:
        self.chain = chain
        self.variables = variables
        self.ordinals = ordinals
        self.blocks = blocks


class PathEmitter:
    """Emits the loads of paths, once for each level, and conversions to a kind of value."""

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan = plan
        self.constants = constants
        levels = range(len(plan.chain.levels))
        variables = [entry_name(level) for level in levels]
        ordinals = [ordinal_name(level) for level in levels]
        self.scope = Scope(plan.chain, variables, ordinals, [Lines() for _ in levels])
        self.block = self.scope.blocks[-1]
        self._count = 0
        self._known: dict[Any, Operand] = {}
        self._steps = "walk"

    @property
    def blocks(self) -> list[Lines]:
        return self.scope.blocks

    def value(self, node: n.Node) -> Operand:
        """Emit an expression; the operand names its variable or literal, and its kind."""
        raise NotImplementedError

    @contextmanager
    def at(self, level: int) -> Iterator[Lines]:
        """What is emitted meanwhile stands at a level of the scope."""
        before, self.block = self.block, self.scope.blocks[level]
        yield self.block
        self.block = before

    def variable(self, stem: str = "v") -> str:
        self._count += 1
        return f"{stem}{self._count}"

    def assign(self, code: str, kind: str, stem: str = "v") -> Operand:
        name = self.variable(stem)
        self.block.add(f"{name} = {code}")
        return Operand(name, kind)

    def held(self, value: Operand) -> Operand:
        """The value in a variable, so that it can be tested like any other."""
        return value if value.code.isidentifier() else self.assign(value.code, value.kind)

    def literal(self, value: Any) -> Operand:
        kind = kind_of_literal(value)
        if (
            value is None
            or isinstance(value, bool | str)
            or (isinstance(value, int) and value >= 0)
        ):
            return Operand(repr(value), kind)
        return Operand(self.constants.name(value, "constant"), kind)

    def unless_null(self, operands: tuple[Operand, ...], code: str, kind: str) -> Operand:
        """Null spreads: the value is null when an operand is."""
        if any(operand.kind == "null" for operand in operands):
            return Operand("None", "null")
        tests = [f"{operand.code} is None" for operand in operands if operand.nullable]
        return self.assign(f"None if {' or '.join(tests)} else {code}" if tests else code, kind)

    @property
    def where(self) -> str:
        """The address of the entry that is looked at: a tuple of the record's number and places."""
        level = next(i for i, block in enumerate(self.scope.blocks) if block is self.block)
        return f"({listed_codes(self.scope.ordinals[: level + 1])})"

    def site(self, node: n.Node) -> str:
        """The name of the text by which a fault calls an expression."""
        return self.constants.name(text_of_node(node), "site")

    def told(self, node: n.Node) -> str:
        """The last two arguments of what may find a fault: what it is called, and where it is."""
        return f"{self.site(node)}, {self.where}"

    # ---- kinds

    def number(self, node: n.Node) -> Operand:
        """The value as a number; text is read, and what is no number is a fault and null."""
        return self.as_kind("number", node)

    def text(self, node: n.Node) -> Operand:
        return self.as_kind("text", node)

    def truth(self, node: n.Node) -> Operand:
        """The value as true, false or unknown (None)."""
        return self.as_kind("truth", node)

    def as_kind(self, kind: str, node: n.Node) -> Operand:
        """The value as one of a kind, null where it cannot be; a path is converted once."""
        if not isinstance(node, n.Path) or self.block.nested:
            return self._convert(kind, node)
        access = access_of(node)
        key = (kind, self._variable_of(access), access.names, access.rest)
        if key not in self._known:
            with self.at(access.anchor):
                self._known[key] = self._convert(kind, node)
        return self._known[key]

    def _convert(self, kind: str, node: n.Node) -> Operand:
        value = self.value(node)
        if value.kind in (kind, "null") or (kind == "when" and value.kind in TIMES):
            return value
        if isinstance(node, n.Literal):
            if kind == "text":
                return self.literal(text_of(node.value))
            value = self.assign(value.code, value.kind)
        result = self.variable(kind)
        wanted = _CLASSES[kind]
        usual = [one for one in self.kinds_met(node) if one in wanted] or list(wanted[:1])
        tests = [f"{value.code}.__class__ is not {one.__name__}" for one in usual]
        if kind == "text":
            tests = [f"{tests[0]} or not {value.code} >= '!'"]
        convert = f"{result} = as_{kind}({value.code}, {self.told(node)})"
        if not tests:
            self.block.add(convert)
            return Operand(result, kind)
        self.block.add(f"{result} = {value.code}")
        with self.block.below(f"if {' and '.join(tests)}:"):
            self.block.add(convert)
        return Operand(result, kind)

    def kinds_met(self, node: n.Node) -> list[type]:
        """The kinds of value that the records read so far have at a path, the commonest first."""
        if not isinstance(node, n.Path):
            return []
        access = access_of(node)
        names = (*known_of(node).start, *access.names)
        place = None if access.rest else self.plan.chain.structure.find(names)
        return [kind for kind, _ in place.kinds.most_common(2)] if place else []

    # ---- loads

    def _variable_of(self, access: Access) -> str:
        return self.scope.variables[access.anchor]

    def load(self, access: Access) -> Operand:
        """The value at a path as it came; loaded once, at the level it starts from."""
        key = ("load", self._variable_of(access), access.names, access.rest)
        if key not in self._known:
            with self.at(access.anchor) as block, block.hoisted():
                self._known[key] = self._emit_load(access)
        return self._known[key]

    def aligned(self, node: n.Node) -> Operand:
        """The values at a path, with a null for each entry that has none."""
        if not isinstance(node, n.Path):
            return self.value(node)
        access = access_of(node)
        with self.at(access.anchor):
            self._steps = "walk_aligned"
            value = self._emit_load(access)
            self._steps = "walk"
        return value

    def _emit_load(self, access: Access) -> Operand:
        level = self.scope.chain.levels[access.anchor]
        variable = self._variable_of(access)
        result = self.variable("raw")
        names, rest = self._split(level, access)
        place = self.plan.shape.place_of(level) if access.anchor <= self._own_levels() else None
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
                if self.plan.chain.is_level((*level, *access.names[:length]))
            ),
            len(access.names),
        )
        after = tuple(
            n.Segment(0, (n.Wildcard(0) if name == MEMBERS else n.Name(0, name),))
            for name in access.names[plain:]
        )
        return access.names[:plain], after + access.rest

    def _own_levels(self) -> int:
        """The deepest level of the scope that is of the row's chain: its entries are kept ones."""
        own, levels = self.plan.chain.levels, self.scope.chain.levels
        shared = [place for place, level in enumerate(levels) if own[place : place + 1] == (level,)]
        return max(shared)

    def _step(self, place: Field, variable: str, names: Names, result: str) -> None:
        if place.whole:
            self._walk(variable, names, result)
            return
        child = place.children[names[0]]
        if len(names) == 1:
            self.block.add(f"{result} = {variable}.{child.attribute}")
            return
        inner = self.variable("part")
        self.block.add(f"{inner} = {variable}.{child.attribute}")
        if child.whole:
            self._walk(inner, names[1:], result)
            return
        struct = self.constants.name(child.struct, child.struct.__name__)
        with self.block.below(f"if {inner}.__class__ is {struct}:"):
            self._step(child, inner, names[1:], result)
        with self.block.below(f"elif {inner} is None:"):
            self.block.add(f"{result} = None")
        steps = self.constants.name(names[1:], "steps")
        site = self.constants.name(level_name(child.names), "site")
        with self.block.below("else:"):
            self.block.add(f"{result} = stray({inner}, {steps}, {site}, {self.where})")

    def _walk(self, variable: str, names: Names, result: str) -> None:
        """Steps through plain data; one name in an object is looked up at once."""
        if not names:
            self.block.add(f"{result} = {variable}")
            return
        steps = self.constants.name(names, "steps")
        slow = f"{self._steps}({variable}, {steps})"
        if len(names) > 1 or names == (MEMBERS,):
            self.block.add(f"{result} = {slow}")
            return
        quick = f"{variable}.get({names[0]!r})"
        self.block.add(f"{result} = {quick} if {variable}.__class__ is dict else {slow}")

    def _select(self, start: Names, rest: tuple[n.Segment, ...], result: str) -> None:
        """Apply further segments of the standard: one node gives its value, several a list."""
        selection = compile_path(rest, start=start, is_level=self.plan.chain.is_level)
        name = self.constants.name(selection, "selection")
        site = self.constants.name(level_name(start) + "…", "site")
        root = "record" if self.plan.shape.root.whole else "None"
        self.block.add(f"{result} = select({name}, {result}, {root}, {site}, {self.where})")
