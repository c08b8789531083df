"""``flatledger try``: one expression on the first records of a source."""

from __future__ import annotations

from typing import Any

import msgspec

from ..errors import ExpressionError
from ..reports.screen import Grid
from ..trying import Trial, try_expression
from ..values.functions import text_of
from .terminal import reports, results

LONGEST = 400


def run_try(expression: str, source: str, **options: Any) -> int:
    """Show a value for each row of the first records; point at what is wrong with an expression."""
    try:
        trials = try_expression(expression, source, **options)
    except ExpressionError as error:
        reports().line(f"flatledger: {error}", whole=True)
        for line in error.pointer().split("\n"):
            reports().line(line, whole=True)
        return error.exit_code
    grid = Grid(("record", "value", "kind"), right={0})
    for trial in trials:
        grid.add(f"{trial.record:,}", _shown(trial.value), _kind(trial))
    results().grid(grid)
    if not trials:
        reports().line("No rows: the source holds no records that could be read.")
    elif all(trial.value is None for trial in trials):
        reports().line(f"Nothing was found in the first {trials[-1].record:,} records.")
    return 0


def _kind(trial: Trial) -> str:
    return f"{trial.kind}; fault: {trial.fault}" if trial.fault else trial.kind


def _shown(value: Any) -> str:
    """A value on one line; structure as JSON, so that it is seen for what it is."""
    if isinstance(value, list | dict):
        text = msgspec.json.Encoder(enc_hook=str, decimal_format="number").encode(value).decode()
    else:
        text = "" if value is None else text_of(value)
    text = " ".join(text.split())
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
