"""``flatledger specimen``: a blank table for people who will fill it in."""

from __future__ import annotations

from ..api.layout import Layout
from ..api.specimen import specimen
from ..reports.screen import Grid
from .terminal import reports, results

_SHOWN = 4  # values of a list


def run_specimen(name: str, source: str | None, table: str | None, to: str, replace: bool) -> int:
    """Write a specimen, and show what its columns take."""
    layout = Layout.find(name)
    layout = layout.choosing([table]) if table is not None else layout
    columns = specimen(layout, to, source, if_there="replace" if replace else "refuse")
    if to != "-":
        grid = Grid(("column", "type", "may be empty", "allowed"), right=set())
        for one in columns:
            allowed = "" if one.allowed is None else _listed(one.allowed)
            grid.add(one.heading, one.type, "no" if one.required else "yes", allowed)
        results().grid(grid)
        reports().line(f"Wrote {to}: {len(columns)} columns and an example row")
    return 0


def _listed(values: tuple[str, ...]) -> str:
    """The first values of a list, and how many there are more."""
    more = len(values) - _SHOWN
    return ", ".join(values[:_SHOWN]) + (f" and {more:,} more" if more > 0 else "")
