"""Folding a long survey: what is alike, hardly ever filled, or deep is told of in one line."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from .field_tree import Branch

MOST_LINES = 100  # a longer survey is folded
_RARE = 100  # filled in fewer than one in so many
_DEEP = (3, 2, 1)  # levels that are shown, the most that fit
_NAMED = 3


class Line(NamedTuple):
    """A line of a survey: of a place, or of several ``above`` which lie in one. It has a ``text``
    where it stands for ``hidden`` places beside its own."""

    place: Branch | None
    above: str = ""
    text: str = ""
    hidden: int = 0


class _How(NamedTuple):
    alike: bool = False
    rare: bool = False
    depth: int = 0


def folded(branches: Sequence[Branch], depth: int | None = None) -> list[Line]:
    """The lines of a survey: all of them, or so many that they fit; with a ``depth`` as many levels
    of names, however many these are."""
    if depth is not None:
        return list(_lines(branches, _How(depth=depth)))
    found: list[Line] = []
    ways = (_How(), _How(alike=True), _How(alike=True, rare=True))
    for how in (*ways, *(_How(True, True, deep) for deep in _DEEP)):
        found = list(_lines(branches, how))
        if len(found) <= MOST_LINES:
            return found
    left = found[MOST_LINES - 1 :]
    count = sum((line.place is not None) + line.hidden for line in left)
    return [*found[: MOST_LINES - 1], Line(None, "", f"{count:,} more fields", count)]


def fields_folded(lines: Iterable[Line]) -> int:
    """How many places have no line of their own."""
    return sum(line.hidden for line in lines)


def _lines(
    branches: Sequence[Branch], how: _How, level: int = 1, above: str = ""
) -> Iterator[Line]:
    rare = [one for one in branches if how.rare and _is_rare(one)]
    left = [one for one in branches if one not in rare] if len(rare) > 1 else list(branches)
    taken: dict[object, list[Branch]] = {}
    for one in left:
        taken.setdefault(_shape(one) if how.alike and one.below else id(one), []).append(one)
    for alike in taken.values():
        shown = alike if len(alike) < _NAMED else alike[:1]
        for one in shown:
            yield from _of_place(one, how, level)
        others = alike[len(shown) :]
        if others:
            text = f"{len(others):,} more of the same shape: {_names(others)}"
            yield Line(None, above, text, sum(map(_size, others)))
    if len(rare) > 1:
        count = sum(map(_size, rare))
        yield Line(None, above, f"{count:,} fields filled in under 1 %: {_names(rare)}", count)


def _of_place(branch: Branch, how: _How, level: int) -> Iterator[Line]:
    deeper = _size(branch) - 1
    if how.depth and level >= how.depth and deeper:
        text = "1 field deeper" if deeper == 1 else f"{deeper:,} fields deeper"
        yield Line(branch, branch.above, text, deeper)
        return
    yield Line(branch, branch.above)
    yield from _lines(branch.below, how, level + 1, branch.place.path)


def _is_rare(branch: Branch) -> bool:
    return branch.place.filled * _RARE < branch.place.parents


def _size(branch: Branch) -> int:
    return 1 + sum(map(_size, branch.below))


def _shape(branch: Branch) -> object:
    """What a place is made of, its own name apart."""
    return frozenset((_name(one), _shape(one)) for one in branch.below)


def _names(branches: Sequence[Branch]) -> str:
    shown = [_name(one) for one in branches[:_NAMED]]
    return ", ".join([*shown, *(["…"] if len(branches) > _NAMED else [])])


def _name(branch: Branch) -> str:
    return branch.place.path.removeprefix(branch.above)
