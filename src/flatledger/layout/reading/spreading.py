"""Columns from what repeats: one for each key, or for each place, as ordinary columns.

A column for a key takes the values of the entries with that key, joined where there are several;
one for a place takes the entry at that place. A last column, which is not written, tells of
entries that no column is for.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import msgspec

from ...errors import LayoutError, Problem
from ...language import nodes as n
from ...language.extents import with_argument
from ...values.aggregates import AGGREGATES
from ..model.column import Column, ColumnTotal, Expression, Spread, Translation
from ..model.model import SettledLayout

KEY = "{key}"
NO_KEY = ": without a key"  # after the heading, of columns that tell of such entries
NO_COLUMN = ": in no column"


def spread(layout: SettledLayout, found: Mapping[str, Sequence[str]]) -> SettledLayout:
    """The layout with columns for the keys that were found, by the heading of what they are from.

    Raises LayoutError where a key makes a heading that another column has.
    """
    columns: list[Column] = []
    for column in layout.columns:
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
        raise LayoutError(layout.name, problems)
    return msgspec.structs.replace(layout, columns=tuple(columns))


def spread_column(column: Column, how: Spread, keys: Sequence[str]) -> list[Column]:
    """The columns for some keys, in their order, and the one that tells of others."""
    columns = [
        msgspec.structs.replace(
            column,
            heading=_heading(column.heading, how.labels.get(key, key), name),
            value=Expression(value.scalar, _taken(column, how, value.node, key)),
            spread=None,
            key=key,
            once=_is_above(how, value.node),
        )
        for key in keys
        for name, value in how.values
    ]
    if how.numbered:
        return [*columns, _check(column, how, keys)]
    return [*columns, _check(column, how, keys), *_keyless(column, how)]


def without_keyless(layout: SettledLayout) -> SettledLayout:
    """The layout without the columns that count entries without a key."""
    columns = tuple(one for one in layout.columns if not (one.checks and one.total))
    return msgspec.structs.replace(layout, columns=columns)


def _keyless(column: Column, how: Spread) -> list[Column]:
    """Columns that are not written: how many entries have no key, and what they add up to."""
    at = how.level.node.position
    no_key = n.IsTest(at, _key_of(how), "null", False)

    def of_none(node: n.Node, otherwise: n.Node | None = None) -> n.Node:
        return n.Case(at, None, ((no_key, node),), otherwise)

    def hidden(heading: str, of: Column, node: n.Node) -> Column:
        value = Expression(how.level.scalar, node)
        ways: dict[str, Any] = {"suppressed": True, "checks": True, "spread": None}
        return msgspec.structs.replace(of, heading=heading, value=value, **ways)

    counted = Column("", total=ColumnTotal("sum"), place=column.place)
    count = n.Call(at, "sum", (of_none(n.Literal(at, 1)),))
    name = f"{' '.join(how.level.text.split())} ({column.heading})"
    columns = [hidden(f"{name}{NO_KEY}", counted, count)]
    if not column.numeric or column.reads or column.total is None or column.total.name != "sum":
        return columns
    for part, value in how.values:
        if any(_within(path, how) for path in _paths(value.node)):
            sums = _narrowed(value.node, of_none)
            if not _aggregates(value.node):
                sums = n.Call(at, "sum", (of_none(value.node),))
            columns.append(hidden(f"{name}{NO_COLUMN}{part}", column, sums))
    return columns


def _heading(heading: str, key: str, name: str) -> str:
    """`{key}` in a heading is the key or its label; else that comes after it, then the value's."""
    whole = heading.replace(KEY, key) if KEY in heading else f"{heading} {key}"
    return f"{whole} {name}".strip()


def _taken(column: Column, how: Spread, value: n.Node, key: str) -> n.Node:
    """The value of one column: what it is over the entries with its key alone (docs/rules.md, 21).

    An aggregate takes these in. Plain values of the entries are joined; of a number there can be
    one only. A value that belongs to a level above stands wherever the key is met.
    """
    if how.numbered:
        return _at_place(how, value, int(key))
    position = value.position
    test = n.Comparison(position, "=", _key_of(how), n.Literal(position, key))

    def of_key(node: n.Node, otherwise: n.Node | None = None) -> n.Node:
        return n.Case(position, None, ((test, node),), otherwise)

    if _aggregates(value):
        return _narrowed(value, of_key)
    if _is_above(how, value):
        met = n.Call(position, "any", (test,))
        return n.Case(position, None, ((met, value),), None)
    joined = n.Call(position, "listagg", (of_key(value), n.Literal(position, column.separator)))
    timed = column.conversion is not None and column.conversion.kind == "time"
    read = column.numeric and not timed and "amount" not in column.reads
    return n.Cast(position, joined, "decimal", ()) if read else joined


def _is_above(how: Spread, value: n.Node) -> bool:
    """Whether a value belongs to a level above the entries of the keys."""
    within = any(_within(path, how) for path in _paths(value))
    return not (how.numbered or _aggregates(value) or within)


def spread_problems(how: Spread) -> list[Problem]:
    """What its values can't be: an aggregate over another branch than the entries of the keys."""
    level = " ".join(how.level.text.split())
    if not _named_within(how):
        return [
            how.named_by.problem(
                f"`named-by` is a field of {level}, ordinal({level}), or key({level}) of a mapping"
            )
        ]
    return [
        value.problem(
            f"`{call.name}` would take in what stands under no key: aggregate {level}, or what "
            "lies below it",
            call.position,
        )
        for _, value in how.values
        for call in _aggregates(value.node)
        if not how.numbered and not all(_within(p, how) for p in _paths(call.arguments[0]))
    ]


def _named_within(how: Spread) -> bool:
    """Whether the columns are named by the level that they are made from, or by what is in it."""
    node, level = how.named_by.node, how.level.node
    if isinstance(node, n.Call) and node.name in ("ordinal", "key"):
        return len(node.arguments) == 1 and n.same(node.arguments[0], level)
    return isinstance(node, n.FieldPath) and isinstance(level, n.FieldPath) and _within(node, how)


def _aggregates(node: n.Node) -> list[n.Call]:
    """The outermost aggregates of an expression."""
    if isinstance(node, n.Call) and node.name in AGGREGATES and node.arguments:
        return [node]
    return [call for part in node.children() for call in _aggregates(part)]


def _narrowed(value: n.Node, of_key: Callable[[n.Node, n.Node | None], n.Node]) -> n.Node:
    """An expression whose aggregates take in only the entries with a key.

    Other entries give a null, which is passed over; a condition is settled by none of them.
    """

    def narrowed(node: n.Node) -> n.Node | None:
        if not isinstance(node, n.Call) or node.name not in AGGREGATES or not node.arguments:
            return None
        first, *others = node.arguments
        settled = {"any": n.Literal(node.position, False), "every": n.Literal(node.position, True)}
        own = with_argument(first, lambda one: of_key(one, settled.get(node.name)))
        arguments = (own, *others)
        return msgspec.structs.replace(node, arguments=arguments)

    return n.rebuilt(value, narrowed)  # type: ignore[no-any-return]


def _paths(node: n.Node) -> list[n.FieldPath]:
    return [part for part in node.walk() if isinstance(part, n.FieldPath) and not part.relative]


def _within(path: n.FieldPath, how: Spread) -> bool:
    """Whether a path leads to the entries that the keys are of, or into them."""
    level = how.level.node
    assert isinstance(level, n.FieldPath)
    here = path.segments[: len(level.segments)]
    return len(here) == len(level.segments) and all(map(_same_step, here, level.segments))


def _same_step(one: n.Segment, other: n.Segment) -> bool:
    steps = [
        (step.descendant, [getattr(part, "name", part.__class__) for part in step.selectors])
        for step in (one, other)
    ]
    return steps[0] == steps[1]


def _key_of(how: Spread) -> n.Node:
    """What tells an entry's column: its key as a text, be it a number or a text in the data."""
    return n.Cast(how.named_by.node.position, how.named_by.node, "varchar", ())


def _at_place(how: Spread, value: n.Node, place: int) -> n.Node:
    """An expression over the entries of a level, for the one at a place."""
    level = how.level.node
    assert isinstance(level, n.FieldPath)
    length = len(level.segments)

    def placed(node: n.Node) -> n.Node | None:
        if not isinstance(node, n.FieldPath) or node.names() is None:
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
