"""Values as a survey takes note of them: their kinds, their texts, objects key by key."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict
from collections.abc import Iterable
from decimal import Decimal
from itertools import repeat
from typing import Any


def columns_of(objects: list[dict[str, Any]]) -> Iterable[tuple[str, list[Any]]]:
    """The values of objects by their keys."""
    keys = set().union(*objects)
    if 2 * sum(map(len, objects)) >= len(keys) * len(objects):  # most objects have most keys
        return [(key, [one[key] for one in objects if key in one]) for key in keys]
    found: dict[str, list[Any]] = defaultdict(list)
    for one in objects:
        for key, value in one.items():
            found[key].append(value)
    return found.items()


def texts_of(values: list[Any], classes: set[type]) -> list[str]:
    """Plain values as texts."""
    if classes == {str}:
        return values
    if classes == {int}:
        return list(map(str, values))
    if classes == {Decimal}:
        return list(map(format, values, repeat("f")))
    return list(map(text_of_value, values))


def text_of_value(value: Any) -> str:
    """A plain value as text."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, dt.date | dt.time):
        return value.isoformat()
    return format(value, "f") if isinstance(value, Decimal) else str(value)


def kind_name(value: Any) -> str:
    """The kind of a plain value in a word."""
    if value is None or value == "":
        return "blank"
    if isinstance(value, bool):
        return "truth"
    if isinstance(value, int):
        return "integer"
    if isinstance(value, Decimal | float):
        return "decimal"
    if isinstance(value, str):
        return "text"
    if isinstance(value, dt.date | dt.time):
        of_day = "dateTime" if isinstance(value, dt.datetime) else "date"
        return of_day if isinstance(value, dt.date) else "time"
    return "object" if isinstance(value, dict) else "list" if isinstance(value, list) else "other"
