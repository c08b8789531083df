"""``flatledger shelf``: what is saved, and putting things there."""

from __future__ import annotations

import sys
from pathlib import Path

import click
import msgspec
from rich.table import Table
from rich.text import Text

from .. import shelving
from ..errors import OutputError
from ..layout.shelf import SHELVES, Shelf, kind_of_file, settings_file
from ..outputs import Target
from .terminal import errors, results


def list_shelf(as_json: bool) -> int:
    """Show everything on the shelf, and where the shelf is."""
    shelf = Shelf()
    entries = shelf.entries()
    if as_json:
        data = msgspec.json.encode(entries, enc_hook=str)
        sys.stdout.write(msgspec.json.format(data, indent=2).decode() + "\n")
        return 0
    table = Table(box=None, pad_edge=False, padding=(0, 3, 0, 0), header_style="underline")
    for heading in ("name", "kind", "what it is for", "in"):
        table.add_column(heading, overflow="fold")
    for entry in entries:
        place = shelf.folders.index(entry.path.parent.parent)
        where = "personal" if place == 0 else shelf.folders[place].name
        hidden = " (hidden by the one above)" if entry.hidden else ""
        table.add_row(Text(entry.name), entry.kind, Text(entry.about), Text(where + hidden))
    if entries:
        results().print(table, highlight=False)
    else:
        errors().print("Nothing is on the shelf. flatledger shelf put FILE puts something there.")
    errors().print(f"The personal shelf is {shelf.folders[0]}", highlight=False, soft_wrap=True)
    for folder in shelf.folders[1:]:
        errors().print(f"{folder.name} is {folder}", highlight=False, soft_wrap=True)
    if len(shelf.folders) == 1:
        errors().print(
            f"Shared folders can be named in {SHELVES}, or under `shelves` in {settings_file()}",
            highlight=False,
            soft_wrap=True,
        )
    return 0


def put_on_shelf(file: str, name: str | None, replace: bool) -> int:
    """Put a file on the shelf; ask before something is replaced, where there is somebody to ask."""
    path = Path(file)
    if not replace:
        replace = may_replace(name or path.stem, kind_of_file(path))
    place = shelving.put(file, name, replace=replace)
    errors().print(f"On the shelf as {place.stem}: {place}", highlight=False, soft_wrap=True)
    return 0


def take_from_shelf(name: str, kind: str | None, to: str | None) -> int:
    """Write something's text to a file that is not there yet, or to standard output."""
    if to and to != "-" and Path(to).exists():
        raise OutputError(f"{to} is there already; name another file, or remove it first")
    text = shelving.take(name, kind)
    with Target(to or "-") as target:
        target.write(text.encode())
    return 0


def remove_from_shelf(name: str, kind: str | None) -> int:
    """Take something off the shelf and say where it is kept."""
    kept = shelving.remove(name, kind)
    errors().print(f"{name} is off the shelf; kept as {kept}", highlight=False, soft_wrap=True)
    return 0


def may_replace(name: str, kind: str) -> bool:
    """Ask whether what has this name is to be replaced; no, where nobody is there to be asked."""
    if not shelving.is_taken(name, kind) or not (sys.stdin.isatty() and sys.stderr.isatty()):
        return False
    return click.confirm(f"{name} is on the shelf already. Replace it? It is kept.", err=True)
