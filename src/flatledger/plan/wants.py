"""What records are decoded for: the places whose values a plan asks for, and what for."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..language import nodes as n
from ..language.choosing import choice_of
from ..layout.model import Expectation
from ..structure.levels import Access, Names
from ..structure.record_types import Want
from .draft import Draft


def wants_of(draft: Draft, expects: Iterable[Expectation]) -> Iterator[Want]:
    """What the expressions of a plan read, and what the expected order is told by."""
    aligned = {
        id(one.column.value.node)
        for one in draft.columns
        if one.column.aligned and one.column.value
    }
    for node, (access, chain) in draft.accesses.items():
        names = (*chain.levels[access.anchor], *access.names)
        if any(_looks_up(segment) for segment in access.rest):
            yield Want((), "plain")
        if _is_missing(draft, names) or node in aligned or node in draft.whole:
            yield Want(names, "plain")
        elif node in draft.counted:
            yield Want(names, "entries")
        elif access.rest:
            yield from _chosen(draft, names, access)
        else:
            yield Want(names)
    for condition in draft.conditions:
        if condition.side is not None:
            yield Want(condition.side.levels[-1], "plain")
    nest = draft.layout.nest
    for field in (nest.key, nest.parent, nest.depth, nest.numbering) if nest else ():
        if field and nest:
            yield Want((*nest.level, field))
    opens_by = draft.layout.opens_by
    if opens_by is not None:
        yield Want((*opens_by.level, *opens_by.key))
        yield Want((opens_by.named_by,))
    for expected in expects:
        yield Want(expected.names, "plain")
        yield Want(expected.after or expected.names, "plain")
    for aggregate in draft.aggregates.values():
        for level in aggregate.chain.levels[aggregate.base + 1 :]:
            if level not in draft.chain.levels:
                yield Want(level, "entries")


def _is_missing(draft: Draft, names: Names) -> bool:
    """Whether no record looked at has a place: what may stand there is not known."""
    return any(names[: len(one.names)] == one.names for one in draft.missing)


def _chosen(draft: Draft, names: Names, access: Access) -> Iterator[Want]:
    """What selectors read: the usual choice two fields of each entry of a side level."""
    choice = choice_of(access.rest)
    beside = (
        access.crossed is None and names not in draft.chain.levels and draft.chain.is_level(names)
    )
    if beside and choice is not None and choice.name is not None:
        yield Want((*names, choice.key))
        yield Want((*names, choice.name))
    else:
        yield Want(names, "plain")


def _looks_up(segment: n.Segment) -> bool:
    """Whether a filter in a path looks at the whole record ($)."""
    return any(isinstance(part, n.FieldPath) and not part.relative for part in segment.walk())
