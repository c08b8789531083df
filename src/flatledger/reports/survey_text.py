"""A survey as text for a terminal."""

from __future__ import annotations

from rich.console import Console
from rich.table import Table
from rich.text import Text

from ..engine.survey import FieldSurvey, SurveyResult

SHOWN = 36


def print_survey(result: SurveyResult, console: Console) -> None:
    """Print a row for each place, what was recognised below it."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="underline")
    table.add_column("path", overflow="fold")
    for heading in ("filled", "entries (least-mean-most)", "different"):
        table.add_column(heading, justify="right")
    table.add_column("kind", overflow="fold")
    table.add_column("such as", overflow="fold")
    for field in result.fields:
        table.add_row(
            Text(field.path, style="bold" if field.is_level else ""),
            _share(field.filled, field.parents),
            _repeats(field),
            f"{field.distinct:,}{'+' if field.distinct_is_bound else ''}" if field.distinct else "",
            Text(_kinds(field)),
            Text(_examples(field)),
        )
        for remark in field.remarks:
            table.add_row("", "", "", "", "", Text(f"- {remark}"))
    console.print(table, highlight=False)


def how_much(result: SurveyResult) -> str:
    """What was read: all, or a sample that a later field may be missing from."""
    unreadable = f"; {result.faults:,} could not be read" if result.faults else ""
    if result.complete:
        return f"{result.source}: all {result.records:,} records{unreadable}"
    return (
        f"{result.source}: a sample, the first {result.records:,} records{unreadable}; a field "
        "that only later ones have is missing here (--all reads everything)"
    )


def _share(part: int, whole: int) -> str:
    """A share in percent; never rounded to all or nothing."""
    if part >= whole:
        return "all"
    percent = 100 * part / whole
    return "<1 %" if percent < 1 else f"{min(int(percent), 99)} %"


def _repeats(field: FieldSurvey) -> str:
    """How often a level repeats: its entries in all, and the least, mean and most of a list."""
    if not field.is_level:
        return ""
    return f"{field.entries:,} ({field.least}-{field.mean:.1f}-{field.most})"


def _kinds(field: FieldSurvey) -> str:
    total = sum(field.kinds.values())
    names = [
        name if count == total else f"{name} {_share(count, total)}"
        for name, count in field.kinds.items()
    ]
    return ", ".join(names)


def _examples(field: FieldSurvey) -> str:
    shown = []
    for example in field.examples:
        text = " ".join(example.split())
        shown.append(text if len(text) <= SHOWN else text[: SHOWN - 1] + "…")
    longest = f" (longest: {field.longest:,} characters)" if field.longest > SHOWN else ""
    return " · ".join(shown) + longest
