"""A layout none of whose fields the records have: run on the wrong file (docs/rules.md, 28)."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from itertools import islice

from ..language.nodes import FieldPath
from ..layout.column import Expression
from .levels import Chain, Names, level_name, plain_steps
from .structure import MEMBERS, Place

_SHOWN = 12


def named_places(expressions: Iterable[Expression], chain: Chain) -> set[Names]:
    """The places that the paths of some expressions lead to; of a whole record there is none."""
    found = set()
    for expression in expressions:
        for part in expression.node.walk():
            if isinstance(part, FieldPath) and not part.relative:
                names = plain_steps(part, chain)[0]
                found.add(names[: names.index(MEMBERS)] if MEMBERS in names else names)
    return found


def nothing_met(places: Collection[Names], structure: Place) -> bool:
    """Whether no record had any of some places, nor a level or an object on the way that is empty
    or null. Records that have nothing at all are empty themselves."""
    some = bool(structure.children) and bool(places)
    return some and not any(_was_had(names, structure) for names in places)


def _was_had(names: Names, structure: Place) -> bool:
    if structure.find(names) is not None:
        return True
    around = (structure.find(names[:length]) for length in range(1, len(names)))
    return any(place is not None and _is_empty(place) for place in around)


def _is_empty(place: Place) -> bool:
    """Whether nothing stood there at some time: null, a list of none, an object without members."""
    some = place.empty or place.kinds[type(None)] > 0
    return some or (place.kinds[dict] > 0 and not place.children)


def what_is_there(structure: Place) -> str:
    """The names that the records have, the first of them."""
    names = [level_name((name,)) for name in islice(structure.names(), _SHOWN + 1)]
    more = ", …" if len(names) > _SHOWN else ""
    return ", ".join(names[:_SHOWN]) + more if names else "no fields"
