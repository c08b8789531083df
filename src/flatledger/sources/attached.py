"""Side lists attached to records: looked up by a key, and added as a field of record or entry."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from ..engine.balance import AttachedCount
from ..engine.protocols import Batch, Source
from ..engine.structure import Place, observe
from ..errors import SourceError
from ..layout.files import csv_rows
from ..layout.model import Attachment
from .records import convert

LARGEST = 500_000_000  # bytes of a side list that is held in memory
SHOWN = 10


class SideList:
    """A side list by key, and what was asked of it."""

    def __init__(self, attachment: Attachment, entries: Iterator[dict[str, Any]]) -> None:
        self.attachment = attachment
        self._entries: dict[str, list[dict[str, Any]]] = {}
        self._used: set[str] = set()
        self._missing: dict[str, None] = {}
        self._matched = self._unmatched = 0
        self.level = 0  # how many names of the key's path lead to the entry that gets the field
        for entry in entries:
            key = entry.get(attachment.key)
            if attachment.key not in entry:
                known = ", ".join(map(str, entry))
                raise SourceError(
                    f"{attachment.file}: no `{attachment.key}` to match by; there are {known}"
                )
            if key not in (None, ""):
                self._entries.setdefault(str(key).strip(), []).append(entry)

    def look_at(self, structure: Place) -> None:
        """Find the innermost level on the way to the key."""
        names = self.attachment.matched_by
        places = ((length, structure.find(names[:length])) for length in range(len(names)))
        self.level = max((n for n, place in places if place and place.repeated), default=0)

    def find(self, value: Any, counted: bool) -> Any:
        """What belongs to a key: one entry, or with ``many`` all of them."""
        if value is None or value == "" or isinstance(value, dict | list):
            return None
        key = str(value).strip()
        found = self._entries.get(key)
        if counted:
            self._count(key, found is not None)
        if found is None:
            return None
        return found if self.attachment.many else found[0]

    def _count(self, key: str, matched: bool) -> None:
        if matched:
            self._matched += 1
            self._used.add(key)
        else:
            self._unmatched += 1
            self._missing[key] = None

    def count(self) -> AttachedCount:
        """How many matched, and which keys stand on one side only, or twice."""
        unused = [key for key in self._entries if key not in self._used]
        double = [key for key, found in self._entries.items() if len(found) > 1]
        return AttachedCount(
            name=self.attachment.name,
            matched=self._matched,
            unmatched=self._unmatched,
            missing=list(self._missing)[:SHOWN],
            unused=len(unused),
            first_unused=unused[:SHOWN],
            double=0 if self.attachment.many else len(double),
            first_double=[] if self.attachment.many else double[:SHOWN],
        )


class Attached:
    """A source whose records have further fields from side lists (a Source)."""

    def __init__(self, source: Source, lists: Sequence[SideList]) -> None:
        self._source = source
        self._lists = lists
        self._first: list[Any] | None = None
        self.name = source.name

    def look_ahead(self) -> list[Any]:
        if self._first is None:
            self._first = self._source.look_ahead()
            for side in self._lists:
                side.look_at(observe(self._first))
                self._first = [_attach(record, [side], counted=False) for record in self._first]
        return self._first

    def counts(self) -> list[AttachedCount]:
        """What became of each side list."""
        return [side.count() for side in self._lists]

    def batches(self, shape: Any) -> Iterator[Batch]:
        self.look_ahead()
        for batch in self._source.batches(dict[str, Any]):
            records = [_attach(record, self._lists, counted=True) for record in batch.records]
            yield convert(records, shape, list(batch.numbers), batch.faults)


def _attach(record: Any, lists: Sequence[SideList], counted: bool) -> Any:
    """The record with its further fields. Each list is looked up after those before it."""
    if isinstance(record, dict):
        for side in lists:
            record = dict(record)
            _walk(record, record, 0, side, counted)
    return record


def _walk(holder: dict[str, Any], value: Any, depth: int, side: SideList, counted: bool) -> None:
    """Go to the key's value; the entry of the innermost level on the way gets the field.

    What is changed is copied first: a caller's records stay as they were.
    """
    names = side.attachment.matched_by
    if isinstance(value, list):
        for place, entry in enumerate(value):
            if isinstance(entry, dict):
                value[place] = own = dict(entry)
                _walk(own, own, depth, side, counted)
    elif depth == len(names):
        found = side.find(value, counted)
        if found is not None:
            holder[side.attachment.name] = found
    elif isinstance(value, dict):
        below = value.get(names[depth])
        if isinstance(below, list | dict):
            value[names[depth]] = below = below.copy()
        inner = below if isinstance(below, dict) and depth + 1 <= side.level else holder
        _walk(inner, below, depth + 1, side, counted)


def read_side_list(attachment: Attachment, records: Iterator[dict[str, Any]] | None) -> SideList:
    """A side list from a CSV file, or from the records of a source. Raises SourceError."""
    path = Path(attachment.file)
    if path.stat().st_size > LARGEST:
        raise SourceError(
            f"{path} is too large to be held in memory ({LARGEST // 1_000_000} MB at most); "
            "leave out what no record needs"
        )
    return SideList(attachment, records if records is not None else _csv_entries(path))


def _csv_entries(path: Path) -> Iterator[dict[str, Any]]:
    rows = csv_rows(path)
    _, headings = next(rows, (0, []))
    if len(set(headings)) != len(headings):
        raise SourceError(f"{path} has a heading twice: {', '.join(headings)}")
    yield from (dict(zip(headings, row, strict=False)) for _, row in rows if row)
