"""``flatledger try``: one expression on the first records of a source."""

from __future__ import annotations

from typing import Any

import msgspec
from rich.table import Table
from rich.text import Text

from ..engine.functions import text_of
from ..errors import ExpressionError
from ..trying import Trial, try_expression
from .terminal import errors, results

LONGEST = 400


def run_try(
    expression: str, source: str, row_per: str | None, records: str | None, first: int
) -> int:
    """Show a value for each row of the first records; point at what is wrong with an expression."""
    try:
        trials = try_expression(expression, source, row_per=row_per, records=records, first=first)
    except ExpressionError as error:
        errors().print(Text(f"flatledger: {error}"))
        errors().print(Text(error.pointer()))
        return error.exit_code
    table = Table(box=None, pad_edge=False, padding=(0, 3, 0, 0), header_style="underline")
    table.add_column("record", justify="right")
    table.add_column("value", overflow="fold")
    table.add_column("kind", overflow="fold")
    for trial in trials:
        table.add_row(f"{trial.record:,}", Text(_shown(trial.value)), Text(_kind(trial)))
    results().print(table, highlight=False)
    if not trials:
        errors().print("No rows: the source holds no records that could be read.")
    elif all(trial.value is None for trial in trials):
        errors().print(f"Nothing was found in the first {trials[-1].record:,} records.")
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
