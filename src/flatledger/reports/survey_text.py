"""A survey as text for a terminal."""

from __future__ import annotations

from rich.console import Console
from rich.table import Table
from rich.text import Text

from ..engine.survey import SurveyResult
from .words import different, examples, kinds, repeats, share


def print_survey(result: SurveyResult, console: Console) -> None:
    """Print a row for each place, what was recognised below it."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="underline")
    table.add_column("path", overflow="fold")
    for heading in ("filled", "entries (least-mean-most)", "different"):
        table.add_column(heading, justify="right")
    table.add_column("kind", overflow="fold")
    table.add_column("such as", overflow="fold")
    for field in result.fields:
        remarks = list(field.remarks)
        first = f"- {remarks.pop(0)}" if remarks and not examples(field) else ""
        table.add_row(
            Text(field.path, style="bold" if field.is_level else ""),
            share(field.filled, field.parents),
            repeats(field),
            different(field),
            Text(kinds(field)),
            Text(examples(field) or first),
        )
        for remark in remarks:
            table.add_row("", "", "", "", "", Text(f"- {remark}"))
    console.print(table, highlight=False)
