"""Some records by definition, as a run holds itself against them: rows, verdicts, sums, groups."""

from __future__ import annotations

import decimal
from collections import Counter
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from ..layout.model.model import SettledLayout
from ..plan.plan import Plan
from ..values.numbers import EXACT
from .groups import Groups
from .paths import Paths
from .protocols import Origin
from .reading import Reading
from .totals import Row, totalled


class RecordRead(NamedTuple):
    """What a record is by definition.

    ``rows`` are those that it gives, each with its place among them; of a record with many
    entries some, and then it is not ``whole``: there are so ``many``. ``counts`` are the verdicts
    of conditions, and what became of entries.
    """

    passes: bool
    rows: list[tuple[int, tuple[Any, ...]]]
    many: int
    counts: Counter[str]
    whole: bool


class Definition:
    """Reads records by a plan, one at a time, and says what they add up to together."""

    def __init__(self, plan: Plan, paths: Paths, most_rows: int | None = None) -> None:
        """Of one record no more than ``most_rows`` are worked out."""
        self._plan, self._paths, self._most = plan, paths, most_rows
        self._readings: list[Reading] = []
        self._rows: list[Row] = []

    def read(self, number: int, plain: Any, file: str, before: int, row: int | None) -> RecordRead:
        """One record, which is plain data, with where it comes from."""
        with decimal.localcontext(EXACT):
            origin = Origin(file, before, row)
            reading = Reading(self._plan, plain, number, self._paths, origin)
            ends = reading.entries_of_rows()
            chosen = _spread(len(ends), self._most)
            rows = [Row(read, reading) for read in reading.rows(chosen)]
        self._readings.append(reading)
        self._rows += rows
        found = [(at, one.cells) for at, one in zip(chosen, rows, strict=True)]
        whole = len(chosen) == len(ends)
        return RecordRead(reading.passes, found, len(ends), reading.filtering.counts, whole)

    def figures(self) -> list[Any]:
        """What each totalled column adds up to over the records that were read."""
        with decimal.localcontext(EXACT):
            return [one.figure(self._rows) for one in totalled(self._plan)]

    def groups(self) -> list[tuple[tuple[Any, ...], dict[str, Any]]]:
        """The groups of the records, where rows stand for groups: the key of each, and what its
        aggregates are, by their texts."""
        over = self._plan.over
        if over is None:
            return []
        with decimal.localcontext(EXACT):
            groups = Groups(self._plan, self._readings)
            return [
                (key, {part.text: groups.figure(part.call, rows) for part in over.parts})
                for key, rows in groups.groups
            ]


class Definitions:
    """Makes definitions of some records after others, by one plan."""

    def __init__(self, plan: Plan) -> None:
        self._plan, self._paths = plan, Paths(plan)

    def of_records(self, most_rows: int | None) -> Definition:
        """One that holds no record yet."""
        return Definition(self._plan, self._paths, most_rows)


def defined_for(layout: SettledLayout) -> Callable[[Plan], Definitions] | None:
    """What reads the records of a layout by definition. None where they are not what the source
    gave: flat rows that become a tree, and nodes that are opened only so far."""
    made = layout.nest or layout.openings or layout.opens_by
    return None if made else Definitions


def _spread(many: int, most: int | None) -> Sequence[int]:
    """The places of the first, the last and every k-th between, no more than ``most``.

    >>> list(_spread(10, 4)), list(_spread(3, 4))
    ([0, 4, 8, 9], [0, 1, 2])
    """
    if most is None or many <= most:
        return range(many)
    step = -(-many // (most - 1))
    return [*range(0, many - 1, step), many - 1]
