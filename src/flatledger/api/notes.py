"""The file of a note beside a layout."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path

from ..errors import LayoutError, Problem
from ..layout.model.note import FORMER, Note, note_of, note_text, parse_note, with_more
from .files_met import reading
from .layout import Layout


def note_beside(layout: Layout, *, learn: bool = False) -> Note | None:
    """The note beside a layout's file; None where there is none.

    One that is to ``learn`` has one that knows nothing, where there is none yet. Raises LayoutError
    where the note can't be read, or where a layout is to learn that is in no file.
    """
    if layout.path is None:
        if learn:
            problem = Problem("a layout learns when it is in a file; save it")
            raise LayoutError(layout.name, [problem])
        return None
    path = note_of(layout.path)
    former = layout.path.with_name(layout.path.stem + FORMER)
    if former.exists() and not path.exists():
        problem = Problem(f"the note {former.name} is called {path.name} now; rename it")
        raise LayoutError(layout.name, [problem])
    if not path.exists():
        return Note(frozenset()) if learn else None
    return parse_note(_text(path), str(path))


def learnt(layout: Path, fields: Iterable[str], keys: Mapping[str, Iterable[str]]) -> str:
    """The text of a layout's note, once it has taken in fields and keys. Raises LayoutError."""
    text = note_text(layout, fields, keys)
    note = note_of(layout)
    return with_more(_text(note), text) if note.exists() else text


def _text(note: Path) -> str:
    with reading(note):
        return note.read_text(encoding="utf-8")
