"""Whether the keys of objects are data, rather than the names of fields."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from itertools import islice
from typing import Protocol, Self

MOST_KEYS = 3_000  # tables of hundreds of columns are normal
FIRST_LOOK = 12  # at so many keys it is looked whether they are data
FEWEST_CODED = 3  # keys that look like data: numbers, versions, dates, codes
FEWEST_KEYED = 40  # any keys of objects that look alike
FEWEST_PLAIN = 200  # the same of plain values, where there are few objects to go by
FEW_OBJECTS = 5
_LOOKED_AT = 200
_COUNTED = re.compile(r"v?\d[\w.:/+-]*|-\d+")  # numbers, versions, dates
_CODE = re.compile(r"(?![a-z_]+\d*$)(?=.*\d)[\w.:/+-]+|[A-Z]{2,6}")  # no numbered name: line2


class KeyedPlace(Protocol):
    """What is known of a place: its objects, and the places below it by their keys."""

    top: bool
    kinds: Counter[str]
    objects: int
    children: dict[str, Self]
    members: Self | None
    filled: int


def keys_are_data(profile: KeyedPlace) -> bool:
    """Whether the members of a place look alike, and its keys like data; or whether they are very
    many of one shape."""
    count = len(profile.children)
    if count < FEWEST_CODED:
        return False
    looked_at = list(islice(profile.children.values(), _LOOKED_AT))
    objects = [child for child in looked_at if child.kinds["object"] * 2 > child.kinds.total()]
    if len(objects) >= 0.9 * len(looked_at):
        if _all_look(_COUNTED, profile) or count >= FEWEST_KEYED:
            return _same_names(objects) or _same_kinds_below(objects)
        return _all_look(_CODE, profile) and _same_names(objects)
    if profile.top:
        return count >= MOST_KEYS and profile.objects < FEW_OBJECTS and _one_kind(looked_at)
    if _all_look(_COUNTED, profile) and _one_kind(looked_at):
        return True
    if count >= FEWEST_KEYED and _is_sparse(profile):
        return profile.objects >= FEW_OBJECTS
    return count >= FEWEST_PLAIN and profile.objects < FEW_OBJECTS and _one_kind(looked_at)


def _all_look(pattern: re.Pattern[str], profile: KeyedPlace) -> bool:
    """Whether the keys of a place look like that."""
    return all(map(pattern.fullmatch, islice(profile.children, _LOOKED_AT)))


def _same_names(objects: Sequence[KeyedPlace]) -> bool:
    """Whether most of what objects hold has names that half of them have."""
    names = Counter(name for one in objects for name in one.children)
    common = sum(count for count in names.values() if 2 * count >= len(objects))
    return 2 * common >= names.total() > 0


def _same_kinds_below(objects: Sequence[KeyedPlace]) -> bool:
    """Whether all that objects hold is of one kind, or their own keys are data already."""
    keyed = [one for one in objects if one.members is not None]
    if 2 * len(keyed) >= len(objects):
        return True
    return _one_kind([below for one in objects for below in one.children.values()])


def _one_kind(profiles: Sequence[KeyedPlace]) -> bool:
    kinds: Counter[str] = Counter()
    for one in profiles:
        kinds.update(one.kinds)
    return bool(kinds) and kinds.most_common(1)[0][1] >= 0.95 * kinds.total()


def _is_sparse(profile: KeyedPlace) -> bool:
    """Whether most objects lack most of the keys."""
    filled = sum(child.filled for child in profile.children.values())
    return filled < profile.objects * len(profile.children) / 5
