"""``flatledger demo``: the sample layouts over the sample data."""

from __future__ import annotations

import os
import shutil
import sys
from pathlib import Path

from ..api.export import export
from ..api.layout import Layout
from ..api.preparing import given_for
from ..api.table import table
from ..demo import copy_to
from ..errors import MissingExtraError, OutputError
from ..layout.settling.settling import output_of
from ..reports.balance_text import print_balance
from ..reports.screen import Grid
from ..reports.table_text import print_table
from ..reports.words import counted
from ..run.balance import Balance
from .export import exit_code
from .terminal import reports, results

ROWS_SHOWN = 4


def run_demo(folder: str) -> int:
    """Copy the samples into a folder, run each layout, show one table and how the others went."""
    try:
        samples = copy_to(Path(folder))
    except OSError as error:
        raise OutputError(f"{folder} can't be written: {error.strerror}") from error
    for file in samples.different:
        said = "is there already and differs from the sample; it is left as it is, and used"
        reports().line(f"{file} {said}")
    (first, source), *others = samples.runs
    layout = Layout.from_file(first)  # the samples have defaults for what they ask
    results().line(f"{layout.name}: {layout.about}", "bold")
    results().line()
    with table(layout, source) as rows:
        print_table(rows.headings, rows, results(), ROWS_SHOWN)
    results().line()
    balance = _written(layout, source)
    print_balance(balance, reports())
    worst = exit_code(balance, strict=False)
    results().line()
    results().line("The other samples:", "bold")
    grid = Grid(("layout", "rows", "of", "what came of it"), right={1})
    for path, other in others:
        try:
            balance = _written(Layout.from_file(path), other)
        except MissingExtraError as error:
            grid.add(path.stem, "", other.name, str(error))
            continue
        worst = max(worst, exit_code(balance, strict=False))
        grid.add(path.stem, f"{balance.rows:,}", other.name, _came_of(balance))
    results().grid(grid)
    _print_next(folder, first, source)
    return worst


def _came_of(balance: Balance) -> str:
    """What a run gave beside its rows."""
    numbers = {"total row": balance.total_rows, "fault": balance.fault_count}
    parts = [counted(count, name) for name, count in numbers.items() if count]
    return ", ".join([*([] if balance.balanced else ["does not balance"]), *parts]) or "no totals"


def _written(layout: Layout, source: Path) -> Balance:
    """Write the table of a sample beside its layout."""
    assert layout.path is not None
    own = output_of(layout.shared, given_for(layout, None)).files
    folder = layout.path.parent
    return export(layout, source, folder / next(iter(own), f"{layout.path.stem}.csv"))


def _print_next(folder: str, layout: Path, source: Path) -> None:
    """What to type next, as it will run."""
    program = _program()
    results().line()
    results().line(f"Layouts, data and tables are in {folder}. To go on:", "bold")
    for command in (
        f"{program} survey {source}",
        f"{program} preview {layout} {source}",
        f"{program} draft YOUR-FILE -o layout.yaml",
    ):
        results().line(f"  {command}", whole=True)


def _program() -> str:
    """How this program is called: by its name where that is found, else by its place."""
    found = shutil.which("flatledger")
    called = Path(sys.argv[0])
    if called.name == "__main__.py":
        return f"{sys.executable} -m flatledger"
    if found is not None and os.path.realpath(found) == os.path.realpath(called):
        return "flatledger"
    try:
        return str(called.resolve().relative_to(Path.cwd()))
    except ValueError:
        return str(called)
