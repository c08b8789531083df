"""The folders of the shelf, a person's own and shared ones, and finding things in them.

A folder of the shelf holds ``layouts``, ``conditions`` and ``lists``. The personal one comes first,
then those that the environment variable names, then those of the settings file.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from os import PathLike
from pathlib import Path

from ..errors import LayoutError, Problem, ShelfError
from ..layout.model.names import nearest
from ..layout.model.shelved import ShelfCategory
from ..layout.model.text import ItemList, ItemMap, Scalar, read_yaml

SHELVES = "FLATLEDGER_SHELVES"  # folders, parted as in PATH
FOLDERS = {
    ShelfCategory.LAYOUT: "layouts",
    ShelfCategory.CONDITIONS: "conditions",
    ShelfCategory.LIST: "lists",
}
SUFFIXES: dict[ShelfCategory, tuple[str, ...]] = {
    ShelfCategory.LAYOUT: (".yaml", ".yml"),
    ShelfCategory.CONDITIONS: (".yaml", ".yml"),
    ShelfCategory.LIST: (".txt", ".csv", ".tsv", ".xlsx", ".ods", ".json", ".jsonl"),
}


class ShelfFolders:
    """Folders in which saved things are found. Those that are not there are empty."""

    def __init__(self, folders: Sequence[str | PathLike[str]] | None = None) -> None:
        self._folders = None if folders is None else [Path(one) for one in folders]

    @property
    def folders(self) -> list[Path]:
        """Its folders, the personal one first. Raises LayoutError where settings are wrong."""
        if self._folders is None:
            self._folders = usual_folders()
        return self._folders

    def files(self, category: ShelfCategory) -> list[Path]:
        """All files of a category, those of the first folder first."""
        return [file for folder in self.folders for file in files_in(folder, category)]

    def find(self, category: ShelfCategory, name: str) -> Path:
        """The file of a layout, of conditions or of a list. Raises ShelfError."""
        files = self.files(category)
        for file in files:
            if file.stem == name:
                return file
        near = nearest(name, [file.stem for file in files])
        hint = f"did you mean `{near}`?" if near else "`flatledger shelf` lists what there is"
        raise ShelfError(f"no {category} `{name}` on the shelf; {hint}")


def files_in(folder: Path, category: ShelfCategory) -> list[Path]:
    """The files of one category in a folder of the shelf."""
    try:
        files = sorted((folder / FOLDERS[category]).iterdir())
    except OSError:
        return []
    return [f for f in files if f.suffix in SUFFIXES[category] and not f.name.startswith(".")]


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
    try:
        item = read_yaml(file.read_text(encoding="utf-8-sig"), str(file))
    except (OSError, UnicodeDecodeError) as error:
        raise LayoutError(str(file), [Problem(f"the file can't be read: {error}")]) from error
    pairs = item.pairs if isinstance(item, ItemMap) else ()
    for key, value in pairs:
        folders = value.items if isinstance(value, ItemList) else (value,)
        if key.text != "shelves" or not all(isinstance(one, Scalar) for one in folders):
            message = "settings are `shelves: [folder, …]`, and nothing else so far"
            raise LayoutError(str(file), [Problem(message, key.line, key.column)])
        yield from (one.text for one in folders if isinstance(one, Scalar) and one.text)
