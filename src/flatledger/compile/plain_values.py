"""Single values as generated code meets them in records: numbers in texts, lists in lists."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any, Generic, TypeVar

import msgspec

from ..values.field_values import FieldReader
from ..values.functions import cast_value
from ..values.numbers import ValueFaultError, read_decimal
from .plain_data import FaultText, alone, raw_text

Value = TypeVar("Value")


def collected(found: list[Any]) -> list[Any] | None:
    """The values themselves, for an aggregate over a group."""
    return [value for value in found if value is not None] or None


def is_unread(value: Any, reader: FieldReader) -> bool:
    """Whether a value is there, and is none of those that its field is declared to have."""
    try:
        reader.read(value if value.__class__ is not list else alone(value))
    except ValueFaultError:
        return True
    return False


def fault_text(value: Any, reader: FieldReader) -> FaultText | None:
    """What could not be read as it is declared, as a cell shows it all the same."""
    return raw_text(value) if value is not None and is_unread(value, reader) else None


def as_numbers(left: Any, right: Any) -> tuple[Any, Any] | None:
    """Two values as numbers; None where one of them is none."""
    found = []
    for value in (left, right):
        if isinstance(value, float):
            value = read_decimal(repr(value))
        elif isinstance(value, str):
            value = number_in(value.strip())
        if not is_number(value):
            return None
        found.append(value)
    return found[0], found[1]


def is_whole_entry(value: Any) -> bool:
    """Whether a value is an entry or a list, rather than one value."""
    return isinstance(value, dict | list | msgspec.Struct)


def is_number(value: Any) -> bool:
    return isinstance(value, int | float | Decimal) and not isinstance(value, bool)


def number_in(text: str) -> int | Decimal | None:
    """The number in a text: an integer where it has digits only."""
    if text.isdecimal() and text.isascii() and len(text) < 4_000 and text[0] != "0":
        return int(text)
    return read_decimal(text)


class TextValues(dict[str, Value], Generic[Value]):
    """What is made of texts, keeping the latest: where all values are texts, most come many times.

    >>> NUMERALS[" 10.50 "], NUMERALS["12"], NUMERALS["a few"]
    (Decimal('10.50'), 12, None)
    """

    _most, _longest = 50_000, 40

    def __init__(self, make: Callable[[str], Value]) -> None:
        self._make = make

    def __missing__(self, text: str) -> Value:
        value = self._make(text)
        if len(text) <= self._longest:
            if len(self) >= self._most:
                self.clear()
            self[text] = value
        return value


NUMERALS: TextValues[int | Decimal | None] = TextValues(lambda text: number_in(text.strip()))


def casts_to(name: str, parameters: tuple[int, ...]) -> TextValues[Any]:
    """What texts are when they are cast to a type; None for those that can't be.

    >>> casts = casts_to("decimal", (6, 1))
    >>> casts["2.25"], casts["a few"]
    (Decimal('2.2'), None)
    """

    def cast(text: str) -> Any:
        try:
            return cast_value(text, name, parameters)
        except ValueFaultError:
            return None

    return TextValues(cast)
