"""Columns from what repeats: one for each key, or for each place, as ordinary columns.

A column for a key takes the values of the entries with that key, joined where there are several;
one for a place takes the entry at that place. A last column, which is not written, tells of
entries that no column is for.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import msgspec

from ..errors import LayoutError
from ..language import nodes as n
from .column import Column, Expression, Spread, Translation
from .model import LayoutModel

KEY = "{key}"


def spread(model: LayoutModel, found: dict[str, Sequence[str]]) -> LayoutModel:
    """The model with columns for the keys that were found, by the heading of what they are from.

    Raises LayoutError where a key makes a heading that another column has.
    """
    columns: list[Column] = []
    for column in model.columns:
        if column.spread is None:
            columns.append(column)
        else:
            columns += spread_column(column, column.spread, found[column.heading])
    counts = Counter(column.heading for column in columns)
    problems = [
        column.problem(f"the keys make a column `{column.heading}`, and there is one already")
        for column in columns
        if counts.pop(column.heading, 0) > 1
    ]
    if problems:
        raise LayoutError(model.name, problems)
    return msgspec.structs.replace(model, columns=tuple(columns))


def spread_column(column: Column, how: Spread, keys: Sequence[str]) -> list[Column]:
    """The columns for some keys, in their order, and the one that tells of others."""
    columns = [
        msgspec.structs.replace(
            column,
            heading=_heading(column.heading, how.labels.get(key, key), name),
            value=Expression(value.scalar, _taken(column, how, value.node, key)),
            spread=None,
        )
        for key in keys
        for name, value in how.values
    ]
    return [*columns, _check(column, how, keys)]


def _heading(heading: str, key: str, name: str) -> str:
    """`{key}` in a heading is the key or its label; else that comes after it, then the value's."""
    whole = heading.replace(KEY, key) if KEY in heading else f"{heading} {key}"
    return f"{whole} {name}".strip()


def _taken(column: Column, how: Spread, value: n.Node, key: str) -> n.Node:
    """The value of one column. Of a key that comes twice the texts are joined; a number is none."""
    if how.numbered:
        return _at_place(how, value, int(key))
    position = value.position
    test = n.Comparison(position, "=", _key_of(how), n.Literal(position, key))
    case = n.Case(position, None, ((test, value),), None)
    joined = n.Call(position, "listagg", (case, n.Literal(position, column.separator)))
    timed = column.conversion is not None and column.conversion.kind == "time"
    return n.Cast(position, joined, "decimal", ()) if column.numeric and not timed else joined


def _key_of(how: Spread) -> n.Node:
    """What tells an entry's column: its key as a text, be it a number or a text in the data."""
    return n.Cast(how.named_by.node.position, how.named_by.node, "varchar", ())


def _at_place(how: Spread, value: n.Node, place: int) -> n.Node:
    """An expression over the entries of a level, for the one at a place."""
    level = how.level.node
    assert isinstance(level, n.Path)
    length = len(level.segments)

    def placed(node: n.Node) -> n.Node | None:
        if not isinstance(node, n.Path) or node.names() is None:
            return None
        if (node.names() or ())[:length] != level.names():
            return node
        index = n.Segment(node.position, (n.Index(node.position, place - 1),))
        segments = (*node.segments[:length], index, *node.segments[length:])
        return msgspec.structs.replace(node, segments=segments)

    return n.rebuilt(value, placed)  # type: ignore[no-any-return]


def _check(column: Column, how: Spread, keys: Sequence[str]) -> Column:
    """A column that is not written, and has a value where an entry has no column."""
    at = how.level.node.position
    if how.numbered:
        count = n.Call(at, "count", (how.level.node,))
        test: n.Node = n.Comparison(at, ">", count, n.Literal(at, len(keys)))
        value: n.Node = n.Case(at, None, ((test, count),), None)
        reason = f"entries, and there are columns for {len(keys)}"
    else:
        options = tuple(n.Literal(at, key) for key in keys) or (n.Literal(at, None),)
        test = n.In(at, _key_of(how), options, negated=True)
        case = n.Case(at, None, ((test, _key_of(how)),), None)
        value = n.Call(at, "listagg", (case, n.Literal(at, ", ")))
        reason = "has no column of its own"
    return Column(
        heading=f"{column.heading}: others",
        value=Expression(how.level.scalar, value),
        suppressed=True,
        translate=Translation(otherwise="fault", reason=reason),
        checks=True,
        place=column.place,
    )
