"""``flatledger demo``: the sample layouts over the sample data."""

from __future__ import annotations

from pathlib import Path

from ..api.export import export
from ..api.layout import Layout
from ..api.preparing import given_for
from ..api.table import table
from ..demo import copy_to
from ..errors import MissingExtraError, OutputError
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
        results().line(f"{layout.name}: {layout.request.about}", "bold")
        results().line()
        try:
            worst = max(worst, _show(layout, source, path))
        except MissingExtraError as error:
            reports().line(str(error), whole=True)
            reports().line()
    results().line(f"The sample data, the layouts and the tables are in {folder}")
    results().line("To run one yourself:")
    layout_file, source = samples.runs[0]
    results().line(f"  flatledger export {layout_file} {source} -o table.csv", whole=True)
    return worst


def _show(layout: Layout, source: Path, path: Path) -> int:
    """Show a sample's table and its balance; write the table. The exit code of that."""
    own = output_of(layout.request, given_for(layout, None)).files
    with table(layout, source) as rows:
        print_table(rows.headings, rows, results(), ROWS_SHOWN)
    results().line()
    balance = export(layout, source, path.parent / next(iter(own), f"{path.stem}.csv"))
    print_balance(balance, reports())
    reports().line()
    return exit_code(balance, strict=False)
