"""The steps by which an expression came to its value: what was read, and what was made of it."""

from __future__ import annotations

from typing import Any, NamedTuple

from ..language import nodes as n


class Step(NamedTuple):
    """A node with what it is worth; of a path also the entry that it was read from."""

    node: n.Node
    value: Any
    where: tuple[int, ...] | None = None


class Steps:
    """Takes note of steps, while it is asked to."""

    def __init__(self) -> None:
        self.taken: list[Step] | None = None

    def read(self, path: n.FieldPath, where: tuple[int, ...], value: Any) -> None:
        if self.taken is not None:
            self.taken.append(Step(path, value, where))

    def note(self, node: n.Node, value: Any) -> None:
        if self.taken is not None and not isinstance(node, n.Literal | n.FieldPath):
            self.taken.append(Step(node, value))
