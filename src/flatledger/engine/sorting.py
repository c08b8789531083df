"""Putting rows in order: several keys, each its own way, stable, with values of any kinds."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any

from .plan import KeyPlan
from .protocols import Row


def sort_rows(rows: list[Row], keys: Sequence[KeyPlan]) -> None:
    """Sort rows in place. Numbers come before dates, dates before texts; nulls come last.

    Sorting by the last key first, each time stably, gives the order by all of them.
    """
    for key in reversed(keys):
        rows.sort(key=_rank(key.place, key.descending, key.nulls_first), reverse=key.descending)


def _rank(place: int, descending: bool, nulls_first: bool) -> Callable[[Row], tuple[int, Any]]:
    null = 0 if nulls_first != descending else 9

    def rank(row: Row) -> tuple[int, Any]:
        value = row[place]
        if value is None:
            return null, 0
        if isinstance(value, int | Decimal):
            return 1, value
        if isinstance(value, dt.datetime):
            return 2, value.isoformat()
        if isinstance(value, dt.date | dt.time):
            return 2, value.isoformat()
        return 3, value

    return rank


def grouped_order(sort: Sequence[KeyPlan], group: Sequence[KeyPlan]) -> list[KeyPlan]:
    """The order of rows in groups: by the groups first, so that none comes in pieces.

    A group key that is also a sort key goes the way that the sort says.
    """
    ways = {key.place: key for key in reversed(sort)}
    groups = [ways.get(key.place, key) for key in group]
    places = {key.place for key in groups}
    return groups + [key for key in sort if key.place not in places]
