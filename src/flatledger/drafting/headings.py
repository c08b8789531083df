"""Headings for columns: the shortest name that tells each apart, in plain words."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import product

from .wording import humanised, names_of

_PREFIX = re.compile(r"^@?[^\W\d][\w.-]*:(?=\w)")  # of a name in a namespace
_LONGEST = 4  # names in a heading
_SAYS_LITTLE = frozenset("id no nr key code value name type text".split())  # noqa: SIM905


def headings_of(paths: Sequence[str], levels: Iterable[str]) -> dict[str, str]:
    """A heading for each path: its last name, or more of it where that is unclear.

    >>> headings_of(["no", "lines.no", "station.station"], ["lines"])
    {'no': 'No', 'lines.no': 'Line no', 'station.station': 'Station'}
    """
    ends = {tuple(names_of(level)) for level in levels}
    whole = {path: _singular(names_of(path), ends) for path in paths}
    short = {path: [_PREFIX.sub("", name) for name in names] for path, names in whole.items()}
    found = {path: humanised(_enough(short[path])) for path in paths}
    for names, length in product((short, whole), range(1, _LONGEST + 1)):
        counts = Counter(map(str.casefold, found.values()))
        for path in paths:
            if counts[found[path].casefold()] > 1:
                found[path] = humanised(names[path][-length:])
    return numbered(found)


def numbered(headings: dict[str, str]) -> dict[str, str]:
    """Headings of which those that are alike have numbers."""
    taken: Counter[str] = Counter()
    found = {}
    for path, heading in headings.items():
        own, number = heading, 1
        while taken[own.casefold()]:
            number += 1
            own = f"{heading} {number}"
        taken[own.casefold()] += 1
        found[path] = own
    return found


def _enough(names: list[str]) -> list[str]:
    """The last name, or the one before it too where it says little and is not the record's own."""
    last = re.sub(r"[@_\W]", "", names[-1]).casefold() if names else ""
    return names[-2:] if last in _SAYS_LITTLE and len(names) > 1 else names[-1:]


def _singular(names: list[str], levels: set[tuple[str, ...]]) -> list[str]:
    """Names of which a level's stands for one of its entries: `lines` for a line."""
    return [
        singular(name) if at + 1 < len(names) and tuple(names[: at + 1]) in levels else name
        for at, name in enumerate(names)
    ]


def singular(name: str) -> str:
    """What one of several is called, as far as English tells.

    >>> singular("lines"), singular("boxes"), singular("entries"), singular("status")
    ('line', 'box', 'entry', 'status')
    """
    if re.search(r"[^aeiou]ies$", name):
        return f"{name[:-3]}y"
    if re.search(r"(?:x|ch|sh|ss)es$", name):
        return name[:-2]
    return name[:-1] if re.search(r"[^aiousS]s$", name) else name
