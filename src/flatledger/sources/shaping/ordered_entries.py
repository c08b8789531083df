"""The entries of a side list that is too large for memory: looked up in its file, which is ordered.

One pass finds out by what the keys are ordered, and where every so many entries begin. After that
a key is found by bisection, and the entries around it are read.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterator
from functools import lru_cache
from itertools import islice
from pathlib import Path
from typing import Any

from ...errors import SourceError
from ..sets.entry_files import Entry, entry_file
from .side_list import SHOWN, check_key, key_of

ORDERED = (".csv", ".jsonl", ".ndjson")  # the formats that can be looked up so
BLOCK = 100  # entries that are read together
_BLOCKS = 64  # that are kept


class OrderedEntries:
    """The entries of a CSV or JSON Lines file in the order of their keys (Entries).

    Raises SourceError where they are ordered neither as texts nor as whole numbers.
    """

    def __init__(self, path: Path, key: str) -> None:
        self._path, self._key = path, key
        self._file = entry_file(path)
        self._starts: list[tuple[str, int]] = []
        self._order: Callable[[str], Any] = str
        self._count = self.double = self._distinct = self.keyless = 0
        self.first_double: list[str] = []
        self._scan()
        self._used = bytearray(self._count)
        self._found = 0
        self._block = lru_cache(_BLOCKS)(self._read_block)

    def find(self, key: str) -> list[Entry]:
        try:
            wanted = self._order(key)
        except ValueError:
            return []
        found: list[Entry] = []
        block = max(bisect_left(self._starts, wanted, key=lambda s: self._order(s[0])) - 1, 0)
        while block < len(self._starts) and self._order(self._starts[block][0]) <= wanted:
            for place, entry in enumerate(self._block(block)):
                if key_of(entry, self._key) == key:
                    found.append(entry)
                    self._mark(block * BLOCK + place, first=len(found) == 1)
            block += 1
        return found

    def _mark(self, place: int, first: bool) -> None:
        if first and not self._used[place]:
            self._found += 1
        self._used[place] = 1

    def unused(self) -> int:
        return self._distinct - self._found

    def first_unused(self) -> list[str]:
        keys: dict[str, None] = {}
        place = self._used.find(0)
        while place >= 0 and len(keys) < SHOWN:
            block, within = divmod(place, BLOCK)
            keys[key_of(self._block(block)[within], self._key)] = None
            place = self._used.find(0, place + 1)
        return list(keys)

    # ---- the file

    def _keyed(self, start: int = 0) -> Iterator[tuple[int, str, Entry]]:
        """The entries from an offset on, each with where it begins and its key, blank or not."""
        return ((at, key_of(entry, self._key), entry) for at, entry in self._file.read(start))

    def _scan(self) -> None:
        orders: dict[Callable[[str], Any], Any] = {str: None, int: None}
        before = self._doubled = ""
        first: Entry = {}
        for offset, key, entry in self._keyed():
            first = first or entry
            if not key:
                self.keyless += 1
                continue
            if self._count % BLOCK == 0:
                self._starts.append((key, offset))
            self._count += 1
            if key == before:
                self._came_twice(key)
                continue
            for order in list(orders):
                if not _goes_on(orders, order, key):
                    del orders[order]
            if not orders:
                raise SourceError(
                    f"{self._path} is too large to be held in memory, and `{key}` comes after "
                    f"`{before}`; order it by `{self._key}`, or leave out what no record needs"
                )
            self._distinct += 1
            before = key
        names = self._file.headings or first
        check_key(str(self._path), self._key, names, found=self._count > 0)
        self._order = next(iter(orders))

    def _came_twice(self, key: str) -> None:
        if key != self._doubled:
            self.double, self._doubled = self.double + 1, key
            if len(self.first_double) < SHOWN:
                self.first_double.append(key)

    def _read_block(self, block: int) -> list[Entry]:
        entries = (entry for _, key, entry in self._keyed(self._starts[block][1]) if key)
        return list(islice(entries, BLOCK))


def _goes_on(
    orders: dict[Callable[[str], Any], Any], order: Callable[[str], Any], key: str
) -> bool:
    """Whether a key comes after the one before it in an order."""
    try:
        value = order(key)
    except ValueError:
        return False
    before, orders[order] = orders[order], value
    return before is None or bool(value > before)
