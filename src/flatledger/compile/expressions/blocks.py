"""Generated code as a tree of blocks: lines, and further blocks below a head.

A block dominates what stands in it and in the blocks below it, however deep. What is put into a
dominating block while one below it is being filled stands before that one.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager

INDENT = "    "


class Block:
    """Lines of Python, with blocks among them. ``above`` is the block that dominates it."""

    def __init__(self, above: Block | None = None) -> None:
        self.above = above
        self._items: list[str | tuple[str, Block]] = []
        self._place: int | None = None  # where lines go while a block below is being filled

    def add(self, line: str) -> None:
        """Put a line at the end, or before the block below that is being filled."""
        if self._place is None:
            self._items.append(line)
        else:
            self._items.insert(self._place, line)
            self._place += 1

    @contextmanager
    def below(self, head: str) -> Iterator[Block]:
        """A block below a head, which is filled meanwhile."""
        inner = Block(self)
        before, self._place = self._place, len(self._items) if self._place is None else self._place
        self._items.insert(self._place, (head, inner))
        yield inner
        self._place = None if before is None else self._place + 1

    def dominates(self, other: Block) -> bool:
        """Whether what stands here is known there."""
        block: Block | None = other
        while block is not None and block is not self:
            block = block.above
        return block is self

    @property
    def lines(self) -> list[str]:
        """The text of the block."""
        found: list[str] = []
        for item in self._items:
            if isinstance(item, str):
                found.append(item)
            else:
                head, inner = item
                found += [head, *indented(inner.lines, 1)]
        return found


def listed_codes(codes: Iterable[str]) -> str:
    """The inside of a tuple."""
    return "".join(f"{code}, " for code in codes)


def indented(lines: Iterable[str], depth: int) -> list[str]:
    """Lines so many steps to the right."""
    return [INDENT * depth + line for line in lines]


_CLASSES = ("Decimal", "FaultText", "date", "int", "list", "str")


def function_head(name: str, *arguments: str) -> str:
    """The first line of a function; the classes that values are tested for are its locals, which
    are looked up fastest.

    >>> function_head("keep", "records")[:60]
    'def keep(records, *, Decimal=Decimal, FaultText=FaultText, d'
    """
    return f"def {name}({', '.join([*arguments, '*', *(f'{one}={one}' for one in _CLASSES)])}):"
