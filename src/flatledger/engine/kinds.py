"""The kinds of value that an expression can have, known before any record is read."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from typing import Any

import msgspec

from ..language import nodes as n


class Operand(msgspec.Struct, frozen=True):
    """A value in generated code: the variable or literal that names it, and its kind."""

    code: str
    kind: str

    @property
    def nullable(self) -> bool:
        """Whether it may be null: a literal, other than None, never is."""
        return self.code.isidentifier() and not self.code.startswith("constant_")


def kind_of_literal(value: Any) -> str:
    """The kind of a literal's value.

    >>> kind_of_literal("SKC"), kind_of_literal(None)
    ('text', 'null')
    """
    match value:
        case None:
            return "null"
        case bool():
            return "truth"
        case int() | Decimal():
            return "number"
        case str():
            return "text"
        case dt.datetime():
            return "timestamp"
        case dt.date():
            return "date"
        case dt.time():
            return "time"
        case _:
            return "interval"


def kind_of(node: n.Node) -> str:
    """The kind of an expression's value; ``any`` where only the data can tell."""
    match node:
        case n.Literal():
            return kind_of_literal(node.value)
        case n.Arithmetic() | n.Sign():
            return "number"
        case n.Concatenation():
            return "text"
        case n.Path() | n.Heading() | n.Asked():
            return "any"
        case _:
            return "truth"
