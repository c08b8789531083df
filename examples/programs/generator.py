"""Records that are made as they are wanted: the generator ends when the table is left."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import count, islice

import flatledger

ended: list[bool] = []


def readings() -> Iterator[dict[str, int]]:
    """Readings of a light, without end."""
    try:
        yield from ({"minute": minute, "candela": 400 + minute % 7} for minute in count())
    finally:
        ended.append(True)


layout = {"levels": [], "columns": [{"Minute": "minute"}, {"Light": "candela"}]}
with flatledger.table(layout, readings()) as table:
    first = list(islice(table, 3))
assert ended == [True]
assert first == [(0, 400), (1, 401), (2, 402)]
print(first)
