"""The files that a layout is made of, opened: other layouts, conditions, lists, codes, a form."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..errors import LayoutError, Problem
from ..layout.model.model import FormReference, PublishedForm
from ..layout.model.names import proposal
from ..layout.model.shelved import ShelfCategory
from ..layout.model.text import Item, read_yaml
from ..values.functions import text_of
from .files_met import reading
from .shelf_folders import SUFFIXES, ShelfFolders

if TYPE_CHECKING:
    from ..sources.sets.list_files import OpenedList

# ---- reading them ----------------------------------------------------------------------------


def read_items(path: Path) -> Item:
    """The items of a YAML file. Raises LayoutError where it can't be read."""
    with reading(path):
        text = path.read_text(encoding="utf-8-sig")
    return read_yaml(text, str(path))


def read_list(path: Path, heading: str | None = None) -> tuple[str, ...]:
    """The values of a list, each once, in order; blank lines and blanks around are left out.

    Of a table (delimited text, a workbook, JSON) it is the column under ``heading``, or the first
    one. Raises LayoutError where the file can't be read or has no such heading.
    """
    if path.suffix != ".txt":
        return values_of(_column(path, heading))
    with reading(path), path.open(encoding="utf-8-sig") as file:
        return values_of(file)


def values_of(lines: Iterable[str]) -> tuple[str, ...]:
    """What stands on lines: each value once, in order.

    >>> values_of(["R-1", "", " R-2 ", "R-1"])
    ('R-1', 'R-2')
    """
    values = dict.fromkeys(map(str.strip, lines))
    values.pop("", None)
    return tuple(values)


def _opened(path: Path) -> OpenedList:
    from ..sources.sets.list_files import OpenedList

    return OpenedList(str(path))


def _column(path: Path, heading: str | None) -> list[str]:
    with reading(path), _opened(path) as found:
        if heading is not None and heading not in found.names:
            hint = proposal(heading, found.names) or f"; there are {', '.join(found.names)}"
            raise LayoutError(str(path), [Problem(f"no heading `{heading}`{hint}")])
        name = heading if heading is not None else next(iter(found.names), "")
        return [text_of(cell) for one in found.entries if (cell := one.get(name)) is not None]


def read_codes(path: Path) -> dict[str, str]:
    """A code list: the first two columns of a table below its headings.

    Raises LayoutError where it can't be read, or where a code comes twice.
    """
    codes: dict[str, str] = {}
    numbers: dict[str, int] = {}
    with reading(path), _opened(path) as found:
        if len(found.names) < 2:
            message = "a code list has two columns: the codes, and what they are called"
            raise LayoutError(str(path), [Problem(message)])
        for number, entry in enumerate(found.entries, 1):
            code, wording = (_text(entry.get(name)) for name in found.names[:2])
            if code in codes:
                message = f"the code `{code}` comes twice, in entries {numbers[code]} and {number}"
                raise LayoutError(str(path), [Problem(message)])
            codes[code], numbers[code] = wording, number
    return codes


def _text(cell: Any) -> str:
    return "" if cell is None else text_of(cell).strip()


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
        raise LayoutError(name, [Problem(f"the file can't be read: {error}")]) from error
    if not inside:
        problem = Problem("this is a link out of the layout's folder, which layouts do not follow")
        raise LayoutError(name, [problem])
    return found


class FilesOf:
    """The files that a layout in ``folder`` names, and what it names on the shelf.

    A name that ends as a file does is one beside or below the layout, any other is on the shelf.
    ``typed_in`` is the folder in which something was typed beside the layout: what is not there
    with the layout is looked for in it.
    """

    def __init__(
        self, folder: Path | None, shelf: ShelfFolders, typed_in: Path | None = None
    ) -> None:
        self.folder, self.shelf, self._typed_in = folder, shelf, typed_in

    def typed_beside(self, folder: Path) -> FilesOf:
        """The same, with what is typed in a folder."""
        return FilesOf(self.folder, self.shelf, folder)

    def _beside(self, name: str) -> Path:
        if self._typed_in is None:
            return beside(name, self.folder)
        here = beside(name, self._typed_in)
        there = here if self.folder is None else beside(name, self.folder)
        return there if there.exists() or not here.exists() else here

    def place(self, category: ShelfCategory, name: str) -> str:
        if Path(name).suffix in SUFFIXES[category]:
            return str(self._beside(name).resolve())
        return str(self.shelf.find(category, name).resolve())

    def opened(self, place: str) -> tuple[Item, FilesOf]:
        path = Path(place)
        return read_items(path), FilesOf(path.parent, self.shelf)

    def codes(self, name: str) -> dict[str, str]:
        return read_codes(self._beside(name))

    def values(self, name: str, heading: str | None) -> tuple[str, ...]:
        if Path(name).suffix not in SUFFIXES[ShelfCategory.LIST]:
            return read_list(self.shelf.find(ShelfCategory.LIST, name), heading)
        path = self._beside(name)
        if not path.exists():  # it may have gone to the shelf, as the layout has
            path = next(
                (one for one in self.shelf.files(ShelfCategory.LIST) if one.name == name), path
            )
        return read_list(path, heading)

    def form(self, reference: FormReference) -> PublishedForm:
        from .form_files import read_form

        return read_form(self._beside(reference.file), reference)

    def lookup(self, name: str) -> str:
        path = self._beside(name)
        if not path.is_file():
            raise LayoutError(str(path), [Problem("there is no such file")])
        return str(path)
