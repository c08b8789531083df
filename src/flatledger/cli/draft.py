"""``flatledger draft``: a layout to begin with."""

from __future__ import annotations

import shlex
from pathlib import Path
from typing import Any

import click

from ..api.draft import draft
from ..api.notes import learnt
from ..api.survey import SAMPLE
from ..layout.model.note import note_of
from ..outputs import Target, check_suffix
from ..sources.sets.found_files import inputs_of
from .terminal import check_typed, reports
from .typed import Source

REMEDY = "--replace replaces it"


def run_draft(
    source: Source,
    everything: bool,
    to: str | None,
    replace: bool,
    learn: bool,
    fit_to: str | None,
    **options: Any,
) -> int:
    """Write the drafted layout; a file that is there already stays, unless it is to be replaced."""
    if learn and to in (None, "-"):
        raise click.UsageError("--learn puts a note beside the layout: say where with -o FILE.")
    inputs = [*inputs_of(source), *([fit_to] if fit_to else [])]
    check_typed(inputs, {"the layout": to, "the note": note_of(Path(to)) if to and learn else None})
    if to:
        check_suffix(to, (".yaml", ".yml", ".txt"), "a layout")
    with Target(to or "-", "replace" if replace else "refuse", REMEDY) as target:
        sample = None if everything else SAMPLE
        text = draft(source, sample=sample, fit_to=fit_to, **options)
        target.write(text.encode())
    if to and learn:
        note = note_of(Path(to))
        with Target(note, "replace") as target:
            target.write(learnt(Path(to), text.fields, {}).encode())
        reports().line(f"{note} knows its {len(text.fields):,} fields")
    if to not in (None, "-"):
        typed = shlex.join([source] if isinstance(source, str) else source)
        reports().line(f"Wrote {to}; now: flatledger export {to} {typed}")
    return 0
