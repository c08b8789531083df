"""A preview as text for a terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from ..engine.preview import ColumnPreview, Preview
from .balance_text import counted, print_counts
from .table_text import print_table

WIDEST_EXAMPLE = 24
GAP = 2


def print_preview(name: str, headings: Sequence[str], found: Preview, console: Console) -> None:
    """Print the columns, the plan, the first rows that fit, and the counts."""
    console.print(Text(f"Preview of {name}: nothing is written", style="bold"))
    console.print()
    console.print(_columns(found), highlight=False)
    console.print()
    for sentence in found.plan:
        console.print(Text(sentence))
    console.print()
    _print_rows(headings, found, console)
    console.print()
    print_counts(found.balance, console)
    for file in found.balance.files:
        size = f"{counted(file.rows, 'row')}, {file.bytes:,} bytes"
        console.print(Text(f"{file.name} would have {size}."))
    if found.sample:
        console.print(
            Text(
                f"This is a sample: the first {found.balance.read:,} records. The export takes "
                "all; without --sample they are all counted here too."
            )
        )


def _columns(found: Preview) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, GAP, 0, 0), header_style="underline")
    for heading in ("column", "what it is", "of the", "kind"):
        table.add_column(heading, overflow="fold")
    table.add_column("filled", justify="right")
    table.add_column("such as", overflow="fold")
    table.add_column("else", overflow="fold")
    for column in found.columns:
        table.add_row(
            Text(column.heading),
            Text(column.source),
            Text(column.home),
            " or ".join(column.kinds),
            f"{column.filled:,}",
            Text(_examples(column)),
            Text(column.none),
        )
    return table


def _examples(column: ColumnPreview) -> str:
    texts = (" ".join(example.split()) for example in column.examples)
    short = (t if len(t) <= WIDEST_EXAMPLE else t[: WIDEST_EXAMPLE - 1] + "…" for t in texts)
    return " · ".join(short)


def _print_rows(headings: Sequence[str], found: Preview, console: Console) -> None:
    """The first rows with as many columns as fit, and the names of those that do not."""
    shown = _fitting(headings, found, console.width)
    rows = [tuple(row[:shown]) for row in found.first]
    print_table(headings[:shown], rows, console, len(rows))
    if found.rows > len(rows):
        console.print(f"… and {found.rows - len(rows):,} more rows", highlight=False)
    if shown < len(headings):
        missing = ", ".join(headings[shown:])
        hidden = counted(len(headings) - shown, "column")
        console.print(Text(f"{hidden} did not fit: {missing}. A wider window shows more."))


def _fitting(headings: Sequence[str], found: Preview, width: int) -> int:
    """How many columns fit side by side without breaking their cells."""
    used = 0
    for place, heading in enumerate(headings):
        cells = (len(str(row[place])) for row in found.first if row[place] is not None)
        used += max([len(heading), *cells]) + GAP
        if used > width and place:
            return place
    return len(headings)
