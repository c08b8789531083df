"""Which records are held against their definition, and what came of it."""

from __future__ import annotations

from collections.abc import Sequence

from .balance import CheckedAgain
from .results import Checked

FIRST, CELLS_OF_FIRST = 50, 1_000
MOST_CELLS, MOST_ROWS, MOST_SHAPES = 5_000, 50, 200
MOST_TOLD = 20
_STEPS = ((1_000, 250), (10_000, 2_500), (100_000, 25_000), (1_000_000, 100_000))
_LATER = 500_000


def next_sampled(number: int) -> int:
    """The first record from a number on that is looked at for its number: one of the first, or
    every n-th and the one after it, with n by how many records there are before.

    >>> next_sampled(7), next_sampled(51), next_sampled(251), next_sampled(252)
    (7, 250, 251, 500)
    """
    if number <= FIRST:
        return number
    step = next((step for below, step in _STEPS if number <= below), _LATER)
    over = number % step
    return number if over < 2 else number - over + step


class Checks:
    """The sample that was looked at so far. Those of parts, merged, are those of the whole."""

    def __init__(self) -> None:
        self.found: dict[int, Checked] = {}

    def add(self, checked: Sequence[Checked]) -> None:
        """Take in what was looked at."""
        self.found.update((one.number, one) for one in checked)

    def merge(self, later: Checks) -> None:
        """Take in those of later records."""
        self.add([*later.found.values()])

    def summary(self) -> CheckedAgain:
        """What a balance says of them."""
        found = self.within_limits()
        told = [text for one in found for text in one.told]
        cells = sum(one.cells for one in found)
        return CheckedAgain(len(found), cells, False, told[:MOST_TOLD], len(told))

    def within_limits(self) -> list[Checked]:
        """Those within the limits, in the order of their numbers: of each shape the first."""
        kept, cells, shapes = list[Checked](), 0, set[int]()
        for number in sorted(self.found):
            one = self.found[number]
            if one.shape is not None:
                if one.shape in shapes or len(shapes) >= MOST_SHAPES:
                    continue
                shapes.add(one.shape)
            limit = CELLS_OF_FIRST if number <= FIRST else MOST_CELLS
            if cells < limit:
                kept.append(one)
                cells += one.cells
        return kept


class ChecksOfAll(Checks):
    """Every record was looked at: they are counted, and what is told first is kept."""

    def __init__(self) -> None:
        super().__init__()
        self._so_far = CheckedAgain(0, 0, True)

    def add(self, checked: Sequence[Checked]) -> None:
        """Take in what was looked at."""
        told = [text for one in checked for text in one.told]
        cells = sum(one.cells for one in checked)
        self._count(CheckedAgain(len(checked), cells, told=told, differences=len(told)))

    def merge(self, later: Checks) -> None:
        """Take in those of later records."""
        self._count(later.summary())

    def summary(self) -> CheckedAgain:
        """What a balance says of them."""
        return self._so_far

    def _count(self, more: CheckedAgain) -> None:
        so_far = self._so_far
        self._so_far = CheckedAgain(
            so_far.records + more.records,
            so_far.cells + more.cells,
            True,
            [*so_far.told, *more.told][:MOST_TOLD],
            so_far.differences + more.differences,
        )
