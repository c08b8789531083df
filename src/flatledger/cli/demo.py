"""``flatledger demo``: the sample layouts over the sample data."""

from __future__ import annotations

from pathlib import Path

from ..api.export import export
from ..api.layout import Layout
from ..api.preparing import given_for
from ..api.table import table
from ..demo import copy_to
from ..errors import OutputError
from ..layout.settling import output_of
from ..reports.balance_text import print_balance
from ..reports.table_text import print_table
from .export import exit_code
from .terminal import reports, results

ROWS_SHOWN = 16


def run_demo(folder: str) -> int:
    """Copy the samples into a folder, run each layout, show tables and balances."""
    try:
        samples = copy_to(Path(folder))
    except OSError as error:
        raise OutputError(f"{folder} can't be written: {error.strerror}") from None
    for file in samples.different:
        reports().line(f"{file} is there already, and is not as ours; it stays and is used")
    worst = 0
    for path, source in samples.runs:
        layout = Layout.from_file(path)  # the samples have defaults for what they ask
        own = output_of(layout.request, given_for(layout, None)).files
        to = path.parent / next(iter(own), f"{path.stem}.csv")
        out = results()
        out.line(f"{layout.name}: {layout.request.about}", "bold")
        out.line()
        with table(layout, source) as rows:
            print_table(rows.headings, rows, out, ROWS_SHOWN)
        out.line()
        balance = export(layout, source, to)
        print_balance(balance, reports())
        reports().line()
        worst = max(worst, exit_code(balance, strict=False))
    results().line(f"The sample data, the layouts and the tables are in {folder}")
    results().line("To run one yourself:")
    layout_file, source = samples.runs[0]
    results().line(f"  flatledger export {layout_file} {source} -o table.csv", whole=True)
    return worst
