"""Faults: values and records that could not be taken as they are. Counted, listed, never fatal."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable

import msgspec

from ..values.functions import text_of

_LONGEST = 1_000
_SHOWN = 120


class Fault(msgspec.Struct, frozen=True):
    """One fault: the record's number (from 1), the path in it, the raw value, and what is wrong.

    ``identifier`` is what the columns of the primary key say of the record. ``ordinals`` are the
    places (from 1) of the entries that lead to the value, one for each level.
    """

    record: int
    path: str
    value: str
    reason: str
    identifier: str = ""
    ordinals: tuple[int, ...] = ()

    def __str__(self) -> str:
        who = f" ({_cut(self.identifier)})" if self.identifier else ""
        where = f"record {self.record:,}{who}" + (f", {self.path}" if self.path else "")
        return f"{where}: {self.reason}" + (f": {_cut(self.value)}" if self.value else "")


class FaultLog:
    """Counts all faults and keeps the first ones, so that memory stays bounded.

    A value that both a condition and a column read is met twice, and told once, by its address.
    From `begin` to `settle` faults wait until it is known which records are kept. ``sink`` is
    called with each fault that counts.
    """

    def __init__(self, most: int = 10_000, sink: Callable[[Fault], None] | None = None) -> None:
        self.count = self.filtered = 0
        self.kept: list[Fault] = []
        self.places: Counter[str] = Counter()
        self.sink = sink
        self._most = most
        self._waiting: dict[Fault, None] | None = None

    def begin(self) -> None:
        """Some records are looked at."""
        self._waiting = {}

    def add(self, fault: Fault) -> None:
        """Take note of a fault; one that was told already is the same one."""
        if self._waiting is None:
            self._count(fault)
        else:
            self._waiting[fault] = None

    def settle(
        self, judged: Iterable[int], kept: Iterable[int], identify: Callable[[], dict[int, str]]
    ) -> None:
        """Count what was told since the beginning. Faults of records that were judged and are
        not kept are counted apart; ``identify`` gives what the judged records are called."""
        waiting, self._waiting = self._waiting or {}, None
        if not waiting:
            return
        gone = set(judged) - set(kept)
        names = identify()
        for fault in waiting:
            if fault.record in gone:
                self.filtered += 1
                continue
            name = names.get(fault.record)
            self._count(msgspec.structs.replace(fault, identifier=name) if name else fault)

    def _count(self, fault: Fault) -> None:
        self.count += 1
        self.places[fault.path] += 1
        if len(self.kept) < self._most:
            self.kept.append(fault)
        if self.sink is not None:
            self.sink(fault)


def _cut(text: str) -> str:
    return text if len(text) <= _SHOWN else text[: _SHOWN - 1] + "…"


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
