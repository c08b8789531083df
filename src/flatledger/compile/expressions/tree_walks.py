"""Loops over the nodes of a tree where it stands, in the order of the document.

What is told of a node by what is above it is carried down in variables. Nothing goes down by
Python's own stack, so that depth is no bound.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable

from .blocks import indented


class Walk(ABC):
    """The loop over one tree's nodes as it is written; its variables are named by that of the
    node."""

    def __init__(self, node: str, place: str, below: str) -> None:
        """``place`` is the variable with the place of a node in the order of the document, from 1,
        ``below`` the attribute with what is below it."""
        self.node, self.place, self._below = node, place, below
        self.inner = f"inner_{node}"  # the variable with what is below the node, if there is any
        self._carried: dict[str, tuple[str, str]] = {}
        self._sibling = ""

    @property
    def depth(self) -> str:
        """The variable with the depth of the node, from 1."""
        name = f"depth_{self.node}"
        self.carry(name, "1", f"{name} + 1")
        return name

    @property
    def sibling(self) -> str:
        """The variable with the place of the node among its siblings, from 1."""
        self._sibling = f"sibling_{self.node}"
        return self._sibling

    def test(self, nodes: str) -> str:
        """The test whether the node is one of the ``leaves`` or ``tops``."""
        return f"not {self.inner}" if nodes == "leaves" else f"{self.depth} == 1"

    def carry(self, name: str, start: str, value: str) -> None:
        """Have a variable that is ``start`` for the roots, and for nodes further down what
        ``value`` is of the node above."""
        self._carried[name] = start, value

    @property
    def _names(self) -> list[str]:
        return list(self._carried)

    def _starts(self) -> list[str]:
        return [start for start, _ in self._carried.values()]

    def _values(self) -> list[str]:
        return [value for _, value in self._carried.values()]

    @abstractmethod
    def lines(self, roots: str, body: Iterable[str]) -> list[str]:
        """The loop over the nodes of some roots, with what is done for each. After it the variable
        ``place`` has how many there were."""


class InOrder(Walk):
    """By the ways that are still open, one for each depth."""

    def lines(self, roots: str, body: Iterable[str]) -> list[str]:
        way, ways = f"way_{self.node}", f"ways_{self.node}"
        sibling = [self._sibling] if self._sibling else []
        state = ", ".join([way, *self._names, *sibling])
        held = f"({state})" if "," in state else state
        at_roots = [f"iter({roots})", *self._starts(), *("0" for _ in sibling)]
        below = [f"iter({self.inner})", *self._values(), *("0" for _ in sibling)]
        return [
            f"{self.place} = 0",
            f"{ways} = []",
            f"{state} = {', '.join(at_roots)}",
            "while True:",
            f"    for {self.node} in {way}:",
            f"        {self.place} += 1",
            *(f"        {one} += 1" for one in sibling),
            f"        {self.inner} = {self.node}.{self._below}",
            *indented(body, 2),
            f"        if {self.inner}:",
            f"            {ways}.append({held})",
            f"            {state} = {', '.join(below)}",
            "            break",
            "    else:",
            f"        if not {ways}: break",
            f"        {state} = {ways}.pop()",
        ]


class ByStack(Walk):
    """The same walk another way: by the nodes that are still to come, each with what was carried
    down to it."""

    def lines(self, roots: str, body: Iterable[str]) -> list[str]:
        waiting = f"waiting_{self.node}"
        sibling = [self._sibling] if self._sibling else []
        state = ", ".join([self.node, *self._names, *sibling])
        return [
            f"{self.place} = 0",
            f"{waiting} = []",
            *self._pushed(roots, self._starts(), waiting),
            f"while {waiting}:",
            f"    {state} = {waiting}.pop()",
            f"    {self.place} += 1",
            f"    {self.inner} = {self.node}.{self._below}",
            *indented(body, 1),
            f"    if {self.inner}:",
            *indented(self._pushed(self.inner, self._values(), waiting), 2),
        ]

    def _pushed(self, nodes: str, values: list[str], waiting: str) -> list[str]:
        """The lines that put siblings on the stack, the last one first."""
        below, at = f"next_{self.node}", f"at_{self.node}"
        state = ", ".join([below, *values, *([at] if self._sibling else [])])
        one = f"({state})" if "," in state else state
        lines = [f"for {below} in reversed({nodes}):", f"    {waiting}.append({one})"]
        if self._sibling:
            lines = [f"{at} = len({nodes})", *lines, f"    {at} -= 1"]
        return lines
