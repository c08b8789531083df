"""A table of rows as text for a terminal."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import Any

from rich.console import Console
from rich.table import Table
from rich.text import Text

from .words import short

WIDEST_CELL = 200


def print_table(
    headings: Sequence[str], rows: Iterable[tuple[Any, ...]], console: Console, most: int
) -> None:
    """Print rows under their headings, numbers to the right; say how many more there are."""
    every = list(rows)
    rows = every[:most]
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="underline")
    for place, heading in enumerate(headings):
        numeric = any(isinstance(row[place], int | Decimal) for row in rows)
        table.add_column(Text(heading), justify="right" if numeric else "left", overflow="fold")
    for row in rows:
        table.add_row(*(Text(_shown(cell)) for cell in row))
    console.print(table, highlight=False)
    if len(every) > most:
        console.print(f"… and {len(every) - most:,} more rows", highlight=False)


def _shown(cell: Any) -> str:
    return "" if cell is None else short(str(cell), WIDEST_CELL)
