"""The nodes that the text of a path or an expression is turned into.

Every node is immutable and knows the position in the text where it began. Nodes of a path follow
RFC 9535 (JSONPath); nodes of an expression follow ISO 9075 (SQL).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, fields
from decimal import Decimal
from typing import Any


@dataclass(frozen=True, slots=True)
class Node:
    """What all nodes have: the position in the text where they begin."""

    position: int

    def children(self) -> Iterator[Node]:
        """The nodes directly below this one, in the order of the text."""
        for field in fields(self):
            value = getattr(self, field.name)
            for item in value if isinstance(value, tuple) else (value,):
                if isinstance(item, Node):
                    yield item
                elif isinstance(item, tuple):
                    yield from (part for part in item if isinstance(part, Node))

    def walk(self) -> Iterator[Node]:
        """This node and all below it."""
        yield self
        for child in self.children():
            yield from child.walk()


# ---- paths (RFC 9535) ------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Name(Node):
    """A member's name. ``bracketed``: it was written as ``['name']``."""

    name: str
    bracketed: bool = False


@dataclass(frozen=True, slots=True)
class Wildcard(Node):
    """Every member or element."""


@dataclass(frozen=True, slots=True)
class Index(Node):
    """An element by its place, from 0; a negative one counts from the end."""

    index: int


@dataclass(frozen=True, slots=True)
class Slice(Node):
    """Elements from ``start`` up to, not including, ``stop``."""

    start: int | None
    stop: int | None
    step: int | None


@dataclass(frozen=True, slots=True)
class Filter(Node):
    """The members or elements for which ``test`` holds."""

    test: Node


@dataclass(frozen=True, slots=True)
class Segment(Node):
    """One step of a path: what its selectors choose among the children, or among all below."""

    selectors: tuple[Node, ...]
    descendant: bool = False


@dataclass(frozen=True, slots=True)
class Path(Node):
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


@dataclass(frozen=True, slots=True)
class FilterOr(Node):
    """One of several tests."""

    parts: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class FilterAnd(Node):
    """All of several tests."""

    parts: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class FilterNot(Node):
    """The opposite of a test."""

    part: Node


@dataclass(frozen=True, slots=True)
class FilterComparison(Node):
    """``==``, ``!=``, ``<``, ``<=``, ``>`` or ``>=`` between two values."""

    operator: str
    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class FilterExists(Node):
    """Whether a path selects anything, or a function says so."""

    part: Node


@dataclass(frozen=True, slots=True)
class FilterLiteral(Node):
    """A JSON value written in a filter."""

    value: str | int | Decimal | bool | None


@dataclass(frozen=True, slots=True)
class FilterCall(Node):
    """One of the standard's functions: length, count, match, search, value."""

    name: str
    arguments: tuple[Node, ...]


# ---- expressions (ISO 9075) ------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Literal(Node):
    """A number, text, truth value, null, date, time, timestamp or interval in the expression."""

    value: Any


@dataclass(frozen=True, slots=True)
class Heading(Node):
    """``"Heading"``: the value of another column."""

    heading: str


@dataclass(frozen=True, slots=True)
class Asked(Node):
    """``:name``: a value asked for at run time."""

    name: str


@dataclass(frozen=True, slots=True)
class Sign(Node):
    """A leading ``+`` or ``-``."""

    operator: str
    operand: Node


@dataclass(frozen=True, slots=True)
class Arithmetic(Node):
    """``+``, ``-``, ``*`` or ``/``."""

    operator: str
    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class Concatenation(Node):
    """``||``."""

    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class Comparison(Node):
    """``=``, ``<>``, ``<``, ``<=``, ``>`` or ``>=``."""

    operator: str
    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class And(Node):
    """All of several conditions, by three-valued logic."""

    parts: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Or(Node):
    """One of several conditions, by three-valued logic."""

    parts: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Not(Node):
    """The opposite of a condition; the opposite of unknown is unknown."""

    operand: Node


@dataclass(frozen=True, slots=True)
class IsTest(Node):
    """``is null``, ``is true``, ``is false`` or ``is unknown``; ``negated`` with ``not``."""

    operand: Node
    what: str
    negated: bool


@dataclass(frozen=True, slots=True)
class In(Node):
    """Whether a value is one of a list."""

    operand: Node
    options: tuple[Node, ...]
    negated: bool


@dataclass(frozen=True, slots=True)
class Between(Node):
    """Whether a value lies between two others, both included."""

    operand: Node
    low: Node
    high: Node
    negated: bool


@dataclass(frozen=True, slots=True)
class Like(Node):
    """``like`` (``%`` any text, ``_`` any character) or ``like_regex``."""

    operand: Node
    pattern: Node
    escape: Node | None
    regex: bool
    negated: bool


@dataclass(frozen=True, slots=True)
class Overlaps(Node):
    """Whether two spans, each with a beginning and an end, have a moment in common."""

    left: tuple[Node, Node]
    right: tuple[Node, Node]


@dataclass(frozen=True, slots=True)
class Case(Node):
    """``case when … then … else … end``; ``operand`` is set in the form that compares it."""

    operand: Node | None
    branches: tuple[tuple[Node, Node], ...]
    otherwise: Node | None


@dataclass(frozen=True, slots=True)
class Cast(Node):
    """``cast(x as type)``; the parameters are decimal's precision and scale."""

    operand: Node
    type: str
    parameters: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Call(Node):
    """A function or an aggregate."""

    name: str
    arguments: tuple[Node, ...]
    distinct: bool = False


@dataclass(frozen=True, slots=True)
class SortKey(Node):
    """What to sort by, which way, and where nulls go (None: last)."""

    value: Node
    descending: bool
    nulls_first: bool | None = None
