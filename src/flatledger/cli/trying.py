"""``flatledger try``: one expression on the first records of a source."""

from __future__ import annotations

import os
from typing import Any

import click
import msgspec

from ..api.evaluate import Evaluated, evaluate
from ..api.trace import Trace, trace
from ..errors import ExpressionError
from ..reports.screen import Grid
from ..reports.words import kind_of_value
from ..values.functions import text_of
from .terminal import reports, results
from .typed import Source

LONGEST = 400


def run_try(expression: str, source: Source, *, steps: bool = False, **options: Any) -> int:
    """Show a value for each row of the first records; point at what is wrong with an expression."""
    if isinstance(source, str) and os.path.exists(expression) and not os.path.exists(source):
        raise click.UsageError(f"The expression comes first: try {source!r} {expression}")
    try:
        if steps:
            return _show_steps(trace(expression, source, **options))
        found = evaluate(expression, source, **options)
    except ExpressionError as error:
        reports().line(f"flatledger: {error}", whole=True)
        for line in error.pointer().split("\n"):
            reports().line(line, whole=True)
        return error.exit_code
    grid = Grid(("record", "value", "type"), right={0})
    for one in found:
        grid.add(f"{one.record:,}", _shown(one.value), _kind(one))
    results().grid(grid)
    if not found:
        reports().line("No rows: the source holds no records that could be read.")
    elif all(one.value is None and not one.fault for one in found):
        of = "record" if found[-1].record == 1 else f"{found[-1].record:,} records"
        reports().line(f"Nothing was found in the first {of}.")
    return 0


def _show_steps(found: list[Trace]) -> int:
    """Show each step of each row, the value last."""
    grid = Grid(("record", "step", "value", "type"), right={0})
    for one in found:
        number = f"{one.record:,}"
        for step in one.steps:
            kind = f"{kind_of_value(step.value)}{', as it came' if step.read else ''}"
            grid.add(number, step.text, _shown(step.value), kind)
            number = ""
        if not one.steps:
            grid.add(number, "", _shown(one.value), kind_of_value(one.value))
        for fault in one.faults:
            grid.add("", "fault", fault, "")
    results().grid(grid)
    if not found:
        reports().line("No rows: the source holds no records that could be read.")
    return 0


def _kind(found: Evaluated) -> str:
    kind = kind_of_value(found.value)
    return f"{kind}; fault: {found.fault}" if found.fault else kind


def _shown(value: Any) -> str:
    """A value on one line; structure as JSON, so that it is seen for what it is."""
    if isinstance(value, list | dict):
        text = msgspec.json.Encoder(enc_hook=str, decimal_format="number").encode(value).decode()
    else:
        text = "" if value is None else text_of(value)
    text = " ".join(text.split())
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
