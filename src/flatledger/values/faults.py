"""Faults: values and records that could not be taken as they are. Counted, listed, never fatal."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from typing import Any

import msgspec

from ..bounds import MOST_FAULTS_HELD
from .functions import text_of

_LONGEST = 1_000
_SHOWN = 120
_MOST_KINDS, _MOST_VALUES = 1_000, 1_000
_COMMONEST, _FIRST = 3, 3
_OTHERS = "more, which are not listed one by one"


class Fault(msgspec.Struct, frozen=True):
    """One fault: the record's number (from 1), the path in it, the raw value, and what is wrong.

    ``identifier`` is what the columns of the primary key say of the record. ``ordinals`` are the
    places (from 1) of the entries that lead to the value, one for each level. Of several files
    ``file`` is the one that the record is in, as its ``file_record`` (from 1).

    >>> print(Fault(12, "lines.qty", "a few", "is not a number", ordinals=(2,)))
    record 12, lines.qty: is not a number: a few
    """

    record: int
    path: str
    value: str
    reason: str
    identifier: str = ""
    ordinals: tuple[int, ...] = ()
    file: str = ""
    file_record: int = 0

    @property
    def address(self) -> tuple[Any, ...]:
        """What is the same of all faults of one value."""
        return self.record, self.path, self.ordinals, self.value

    @property
    def in_file(self) -> str:
        """The file with the number that the record has in it; blank where there is one only."""
        return f"{self.file}, record {self.file_record:,}" if self.file else ""

    def __str__(self) -> str:
        called = [_cut(text) for text in (self.identifier, self.in_file) if text]
        who = f" ({'; '.join(called)})" if called else ""
        where = f"record {self.record:,}{who}" + (f", {self.path}" if self.path else "")
        return f"{where}: {self.reason}" + (f": {_cut(self.value)}" if self.value else "")


class FaultText(str):
    """A value that could not be read, as a cell shows it all the same. It is in no total."""

    __slots__ = ()


class FaultNotes:
    """The faults that code meets as it runs: one for each value, by its address, however many
    conditions and columns read it; the first says what is wrong.
    """

    def __init__(self) -> None:
        self._noted: dict[tuple[Any, ...], Fault] = {}

    def add(self, fault: Fault) -> None:
        """Take note of a fault."""
        self._noted.setdefault(fault.address, fault)

    def taken(self) -> list[Fault]:
        """What has been noted since this was last asked."""
        found, self._noted = list(self._noted.values()), {}
        return found


class FaultKind(msgspec.Struct):
    """Faults of one path that have one reason: how many, the commonest values, and the first.

    ``first`` has one fault of each of the first records. Of a formula that is a column
    ``heading`` is what that is called.
    """

    path: str
    reason: str
    count: int = 0
    values: dict[str, int] = {}
    first: list[Fault] = []
    heading: str = ""

    def add(self, fault: Fault) -> None:
        """Count a fault."""
        self.count += 1
        if fault.value in self.values or len(self.values) < _MOST_VALUES:
            self.values[fault.value] = self.values.get(fault.value, 0) + 1
        self._show(fault)

    def _show(self, fault: Fault) -> None:
        if len(self.first) < _FIRST and all(fault.record != one.record for one in self.first):
            self.first.append(fault)

    def merge(self, later: FaultKind) -> None:
        """Take in those that came later."""
        self.count += later.count
        for value, count in later.values.items():
            self.values[value] = self.values.get(value, 0) + count
        for fault in later.first:
            self._show(fault)

    def told(self) -> FaultKind:
        """The same with the commonest values alone."""
        commonest = Counter(self.values).most_common(_COMMONEST)
        return msgspec.structs.replace(self, values=dict(commonest))


class FaultLog:
    """Counts all faults and keeps the first ones, so that memory stays bounded. Beyond so many
    ``kinds`` the others are counted by their paths alone.

    ``sink`` is called with each fault. A log of a part (``of_part``) has none: it keeps the further
    ones beside, by ``keep`` if there is that, for the log that it is merged into.
    """

    def __init__(
        self,
        most: int = MOST_FAULTS_HELD,
        sink: Callable[[Fault], None] | None = None,
        *,
        of_part: bool = False,
        keep: Callable[[list[Any]], Callable[[], Iterable[Any]]] | None = None,
    ) -> None:
        self.count = 0
        self.kept: list[Fault] = []
        self.places: Counter[str] = Counter()
        self.kinds: dict[tuple[str, str], FaultKind] = {}
        self._sink = sink
        self._most = most
        self._of_part, self._keep = of_part, keep
        self._further: list[Fault] = []
        self._beside: list[Callable[[], Iterable[Fault]]] = []

    def add(self, fault: Fault) -> None:
        """Count a fault."""
        self.count += 1
        self.places[fault.path] += 1
        self._kind(fault.path, fault.reason).add(fault)
        if len(self.kept) < self._most:
            self.kept.append(fault)
        elif self._of_part:
            self._hold(fault)
        if self._sink is not None:
            self._sink(fault)

    def _hold(self, fault: Fault) -> None:
        self._further.append(fault)
        if self._keep is not None and len(self._further) >= self._most:
            self._beside.append(self._keep(self._further))
            self._further = []

    def every(self) -> Iterator[Fault]:
        """All faults of a part, in their order."""
        yield from self.kept
        for held in self._beside:
            yield from held()
        yield from self._further

    def told_kinds(self) -> list[FaultKind]:
        """What kinds of faults there are, the commonest first."""
        return sorted((one.told() for one in self.kinds.values()), key=lambda one: -one.count)

    def _kind(self, path: str, reason: str) -> FaultKind:
        key = (path, reason)
        if key not in self.kinds:
            if len(self.kinds) >= _MOST_KINDS:
                key = (path, _OTHERS)
            self.kinds.setdefault(key, FaultKind(*key))
        return self.kinds[key]

    def merge(self, later: FaultLog) -> None:
        """Take in the faults of a part that came later."""
        self.count += later.count
        self.places.update(later.places)
        for path, reason in later.kinds:
            self._kind(path, reason).merge(later.kinds[path, reason])
        for fault in later.every():
            if len(self.kept) < self._most:
                self.kept.append(fault)
            elif self._of_part:
                self._hold(fault)
            if self._sink is not None:
                self._sink(fault)


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
