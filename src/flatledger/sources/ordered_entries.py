"""The entries of a side list that is too large for memory: looked up in its file, which is ordered.

One pass finds out by what the keys are ordered, and where every so many entries begin. After that
a key is found by bisection, and the entries around it are read.
"""

from __future__ import annotations

import csv
from bisect import bisect_left
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path
from typing import Any

import msgspec

from ..errors import SourceError
from .side_list import SHOWN, Entry, key_of

ORDERED = (".csv", ".jsonl", ".ndjson")  # the formats that can be looked up so
BLOCK = 100  # entries that are read together
_BLOCKS = 64  # that are kept


class OrderedEntries:
    """The entries of a CSV or JSON Lines file in the order of their keys (Entries).

    Raises SourceError where they are ordered neither as texts nor as whole numbers.
    """

    def __init__(self, path: Path, key: str) -> None:
        self._path, self._key = path, key
        self._parse: Callable[[bytes], Entry] = msgspec.json.decode
        self._start = 0
        if path.suffix == ".csv":
            self._read_header()
        self._starts: list[tuple[str, int]] = []
        self._order: Callable[[str], Any] = str
        self._count = self.double = self._distinct = 0
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

    def _read_header(self) -> None:
        with self._path.open("rb") as file:
            line = file.readline()
        self._start = len(line)
        try:
            text = line.decode("utf-8-sig")
        except UnicodeDecodeError:
            raise SourceError(f"{self._path} is not UTF-8; save it as UTF-8") from None
        delimiter = max(",;\t", key=text.count)
        (headings,) = csv.reader([text], delimiter=delimiter)
        self._parse = lambda row: dict(
            zip(headings, next(csv.reader([row.decode()], delimiter=delimiter)), strict=False)
        )

    def _entries(self, start: int) -> Iterator[tuple[int, Entry]]:
        """The entries from an offset on that have a key, each with where it begins.

        A row of CSV goes on while a quote is open.
        """
        with self._path.open("rb") as file:
            file.seek(start)
            offset, row = start, b""
            for line in file:
                row += line
                if self._path.suffix == ".csv" and row.count(b'"') % 2:
                    continue
                try:
                    entry = self._parse(row) if row.strip() else {}
                except (UnicodeDecodeError, msgspec.DecodeError, csv.Error) as error:
                    raise SourceError(f"{self._path}, byte {offset:,}: {error}") from None
                if entry and key_of(entry, self._key):
                    yield offset, entry
                offset, row = offset + len(row), b""

    def _scan(self) -> None:
        orders: dict[Callable[[str], Any], Any] = {str: None, int: None}
        before = self._doubled = ""
        for offset, entry in self._entries(self._start):
            if not self._count:
                self._check_key(entry)
            key = key_of(entry, self._key)
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
        self._order = next(iter(orders))

    def _came_twice(self, key: str) -> None:
        if key != self._doubled:
            self.double, self._doubled = self.double + 1, key
            if len(self.first_double) < SHOWN:
                self.first_double.append(key)

    def _check_key(self, entry: Entry) -> None:
        if self._key not in entry:
            known = ", ".join(map(str, entry))
            raise SourceError(f"{self._path}: no `{self._key}` to match by; there are {known}")

    def _read_block(self, block: int) -> list[Entry]:
        entries = self._entries(self._starts[block][1])
        return [entry for _, (_, entry) in zip(range(BLOCK), entries, strict=False)]


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
