"""Counting records that are equal in everything to an earlier one, however many there are."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterable, Iterator
from heapq import merge
from itertools import groupby
from typing import Any

import msgspec

from ..values.functions import text_of

_SIZE, _HELD = 16, 1_000_000  # bytes of a digest; digests in memory
_ENCODER = msgspec.json.Encoder(order="sorted", enc_hook=text_of, decimal_format="string")


class EqualRecords:
    """Counts by digests (BLAKE2b, 128 bits), which are put aside in sorted runs.

    >>> equal = EqualRecords()
    >>> equal.look_at([{"no": 1, "q": 2}, {"q": 2, "no": 1}, {"no": "1", "q": 2}])
    >>> equal.count()
    1
    """

    def __init__(self) -> None:
        self._held: list[bytes] = []
        self._aside: list[Any] = []

    def look_at(self, records: Iterable[Any]) -> None:
        """Take note of some records."""
        self._held += [
            hashlib.blake2b(_ENCODER.encode(record), digest_size=_SIZE).digest()
            for record in records
        ]
        if len(self._held) >= _HELD:
            file = tempfile.TemporaryFile()  # noqa: SIM115 (it has no name, and is gone with us)
            file.write(b"".join(sorted(self._held)))
            self._aside.append(file)
            self._held = []

    def count(self) -> int:
        """How many records are equal to an earlier one."""
        runs = [*map(_digests, self._aside), iter(sorted(self._held))]
        return sum(sum(1 for _ in alike) - 1 for _, alike in groupby(merge(*runs)))


def _digests(file: Any) -> Iterator[bytes]:
    file.seek(0)
    while digest := file.read(_SIZE):
        yield digest
