"""The nodes that the text of a path or an expression is turned into.

Every node is immutable and knows the position in the text where it began. Nodes of a path follow
RFC 9535 (JSONPath); nodes of an expression follow ISO 9075 (SQL).
"""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from functools import cache
from typing import Any

import msgspec

from ..bounds import LONGEST_PATH

TOO_MANY_STEPS = f"a path has {LONGEST_PATH} steps at most"


class _Noted(msgspec.Struct, frozen=True, kw_only=True):
    known: Any = None


class Node(_Noted, frozen=True):
    """What all nodes have: the position in the text where they begin.

    ``known`` is what a plan has found out about it; in a tree as it was read there is nothing.
    """

    position: int

    def children(self) -> list[Node]:
        """The nodes directly below this one, in the order of the text."""
        found: list[Node] = []
        for field in _fields_below(self.__class__):
            value = getattr(self, field)
            for item in value if value.__class__ is tuple else (value,):
                parts = item if item.__class__ is tuple else (item,)
                found += [one for one in parts if _is_node(one.__class__)]
        return found

    def walk(self) -> tuple[Node, ...]:
        """This node and all below it, in the order of the text."""
        known = _walked.get(id(self))
        if known is None:
            if len(_walked) >= _MOST_WALKED:
                _walked.clear()
            known = _walked[id(self)] = self, _below(self)  # held, so that no other is called so
        return known[1]


_MOST_WALKED = 1_000
_walked: dict[int, tuple[Node, tuple[Node, ...]]] = {}  # each is walked many times for one plan


def _below(node: Node) -> tuple[Node, ...]:
    found: list[Node] = []
    waiting = [node]
    while waiting:
        one = waiting.pop()
        found.append(one)
        waiting += reversed(one.children())
    return tuple(found)


@cache
def _is_node(kind: type) -> bool:
    return issubclass(kind, Node)


@cache
def _fields_below(kind: type[Node]) -> tuple[str, ...]:
    """The fields of a kind of nodes that may hold further ones."""
    apart = ("position", "known", "bracketed")
    return tuple(name for name in kind.__struct_fields__ if name not in apart)


def rebuilt(node: Node, change: Callable[[Node], Node | None]) -> Any:
    """The same tree, with what ``change`` gives in the place of a node; None: go on below it."""
    changed = change(node)
    if changed is not None:
        return changed

    def part(value: Any) -> Any:
        if isinstance(value, Node):
            return rebuilt(value, change)
        return tuple(map(part, value)) if isinstance(value, tuple) else value

    fields = {field: part(getattr(node, field)) for field in node.__struct_fields__}
    return msgspec.structs.replace(node, **fields)


def calls(node: Node, name: str) -> bool:
    """Whether a node is a call of a function."""
    return isinstance(node, Call) and node.name == name


def same(one: Node, other: Node) -> bool:
    """Whether two expressions are the same but for their places in a text."""
    if one.__class__ is not other.__class__:
        return False
    fields = [
        name for name in one.__struct_fields__ if name not in ("position", "bracketed", "known")
    ]
    return all(_same_field(getattr(one, name), getattr(other, name)) for name in fields)


def _same_field(one: Any, other: Any) -> bool:
    if isinstance(one, Node) and isinstance(other, Node):
        return same(one, other)
    if isinstance(one, tuple) and isinstance(other, tuple):
        pairs = zip(one, other, strict=False)
        return len(one) == len(other) and all(_same_field(a, b) for a, b in pairs)
    return one.__class__ is other.__class__ and bool(one == other)


# ---- paths (RFC 9535) ------------------------------------------------------------------------


class Name(Node, frozen=True):
    """A member's name. ``bracketed``: it was written as ``['name']``."""

    name: str
    bracketed: bool = False


class Wildcard(Node, frozen=True):
    """Every member or element."""


class Index(Node, frozen=True):
    """An element by its place, from 0; a negative one counts from the end."""

    index: int


class Slice(Node, frozen=True):
    """Elements from ``start`` up to, not including, ``stop``."""

    start: int | None
    stop: int | None
    step: int | None


class Filter(Node, frozen=True):
    """The members or elements for which ``test`` holds."""

    test: Node


class Segment(Node, frozen=True):
    """One step of a path: what its selectors choose among the children, or among all below."""

    selectors: tuple[Node, ...]
    descendant: bool = False


class FieldPath(Node, frozen=True):
    """A path from the record (``$``) or, inside a filter, from the tested item (``@``)."""

    segments: tuple[Segment, ...]
    relative: bool = False

    def names(self) -> tuple[str, ...] | None:
        """The names of a path of name steps only; None when it has any other step."""
        names = [
            segment.selectors[0].name
            for segment in self.segments
            if not segment.descendant
            and len(segment.selectors) == 1
            and isinstance(segment.selectors[0], Name)
        ]
        return tuple(names) if len(names) == len(self.segments) else None

    def is_singular(self) -> bool:
        """Whether it can select at most one node (RFC 9535, 2.3.5.1)."""
        return all(
            not segment.descendant
            and len(segment.selectors) == 1
            and isinstance(segment.selectors[0], Name | Index)
            for segment in self.segments
        )


class FilterOr(Node, frozen=True):
    """One of several tests."""

    parts: tuple[Node, ...]


class FilterAnd(Node, frozen=True):
    """All of several tests."""

    parts: tuple[Node, ...]


class FilterNot(Node, frozen=True):
    """The opposite of a test."""

    part: Node


class FilterComparison(Node, frozen=True):
    """``==``, ``!=``, ``<``, ``<=``, ``>`` or ``>=`` between two values."""

    operator: str
    left: Node
    right: Node


class FilterExists(Node, frozen=True):
    """Whether a path selects anything, or a function says so."""

    part: Node


class FilterLiteral(Node, frozen=True):
    """A JSON value written in a filter."""

    value: str | int | Decimal | bool | None


class FilterCall(Node, frozen=True):
    """One of the standard's functions: length, count, match, search, value."""

    name: str
    arguments: tuple[Node, ...]


# ---- expressions (ISO 9075) ------------------------------------------------------------------


class Literal(Node, frozen=True):
    """A number, text, truth value, null, date, time, timestamp or interval in the expression."""

    value: Any


class Heading(Node, frozen=True):
    """``"Heading"``: the value of another column."""

    heading: str


class Asked(Node, frozen=True):
    """``:name``: a value asked for at run time."""

    name: str


class Sign(Node, frozen=True):
    """A leading ``+`` or ``-``."""

    operator: str
    operand: Node


class Arithmetic(Node, frozen=True):
    """``+``, ``-``, ``*`` or ``/``."""

    operator: str
    left: Node
    right: Node


class Concatenation(Node, frozen=True):
    """``||``."""

    left: Node
    right: Node


class Comparison(Node, frozen=True):
    """``=``, ``<>``, ``<``, ``<=``, ``>`` or ``>=``."""

    operator: str
    left: Node
    right: Node


class And(Node, frozen=True):
    """All of several conditions, by three-valued logic."""

    parts: tuple[Node, ...]


class Or(Node, frozen=True):
    """One of several conditions, by three-valued logic."""

    parts: tuple[Node, ...]


class Not(Node, frozen=True):
    """The opposite of a condition; the opposite of unknown is unknown."""

    operand: Node


class IsTest(Node, frozen=True):
    """``is null``, ``is true``, ``is false`` or ``is unknown``; ``negated`` with ``not``."""

    operand: Node
    what: str
    negated: bool


class In(Node, frozen=True):
    """Whether a value is one of a list."""

    operand: Node
    options: tuple[Node, ...]
    negated: bool


class InList(Node, frozen=True):
    """Whether a value is on a list that is kept elsewhere, under a heading of it where it has.

    ``source`` is the list's name (a literal), or it is asked for.
    """

    operand: Node
    source: Node
    heading: str | None
    negated: bool

    @property
    def name(self) -> str:
        """The name of the list; `:name` where it is asked for."""
        source = self.source
        return f":{source.name}" if isinstance(source, Asked) else str(getattr(source, "value", ""))


class InPeriod(Node, frozen=True):
    """Whether a moment lies in a period of whole days, which is a literal's text or asked for."""

    operand: Node
    period: Node
    negated: bool


class Collate(Node, frozen=True):
    """A text that is compared in the order of a collation: `natural`, or that of a locale."""

    operand: Node
    collation: str


class Between(Node, frozen=True):
    """Whether a value lies between two others, both included."""

    operand: Node
    low: Node
    high: Node
    negated: bool


class Like(Node, frozen=True):
    """``like`` (``%`` any text, ``_`` any character) or ``like_regex``."""

    operand: Node
    pattern: Node
    escape: Node | None
    regex: bool
    negated: bool


class Overlaps(Node, frozen=True):
    """Whether two spans, each with a beginning and an end, have a moment in common."""

    left: tuple[Node, Node]
    right: tuple[Node, Node]


class Case(Node, frozen=True):
    """``case when … then … else … end``; ``operand`` is set in the form that compares it."""

    operand: Node | None
    branches: tuple[tuple[Node, Node], ...]
    otherwise: Node | None


class Cast(Node, frozen=True):
    """``cast(x as type)``; the parameters are decimal's precision and scale."""

    operand: Node
    type: str
    parameters: tuple[int, ...]


class SortKey(Node, frozen=True):
    """What to sort by, which way, and where nulls go (None: last)."""

    value: Node
    descending: bool
    nulls_first: bool | None = None

    @property
    def operand(self) -> Node:
        """What is sorted by, without its collation."""
        return self.value.operand if isinstance(self.value, Collate) else self.value

    @property
    def collation(self) -> str:
        return self.value.collation if isinstance(self.value, Collate) else ""


class Call(Node, frozen=True):
    """A function or an aggregate; ``order`` is that of the values of a listagg.

    ``inner``: it is the engine's own, which no text can ask for.
    """

    name: str
    arguments: tuple[Node, ...]
    distinct: bool = False
    inner: bool = False
    order: SortKey | None = None
