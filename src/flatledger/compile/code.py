"""Generated code as text: lines, some below others, and the constants they refer to."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from decimal import Decimal
from typing import Any

from .watches import Watches

INDENT = "    "


class Lines:
    """Lines of Python, some of them below others."""

    def __init__(self) -> None:
        self.lines: list[str] = []
        self._depth = 0
        self._outermost = 0

    def add(self, line: str) -> None:
        self.lines.append("    " * self._depth + line)

    @contextmanager
    def below(self, head: str) -> Iterator[None]:
        """What is added meanwhile stands below ``head``."""
        if not self._depth:
            self._outermost = len(self.lines)
        self.add(head)
        self._depth += 1
        yield
        self._depth -= 1

    @contextmanager
    def hoisted(self) -> Iterator[None]:
        """What is added meanwhile stands before any `if` that is still open."""
        if not self._depth:
            yield
            return
        outer, depth, start = self.lines, self._depth, self._outermost
        self.lines, self._depth = [], 0
        yield
        added = self.lines
        self.lines, self._depth = outer[:start] + added + outer[start:], depth
        self._outermost = start + len(added)

    @property
    def nested(self) -> bool:
        return self._depth > 0


class Constants:
    """The values that generated code refers to by name.

    Nothing of a layout's text enters the source except here, by reference, and as the `repr` of a
    text; names of variables and attributes are our own. So whatever an expression says, it can
    reach no attribute, import or call outside the language.
    """

    def __init__(self, watches: Watches) -> None:
        self.watches = watches
        self.values: dict[str, Any] = {}
        self._names: dict[tuple[Any, ...], str] = {}

    def name(self, value: Any, stem: str) -> str:
        """The name of a value; equal plain values of one stem have one name."""
        plain = isinstance(value, str | int | tuple | Decimal)
        key = (stem, value.__class__, repr(value)) if plain else (id(value),)
        if key not in self._names:
            name = f"{stem}_{len(self.values)}"
            self._names[key], self.values[name] = name, value
        return self._names[key]


def listed_codes(codes: Iterable[str]) -> str:
    """The inside of a tuple."""
    return "".join(f"{code}, " for code in codes)


def indented(lines: Iterable[str], depth: int) -> list[str]:
    return [INDENT * depth + line for line in lines]
