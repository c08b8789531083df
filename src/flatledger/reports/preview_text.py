"""A preview as text for a terminal."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ..run.preview import ColumnPreview, PreviewResult
from ..run.protocols import TotalRow
from ..values.functions import text_of
from .balance_text import print_counts
from .screen import Grid, Screen
from .table_text import WIDEST_CELL, print_table
from .words import counted, if_empty, share, short, what_it_is

WIDEST_EXAMPLE = 24
GAP = 2
MISSING_NAMED = 12


def print_preview(found: PreviewResult, screen: Screen) -> None:
    """Print the plan, the first rows that fit, the columns and the counts, in the order of the
    page."""
    screen.line(f"Preview of {found.layout}: nothing is written", "bold")
    screen.line()
    screen.lines(found.plan)
    screen.line()
    _print_rows(found, screen)
    screen.line()
    screen.grid(_columns(found))
    screen.line()
    print_counts(found.balance, screen)
    screen.lines(list(closing(found)))


def closing(found: PreviewResult) -> Iterator[str]:
    """What there would be, and whether it was a sample."""
    for file in found.balance.files:
        totals = min(found.balance.total_rows, file.rows)
        rows = counted(file.rows - totals, "row")
        rows += f" and {counted(totals, 'total row')}" if totals else ""
        size = f", {file.bytes:,} bytes" if file.bytes else " of this table"
        yield f"{file.name} would have {rows}{size}."
    if found.sample:
        yield (
            f"This is a sample: the first {found.balance.read:,} records. The export takes "
            "all; without --sample they are all counted here too."
        )


def _columns(found: PreviewResult) -> Grid:
    empty = if_empty(one.column for one in found.columns)
    headings = ("column", "what it is", "level", "type", "filled", "examples")
    with_empty = (*headings, "if empty") if empty else headings
    grid = Grid(with_empty, right={headings.index("filled")}, gap=GAP)
    for column in found.columns:
        instead = empty.get(column.column.heading, "blank") if empty else ""
        grid.add(
            column.column.heading,
            what_it_is(column.column),
            column.column.level,
            " or ".join(column.kinds),
            filled(column, found),
            _examples(column),
            *([instead] if empty else []),
        )
    return grid


def _examples(column: ColumnPreview) -> str:
    return " · ".join(short(example, WIDEST_EXAMPLE) for example in column.examples)


def filled(column: ColumnPreview, found: PreviewResult) -> str:
    """The share of the rows that have something there."""
    return share(column.filled, found.balance.rows) if column.filled else "none"


def _print_rows(found: PreviewResult, screen: Screen) -> None:
    """The first rows with as many columns as fit, and the names of those that do not."""
    headings = found.headings
    shown = _fitting(headings, found, screen.width)
    rows = [tuple(row[:shown]) for row in found.first]
    print_table(headings[:shown], rows, screen, len(rows), found.decimal_char)
    if (more := rows_left(found)) > 0:
        screen.line(f"… and {counted(more, 'more row')}")
    if shown < len(headings):
        missing = headings[shown:]
        names = ", ".join(missing[:MISSING_NAMED]) + (", …" if len(missing) > MISSING_NAMED else "")
        hidden = counted(len(missing), "column")
        ways = "A wider window shows more, and --html PAGE all of them."
        screen.line(f"{hidden} did not fit: {names}. {ways}")


def rows_left(found: PreviewResult) -> int:
    """How many rows there are beside the first, total rows apart."""
    return found.balance.rows - sum(not isinstance(row, TotalRow) for row in found.first)


def _fitting(headings: Sequence[str], found: PreviewResult, width: int) -> int:
    """How many columns fit side by side without breaking their cells."""
    used = 0
    for place, heading in enumerate(headings):
        cells = [len(text_of(row[place])) for row in found.first if row[place] is not None]
        used += min(max([len(heading), *cells]), WIDEST_CELL) + GAP
        if used > width and place:
            return place
    return len(headings)
