"""Columns that refer to others, and through them back to themselves."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ..language import nodes as n
from ..layout.column import Column


def referring_to_themselves(columns: Sequence[Column]) -> Iterator[Column]:
    """The columns whose value, followed from reference to reference, is their own."""
    referred = {
        column.heading: {p.heading for p in column.value.node.walk() if isinstance(p, n.Heading)}
        for column in columns
        if column.value
    }
    for column in columns:
        waiting, seen = list(referred.get(column.heading, ())), set[str]()
        while waiting:
            heading = waiting.pop()
            if heading not in seen:
                seen.add(heading)
                waiting += referred.get(heading, ())
        if column.heading in seen:
            yield column
