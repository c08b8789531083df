"""``flatledger preview``: the table before it is written."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..api.layout import Layout
from ..api.preview import previews
from ..reports.preview_page import preview_page
from ..reports.preview_text import print_preview
from ..sources.sets.found_files import inputs_of
from .progress import showing_progress
from .terminal import check_page, results, write_page
from .typed import Source


def run_preview(
    layout: Layout,
    source: Source,
    ask: Mapping[str, Any],
    sample: bool,
    rows: int,
    page: str | None,
) -> int:
    """Show the plan, the first rows, the columns and the counts."""
    check_page(page, [*inputs_of(source), *layout.taking_part()])
    with showing_progress() as progress:
        found = previews(layout, source, sample=sample, rows=rows, ask=ask, progress=progress)
    if page:
        write_page(page, preview_page(layout.name, list(found.values())))
        return 0
    for at, one in enumerate(found.values()):
        results().lines([""] * bool(at))
        print_preview(one, results())
    return 0
