"""Pages that a command writes, and the screens for what it says."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from ..errors import SamePlaceError
from ..outputs import Target, check_apart, check_suffix
from ..reports.screen import reports, results

__all__ = ["check_page", "check_typed", "reports", "results", "write_page"]
WRONG_COMMAND = 2


def check_typed(inputs: Iterable[Any], outputs: dict[str, Any]) -> None:
    """Raise SamePlaceError, as a wrong command line, where an output takes part otherwise."""
    try:
        check_apart(inputs, outputs.items())
    except SamePlaceError as error:
        error.exit_code = WRONG_COMMAND
        raise


def check_page(page: str | None, inputs: Iterable[Path | str]) -> None:
    """Raise OutputError where a page can't be written to a place, by its name."""
    if page is not None:
        check_typed(inputs, {"the page": page})
        check_suffix(page, (".html", ".htm"), "a page")


def write_page(to: str, page: str) -> None:
    """Write a page, and say where it is."""
    with Target(to) as target:
        target.write(page.encode())
    for note in target.notes:
        reports().line(f"Note: {note}")
    if target.replaces:
        replaced = " (replaced)" if target.replaced else ""
        reports().line(f"Wrote {target.name}{replaced}", whole=True)
