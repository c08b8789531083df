"""The shelf: saved layouts, conditions and lists, in a person's folder and in shared ones.

A folder of the shelf holds ``layouts``, ``conditions`` and ``lists``. The personal one comes first,
then those that the environment variable names, then those of the settings file.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence
from os import PathLike
from pathlib import Path

import msgspec

from ..errors import LayoutError, Problem, ShelfError
from .files import SUFFIXES, read_items, read_list
from .names import nearest
from .text import Mapping, Scalar
from .text import Sequence as Items

SHELVES = "FLATLEDGER_SHELVES"  # folders, parted as in PATH
FOLDERS = {"layout": "layouts", "conditions": "conditions", "list": "lists"}
_NAME = re.compile(r"\w[\w .+-]{0,99}")


class Entry(msgspec.Struct, frozen=True):
    """Something on the shelf. ``hidden``: a folder that comes first has one of this name."""

    name: str
    kind: str
    about: str
    path: Path
    hidden: bool = False


class Shelf:
    """Finds what is saved, by kind and name. Folders that are not there are empty.

    >>> Shelf(["/nowhere"]).entries()
    []
    """

    def __init__(self, folders: Sequence[str | PathLike[str]] | None = None) -> None:
        self._folders = None if folders is None else [Path(one) for one in folders]

    @property
    def folders(self) -> list[Path]:
        """Its folders, the personal one first."""
        if self._folders is None:
            self._folders = usual_folders()
        return self._folders

    def entries(self) -> list[Entry]:
        """Everything on the shelf: by kind, then by name, the hidden after what hides it."""
        found = []
        for kind in SUFFIXES:
            seen: set[str] = set()
            files = [file for folder in self.folders for file in _files(folder, kind)]
            for file in sorted(files, key=lambda file: file.stem):
                hidden = file.stem in seen
                seen.add(file.stem)
                found.append(Entry(file.stem, kind, _about(file, kind), file, hidden))
        return found

    def find(self, kind: str, name: str) -> Path:
        """The file of a layout, of conditions or of a list. Raises ShelfError."""
        for folder in self.folders:
            for file in _files(folder, kind):
                if file.stem == name:
                    return file
        names = [file.stem for folder in self.folders for file in _files(folder, kind)]
        near = nearest(name, names)
        hint = f"did you mean `{near}`?" if near else "`flatledger shelf` lists what there is"
        what = "conditions" if kind == "conditions" else f"{kind}"
        raise ShelfError(f"no {what} `{name}` on the shelf; {hint}")

    def place(self, kind: str, name: str, suffix: str) -> Path:
        """Where something of this name stands, or would stand, in the personal folder."""
        if not _NAME.fullmatch(name):
            raise ShelfError(
                f"`{name}` can't be a name on the shelf: letters, digits, blanks and . + - _, "
                "beginning with a letter or digit"
            )
        return self.folders[0] / FOLDERS[kind] / f"{name}{suffix}"


def usual_folders() -> list[Path]:
    """The personal folder, those of the environment, those of the settings file, in this order."""
    import platformdirs

    personal = Path(platformdirs.user_data_dir("flatledger")) / "shelf"
    named = os.environ.get(SHELVES, "").split(os.pathsep)
    shared = [*(one for one in named if one), *_settings()]
    return list(dict.fromkeys([personal, *(Path(one).expanduser() for one in shared)]))


def settings_file() -> Path:
    """Where the settings are kept: a YAML file with `shelves`, a list of folders."""
    import platformdirs

    return Path(platformdirs.user_config_dir("flatledger")) / "settings.yaml"


def _settings() -> Iterator[str]:
    file = settings_file()
    if not file.is_file():
        return
    item = read_items(file)
    pairs = item.pairs if isinstance(item, Mapping) else ()
    for key, value in pairs:
        folders = value.items if isinstance(value, Items) else (value,)
        if key.text != "shelves" or not all(isinstance(one, Scalar) for one in folders):
            message = "settings are `shelves: [folder, …]`, and nothing else so far"
            raise LayoutError(str(file), [Problem(message, key.line, key.column)])
        yield from (one.text for one in folders if isinstance(one, Scalar) and one.text)


def kind_of_file(path: Path) -> str:
    """What a file is: a list by its suffix, else conditions where it has `only` and no columns."""
    if path.suffix in SUFFIXES["list"]:
        return "list"
    item = read_items(path)
    keys = {key.text for key, _ in item.pairs} if isinstance(item, Mapping) else set()
    return "conditions" if "only" in keys and not keys & {"columns", "from"} else "layout"


def _files(folder: Path, kind: str) -> list[Path]:
    """The files of one kind in a folder of the shelf."""
    try:
        files = sorted((folder / FOLDERS[kind]).iterdir())
    except OSError:
        return []
    return [f for f in files if f.suffix in SUFFIXES[kind] and not f.name.startswith(".")]


def _about(file: Path, kind: str) -> str:
    """What it is for, in its own words; a list says how long it is."""
    try:
        if kind == "list":
            return f"{len(read_list(file)):,} values"
        item = read_items(file)
    except LayoutError as error:
        return f"(can't be used: {error.problems[0].message})"
    pairs = item.pairs if isinstance(item, Mapping) else ()
    texts = [value.text for key, value in pairs if key.text == "about" and hasattr(value, "text")]
    return " ".join(" ".join(texts).split())
