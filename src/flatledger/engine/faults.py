"""Faults: values and records that could not be taken as they are. Counted, listed, never fatal."""

from __future__ import annotations

from collections import Counter

import msgspec

from .functions import text_of

_LONGEST = 120


class Fault(msgspec.Struct, frozen=True):
    """One fault: the record's number (from 1), the path in it, the raw value, and what is wrong."""

    record: int
    path: str
    value: str
    reason: str

    def __str__(self) -> str:
        where = f"record {self.record:,}" + (f", {self.path}" if self.path else "")
        return f"{where}: {self.reason}" + (f": {self.value}" if self.value else "")


class FaultLog:
    """Counts all faults and keeps the first ones, so that memory stays bounded.

    A value that both a condition and a column read is met twice, and told once: between
    `second_reading` and the next `first_reading` a fault that was told already is passed over.
    """

    def __init__(self, most: int = 10_000) -> None:
        self.count = 0
        self.kept: list[Fault] = []
        self._most = most
        self._told: Counter[Fault] = Counter()
        self._second = False

    def first_reading(self) -> None:
        self._told.clear()
        self._second = False

    def second_reading(self) -> None:
        self._second = True

    def add(self, fault: Fault) -> None:
        if self._second and self._told[fault]:
            self._told[fault] -= 1
            return
        if not self._second:
            self._told[fault] += 1
        self.count += 1
        if len(self.kept) < self._most:
            self.kept.append(fault)


def shown(value: object) -> str:
    """A raw value as a message shows it: one line, not too long."""
    if value is None:
        return ""
    if isinstance(value, str):
        text = value
    elif isinstance(value, msgspec.Struct):
        text = "{…}"
    elif isinstance(value, list):
        text = f"a list of {len(value)}"
    elif isinstance(value, dict):
        text = "{" + ", ".join(str(key) for key in value) + "}"
    else:
        text = text_of(value)
    text = " ".join(text.split())
    return text if len(text) <= _LONGEST else text[: _LONGEST - 1] + "…"
