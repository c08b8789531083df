"""Nodes as plain data, which JSON can hold, and back.

>>> from .parser import parse_expression
>>> to_plain(parse_expression("-2.50"))
['Sign', 0, '-', ['Literal', 1, {'decimal': '2.50'}]]
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from ..values.literals import Interval
from . import nodes as n

_CLASSES: dict[str, type[n.Node]] = {
    one.__name__: one
    for one in vars(n).values()
    if isinstance(one, type) and issubclass(one, n.Node)
}


def to_plain(value: Any) -> Any:
    """A tree of nodes, as it was read, as lists, texts and numbers. Raises TypeError."""
    if isinstance(value, n.Node):
        fields = (getattr(value, name) for name in _fields(type(value)))
        return [type(value).__name__, *map(to_plain, fields)]
    if isinstance(value, tuple):
        return ["", *map(to_plain, value)]
    if value is None or isinstance(value, bool | int | str):
        return value
    for kind, name, write, _ in _KINDS:
        if type(value) is kind:
            return {name: write(value)}
    raise TypeError(f"{value!r:.60} is in no expression")


def from_plain(data: Any) -> Any:
    """The tree that plain data stand for. Raises ValueError for what is none."""
    match data:
        case ["", *items]:
            return tuple(map(from_plain, items))
        case [str(name), *items] if name in _CLASSES:
            values = map(from_plain, items)
            return _CLASSES[name](**dict(zip(_fields(_CLASSES[name]), values, strict=True)))
        case dict():
            [(name, text)] = data.items()
            return _READERS[name](text)
        case None | bool() | int() | str():
            return data
    raise ValueError(f"{data!r:.60} is no node")


def _fields(kind: type[n.Node]) -> tuple[str, ...]:
    return tuple(name for name in kind.__struct_fields__ if name != "known")


def _of_interval(value: Interval) -> list[Any]:
    time = value.time
    return [value.months, time.days, time.seconds, time.microseconds, value.days]


def _interval(parts: list[Any]) -> Interval:
    months, days, seconds, microseconds, of_days = parts
    return Interval(months, dt.timedelta(days, seconds, microseconds), of_days)


_KINDS: tuple[tuple[type, str, Callable[[Any], Any], Callable[[Any], Any]], ...] = (
    (Decimal, "decimal", str, Decimal),
    (dt.date, "date", dt.date.isoformat, dt.date.fromisoformat),
    (dt.datetime, "timestamp", dt.datetime.isoformat, dt.datetime.fromisoformat),
    (dt.time, "time", dt.time.isoformat, dt.time.fromisoformat),
    (Interval, "interval", _of_interval, _interval),
)
_READERS = {name: read for _, name, _, read in _KINDS}
