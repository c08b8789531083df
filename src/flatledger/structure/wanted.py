"""The names that a layout uses, of which the structure of records has to tell all."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from ..language import nodes as n
from ..layout.model.column import Expression
from ..layout.model.model import Expectation, LayoutParts, Lookup, Split
from ..layout.model.tree_options import Nest, OpensBy

_PLAIN = (str, int, bool, float, type(None))
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
    found = {name for names, inner in layout.nests for name in (*names, inner)}
    _gather(parts, found)
    return frozenset(found)


def _gather(value: Any, found: set[str]) -> None:
    """Add the names in a part of a layout to those that were found."""
    kind = value.__class__
    if kind is tuple or kind is list:
        for part in value:
            if part.__class__ not in _PLAIN:
                _gather(part, found)
    elif kind is n.Name:
        found.add(value.name)
    elif kind is Expression:
        _gather(value.node, found)
    elif isinstance(value, _NAMING):
        found.update(_texts(msgspec.structs.astuple(value)))
    elif isinstance(value, msgspec.Struct):
        _gather(msgspec.structs.astuple(value), found)


def _texts(value: Any) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, tuple):
        for part in value:
            yield from _texts(part)
