"""What is said of rows of a table that are totals of others, where no layout says what becomes of
them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from ..layout.model.text import scalar
from ..run.protocols import Batch, Source
from ..sources.tables.total_rows import look_at
from ..structure.total_rows import TotalCandidate, TotalRowsLook, TotalsFound

_SHOWN = 4


class TotalRowsSeen:
    """Looks for total rows in the tables of a source, each file by itself."""

    def __init__(self) -> None:
        self._looks: dict[tuple[str, int], TotalRowsLook] = {}

    def look_at(self, records: Sequence[Any], batch: Batch) -> None:
        """Look at rows of a batch, where it is of a table."""
        if batch.origin.rows is None:
            return
        at = batch.origin.file, batch.origin.before
        look_at(self._looks.setdefault(at, TotalRowsLook()), records, batch.origin)

    def found(self) -> TotalsFound:
        """What was found in all of them."""
        return _together([look.found() for look in self._looks.values()])


def _together(found: Sequence[TotalsFound]) -> TotalsFound:
    """What was found in several tables; the columns are blank in the total rows of each."""
    having = [one for one in found if one.rows]
    first = having[0].blank if having else ()
    blank = [name for name in first if all(name in one.blank for one in having)]
    return TotalsFound(
        tuple(row for one in found for row in one.rows),
        tuple(blank),
        bool(having) and all(one.before for one in having),
        tuple(row for one in found for row in one.unlabelled),
    )


def total_rows_of(source: Source) -> TotalsFound:
    """The total rows of a source, all of which is read."""
    seen = TotalRowsSeen()
    with source.open() as reader:
        for batch in reader.batches():
            if batch.origin.rows is None:  # these are no rows of a table
                break
            seen.look_at(batch.records, batch)
    return seen.found()


def drop_line(found: TotalsFound) -> str:
    """What leaves total rows out, as it stands under `source`."""
    names = ", ".join(map(scalar, found.blank))
    return f"{{drop: [{names}]" + (", subtotals: before}" if found.before else "}")


def notices_of(found: TotalsFound, *, unlabelled: bool) -> list[str]:
    """What is pointed out: of rows without a label only where that is asked for."""
    sums = [one for one in found.rows if one.rows]
    others = [one for one in found.rows if not one.rows]
    told = [_added_in(found, sums)] if sums else []
    if others:
        are = "is labelled as a total" if len(others) == 1 else "are labelled as totals"
        place = "after" if found.before else "before"
        told.append(f"{rows_told(others)} {are}, and no rows {place} add up to that")
    if unlabelled and found.unlabelled:
        rows = rows_told(found.unlabelled)
        told.append(f"{rows}: all figures are the sums of the rows before, without a word for it")
    return told


def _added_in(found: TotalsFound, sums: Sequence[TotalCandidate]) -> str:
    """That rows are totals of others, and what to do about it."""
    one = len(sums) == 1
    what = f"{rows_told(sums)} {'sums' if one else 'sum'} up others"
    counted = f"{'it is' if one else 'they are'} counted with them"
    them = "it" if one else "them"
    if not found.blank:
        return f"{what}, and {counted}; no column that others fill is blank in {them}"
    leaves = f"`source: {{total-rows: {drop_line(found)}}}` leaves {them} out"
    return f"{what}, and {counted}; {leaves}, `total-rows: keep` says that it is right"


def rows_told(rows: Iterable[TotalCandidate]) -> str:
    """Rows with their labels, the first of them."""
    rows = list(rows)
    shown = [f"{one.number:,}" + (f" ({one.label})" if one.label else "") for one in rows[:_SHOWN]]
    more = len(rows) - _SHOWN
    if len(rows) == 1:
        return f"row {shown[0]}"
    last = f"{more:,} more" if more > 0 else shown.pop()
    return f"rows {', '.join(shown)} and {last}"
