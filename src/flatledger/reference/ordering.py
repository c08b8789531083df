"""The one total order of all values, and what makes values the same group (rule 22)."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Callable, Iterable, Sequence
from functools import cmp_to_key
from typing import Any, Protocol

from ..plan.row_type import KeyPlan
from ..values.collations import collation_key
from ..values.functions import text_of
from ..values.literals import Interval
from ..values.ordering import order_key
from .exact import compared, is_number
from .faults import Raw


class Cells(Protocol):
    """What has a value at each slot."""

    def __getitem__(self, slot: int, /) -> Any: ...


_TRUTH, _NUMBER, _MOMENT, _TIME, _INTERVAL, _TEXT, _WHOLE, _FAULT = range(8)


def kind_of(value: Any) -> int:
    """The place of a value's kind in the order of all."""
    if isinstance(value, bool):
        return _TRUTH
    if is_number(value):
        return _NUMBER
    if isinstance(value, dt.date):
        return _MOMENT
    if isinstance(value, dt.time):
        return _TIME
    if isinstance(value, Interval):
        return _INTERVAL
    if isinstance(value, Raw):
        return _FAULT
    return _TEXT if isinstance(value, str) else _WHOLE


def order(one: Any, other: Any) -> int:
    """Which of two values comes first: -1, 0 or 1; neither is null.

    >>> order(True, 0), order(2, "1"), order("b", "a")
    (-1, -1, 1)
    """
    kinds = kind_of(one), kind_of(other)
    if kinds[0] != kinds[1]:
        return -1 if kinds[0] < kinds[1] else 1
    if kinds[0] == _NUMBER:
        return compared(one, other)
    a, b = (_own(value, kinds[0]) for value in (one, other))
    return int(a > b) - int(a < b)


def _own(value: Any, kind: int) -> Any:
    if kind == _WHOLE:
        return json.dumps(value, ensure_ascii=False, separators=(",", ":"), default=text_of)
    return str(value) if kind in (_TEXT, _FAULT) else order_key(value)[1]


def in_order(rows: Iterable[Any], keys: Sequence[KeyPlan]) -> list[Any]:
    """Rows by several keys, each its own way: nulls last unless told, equal rows as they came."""
    return sorted(rows, key=cmp_to_key(_comparison(keys)))


def _comparison(keys: Sequence[KeyPlan]) -> Callable[[Cells, Cells], int]:
    def compare(one: Cells, other: Cells) -> int:
        for key in keys:
            found = _by_key(key, one[key.slot], other[key.slot])
            if found:
                return found
        return 0

    return compare


def _by_key(key: KeyPlan, one: Any, other: Any) -> int:
    if one is None or other is None:
        last = (one is None) - (other is None)
        return -last if key.nulls_first else last
    if key.collation:
        collate = collation_key(key.collation)
        a, b = ((collate(text_of(value)), text_of(value)) for value in (one, other))
        found = (a > b) - (a < b)
    else:
        found = order(one, other)
    return -found if key.descending else found


def same_group(one: Sequence[Any], other: Sequence[Any]) -> bool:
    """Whether two sets of values are one group: equal values, however they are written."""
    return all(_same(a, b) for a, b in zip(one, other, strict=True))


def _same(one: Any, other: Any) -> bool:
    if one is None or other is None:
        return one is other
    if isinstance(one, str) and isinstance(other, str):
        return str(one) == str(other)
    return order(one, other) == 0
