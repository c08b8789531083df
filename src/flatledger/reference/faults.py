"""What can't be taken as it is, as the reference meets it: told once for each value (rule 13)."""

from __future__ import annotations

from typing import Any, NamedTuple

from ..values.faults import shown
from ..values.functions import text_of
from ..values.numbers import Unreadable
from .plain import is_null

Where = tuple[int, ...]


class Raw(str):
    """A value that could not be read, as a cell shows it all the same; no total has it."""

    __slots__ = ()


class Told(NamedTuple):
    """One fault: where, of which path, the value as it is shown, and what is wrong."""

    where: Where
    path: str
    value: str
    reason: str


class Faults:
    """The faults of one record."""

    def __init__(self) -> None:
        self.told: dict[tuple[Where, str, str], Told] = {}

    def tell(self, where: Where, path: str, value: object, reason: str) -> None:
        """Take note of a fault; what was told where it was first met is not told again."""
        if isinstance(value, Raw):
            return
        text = shown(value)
        self.told.setdefault((where, path, text), Told(where, path, text, reason))


def raw_of(value: Any) -> Raw | None:
    """What could not be read, as a cell shows it (rule 13); null where there is nothing to show."""
    if is_null(value) or (isinstance(value, Unreadable) and not value.text):
        return None
    return Raw(text_of(value))
