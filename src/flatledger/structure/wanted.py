"""The names that a layout uses, of which the structure of records has to tell all."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from ..language import nodes as n
from ..layout.column import Expression
from ..layout.model import Expectation, LayoutParts, Lookup, Split
from ..layout.tree_options import Nest, OpensBy

_NAMING = (Lookup, Expectation, Split, Nest, OpensBy)  # they name fields in texts of their own


def names_wanted(layout: LayoutParts) -> frozenset[str]:
    """Every name in a path of a layout, and those of what it adds to records."""
    parts: list[Any] = [layout.levels, layout.spread_levels, layout.may_lack, layout.row_per]
    parts += [layout.row_per_group, layout.conditions, layout.sort, layout.group, layout.expects]
    parts += [layout.splits, layout.lookups, layout.source.records, layout.nest]
    parts += [layout.openings, layout.opens_by]
    parts += [one.expression for one in layout.fields]
    for column in layout.columns:
        parts += [column.value, column.spread]
    nesting = {name for names, inner in layout.nests for name in (*names, inner)}
    return frozenset({name for part in parts for name in _names(part)} | nesting)


def _names(value: Any) -> Iterator[str]:
    if isinstance(value, n.Name):
        yield value.name
    elif isinstance(value, _NAMING):
        yield from _texts(msgspec.structs.astuple(value))
    elif isinstance(value, Expression):
        yield from _names(value.node)
    elif isinstance(value, tuple | list):
        for part in value:
            yield from _names(part)
    elif isinstance(value, msgspec.Struct):
        for name in value.__struct_fields__:
            yield from _names(getattr(value, name))


def _texts(value: Any) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, tuple):
        for part in value:
            yield from _texts(part)
