"""Whether records are of several kinds, and which field tells them apart."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence, Set
from typing import Any, NamedTuple

from .path_texts import path_of

FEWEST, MOST = 2, 20  # kinds
_SHOWN = 4
_LOOKED_AT = 200  # records, and fields


class Kinds(NamedTuple):
    """The field that tells records apart, and how many there are of each kind."""

    field: str
    counts: dict[str, int]


def kinds_among(records: Sequence[Any]) -> Kinds | None:
    """The field by whose few texts records differ in what fields they have: at least two kinds, of
    which there are several records, have fields of their own. None where no field does.

    >>> log = {"kind": "log", "keeper": "Lind", "pages": 3}
    >>> chart = {"kind": "chart", "scale": 5, "sheet": 2}
    >>> kinds_among([log, log, log, chart, chart])
    Kinds(field='kind', counts={'log': 3, 'chart': 2})
    """
    objects = [one for one in records[:_LOOKED_AT] if isinstance(one, dict)]
    names = list(dict.fromkeys(name for one in objects for name in one))[:_LOOKED_AT]
    for name in names:
        values = [one.get(name) for one in objects]
        if not all(isinstance(one, str) and one for one in values):
            continue
        counts = Counter(map(str, values))
        if FEWEST <= len(counts) <= MOST and _differ(objects, name, list(counts)):
            return Kinds(name, dict(counts.most_common()))
    return None


def kinds_told(records: Sequence[Any], read: Set[str]) -> list[str]:
    """What to say where records are of several kinds and the field that tells them apart is none of
    those that are ``read``.

    >>> log, chart = {"kind": "log", "keeper": "Lind"}, {"kind": "chart", "scale": 5}
    >>> kinds_told([log, log, chart, chart], {"kind"})
    []
    """
    found = kinds_among(records)
    if found is None or found.field in read:
        return []
    shown = ", ".join(f"{kind} {count:,}" for kind, count in list(found.counts.items())[:_SHOWN])
    path = path_of("", found.field)
    return [
        f"there are several kinds of record ({path}: {shown} among the first), and no column tells "
        f"them apart: add the column `{path}`, or take one kind by a condition"
    ]


def _differ(records: Sequence[dict[str, Any]], field: str, kinds: Sequence[str]) -> bool:
    """Whether the records of some kinds mostly have fields that no record of another kind has."""
    filled: dict[str, Counter[str]] = {kind: Counter() for kind in kinds}
    many = Counter(one[field] for one in records)
    for one in records:
        present = [name for name, value in one.items() if value not in (None, "", [], {})]
        filled[one[field]].update(present)
    met = Counter(name for names in filled.values() for name in names)
    own = [
        sum(met[name] == 1 and 2 * count >= many[kind] for name, count in names.items())
        for kind, names in filled.items()
        if many[kind] > 1
    ]
    return sum(count > 0 for count in own) >= FEWEST
