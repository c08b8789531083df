"""Side lists: looked up by a key, and joined as a field of a record or entry."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from decimal import Decimal
from itertools import islice
from typing import Any, Protocol

from ...errors import SourceError
from ...layout.model.model import Lookup
from ...run.balance import LookupCount
from ...structure.levels import KnownLevels, LevelsDifferError, Names, level_name
from ...structure.structure import Place
from ...structure.trees import with_trees
from ...values.faults import Fault, shown
from ...values.field_values import FieldReader
from ...values.functions import text_of
from ...values.numbers import ValueFaultError
from ...values.own_texts import own_value
from ..sets.entry_files import Entry
from .enriched import entries_at

SHOWN = 10


def key_of(entry: Entry, name: str, reader: FieldReader | None = None) -> str:
    """The key of an entry as a text; blank where it has none that is one value. Of a declared field
    the ``reader`` says what its values are, so that equal ones have one text."""
    key = entry.get(name)
    return "" if key is None or isinstance(key, dict | list) else key_text(key, reader)


def key_text(value: Any, reader: FieldReader | None) -> str:
    """A value that is matched by, as a text; what can't be read is its own."""
    text = text_of(value).strip()
    if reader is None:
        return text
    try:
        read = reader.read(value)
    except ValueFaultError:
        return text
    if isinstance(read, Decimal):
        return format(read.normalize(), "f")
    return "" if read is None else text_of(read).strip()


def check_key(file: str, key: str, names: Iterable[str], found: bool) -> None:
    """Raise SourceError where a list can't be matched by a key: no entry has it, nor a heading.

    ``names`` are the list's headings or its first entry's; without any there is nothing to judge.
    """
    names = list(names)
    if names and not found and key not in names:
        known = ", ".join(map(str, names))
        raise SourceError(f"{file}: no `{key}` to match by; there are {known}")


class Entries(Protocol):
    """The entries of a side list, by key. Those that are found count as used.

    ``keyless`` counts entries that have no key, which nothing can find.
    """

    keyless: int
    double: int
    first_double: list[str]

    def find(self, key: str) -> list[Entry]: ...

    def unused(self) -> int: ...

    def first_unused(self) -> list[str]: ...


class HeldEntries:
    """The entries of a side list in memory (Entries). ``headings`` are those of a CSV file."""

    def __init__(
        self,
        lookup: Lookup,
        entries: Iterator[Entry],
        headings: Sequence[str] = (),
        reader: FieldReader | None = None,
    ) -> None:
        self._entries: dict[str, list[Entry]] = {}
        self._used: set[str] = set()
        first: Entry = {}
        self.keyless = 0
        for entry in entries:
            first = first or entry
            key = key_of(entry, lookup.key, reader)
            if key:
                self._entries.setdefault(key, []).append(entry)
            else:
                self.keyless += 1
        names = headings or first
        check_key(lookup.file, lookup.key, names, found=bool(self._entries))
        double = [key for key, found in self._entries.items() if len(found) > 1]
        self.double, self.first_double = len(double), double[:SHOWN]

    def find(self, key: str) -> list[Entry]:
        found = self._entries.get(key)
        if found is None:
            return []
        self._used.add(key)
        return found

    def unused(self) -> int:
        return len(self._entries) - len(self._used)

    def first_unused(self) -> list[str]:
        return list(islice((key for key in self._entries if key not in self._used), SHOWN))


class SideList:
    """A side list, and what was asked of it (an Enrichment)."""

    def __init__(
        self,
        lookup: Lookup,
        entries: Entries,
        known: KnownLevels,
        reader: FieldReader | None = None,
    ) -> None:
        self.lookup = lookup
        self._reader = reader
        self._known = known
        self._entries = entries
        self._missing: dict[str, None] = {}
        self._matched = self._unmatched = 0
        self._trees: dict[Names, str] = {}
        self.level = 0  # how many names of the key's path lead to the entry that gets the field

    def look_at(self, structure: Place) -> None:
        """Find the innermost level on the way to the key."""
        names = self.lookup.matched_by
        lengths = range(1, len(names))
        structure, known = with_trees(structure, self._known)
        self._trees = known.trees
        levels = [n for n in lengths if known.has(names[:n], structure)]
        self.level = max(levels, default=0)

    def add_to(self, record: dict[str, Any], number: int, told: list[Fault] | None) -> None:
        names = self.lookup.matched_by
        for entry in entries_at(record, names[: self.level], self._trees):
            self._join(entry, number, told)

    def _join(self, holder: dict[str, Any], number: int, told: list[Fault] | None) -> None:
        """Look up the key at a path; of a list that is no level only a lone entry is looked at."""
        value: Any = holder
        names, counted = self.lookup.matched_by, told is not None
        for place in range(self.level, len(names)):
            value = value.get(names[place]) if isinstance(value, dict) else None
            if isinstance(value, list):
                on_the_way, several = place + 1 < len(names), len(value) > 1
                if not self._known.settled and (on_the_way or several):
                    raise LevelsDifferError(names[: place + 1], number, several=several)
                if several and told is not None:
                    path = level_name(names[: place + 1])
                    told.append(Fault(number, path, shown(value), "one value was expected"))
                value = value[0] if len(value) == 1 else None
        if self.lookup.name in holder:  # which would pass for what was looked up
            raise SourceError(
                f"`{self.lookup.name}` is joined where a record has a field of that name "
                "already; call it something else"
            )
        found = self._find(value, counted)
        if found is not None:
            holder[self.lookup.name] = found

    def _find(self, value: Any, counted: bool) -> Any:
        """What belongs to a key: one entry, or with ``many`` all of them."""
        value = own_value(value)
        if value is None or value == "" or isinstance(value, dict | list):
            return None
        key = key_text(value, self._reader)
        if not key:
            return None
        found = self._entries.find(key)
        if counted:
            self._count(key, bool(found))
        if not found:
            return None
        return found if self.lookup.many else found[0]

    def _count(self, key: str, matched: bool) -> None:
        self._matched += matched
        self._unmatched += not matched
        if not matched and len(self._missing) < SHOWN:
            self._missing[key] = None

    def count(self) -> LookupCount:
        """How many matched, and which keys stand on one side only, or twice."""
        entries, many = self._entries, self.lookup.many
        return LookupCount(
            name=self.lookup.name,
            matched=self._matched,
            unmatched=self._unmatched,
            missing=list(self._missing),
            unused=entries.unused(),
            first_unused=entries.first_unused(),
            keyless=entries.keyless,
            double=0 if many else entries.double,
            first_double=[] if many else entries.first_double,
        )
