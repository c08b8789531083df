"""The files that a layout is made of, opened: other layouts, conditions, lists, codes, a form."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import islice
from pathlib import Path

from ..errors import LayoutError, Problem
from ..layout.files import Kind
from ..layout.model import FormReference, PublishedForm
from ..layout.names import proposal
from ..layout.text import Item, read_yaml
from ..sources.csv_files import csv_rows
from .files_met import reading
from .form_files import read_form
from .shelf_folders import SUFFIXES, ShelfFolders

# ---- reading them ----------------------------------------------------------------------------


def read_items(path: Path) -> Item:
    """The items of a YAML file. Raises LayoutError where it can't be read."""
    with reading(path):
        text = path.read_text(encoding="utf-8-sig")
    return read_yaml(text, str(path))


def read_list(path: Path, heading: str | None = None) -> tuple[str, ...]:
    """The values of a list, each once, in order; blank lines and blanks around are left out.

    Of a CSV file (with a comma, semicolon or tab) it is the column under ``heading``, or the first
    one. Raises LayoutError where the file can't be read or has no such heading.
    """
    with reading(path):
        if path.suffix == ".csv":
            return values_of(_column(path, heading))
        with path.open(encoding="utf-8-sig") as file:
            return values_of(file)


def values_of(lines: Iterable[str]) -> tuple[str, ...]:
    """What stands on lines: each value once, in order.

    >>> values_of(["R-1", "", " R-2 ", "R-1"])
    ('R-1', 'R-2')
    """
    values = dict.fromkeys(map(str.strip, lines))
    values.pop("", None)
    return tuple(values)


def _column(path: Path, heading: str | None) -> Iterator[str]:
    rows = csv_rows(path)
    _, headings = next(rows, (0, []))
    if heading is not None and heading not in headings:
        hint = proposal(heading, headings) or f"; there are {', '.join(headings)}"
        raise LayoutError(str(path), [Problem(f"no heading `{heading}`{hint}")])
    place = headings.index(heading) if heading is not None else 0
    yield from (row[place] for _, row in rows if place < len(row))


def read_codes(path: Path) -> dict[str, str]:
    """A code list: the first two columns of a CSV file below its header.

    Raises LayoutError where it can't be read, or where a code comes twice.
    """
    codes: dict[str, str] = {}
    lines: dict[str, int] = {}
    with reading(path):
        for line, row in islice(csv_rows(path), 1, None):
            if len(row) < 2:
                continue
            code = row[0].strip()
            if code in codes:
                message = f"the code `{code}` comes twice, on lines {lines[code]} and {line}"
                raise LayoutError(str(path), [Problem(message)])
            codes[code], lines[code] = row[1].strip(), line
    return codes


# ---- finding them ----------------------------------------------------------------------------


def beside(name: str, folder: Path | None) -> Path:
    """A file that a layout names: beside or below itself. Raises LayoutError."""
    path = Path(name)
    if path.is_absolute() or ".." in path.parts:
        problem = Problem("a layout names files beside or below itself only")
        raise LayoutError(name, [problem])
    if folder is None:
        problem = Problem("a layout that is not in a file has nothing beside it; use the shelf")
        raise LayoutError(name, [problem])
    found = folder / path
    try:
        inside = found.resolve().is_relative_to(folder.resolve())
    except (OSError, RuntimeError, ValueError) as error:
        raise LayoutError(name, [Problem(f"the file can't be read: {error}")]) from None
    if not inside:
        problem = Problem("this is a link out of the layout's folder, which layouts do not follow")
        raise LayoutError(name, [problem])
    return found


class FilesOf:
    """The files that a layout in ``folder`` names, and what it names on the shelf.

    A name that ends as a file does is one beside or below the layout, any other is on the shelf.
    """

    def __init__(self, folder: Path | None, shelf: ShelfFolders) -> None:
        self.folder, self.shelf = folder, shelf

    def place(self, kind: Kind, name: str) -> str:
        if Path(name).suffix in SUFFIXES[kind]:
            return str(beside(name, self.folder).resolve())
        return str(self.shelf.find(kind, name).resolve())

    def opened(self, place: str) -> tuple[Item, FilesOf]:
        path = Path(place)
        return read_items(path), FilesOf(path.parent, self.shelf)

    def codes(self, name: str) -> dict[str, str]:
        return read_codes(beside(name, self.folder))

    def values(self, name: str, heading: str | None) -> tuple[str, ...]:
        if Path(name).suffix in SUFFIXES["list"]:
            return read_list(beside(name, self.folder), heading)
        return read_list(self.shelf.find("list", name), heading)

    def form(self, reference: FormReference) -> PublishedForm:
        return read_form(beside(reference.file, self.folder), reference)

    def lookup(self, name: str) -> str:
        path = beside(name, self.folder)
        if not path.is_file():
            raise LayoutError(str(path), [Problem("there is no such file")])
        return str(path)
