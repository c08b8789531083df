"""Where code is emitted: a block for each level, variables, and what is known already."""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from contextlib import contextmanager
from typing import Any, Protocol

from ...language import nodes as n
from ...plan.kinds import Operand, kind_of_literal
from ...plan.known import access_of, known_of, text_of_node
from ...plan.plan import Plan
from ...structure.levels import Chain, Names
from ...values.visible import visible
from .as_they_came import walked_trees
from .blocks import Block, listed_codes
from .constants import Constants
from .tree_walks import Walk


def entry_name(level: int) -> str:
    """The variable that holds the entry of a chain's level."""
    return "record" if level == 0 else f"entry_{level}"


def ordinal_name(level: int) -> str:
    """The variable that holds the place of that entry in its list, from 1: a record's number."""
    return "number" if level == 0 else f"ordinal_{level}"


def places_name(level: int) -> str:
    """The variable that holds the places of the entries of a level; of a tree it knows where its
    nodes stand."""
    return f"ordinals_{level}"


def has_fields(plan: Plan, level: Names) -> bool:
    """Whether a layout reads what is in the entries of a level."""
    deeper = (names for names in plan.places if len(names) > len(level))
    return any(names[: len(level)] == level for names in deeper)


class Scope:
    """Where expressions are evaluated: a chain, with a variable and a block for each level.

    ``ordinals`` are the variables that hold the places of the entries, the record's number first;
    ``nodes``, for a level that is a tree, the variables that know where its nodes stand; ``walks``
    the loops over those that are walked where they stand. The block of a level dominates those of
    deeper ones.
    """

    def __init__(
        self,
        chain: Chain,
        variables: list[str],
        ordinals: list[str],
        nodes: list[str],
        blocks: list[Block],
    ) -> None:
        self.chain = chain
        self.variables = variables
        self.ordinals = ordinals
        self.nodes = nodes
        self.blocks = blocks
        self.walks: list[Walk | None] = [None] * len(variables)
        self.depth = ""  # the variable with a node's depth, where nothing else is known of its tree

    def is_tree(self, level: int) -> bool:
        """Whether a level nests in itself."""
        return self.chain.levels[level] in self.chain.known.trees

    def deeper(self, chain: Chain, base: int, variables: list[str]) -> Scope:
        """The scope as far as a level, and from there down along another chain."""
        blocks = self.blocks[: base + 1]
        for _ in variables:
            blocks.append(Block(blocks[-1]))
        scope = Scope(
            chain,
            [*self.variables[: base + 1], *variables],
            [*self.ordinals[: base + 1], *(f"place_of_{name}" for name in variables)],
            [*self.nodes[: base + 1], *(f"nodes_of_{name}" for name in variables)],
            blocks,
        )
        scope.walks[: base + 1] = self.walks[: base + 1]
        return scope


class Variables:
    """The names of one function's variables. All that is emitted into it takes its names here, so
    that none stands for two values."""

    def __init__(self) -> None:
        self._count = 0

    def new(self, stem: str) -> str:
        """A name that no other variable of the function has."""
        self._count += 1
        return f"{stem}{self._count}"


class Emission:
    """The code of one function as it grows; ``variables`` are shared by all that write into it."""

    def __init__(
        self,
        plan: Plan,
        constants: Constants,
        variables: Variables,
        walk: type[Walk],
        by_column: bool,
    ) -> None:
        self.plan, self.by_column = plan, by_column
        self.walked = walked_trees(plan)
        self._walk = walk
        self._variables = variables
        self.constants = constants
        top = Scope(plan.chain, [entry_name(0)], [ordinal_name(0)], [""], [Block()])
        deeper = range(1, len(plan.chain.levels))
        self.scope = top.deeper(plan.chain, 0, [entry_name(level) for level in deeper])
        self.scope.ordinals[1:] = [ordinal_name(level) for level in deeper]
        self.scope.nodes[1:] = [places_name(level) for level in deeper]
        for level in deeper:
            self.take_walk(self.scope, level)
        self.block = self.scope.blocks[-1]
        self._known: dict[Hashable, tuple[Operand, Block]] = {}
        self.tested: set[Names] = set()  # places whose values are looked at for every entry
        self.columns: dict[str, str] = {}  # what takes the next value of a column, by its code

    def take_walk(self, scope: Scope, level: int) -> None:
        """Have the nodes of a level walked where they stand, if it is such a tree."""
        names = scope.chain.levels[level]
        place = self.plan.record_types.field_of(names) if names in self.walked else None
        if place is not None:
            entry, ordinal = scope.variables[level], scope.ordinals[level]
            scope.walks[level] = self._walk(entry, ordinal, place.below)

    def column_lines(self) -> list[str]:
        """The lines, before all loops, that make what columns of texts are."""
        return [f"{name} = iter({code}).__next__" for code, name in self.columns.items()]

    def column_ends(self) -> list[str]:
        """The lines, after all loops, that make sure that each entry has taken its own value."""
        return [f"taken_to_its_end({name})" for name in self.columns.values()]

    # ---- blocks

    def add(self, line: str) -> None:
        """Put a line into the block that is being filled."""
        self.block.add(line)

    def serves(self, what: str, name: str) -> None:
        """Say in the text what the next stretch is for, so that whoever looks for a column or a
        condition finds its lines."""
        self.block.add(f"# {what} {' '.join(visible(name).split())[:80]!r}")

    @contextmanager
    def below(self, head: str) -> Iterator[None]:
        """What is emitted meanwhile stands below a head."""
        before = self.block
        with before.below(head) as self.block:
            yield
        self.block = before

    @contextmanager
    def at(self, level: int, whole: bool = False) -> Iterator[Block]:
        """What is emitted meanwhile stands at a level of the scope: with ``whole`` in its own
        block, which dominates all others of the level; else in the one that is being filled."""
        before = self.block
        if whole or self._level() != level:
            self.block = self.scope.blocks[level]
        yield self.block
        self.block = before

    def _level(self) -> int:
        """The level whose entry is looked at."""
        deepest = (i for i, block in enumerate(self.scope.blocks) if block.dominates(self.block))
        return max(deepest)

    @property
    def nested(self) -> bool:
        """Whether what is emitted may be passed over for some entries of its level."""
        return not any(block is self.block for block in self.scope.blocks)

    # ---- what is known

    def known(self, key: Hashable) -> Operand | None:
        """A value that was emitted before, if it is known here."""
        operand, block = self._known.get(key, (None, self.block))
        return operand if block.dominates(self.block) else None

    def note(self, key: Hashable, operand: Operand) -> Operand:
        """Remember a value that has been emitted in this block."""
        self._known[key] = operand, self.block
        return operand

    # ---- variables and values

    def variable(self, stem: str = "v") -> str:
        """A new variable."""
        return self._variables.new(stem)

    def assign(self, code: str, kind: str, stem: str = "v") -> Operand:
        """A value in a variable."""
        name = self.variable(stem)
        self.add(f"{name} = {code}")
        return Operand(name, kind)

    def held(self, value: Operand) -> Operand:
        """The value in a variable, so that it can be tested like any other."""
        return value if value.code.isidentifier() else self.assign(value.code, value.kind)

    def literal(self, value: Any) -> Operand:
        """A value that is the same everywhere."""
        kind = kind_of_literal(value)
        small = isinstance(value, int) and value >= 0
        if value is None or isinstance(value, bool | str) or small:
            return Operand(repr(value), kind)
        return Operand(self.constants.name(value, "constant"), kind)

    def unless_null(self, operands: tuple[Operand, ...], code: str, kind: str) -> Operand:
        """Null spreads: the value is null when an operand is."""
        if any(operand.kind == "null" for operand in operands):
            return Operand("None", "null")
        tests = [f"{operand.code} is None" for operand in operands if operand.nullable]
        return self.assign(f"None if {' or '.join(tests)} else {code}" if tests else code, kind)

    def note_test(self, node: n.Node) -> None:
        """Remember that a path's value is of a usual class, or else goes to the runtime; unless
        that is passed over for some entries, or the one value of a level is taken."""
        if isinstance(node, n.FieldPath) and not self.nested and not access_of(node).rest:
            if access_of(node).crossed is not None:
                return
            names = (*known_of(node).start, *access_of(node).names)
            self.tested |= {names[:length] for length in range(1, len(names) + 1)}

    # ---- faults

    @property
    def where(self) -> str:
        """The address of the entry that is looked at: a tuple of the record's number and places."""
        return f"({listed_codes(self.scope.ordinals[: self._level() + 1])})"

    def site(self, node: n.Node) -> str:
        """The name of the text by which a fault calls an expression."""
        return self.constants.name(text_of_node(node), "site")

    def told(self, node: n.Node) -> str:
        """The last two arguments of what may find a fault: what it is called, and where it is."""
        return f"{self.site(node)}, {self.where}"


class Expressions(Protocol):
    """What emits any expression: the way by which one family of nodes emits those of another."""

    code: Emission

    def value(self, node: n.Node) -> Operand:
        """The value as it is."""
        ...

    def as_kind(self, kind: str, node: n.Node) -> Operand:
        """The value as one of a kind, null where it cannot be."""
        ...

    def number(self, node: n.Node) -> Operand:
        """The value as a number."""
        ...

    def text(self, node: n.Node) -> Operand:
        """The value as a text."""
        ...

    def truth(self, node: n.Node) -> Operand:
        """The value as true, false or unknown."""
        ...

    def whole(self, path: n.FieldPath) -> Operand:
        """What stands at a path, be it an object that stands for its text."""
        ...

    def present(self, node: n.Node) -> Operand:
        """The value, with every form of null as None."""
        ...
