"""The shape of a record: the places where it holds something of another kind than the plan's."""

from __future__ import annotations

import hashlib
from decimal import Decimal
from typing import Any

from ..plan.plan import Plan
from ..structure.levels import Names
from ..structure.structure import MEMBERS, Place

ALL_UP_TO, EVERY = 5_000, 50  # which records are looked at: all of the first, then every n-th


class Shapes:
    """Tells the shapes of records by what the plan knew of them when it was made."""

    def __init__(self, plan: Plan) -> None:
        self._structure = plan.chain.structure
        self._places = sorted({names for names in plan.places if names})
        self.needed = not plan.chain.known.complete and bool(self._places)

    def looks_at(self, number: int) -> bool:
        """Whether the shape of a record is looked at."""
        return self.needed and (number <= ALL_UP_TO or number % EVERY == 0)

    def of(self, record: Any) -> int | None:
        """The number of a record's shape; None for one that the plan knew."""
        odd: set[tuple[Names, str]] = set()
        for names in self._places:
            _look(record, names, 0, self._structure, odd)
        if not odd:
            return None
        text = "\n".join(f"{'.'.join(names)} {kind}" for names, kind in sorted(odd))
        digest = hashlib.blake2s(text.encode("utf-8", "backslashreplace"), digest_size=8)
        return int.from_bytes(digest.digest(), "big")


def _look(
    value: Any, names: Names, at: int, known: Place | None, odd: set[tuple[Names, str]]
) -> None:
    """Take note of what is odd on the way to a place."""
    kind = _kind(value)
    if known is not None and kind == "list" and not known.lists:
        odd.add((names[:at], kind))
    if isinstance(value, list):
        for one in value:
            if isinstance(one, list):
                odd.add((names[:at], "list in a list"))
            else:
                _look(one, names, at, known, odd)
        return
    met = {"null", *map(_kind_of_class, known.kinds)} if known is not None else {kind}
    if kind not in met:
        odd.add((names[:at], kind))
    if at == len(names) or not isinstance(value, dict):
        return
    name = names[at]
    below = known.below(name) if known is not None else None
    for one in value.values() if name == MEMBERS else [value.get(name)]:
        _look(one, names, at + 1, below, odd)


def _kind(value: Any) -> str:
    return "list" if isinstance(value, list) else _kind_of_class(type(value))


def _kind_of_class(kind: type) -> str:
    if kind is type(None):
        return "null"
    if issubclass(kind, bool):
        return "truth"
    if issubclass(kind, int):
        return "integer"
    if issubclass(kind, Decimal | float):
        return "decimal"
    if issubclass(kind, str):
        return "text"
    return "object" if issubclass(kind, dict) else kind.__name__
