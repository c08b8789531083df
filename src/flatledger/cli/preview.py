"""``flatledger preview``: the table before it is written."""

from __future__ import annotations

from ..layout import Layout
from ..previewing import preview
from ..reports.preview_text import print_preview
from .progress import showing_progress
from .terminal import results


def run_preview(layout: Layout, source: str, sample: bool) -> int:
    """Show columns, plan, first rows and counts."""
    with showing_progress() as progress:
        found = preview(layout, source, sample=sample, progress=progress)
    print_preview(layout.name, layout.headings, found, results())
    return 0
