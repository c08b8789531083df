"""The usual way to choose among entries: those in which a field is a certain text."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from . import nodes as n

Chooser = Callable[[list[Any]], list[Any]]


class Choice(NamedTuple):
    """The entries in which the field ``key`` is ``text``, or the field ``name`` of each."""

    key: str
    text: str
    name: str | None


def choice_of(segments: tuple[n.Segment, ...]) -> Choice | None:
    """The choice that the end of a path makes: `[?@.key=='voltage'].value`, with or without a name
    after it. None for any other path.
    """
    if not 1 <= len(segments) <= 2 or any(
        one.descendant or len(one.selectors) > 1 for one in segments
    ):
        return None
    first, *others = (one.selectors[0] for one in segments)
    test = first.test if isinstance(first, n.Filter) else None
    if not isinstance(test, n.FilterComparison) or test.operator != "==":
        return None
    field, wanted = test.left, test.right
    names = field.names() if isinstance(field, n.FieldPath) and field.relative else None
    text = wanted.value if isinstance(wanted, n.FilterLiteral) else None
    if names is None or len(names) != 1 or not isinstance(text, str) or _may_be_moment(text):
        return None
    if not others:
        return Choice(names[0], text, None)
    return Choice(names[0], text, others[0].name) if isinstance(others[0], n.Name) else None


def _may_be_moment(text: str) -> bool:
    """Whether a moment or a time of day may be meant, which a program's records have as such."""
    return text[:1].isdigit() and not {"-", ":"}.isdisjoint(text)


def chooser_of(segments: tuple[n.Segment, ...]) -> Chooser | None:
    """What makes the choice in a list of plain data, in one expression."""
    choice = choice_of(segments)
    if choice is None:
        return None
    key, text, name = choice
    if name is None:
        return lambda entries: [
            one for one in entries if one.__class__ is dict and one.get(key) == text
        ]
    return lambda entries: [
        one[name]
        for one in entries
        if one.__class__ is dict and one.get(key) == text and name in one
    ]
