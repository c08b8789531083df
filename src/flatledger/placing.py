"""Where a run writes to, and whether it may."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from .errors import OutputError
from .layout import Layout
from .layout.known import note_of
from .layout.model import IfThere
from .outputs import Place, Target, check_apart, check_format, check_place
from .outputs.files import is_file, name_of
from .outputs.writing import TEXTS
from .sources import AnySource


class Places(NamedTuple):
    """The places of a run, and what becomes of files that are there."""

    table: Place
    faults: Place | None
    report: Place | None
    if_there: IfThere

    def target(self, place: Place | None) -> Target | None:
        """One of them, to be written to."""
        return None if place is None else Target(place, self.if_there)


def own_place(layout: Layout) -> str:
    """Where the layout says that its table goes: in the folder where it is run, or below.

    Raises OutputError.
    """
    file = layout.model.output.file
    if file is None:
        raise OutputError("nowhere to write to: name a file, or put `output: file` in the layout")
    try:
        inside = Path(file).resolve().is_relative_to(Path.cwd().resolve())
    except (OSError, RuntimeError) as error:
        raise OutputError(f"{file} can't be written: {error}") from None
    if not inside:
        raise OutputError(
            f"{file} is a link out of this folder, which a layout's `output: file` does not "
            "follow; name the file on the command line"
        )
    return file


def check_places(places: Places, source: AnySource, layout: Layout, learn: bool = False) -> None:
    """Raise OutputError where a place can't be written to, before anything is read."""
    inputs = layout.taking_part()
    outputs = {"the table": places.table, "the faults": places.faults, "the report": places.report}
    check_apart([source, *inputs], outputs)
    if learn and layout.path is not None:
        note = note_of(layout.path)
        check_apart([source, *(one for one in inputs if one != note)], {"the note": note})
    check_place(layout.model, name_of(places.table))
    if places.faults is not None:
        check_format(name_of(places.faults), TEXTS, "the table of faults")
    if places.report is not None:
        check_format(name_of(places.report), (".json", ".txt"), "the balance")


def check_own_place(layout: Layout, source: AnySource) -> None:
    """Make the checks of an export to the layout's own file, if it names one; nothing is left."""
    if layout.model.output.file is None:
        return
    places = Places(own_place(layout), None, None, layout.model.output.if_there)
    check_places(places, source, layout)
    if is_file(own_place(layout)) or Path(own_place(layout)).is_dir():
        Target(places.table, places.if_there).abandon()
