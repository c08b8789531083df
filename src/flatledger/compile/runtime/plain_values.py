"""Single values as generated code meets them in records: numbers in texts, lists in lists."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

import msgspec

from ...values.faults import FaultText
from ...values.field_values import FieldReader
from ...values.functions import cast_value
from ...values.numbers import ValueFaultError, read_decimal
from ...values.text_values import Many, TextValues, fractions_in, integers_in, number_in
from .plain_data import alone, raw_text


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


def taken_to_its_end(next_value: Callable[[], Any]) -> None:
    """Raise AssertionError, for an error of this program, where a column of values has not been
    taken to its end: then they went to other entries than their own.

    >>> values = iter([1])
    >>> next(values), taken_to_its_end(values.__next__)
    (1, None)
    >>> taken_to_its_end(iter([1]).__next__)
    Traceback (most recent call last):
    AssertionError: values of a column are left
    """
    try:
        next_value()
    except StopIteration:
        return
    raise AssertionError("values of a column are left")


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


_MANY: dict[tuple[str, tuple[int, ...]], Many] = {
    ("decimal", ()): fractions_in,
    ("integer", ()): integers_in,
}


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

    return TextValues(cast, _MANY.get((name, parameters)))
