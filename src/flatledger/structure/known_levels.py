"""What a layout says of levels: those that it states, names or makes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..language import nodes as n
from ..language.notations import Notation, notation_of
from ..layout.model.column import Expression
from ..layout.model.model import LayoutParts
from ..values.aggregates import AGGREGATES
from .levels import KnownLevels, Names, named_place


def _lists_by(notation: Notation, expressions: Iterable[Expression]) -> set[Names]:
    """The places that count as lists by how the paths of a notation go through them."""
    found: set[Names] = set()
    for part in (part for one in expressions for part in one.node.walk()):
        in_aggregate = isinstance(part, n.Call) and part.name in AGGREGATES and part.arguments
        path = part.arguments[0] if isinstance(part, n.Call) and in_aggregate else part
        if isinstance(path, n.FieldPath) and notation.has(path):
            found.update(notation.lists(path, in_aggregate=bool(in_aggregate)))
    return found


def known_levels(
    layout: LayoutParts, expressions: Iterable[Expression], complete: bool = False
) -> KnownLevels:
    """What a layout says of levels: those that it states, names or makes."""
    expressions = list(expressions)
    asked = [
        part.arguments[0]
        for expression in expressions
        for part in expression.node.walk()
        if isinstance(part, n.Call) and part.name in ("ordinal", "key") and part.arguments
    ]
    keep = [condition.keep for condition in layout.conditions if condition.keep is not None]
    said = [*layout.spread_levels, *keep, *layout.row_per]
    named = {named_place(node) for node in (*asked, *(one.node for one in said))}
    made = {(*split.parent, split.name) for split in layout.splits}
    for one in (one for one in layout.lookups if one.many):
        made |= {(*one.matched_by[:length], one.name) for length in range(len(one.matched_by))}
    stated = None
    if layout.levels is not None:
        stated = frozenset(place for one in layout.levels if (place := named_place(one.node)))
    nests = dict(layout.nests)
    nests |= {layout.nest.level: ""} if layout.nest else {}
    opened = [layout.opens_by.level] if layout.opens_by else []
    nests |= {level: level[-1] for level in opened if level not in nests}
    made |= nests.keys()
    if (notation := notation_of(layout.source.format)) is not None:
        made |= _lists_by(notation, expressions)
    levels = frozenset(name for name in {*named, *made} if name)
    ends = filter(None, (named_place(one.node) for one in (*layout.spread_levels, *keep)))
    return KnownLevels(
        stated,
        levels,
        complete,
        entered=frozenset(_entered(expressions)) if stated is not None else frozenset(),
        headed_for=frozenset(end[:length] for end in ends for length in range(1, len(end) + 1)),
        nests=nests,
        format=layout.source.format,
    )


def _entered(expressions: Iterable[Expression]) -> Iterator[Names]:
    """The places that a path within an aggregate enters by a wildcard, as the text has it."""
    for expression in expressions:
        for call in expression.node.walk():
            if isinstance(call, n.Call) and call.name in AGGREGATES:
                for path in call.walk():
                    if isinstance(path, n.FieldPath):
                        yield from _before_wildcards(path)


def _before_wildcards(path: n.FieldPath) -> Iterator[Names]:
    names: list[str] = []
    for segment in path.segments:
        only = segment.selectors[0]
        if segment.descendant or len(segment.selectors) > 1:
            return
        if isinstance(only, n.Wildcard) and names:
            yield tuple(names)
        elif isinstance(only, n.Name):
            names.append(only.name)
        else:
            return
