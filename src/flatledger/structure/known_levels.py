"""What a layout says of levels: those that it states, names or makes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..language import nodes as n
from ..layout.model.column import Expression
from ..layout.model.model import LayoutParts
from ..layout.model.source_options import CATALOGUE
from ..values.aggregates import AGGREGATES
from .levels import KnownLevels, Names, is_tag, named_place


def _tags(expressions: Iterable[Expression]) -> set[Names]:
    """The fields and subfields of a catalogue that are taken for lists, however many there are: of
    which a selector chooses some, or an aggregate takes all."""
    found: set[Names] = set()
    for expression in expressions:
        for part in expression.node.walk():
            if isinstance(part, n.FieldPath) and is_tag(part) and _chooses(part):
                found.add(_named_by(part)[:1])
            elif isinstance(part, n.Call) and part.name in AGGREGATES and part.arguments:
                argument = part.arguments[0]
                if isinstance(argument, n.FieldPath) and is_tag(argument):
                    names = _named_by(argument)
                    found |= {names[:1], names} if _is_subfield(names) else set()
    return found


def _chooses(path: n.FieldPath) -> bool:
    """Whether a selector comes after the tag."""
    return len(path.segments) > 1 and not isinstance(path.segments[1].selectors[0], n.Name)


def _named_by(path: n.FieldPath) -> Names:
    selectors = (segment.selectors[0] for segment in path.segments)
    return tuple(one.name for one in selectors if isinstance(one, n.Name))


def _is_subfield(names: Names) -> bool:
    return len(names) == 2 and len(names[1]) == 2 and names[1].startswith("$")


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
    said = [*layout.spread_levels, *keep, *([layout.row_per] if layout.row_per else [])]
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
    if layout.source.format == CATALOGUE:
        made |= _tags(expressions)
    levels = frozenset(name for name in {*named, *made} if name)
    ends = filter(None, (named_place(one.node) for one in (*layout.spread_levels, *keep)))
    return KnownLevels(
        stated,
        levels,
        complete,
        entered=frozenset(_entered(expressions)) if stated is not None else frozenset(),
        headed_for=frozenset(end[:length] for end in ends for length in range(1, len(end) + 1)),
        nests=nests,
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
