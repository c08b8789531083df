"""The two consoles: results on standard output, reports on standard error."""

from __future__ import annotations

import shutil
import sys

from rich.console import Console

from ..outputs import Target

WIDEST = 160


def _console(to_errors: bool) -> Console:
    stream = sys.stderr if to_errors else sys.stdout
    width = shutil.get_terminal_size().columns if stream.isatty() else WIDEST
    return Console(stderr=to_errors, width=width, soft_wrap=False)


def results() -> Console:
    """The console for results."""
    return _console(to_errors=False)


def errors() -> Console:
    """The console for progress and reports."""
    return _console(to_errors=True)


def write_page(to: str, page: str) -> None:
    """Write a page, and say where it is."""
    with Target(to) as target:
        target.write(page.encode())
    if to != "-":
        errors().print(f"{to} is written", highlight=False, soft_wrap=True)
