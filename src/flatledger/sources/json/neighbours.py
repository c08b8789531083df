"""Records that are equal to the one right before them: a source may have been doubled."""

from __future__ import annotations

from collections.abc import Sequence
from operator import eq
from typing import Any

from ...run.protocols import Repeats


class Neighbours:
    """Compares each record's text, or row, with the one before.

    >>> neighbours = Neighbours()
    >>> neighbours.repeats([b"a", b"b", b"b"], 1), neighbours.repeats([b"b"], 4)
    (Repeats(records=1, first=3), Repeats(records=1, first=4))
    """

    def __init__(self) -> None:
        self._last: Any = None

    def beside(self, begins: Any, ends: Any, number: int) -> Repeats:
        """The same of records that differ from each other, by the texts of the first and last."""
        same, self._last = begins == self._last, ends
        return Repeats(1, number) if same else Repeats()

    def repeats(self, texts: Sequence[Any], number: int) -> Repeats:
        """How many of some records repeat the one before, the first of which has a ``number``."""
        if not texts:
            return Repeats()
        same = list(map(eq, texts, [self._last, *texts[:-1]]))
        self._last = texts[-1]
        return Repeats(same.count(True), number + same.index(True)) if True in same else Repeats()
