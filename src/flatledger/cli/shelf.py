"""``flatledger shelf``: what is saved, and putting things there."""

from __future__ import annotations

import msgspec

from ..api.shelf import Shelf
from ..api.shelf_folders import SHELVES, settings_file
from ..outputs import Target
from ..reports.screen import Grid
from ..values.visible import encodable, steerless_json
from .draft import REMEDY
from .terminal import check_typed, reports, results


def list_shelf(as_json: bool) -> int:
    """Show everything on the shelf, and where the shelf is."""
    shelf = Shelf()
    entries = shelf.entries()
    if as_json:
        data = msgspec.json.format(
            msgspec.json.encode(encodable(msgspec.to_builtins(entries, enc_hook=str))), indent=2
        )
        with Target("-") as target:
            target.write(f"{steerless_json(data.decode())}\n".encode())
        return 0
    grid = Grid(("name", "what", "what it is for", "in"))
    for entry in entries:
        place = shelf.folders.index(entry.path.parent.parent)
        where = "personal" if place == 0 else shelf.folders[place].name
        hidden = " (hidden by the one above)" if entry.hidden else ""
        grid.add(entry.name, entry.category, entry.about, where + hidden)
    if entries:
        results().grid(grid)
    else:
        reports().line("Nothing is on the shelf. flatledger shelf put FILE puts something there.")
    _tell_folders(shelf)
    return 0


def _tell_folders(shelf: Shelf) -> None:
    reports().line(f"The personal shelf is {shelf.folders[0]}", whole=True)
    for folder in shelf.folders[1:]:
        reports().line(f"{folder.name} is {folder}", whole=True)
    if len(shelf.folders) == 1:
        reports().line(
            f"Shared folders can be named in {SHELVES}, or under `shelves` in {settings_file()}",
            whole=True,
        )


def put_on_shelf(file: str, name: str | None, replace: bool, with_files: bool) -> int:
    """Put a file on the shelf; what is there is replaced only where that is said, and is kept."""
    place = Shelf().put(file, name, replace=replace, with_files=with_files)
    reports().line(f"Saved as `{place.stem}` on your shelf: {place}", whole=True)
    return 0


def get_from_shelf(name: str, category: str | None, to: str | None, replace: bool) -> int:
    """Write something's text to a file that is not there yet, or to standard output."""
    check_typed([Shelf().file_of(name, category)], {"it": to})
    text = Shelf().get(name, category)
    with Target(to or "-", "replace" if replace else "refuse", REMEDY) as target:
        target.write(text.encode())
    if to and target.replaces:
        reports().line(f"Wrote {to}", whole=True)
    return 0


def remove_from_shelf(name: str, category: str | None) -> int:
    """Take something off the shelf and say where it is kept."""
    kept = Shelf().remove(name, category)
    reports().line(f"Removed `{name}` from the shelf; a copy is in {kept}", whole=True)
    return 0
