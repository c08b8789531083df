"""The note beside a layout: the fields that its data had when it was made or last learnt.

It is a text file, one path on each line as a survey prints it; lines that begin with # are
comments. No path begins so.
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from .files import reading

SUFFIX = ".fields.txt"


def note_of(layout: Path) -> Path:
    """Where the note of a layout stands.

    >>> note_of(Path("layouts/lines.yaml")).name
    'lines.fields.txt'
    """
    return layout.with_name(layout.stem + SUFFIX)


def read_note(layout: Path) -> frozenset[str] | None:
    """The fields that the note of a layout knows; None where there is no note."""
    note = note_of(layout)
    if not note.exists():
        return None
    with reading(note):
        lines = note.read_text(encoding="utf-8").splitlines()
    return frozenset(line for line in lines if line and not line.startswith("#"))


def note_text(layout: Path, fields: Iterable[str]) -> str:
    """The text of a note.

    >>> print(note_text(Path("lines.yaml"), ["no", "lines.qty"]), end="")
    # The fields that lines.yaml knows; a run tells of others. --learn takes them in.
    lines.qty
    no
    """
    head = f"# The fields that {layout.name} knows; a run tells of others. --learn takes them in."
    return "\n".join([head, *sorted(fields)]) + "\n"
