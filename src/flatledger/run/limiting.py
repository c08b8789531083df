"""Taking only so many: the first of some things, or every n-th."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from ..layout.model.model import Take

Thing = TypeVar("Thing")


class Limiter:
    """Tells which things are taken, in the order in which they come.

    >>> limiter = Limiter(Take("rows", first=2, every=3))
    >>> limiter.split(list("abcdefgh"))
    (['a', 'd'], ['b', 'c', 'e', 'f', 'g', 'h'])
    """

    def __init__(self, take: Take, is_part: Callable[[Any], bool] | None = None) -> None:
        """What ``is_part`` of a thing comes right after it, and goes where that went."""
        self._take, self._is_part = take, is_part
        self._met = self._taken = 0
        self._last = False  # whether the last thing was taken

    def split(self, things: Sequence[Thing]) -> tuple[list[Thing], list[Thing]]:
        """Those that are taken, and the others."""
        taken: list[Thing] = []
        left: list[Any] = []
        for thing in things:
            if self._is_part is None or not self._is_part(thing):
                self._last = self._takes()
            (taken if self._last else left).append(thing)
        return taken, left

    def _takes(self) -> bool:
        wanted = self._met % self._take.every == 0  # mutant: every-nth
        self._met += 1
        # mutant: first-few
        if not wanted or (self._take.first is not None and self._taken >= self._take.first):
            return False
        self._taken += 1
        return True
