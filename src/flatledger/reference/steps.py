"""The steps by which an expression came to its value: what was read where, and what it made."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from ..language import nodes as n
from ..language.spelling import spelled
from ..structure.levels import Chain, Names
from .kinds import Given
from .protocols import Here


class Step(NamedTuple):
    """A part of an expression with what it is worth. ``read``: it is a path, spelled with the
    places of the entries that lead to it (RFC 9535: from 0), and its value as it came."""

    text: str
    value: Any
    read: bool = False


class Steps:
    """Takes note of steps, while it is asked to."""

    def __init__(self, chain: Chain) -> None:
        """``chain`` is that of the row, which knows what levels are called."""
        self._called = chain.called
        self.taken: dict[Any, Step] | None = None

    def read(self, path: n.FieldPath, here: Here, anchor: int, value: Any) -> None:
        """Take note of what stands at a path, which begins at an entry of the chain."""
        if self.taken is not None:
            text = _placed(spelled(path), here[: anchor + 1], self._called)
            self.taken.setdefault((id(path), here[-1].where, "read"), Step(text, value, True))

    def note(self, node: n.Node, here: Here, value: Any) -> None:
        """Take note of what a part is worth."""
        if self.taken is not None and not isinstance(node, n.Literal | n.FieldPath | Given):
            self.taken.setdefault((id(node), here[-1].where), Step(spelled(node), value))


def _placed(text: str, here: Here, called: Callable[[Names], str]) -> str:
    """A path with the place of the entry at each level that it goes through.

    >>> from flatledger.reference.entries import Entry
    >>> from flatledger.structure.levels import level_name
    >>> top = Entry({}, (), None, 1)
    >>> _placed("lines.qty", (top, Entry({}, ("lines",), top, 2)), level_name)
    'lines[1].qty'
    """
    for entry in reversed(here[1:]):
        name = called(entry.level)
        if text == name or text.startswith((f"{name}.", f"{name}[")):
            index = f"['{entry.key}']" if entry.key else f"[{entry.place - 1}]"
            text = f"{name}{index}{text[len(name) :]}"
    return text
