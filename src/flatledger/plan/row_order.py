"""The order of rows: several keys, each its own way, stable, with values of any kinds."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from decimal import Decimal
from operator import itemgetter
from typing import Any

import msgspec

from ..language.nodes import SortKey
from ..values.collations import collation_key
from ..values.functions import text_of
from ..values.numbers import PlainDecimal
from ..values.ordering import FAULT, NUMBER, TEXT, WHOLE, order_key
from .row_type import KeyPlan

_LAST = 9

Row = tuple[Any, ...]
Rank = Callable[[Row], tuple[Any, ...]]


def sort_rows(rows: list[Row], keys: Sequence[KeyPlan]) -> None:
    """Sort rows in place: numbers, moments, times, durations, texts, faults; nulls come last.

    Sorting by the last key first, each time stably, gives the order by all of them; a key that
    goes downwards is quicker that way.
    """
    if not keys:
        return
    alike = [_are_alike(met, key) for met, key in zip(classes_met(rows, keys), keys, strict=True)]
    if not any(key.descending for key in keys):
        rows.sort(key=_cells(keys) if all(alike) else ranking(keys))
        return
    for key, plain in zip(reversed(keys), reversed(alike), strict=True):
        if plain:
            rows.sort(key=itemgetter(key.slot), reverse=key.descending)  # mutant: descending
            continue
        upwards = msgspec.structs.replace(key, descending=False)
        if key.descending:
            upwards = msgspec.structs.replace(upwards, nulls_first=not key.nulls_first)
        rows.sort(key=_rank(upwards), reverse=key.descending)


def classes_met(rows: list[Row], keys: Sequence[KeyPlan]) -> list[set[type]]:
    """The classes of the values that rows have at each key."""
    return [{*map(type, map(itemgetter(key.slot), rows))} for key in keys]


_ALIKE: tuple[set[type], ...] = ({str}, {int, Decimal, PlainDecimal}, {dt.date})


def _are_alike(met: set[type], key: KeyPlan) -> bool:
    """Whether values are all texts, all numbers or all days, which go by themselves just as they
    do by their ranks."""
    return not key.collation and any(met <= classes for classes in _ALIKE)


def merging_key(keys: Sequence[KeyPlan], met: Sequence[set[type]]) -> Callable[[Row], Any]:
    """One key for all, for rows whose values are of the classes that were ``met``: comparing it
    orders rows as `sort_rows` does."""
    plain = all(map(_are_alike, met, keys)) and not any(key.descending for key in keys)
    return _cells(keys) if plain else ranking(keys)


def cells_at(places: Sequence[int]) -> Callable[[Row], tuple[Any, ...]]:
    """A function from a row to its cells in some places.

    >>> cells_at([2, 0])("abc"), cells_at([1])(("a", "b")), cells_at([])("abc")
    (('c', 'a'), ('b',), ())
    """
    if len(places) == 1:
        return itemgetter(slice(places[0], places[0] + 1))
    return itemgetter(*places) if places else lambda row: ()


def _cells(keys: Sequence[KeyPlan]) -> Callable[[Row], Any]:
    return itemgetter(*(key.slot for key in keys))


def pair_order(order: SortKey) -> KeyPlan:
    """The key of pairs of a value and what it is ordered by."""
    return KeyPlan(1, 0, "", order.descending, order.nulls_first is True, order.collation)


def in_order(pairs: list[Row], key: KeyPlan) -> list[Any]:
    """The values of pairs, in the order of what they are ordered by.

    >>> in_order([("Bo", 3), ("Ann", 1), ("Cy", None)], KeyPlan(1, 0, ""))
    ['Ann', 'Bo', 'Cy']
    """
    sort_rows(pairs, [key])
    return [value for value, _ in pairs]


def ranking(keys: Sequence[KeyPlan]) -> Rank:
    """One key for all, for rows of any values: comparing it orders rows as `sort_rows` does."""
    ranks = [_rank(key) for key in keys]
    if len(ranks) == 1:
        return ranks[0]

    def whole(row: Row) -> tuple[Any, ...]:
        found: tuple[Any, ...] = ()
        for rank in ranks:
            found += rank(row)
        return found

    return whole


def _json(value: Any) -> str:
    return msgspec.json.encode(value, enc_hook=text_of).decode()


class _Backwards:
    """A text whose order is turned round."""

    __slots__ = ("key",)

    def __init__(self, key: Any) -> None:
        self.key = key

    def __lt__(self, other: _Backwards) -> bool:
        return bool(other.key < self.key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Backwards) and bool(other.key == self.key)


def _rank(key: KeyPlan) -> Rank:
    place, down = key.slot, key.descending
    null = (-_LAST, 0) if key.nulls_first else (_LAST, 0)  # mutant: nulls-last
    if key.collation:
        return _collated(key, null, collation_key(key.collation))

    def rank(row: Row) -> tuple[int, Any]:
        value = row[place]
        if value.__class__ is str:
            return (-TEXT, _Backwards(value)) if down else (TEXT, value)
        if value is None:
            return null
        if isinstance(value, int | Decimal) and value.__class__ is not bool:
            return (-NUMBER, -value) if down else (NUMBER, value)
        if isinstance(value, str):
            order, own = FAULT, str(value)
        elif isinstance(value, dict | list):
            order, own = WHOLE, _json(value)
        else:
            order, own = order_key(value)
        return (-order, _Backwards(own)) if down else (order, own)

    return rank


def _collated(key: KeyPlan, null: tuple[int, Any], collate: Callable[[str], Any]) -> Rank:
    """A rank by the text of a value; what the collation holds equal goes by code point."""
    place, down = key.slot, key.descending

    def rank(row: Row) -> tuple[int, Any]:
        value = row[place]
        if value is None:
            return null
        text = value if isinstance(value, str) else text_of(value)
        whole = collate(text), text
        return 4, _Backwards(whole) if down else whole

    return rank


def grouped_order(sort: Sequence[KeyPlan], group: Sequence[KeyPlan]) -> list[KeyPlan]:
    """The order of rows in groups: by the groups first, so that none comes in pieces.

    A group key that is also a sort key goes the way that the sort says.
    """
    ways = {key.slot: key for key in reversed(sort)}
    groups = [ways.get(key.slot, key) for key in group]
    places = {key.slot for key in groups}
    return groups + [key for key in sort if key.slot not in places]
