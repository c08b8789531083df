"""Where a run writes to, and whether it may."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from msgspec.structs import replace

from ..errors import OutputError
from ..layout.model import IfThere, Output
from ..layout.note import note_of
from ..outputs import Destination, Target, check_apart, check_suffix, check_table
from ..outputs.files import is_file, name_of
from ..outputs.formats import TEXTS
from ..sources import AnySource
from .layout import Layout


class Places(NamedTuple):
    """The places of a run, and what becomes of files that are there."""

    table: Destination
    faults: Destination | None
    report: Destination | None
    if_there: IfThere

    def target(self, place: Destination | None) -> Target | None:
        """One of them, to be written to."""
        return None if place is None else Target(place, self.if_there)


def own_place(output: Output) -> str:
    """Where the layout says that its table goes: in the folder where it is run, or below.

    Raises OutputError.
    """
    file = output.file
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


def check_places(
    places: Places, source: AnySource, layout: Layout, output: Output, *, learn: bool = False
) -> None:
    """Raise OutputError where a place can't be written to, before anything is read."""
    inputs = layout.taking_part()
    outputs = {"the table": places.table, "the faults": places.faults, "the report": places.report}
    check_apart([source, *inputs], outputs)
    if learn and layout.path is not None:
        note = note_of(layout.path)
        check_apart([source, *(one for one in inputs if one != note)], {"the note": note})
    check_table(replace(layout.request, output=output), name_of(places.table))
    if places.faults is not None:
        check_suffix(name_of(places.faults), TEXTS, "the table of faults")
    if places.report is not None:
        check_suffix(name_of(places.report), (".json", ".txt"), "the balance")


def check_own_place(layout: Layout, source: AnySource, output: Output) -> None:
    """Make the checks of an export to the layout's own file, if it names one; nothing is left."""
    if output.file is None:
        return
    place = own_place(output)
    places = Places(place, None, None, output.if_there)
    check_places(places, source, layout, output)
    if is_file(place) or Path(place).is_dir():
        Target(places.table, places.if_there).abandon()
