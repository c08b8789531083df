"""Arranging flat rows as a tree: by identifiers, by depths, or by numbers of their places.

Whatever the rows say, each of them becomes one node, and what is wrong is told: nothing is lost,
and nothing goes round in circles.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from ..layout.tree_options import Nest
from ..values.functions import text_of
from ..values.numbers import read_decimal
from .definitions import name_of

Get = Callable[[Any, str], Any]  # a field of a row, None where it has none
Tell = Callable[[int, str, Any, str], None]  # a row by its index, a field, its value, what is wrong
ROOT = -1
LONGEST_SHOWN = 5  # of a circle


def arranged(rows: Sequence[Any], nest: Nest, get: Get, tell: Tell) -> tuple[list[int], list[int]]:
    """The rows in the order of the tree, by their index, and how deep each stands, from 1.

    Entries of one parent stay in the order in which they came.

    >>> rows = [{"id": 2, "within": 1}, {"id": 1}, {"id": 3, "within": 1}]
    >>> nest = Nest("parts", key="id", parent="within")
    >>> arranged(rows, nest, lambda row, field: row.get(field), print)
    ([1, 0, 2], [1, 2, 2])
    """
    above = _by_depth(rows, nest, get, tell) if nest.depth else _by_name(rows, nest, get, tell)
    below: list[list[int]] = [[] for _ in rows]
    roots: list[int] = []
    for index, parent in enumerate(above):
        (roots if parent == ROOT else below[parent]).append(index)
    order, depths = [], []
    waiting = [(index, 1) for index in reversed(roots)]
    while waiting:
        index, depth = waiting.pop()
        order.append(index)
        depths.append(depth)
        waiting += [(inner, depth + 1) for inner in reversed(below[index])]
    return order, depths


def _by_depth(rows: Sequence[Any], nest: Nest, get: Get, tell: Tell) -> list[int]:
    """The parent of each row: the nearest before it that is less deep."""
    above: list[int] = []
    way: list[tuple[int, int]] = []  # depths, each with its row
    for index, row in enumerate(rows):
        value = get(row, nest.depth)
        depth = _whole(value)
        if depth is None:
            what = "is no whole number" if value not in (None, "") else "is missing"
            tell(index, nest.depth, value, f"the depth {what}; the entry is kept as a root")
            above.append(ROOT)
            continue
        while way and way[-1][0] >= depth:
            way.pop()
        if way and depth > way[-1][0] + 1:
            tell(index, nest.depth, value, f"a depth is left out: one of {way[-1][0]} is above it")
        above.append(way[-1][1] if way else ROOT)
        way.append((depth, index))
    return above


def _whole(value: Any) -> int | None:
    number = read_decimal(text_of(value)) if value is not None and value != "" else None
    if number is None or number != int(number) or isinstance(value, bool):
        return None
    return int(number)


def _by_name(rows: Sequence[Any], nest: Nest, get: Get, tell: Tell) -> list[int]:
    """The parent of each row: the one that has the identifier, or the number by place."""
    named: dict[str, int] = {}
    parents: list[str] = []
    field, points = nest.key or nest.numbering, nest.parent or nest.numbering
    for index, row in enumerate(rows):
        name, parent = _names(row, nest, get)
        parents.append(parent)
        if not name:
            if nest.numbering:
                tell(index, field, None, "has no number by place; the entry is kept as a root")
            continue
        if name in named:
            first = named[name] + 1
            what = f"entry {first:,} has this {field} too, and what names it goes below that"
            tell(index, field, name, what)
        named.setdefault(name, index)
    above = []
    for index, parent in enumerate(parents):
        found = named.get(parent, ROOT) if parent else ROOT
        if parent and found == ROOT:
            name = _names(rows[index], nest, get)[0] or f"in place {index + 1:,}"
            what = f"no entry has this {field}; entry {name} is kept as a root"
            tell(index, points, parent, what)
        above.append(found)
    for index, circle in _circles(above):
        names = [_names(rows[at], nest, get)[0] for at in circle]
        more = " → …" if len(names) > LONGEST_SHOWN else ""
        shown = f"{' → '.join([*names[:LONGEST_SHOWN]])}{more} → {names[0]}"
        what = f"goes round in a circle ({shown}), which is cut: entry {names[0]} is kept as a root"
        tell(index, points, parents[index], what)
        above[index] = ROOT
    return above


def _names(row: Any, nest: Nest, get: Get) -> tuple[str, str]:
    """What a row is called, and what its parent is called; blank where it says nothing."""
    if not nest.numbering:
        return name_of(get(row, nest.key)), name_of(get(row, nest.parent))
    number = name_of(get(row, nest.numbering)).rstrip(".")
    return number, number.rpartition(".")[0]


def _circles(above: Sequence[int]) -> Iterator[tuple[int, list[int]]]:
    """The circles among parents: the first entry of each, and all of them from there up."""
    walk_of = [ROOT] * len(above)  # by which walk upwards an entry was met
    for start in range(len(above)):
        at = start
        while at != ROOT and walk_of[at] == ROOT:
            walk_of[at] = start
            at = above[at]
        if at != ROOT and walk_of[at] == start:
            circle = [at]
            while above[circle[-1]] != at:
                circle.append(above[circle[-1]])
            first = circle.index(min(circle))
            yield circle[first], [*circle[first:], *circle[:first]]
