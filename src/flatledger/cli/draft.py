"""``flatledger draft``: a layout to begin with."""

from __future__ import annotations

from pathlib import Path

import click

from ..drafting import draft
from ..errors import OutputError
from ..layout.known import note_of, note_text
from ..outputs import Target
from ..surveying import SAMPLE
from .terminal import errors


def run_draft(
    source: str,
    row_per: str | None,
    records: str | None,
    everything: bool,
    to: str | None,
    learn: bool,
    fit_to: str | None,
) -> int:
    """Write the drafted layout; a file that is there already is not replaced."""
    to_file = bool(to) and to != "-"
    if learn and not to_file:
        raise click.UsageError("--learn puts a note beside the layout: say where with -o FILE.")
    sample = None if everything else SAMPLE
    text = draft(source, row_per=row_per, records=records, sample=sample, fit_to=fit_to)
    if to and to_file and Path(to).exists():
        raise OutputError(f"{to} is there already; name another file, or remove it first")
    _write(to or "-", text)
    if to and learn:
        note = note_of(Path(to))
        _write(str(note), note_text(Path(to), text.fields, {}))
        errors().print(f"{note} knows its {len(text.fields):,} fields", highlight=False)
    if to_file:
        errors().print(f"{to} is written; now: flatledger export {to} {source}", highlight=False)
    return 0


def _write(to: str, text: str) -> None:
    with Target(to) as target:
        target.write(text.encode())
