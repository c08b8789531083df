"""The small forms that a layout is made of: texts, switches, numbers, choices, expressions."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from decimal import Decimal
from typing import Any

from ...errors import ExpressionError, Problem
from ...language import parse_expression
from ...language.nodes import FieldPath, Node
from ..model.column import Expression
from ..model.names import CHARACTERS, proposal
from ..model.text import Item, ItemList, Scalar, scalar
from .reading import Form, Read, Reading, Schema, items_of, one_or_more

_SWITCHES = {"yes": True, "no": False, "on": True, "off": False, "true": True, "false": False}
# every scalar is the text that was typed, whatever YAML would make of it
_TYPED: Schema = {"type": ["string", "number", "boolean", "null"]}


def read_text(item: Item, where: str, reading: Reading) -> str:
    """A text, as it was typed."""
    if isinstance(item, Scalar) and (item.text or item.style):
        return item.text
    if isinstance(item, Scalar):
        reading.fault(
            item,
            f"{where} has no value; where one was typed that begins with #, put it in quotes, "
            "since YAML takes # for a comment",
        )
    else:
        reading.fault(item, f"{where} takes a text")
    return ""


def _switch(item: Item, where: str, reading: Reading) -> bool:
    text = item.text.lower() if isinstance(item, Scalar) else ""
    if text not in _SWITCHES:
        reading.fault(item, f"{where} is a switch: yes or no")
    return _SWITCHES.get(text, False)


def _characters(item: Item, where: str, reading: Reading) -> str:
    if isinstance(item, Scalar) and item.text in CHARACTERS:
        return CHARACTERS[item.text]
    return read_text(item, where, reading)


def _character(item: Item, where: str, reading: Reading) -> str:
    text = _characters(item, where, reading)
    if len(text) != 1 and text:
        hint = proposal(text, CHARACTERS) or f"; the names are {', '.join(CHARACTERS)}"
        reading.fault(item, f"{where} takes one character or its name, not `{text}`{hint}")
    return text[:1] or ","


def _expression(item: Item, where: str, reading: Reading) -> Expression | None:
    if not isinstance(item, Scalar):
        reading.fault(item, f"{where} takes an expression{_in_quotes(item)}")
        return None
    if not item.text.strip():
        read_text(Scalar("", item.line, item.column, file=item.file), where, reading)
        return None
    try:
        return Expression(item, parse_expression(item.text, reading.notation))
    except ExpressionError as error:
        place = item.place(error.position)
        reading.problems.append(Problem(f"{where}: {error}", *place))
        return None


def _in_quotes(item: Item) -> str:
    """What to do where a path in brackets was typed, which is a list for YAML."""
    match item:
        case ItemList(items=(Scalar(text=name),)) if not {"'", '"', "\\"} & set(name):
            path = f"['{name}']"
            return f"; one that begins with a bracket needs quotes: {scalar(path)}"
    return ""


TEXT = Form(read_text, _TYPED)
SWITCH = Form(_switch, {"enum": [*_SWITCHES, True, False]})
CHARACTERS_OR_NAME = Form(_characters, _TYPED)
CHARACTER = Form(_character, _TYPED)
EXPRESSION = Form(_expression, _TYPED)


def choice(options: Collection[str], elsewhere: Mapping[str, str] | None = None) -> Form[str]:
    """One of some words; ``elsewhere`` are those by which others call them.

    >>> choice(["all", "needed"]).schema
    {'enum': ['all', 'needed']}
    """

    def read(item: Item, where: str, reading: Reading) -> str:
        text = item.text if isinstance(item, Scalar) else ""
        if text not in options:
            meant = (elsewhere or {}).get(text.partition("(")[0].strip().lower())
            hint = f"; did you mean `{meant}`?" if meant else proposal(text, options)
            hint = hint or f"; it takes {', '.join(options)}"
            reading.fault(item, f"{where} does not take `{text}`{hint}")
            return next(iter(options))
        return text

    return Form(read, {"enum": list(options)})


def choice_of(values: Mapping[str, Read]) -> Form[Read]:
    """One of some words, each of which stands for a value."""
    form = choice(values)
    return Form(lambda item, where, reading: values[form.read(item, where, reading)], form.schema)


def whole_number(most: int, least: int = 0) -> Form[int]:
    """A whole number within bounds."""

    def read(item: Item, where: str, reading: Reading) -> int:
        text = item.text if isinstance(item, Scalar) else ""
        if not re.fullmatch(r"[0-9]{1,9}", text) or not least <= int(text) <= most:
            reading.fault(item, f"{where} takes a whole number from {least} to {most}")
            return least
        return int(text)

    return Form(read, {"type": "integer", "minimum": least, "maximum": most})


def amount(default: int, most: int) -> Form[Decimal]:
    """A plain decimal above 0."""

    def read(item: Item, where: str, reading: Reading) -> Decimal:
        text = item.text if isinstance(item, Scalar) else ""
        if not re.fullmatch(r"[0-9]{1,3}(\.[0-9]{1,6})?", text) or not 0 < Decimal(text) <= most:
            reading.fault(item, f"{where} takes a number above 0, up to {most}")
            return Decimal(default)
        return Decimal(text)

    return Form(read, {"type": "number", "exclusiveMinimum": 0, "maximum": most})


def list_of(form: Form[Read]) -> Form[tuple[Read, ...]]:
    """A list of values of one form; one that stands alone is a list of one."""

    def read(item: Item, where: str, reading: Reading) -> tuple[Read, ...]:
        return tuple(form.read(one, where, reading) for one in items_of(item))

    return Form(read, one_or_more(form.schema))


def _paths(item: Item, where: str, reading: Reading) -> tuple[Expression, ...]:
    paths = [EXPRESSION.read(one, where, reading) for one in items_of(item)]
    for path in paths:
        if path and not isinstance(path.node, FieldPath):
            message = f"{where} takes paths of names, such as lines"
            reading.problems.append(path.problem(message))
    return tuple(path for path in paths if path and isinstance(path.node, FieldPath))


PATHS = Form(_paths, one_or_more(_TYPED))


def names_of(item: Item, where: str, reading: Reading, node: Node | None = None) -> Any:
    """The names of a path of names, that of ``node`` where it has been read already; or None."""
    if node is None:
        expression = EXPRESSION.read(item, where, reading)
        node = expression.node if expression else None
    names = node.names() if isinstance(node, FieldPath) else None
    if node is not None and not names:
        reading.fault(item, f"{where} takes a path of names, such as lines.no")
    return names or None


NAMES: Form[tuple[str, ...] | None] = Form(names_of, _TYPED)
