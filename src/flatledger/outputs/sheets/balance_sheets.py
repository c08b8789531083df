"""The balance and the faults of a run as rows of their own, for workbooks that have a sheet of
them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...run.balance import Balance
from ...run.protocols import Row


class SheetHeading(tuple[Any, ...]):
    """A row of headings."""


_FAULTS = SheetHeading(("Record", "Identifier", "Path", "Value", "Reason", "In file"))


_TOTALS = ("Column", "Total", "Counted once for each", "In the source", "In the table", "Agrees")


def balance_rows(balance: Balance) -> Iterator[Row]:
    """What was read, kept and written, and both sides of each total.

    >>> rows = list(balance_rows(Balance("lines", "lines.jsonl", "record", read=2, remaining=2)))
    >>> rows[1], rows[4]
    (('Source', 'lines.jsonl'), ('Records read', 2))
    """
    yield SheetHeading((f"Balance of {balance.layout}", "", ""))
    yield "Source", balance.source
    yield "A row for each", balance.row_per
    for asked in balance.asked:
        yield "Asked", asked.name, asked.text
    yield "Balances", "yes" if balance.balanced else "no"
    yield "Records read", balance.read
    yield "Records that could not be read", balance.unreadable
    yield "Records not passed", balance.not_passed
    yield "Records dropped", balance.dropped
    yield "Records not taken", balance.not_taken
    yield "Records remaining", balance.remaining
    yield "Rows written", balance.rows
    yield from ((f"Rows of {stacked.level}", stacked.rows) for stacked in balance.stacked)
    yield "Total rows written", balance.total_rows
    yield "Faults", balance.fault_count
    if len(balance.files_read) > 1:
        yield ()
        yield SheetHeading(("File", "Records", "Unreadable", "Passed over, since"))
        yield from balance.files_read
    if balance.conditions:
        yield ()
        yield SheetHeading(("Condition", "Passed", "Filtered out", "Unknown", "Remaining"))
        for one in balance.conditions:
            yield one.text, one.passed, one.filtered_out, one.unknown, one.remaining
    if balance.columns:
        yield ()
        yield SheetHeading(_TOTALS)
        for column in balance.columns:
            agrees = "yes" if column.balanced else "no"
            yield (
                column.heading,
                column.aggregate,
                column.home,
                column.source,
                column.written,
                agrees,
            )
    for text in (*balance.wrong, *balance.notices):
        yield ("Look at this", text)


def fault_rows(balance: Balance) -> Iterator[Row]:
    """The faults that are listed, below their headings."""
    yield _FAULTS
    for one in balance.faults:
        yield one.record, one.identifier, one.path, one.value, one.reason, one.in_file
    more = balance.fault_count - len(balance.faults)
    if more > 0:
        yield None, None, None, None, f"and {more:,} more (--faults-to lists all)"
