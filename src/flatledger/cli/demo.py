"""``flatledger demo``: the sample layouts over the sample data."""

from __future__ import annotations

from pathlib import Path

from ..demo import copy_to
from ..errors import OutputError
from ..exporting import Rows, export
from ..layout import Layout
from ..reports.balance_text import print_balance
from ..reports.table_text import print_table
from .export import exit_code
from .terminal import errors, results

ROWS_SHOWN = 16


def run_demo(folder: str) -> int:
    """Copy the samples into a folder, run each layout, show tables and balances."""
    try:
        samples = copy_to(Path(folder))
    except OSError as error:
        raise OutputError(f"{folder} can't be written: {error.strerror}") from None
    worst = 0
    for path, source in samples:
        layout = Layout.from_file(path).answered()  # the samples have defaults for what they ask
        to = path.parent / (layout.model.output.file or f"{path.stem}.csv")
        out = results()
        out.print(f"{layout.name}: {layout.model.about}", style="bold", highlight=False)
        out.print()
        print_table(layout.headings, Rows(layout, source), out, ROWS_SHOWN)
        out.print()
        balance = export(layout, source, to)
        print_balance(balance, errors())
        errors().print()
        worst = max(worst, exit_code(balance, strict=False))
    results().print(f"The sample data, the layouts and the tables are in {folder}", highlight=False)
    results().print("To run one yourself:", highlight=False)
    command = f"flatledger export {samples[0][0]} {samples[0][1]} -o table.csv"
    results().print(f"  {command}", highlight=False)
    return worst
