"""A table of rows as text for a terminal."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import Any

from .screen import Grid, Screen
from .words import cell_text, short

WIDEST_CELL = 200
_GAP = 2


def print_table(
    headings: Sequence[str],
    rows: Iterable[tuple[Any, ...]],
    screen: Screen,
    most: int,
    decimal_char: str = ".",
) -> None:
    """Print rows under their headings, numbers to the right; say how many more there are."""
    every = list(rows)
    rows = every[:most]
    numeric = {
        place
        for place in range(len(headings))
        if any(
            isinstance(row[place], int | Decimal) and row[place].__class__ is not bool
            for row in rows
        )
    }
    grid = Grid(headings, numeric, gap=_GAP)
    for row in rows:
        grid.add(*(short(cell_text(cell, decimal_char), WIDEST_CELL) for cell in row))
    screen.grid(grid)
    if len(every) > most:
        screen.line(f"… and {len(every) - most:,} more rows")
