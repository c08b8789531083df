"""A survey as text for a terminal."""

from __future__ import annotations

from ..structure.survey import SurveyResult
from .screen import Grid, Screen
from .words import different, examples, kinds, repeats, share

_HEADINGS = ("path", "filled", "entries (least-mean-most)", "different", "kind", "such as")
_TO_THE_RIGHT = (1, 2, 3)


def print_survey(result: SurveyResult, screen: Screen) -> None:
    """Print a row for each place, what was recognised below it."""
    grid = Grid(_HEADINGS, right=_TO_THE_RIGHT, gap=2)
    for field in result.fields:
        remarks = list(field.remarks)
        first = f"- {remarks.pop(0)}" if remarks and not examples(field) else ""
        grid.add(
            field.path,
            share(field.filled, field.parents),
            repeats(field),
            different(field),
            kinds(field),
            examples(field) or first,
            style="bold" if field.is_level else "",
        )
        for remark in remarks:
            grid.add("", "", "", "", "", f"- {remark}")
    screen.grid(grid)
