"""Rows of a table that are totals already: found, and left out where the layout says so."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from decimal import Decimal
from typing import Any

from ...errors import SourceError
from ...layout.model.names import proposal
from ...layout.model.source_options import TotalRowReading
from ...run.protocols import Origin, Reader, RowsLeftOut
from ...structure.total_rows import (
    Running,
    TotalRowsLook,
    TotalsFound,
    explained,
    is_blank,
    labels_among,
    number_of,
)
from .row_texts import RowBlock

MOST_TOLD = 20
NO_SUM = "is labelled as a total, and sums up no rows; it is taken for a row like others"


def total_rows_in(reader: Reader) -> TotalsFound:
    """What total rows the table of a reader has; all of it is read."""
    look = TotalRowsLook()
    for batch in reader.batches():
        look_at(look, batch.records, batch.origin)
    return look.found()


def look_at(look: TotalRowsLook, records: Sequence[Any], origin: Origin) -> None:
    """Let the rows of a batch be looked at."""
    look.add(records, _Numbers(origin).at)


class _Numbers:
    """The numbers of the rows of a batch, once they are asked for."""

    def __init__(self, origin: Origin) -> None:
        self._origin = origin
        self._numbers: Sequence[int] | None = None

    def at(self, place: int) -> int:
        """The number of one, counted in its file; 0 where that is none."""
        if self._numbers is None:
            self._numbers = self._origin.rows() if self._origin.rows is not None else ()
        return self._numbers[place] if self._numbers else 0


def settled(how: TotalRowReading, found: TotalsFound) -> TotalRowReading:
    """What becomes of total rows, once the whole table has been looked at. Where no column tells
    them from others by its blanks, nothing is left out."""
    rows = frozenset(one.number for one in found.rows if one.rows)
    return TotalRowReading("drop", how.drop or found.blank, how.before or found.before, rows)


class LabelWatch:
    """Takes note of rows whose label is a word for a total, of a table of which nobody has said
    whether it has total rows, or what tells them from others."""

    def __init__(self) -> None:
        self.seen: list[str] = []

    def of(self, blocks: Iterable[RowBlock]) -> Iterator[RowBlock]:
        """The same blocks."""
        for block in blocks:
            if len(self.seen) < MOST_TOLD:
                self._look(block)
            yield block

    def _look(self, block: RowBlock) -> None:
        for place, label in labels_among(block.rows).items():
            self.seen.append(f"{block.where(place)} ({label})")


class TotalRowsDropped:
    """Leaves out the total rows of a table: those with a word for a total as their label, and
    blanks in stated columns, whose figures are the sums of rows before them. One that sums up
    nothing stays, and is told of.

    Where the whole table was looked at first, it is known from the start which rows they are.
    """

    def __init__(
        self,
        how: TotalRowReading,
        headings: Sequence[str],
        name: str,
        is_row: Callable[[Sequence[Any]], bool],
    ) -> None:
        """``is_row`` tells rows of the table from those that are left out of it. Raises SourceError
        for a column that is not there."""
        self._is_row = is_row
        unknown = next((one for one in how.drop if one not in headings), None)
        if unknown is not None:
            hint = proposal(unknown, headings) or f"; there are {', '.join(headings)}"
            raise SourceError(f"{name}: `total-rows`: no column `{unknown}`{hint}")
        self._how = how
        self._blank = [at for at, name in enumerate(headings) if name in how.drop]
        self._running = Running(len(headings))
        self._where: list[str] = []
        self._count = 0

    @property
    def told(self) -> RowsLeftOut:
        """Which rows were left out so far."""
        return RowsLeftOut(self._count, tuple(self._where), self._how.drop)

    def of(self, blocks: Iterable[RowBlock]) -> Iterator[RowBlock]:
        """The blocks without total rows."""
        for block in blocks:
            yield self._without(block)

    def _without(self, block: RowBlock) -> RowBlock:
        kept: list[int] = []
        odd = list(block.odd)
        labels = labels_among(block.rows)
        for place, row in enumerate(block.rows):
            if place in labels and all(at < len(row) and is_blank(row[at]) for at in self._blank):
                if self._sums_up(row, block.number(place)):
                    self._leave_out(f"{block.unit} {block.number(place):,}")
                    continue
                odd.append((place, NO_SUM))
            elif self._is_row(row):
                self._running.add(self._numbers(row))
            kept.append(place)
        return block.keeping(kept, odd) if len(kept) < len(block.rows) or odd else block

    def _numbers(self, row: Sequence[Any]) -> list[tuple[int, Decimal]]:
        width = len(self._running.sums)
        cells = enumerate(row[:width])
        return [(at, n) for at, cell in cells if (n := number_of(cell)) is not None]

    def _sums_up(self, row: Sequence[Any], number: int) -> bool:
        if self._how.rows is not None:
            return number in self._how.rows
        running = self._running
        found = explained(running.here, reversed(running.marks), dict(self._numbers(row)))
        running.mark()
        return found > 0

    def _leave_out(self, where: str) -> None:
        self._count += 1
        if len(self._where) < MOST_TOLD:
            self._where.append(where)
