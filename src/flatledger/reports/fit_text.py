"""How a table fits a published form, in words."""

from __future__ import annotations

from collections import Counter

from ..layout.fitting import ALIKE, EXACTLY, TITLE, misfits
from ..layout.model import Fit


def fit_lines(fit: Fit | None) -> list[str]:
    """A line of counts, then one for each heading that is not the same or has no match."""
    if fit is None:
        return []
    counts = Counter(placed.by for placed in fit.placed)
    found = ", ".join(f"{counts[by]:,} {by}" for by in (EXACTLY, ALIKE, TITLE) if counts[by])
    whole = len(fit.placed) + len(fit.blank)
    placed = f"{len(fit.placed):,} of {whole:,} have a column"
    head = f"Form {fit.form}, headings in row {fit.row}: {placed}"
    return [
        f"{head} ({found})" if found else head,
        *(f"  `{one.heading}` takes `{one.column}`" for one in fit.placed if one.by != EXACTLY),
        *(f"  {misfit}" for misfit in misfits(fit)),
    ]
