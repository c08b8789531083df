"""The expressions of a layout that may look something up, or ask for it."""

from __future__ import annotations

from collections.abc import Iterator

from ..model.column import Expression
from ..model.model import LayoutParts


def expressions_of(layout: LayoutParts) -> Iterator[Expression]:
    """Every expression of a layout that may look something up."""
    for column in layout.columns:
        if column.value:
            yield column.value
        if column.spread:
            yield from (value for _, value in column.spread.values)
    yield from (condition.value for condition in layout.conditions)
    yield from (opening.until for opening in layout.openings if opening.until)
    yield from (key.value for key in layout.sort if key.value)
    yield from (key.value for key in (*layout.group, *layout.row_per_group) if key.value)
