"""The usual way to choose among entries, in one expression."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from . import nodes as n

Chooser = Callable[[list[Any]], list[Any]]


def chooser_of(segments: tuple[n.Segment, ...]) -> Chooser | None:
    """What finds, in a list, the entries in which a field is a certain text, or a field of theirs:
    `[?@.key=='voltage'].value`. None for any other path.
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
    if names is None or len(names) != 1 or not isinstance(text, str):
        return None
    key = names[0]
    if not others:
        return lambda entries: [
            one for one in entries if one.__class__ is dict and one.get(key) == text
        ]
    if not isinstance(others[0], n.Name):
        return None
    name = others[0].name
    return lambda entries: [
        one[name]
        for one in entries
        if one.__class__ is dict and one.get(key) == text and name in one
    ]
