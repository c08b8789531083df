"""The kinds of value that an expression can have, known before any record is read.

number, text, truth, moment (a date or timestamp), time, interval; ``null`` for what is always
null, and ``any`` where only the data can tell. A function may take ``when``: any of the three. A
column or key is ``mixed`` where only the data can tell, and some of its values may be moments.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from decimal import Decimal
from typing import Any

import msgspec

from ..language import nodes as n
from ..values.aggregates import AGGREGATES

# no aggregates of a layout's, but what one over a group is made of: the values themselves, those
# that are numbers, and how many numbers there are
COLLECT, NUMBERS, COUNT_NUMBERS = "collect", "collect_numbers", "count_numbers"
GATHERING = (COLLECT, NUMBERS)
INNER = {COLLECT: "any", NUMBERS: "any", COUNT_NUMBERS: "number"}
AGGREGATE_KINDS = {**{name: one.gives for name, one in AGGREGATES.items()}, **INNER}
LEVEL = "level"  # the function that names the level of a row
OF_THE_SOURCE = {"source_file": "text", "source_row": "number", "record_number": "number"}
TIMES = ("moment", "time", "interval")
DATATYPES = {  # those whose values are read as one kind
    "boolean": "truth",
    "date": "moment",
    "dateTime": "moment",
    "time": "time",
    "duration": "interval",
}


SQL_TYPES = {
    "number": "NUMERIC",
    "text": "CHARACTER VARYING",
    "truth": "BOOLEAN",
    "moment": "TIMESTAMP",
    "time": "TIME",
    "interval": "INTERVAL",
    "null": "NULL",
}


def a_kind(kind: str) -> str:
    """A kind in a sentence.

    >>> a_kind("interval"), a_kind("number")
    ('an interval', 'a number')
    """
    return f"{'an' if kind[0] in 'aeiou' else 'a'} {kind}"


def taken_kind(name: str) -> str:
    """The kind of value that an aggregate takes; blank where it takes any.

    >>> taken_kind("sum"), taken_kind("max"), taken_kind(NUMBERS)
    ('number', '', 'number')
    """
    if name in (NUMBERS, COUNT_NUMBERS):
        return "number"
    takes = AGGREGATES[name].takes if name in AGGREGATES else "any"
    return "" if takes == "any" else takes


def is_aggregate(node: n.Node) -> bool:
    """Whether a node is a call of an aggregate."""
    return isinstance(node, n.Call) and node.name in AGGREGATE_KINDS


class Operand(msgspec.Struct, frozen=True):
    """A value in generated code: the variable or literal that names it, and its kind."""

    code: str
    kind: str

    @property
    def nullable(self) -> bool:
        """Whether it may be null: a literal, other than None, never is."""
        return self.code.isidentifier() and not self.code.startswith("constant_")


class Ready(n.Node, frozen=True):
    """A value that has been emitted already, standing in for its expression, which a fault calls by
    its ``text``."""

    operand: Operand
    text: str


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
        case dt.date():
            return "moment"
        case dt.time():
            return "time"
        case _:
            return "interval"


def common_kind(kinds: Iterable[str]) -> str:
    """The kind of a value that comes from one of several."""
    known = set(kinds) - {"null"}
    return known.pop() if len(known) == 1 else "any"


def comparison_kind(kinds: Iterable[str]) -> str | None:
    """The kind as which values are compared; None where the data decides."""
    known = set(kinds) - {"any", "null"}
    for kind in TIMES:
        if kind in known:
            return kind
    return known.pop() if len(known) == 1 else None


def arithmetic_kind(operator: str, left: str, right: str) -> str:
    """The kind of a sum, difference, product or quotient.

    What stands beside a time in a sum, and is none by itself, is read as a moment.

    >>> arithmetic_kind("+", "any", "interval"), arithmetic_kind("-", "any", "moment")
    ('moment', 'interval')
    """
    pair = (left, right)
    if not set(pair) & set(TIMES):
        return "number"
    if operator in ("*", "/"):
        return "interval"
    pair = (left if left in TIMES else "moment", right if right in TIMES else "moment")
    if pair == ("moment", "moment"):
        return "interval" if operator == "-" else "moment"
    return next(kind for kind in ("moment", "time", "interval") if kind in pair)


def fits(given: str, wanted: str) -> bool:
    """Whether a value of one kind can ever be taken as another."""
    return (
        given == wanted
        or given in ("any", "null")
        or wanted in ("any", "text")
        or (given == "text" and wanted in (*TIMES, "when"))
        or (given in TIMES and wanted == "when")
    )
