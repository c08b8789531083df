"""Flat rows that name each other, so that they are a tree: by which fields."""

from __future__ import annotations

import re
from collections.abc import Iterator

from .recognising import recognise
from .spots import Spot

MOST = 0.8  # of the names have an entry; the others are faults where a tree is made
_NAMED = re.compile(r"parent|within|above|upper|belong|super|part.?of|child.?of", re.IGNORECASE)


def parents_among(spot: Spot) -> Iterator[tuple[str, str]]:
    """Pairs of fields of the entries of a place: one that names another entry, and the identifier
    by which it does.

    Numbers name others only where the field is called so: small numbers are among any others.
    """
    own = {name: child for name, child in spot.children.items() if _is_plain(child)}
    keys = [name for name, child in own.items() if recognise(child, name).identifies]
    for name, child in own.items():
        numbers = all(text.isdigit() for text in child.values)
        roots = child.filled < spot.objects
        if name in keys or not child.values or not roots or (numbers and not _NAMED.search(name)):
            continue
        wanted = MOST * len(child.values)
        found = (k for k in keys if len(child.values.keys() & own[k].values.keys()) >= wanted)
        key = next(found, None)
        if key is not None and (len(child.values) > 1 or _NAMED.search(name)):
            yield name, key


def _is_plain(spot: Spot) -> bool:
    """Whether a place holds texts or whole numbers only, and all of them are known."""
    return not spot.lists and not spot.overflow and set(spot.kinds) <= {"text", "integer"}
