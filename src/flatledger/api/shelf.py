"""The shelf: saved layouts, conditions and lists. What is replaced or removed is kept."""

from __future__ import annotations

import datetime as dt
import re
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from os import PathLike
from pathlib import Path

import msgspec

from ..errors import LayoutError, OutputError, ShelfError
from ..layout.model.names import nearest
from ..layout.model.shelved import ShelfCategory
from ..layout.model.text import ItemMap
from ..layout.reading.assembling import check_conditions
from ..outputs import Target
from ..outputs.places.locks import LockedError, locked
from .arguments import check_choice
from .layout import Layout
from .layout_files import FilesOf, read_items, read_list
from .shelf_folders import FOLDERS, SUFFIXES, ShelfFolders, files_in

FORMER = "former"
LONGEST_WAIT = 30  # seconds, for another run that writes to the shelf
_NAME = re.compile(r"\w[\w .+-]{0,99}")


class Entry(msgspec.Struct, frozen=True):
    """Something on the shelf. ``hidden``: a folder that comes first has one of this name."""

    name: str
    category: ShelfCategory
    about: str
    path: Path
    hidden: bool = False


class Shelf(ShelfFolders):
    """What is saved, by category (``layout``, ``conditions``, ``list``) and name.

    ``folders`` are its own; left out, the usual ones: a person's, then shared ones. What is put or
    saved goes to the first. Folders that are not there are empty.

    >>> from tempfile import mkdtemp
    >>> shelf = Shelf([mkdtemp()])
    >>> place = shelf.save(Layout.from_data({"columns": [{"No": "no"}]}), "numbers")
    >>> [(str(entry.category), entry.name) for entry in shelf.entries()]
    [('layout', 'numbers')]
    """

    def entries(self) -> list[Entry]:
        """Everything on the shelf: by category, then by name, the hidden after what hides it.

        >>> Shelf(["/nowhere"]).entries()
        []
        """
        found = []
        for category in SUFFIXES:
            seen: set[str] = set()
            files = [file for folder in self.folders for file in files_in(folder, category)]
            for file in sorted(files, key=lambda file: file.stem):
                hidden = file.stem in seen
                seen.add(file.stem)
                found.append(Entry(file.stem, category, _about(file, category), file, hidden))
        return found

    def _repr_html_(self) -> str:
        from ..reports.notebook import table_fragment

        rows = [(one.name, one.category, one.about, str(one.path)) for one in self.entries()]
        return table_fragment(("name", "what", "what it is for", "file"), rows)

    def put(
        self,
        file: str | PathLike[str],
        name: str | None = None,
        *,
        replace: bool = False,
        with_files: bool = False,
    ) -> Path:
        """Put a layout, conditions or a list on the personal shelf; return where it stands.

        Without a ``name`` it has that of the layout, or else of the file. What it holds is checked
        first. Files that a layout names are taken along ``with_files``. Raises LayoutError, and
        ShelfError where the name is taken and is not to be replaced, or where such a file would not
        be found.

        >>> from tempfile import mkdtemp
        >>> demo = Path(__file__).parents[1] / "demo"
        >>> Shelf([mkdtemp()]).put(demo / "wanted.txt", "some").name
        'some.txt'
        """
        source = Path(file)
        category = _category_of(source)
        layout = Layout.from_file(source, self) if category is ShelfCategory.LAYOUT else None
        name = name or (layout.name if layout is not None else source.stem)
        place = self._place(
            category,
            name,
            source.suffix if category is ShelfCategory.LIST else SUFFIXES[category][0],
        )
        if category is ShelfCategory.LIST:
            read_list(source)
        elif category is ShelfCategory.CONDITIONS:
            check_conditions(read_items(source), str(source), FilesOf(None, self))
        content = _read(source)
        if layout is None:
            return self._write(content, category, name, place, replace)
        beside = _named_beside(layout, source)
        if not with_files:
            self._check_found(content.decode("utf-8-sig"), source, place, beside)
        place = self._write(content, category, name, place, replace)
        if with_files:
            for one in beside:
                self._take_along(one, place.parent / one.relative_to(source.parent.resolve()))
        return place

    def _check_found(self, text: str, source: Path, place: Path, beside: list[Path]) -> None:
        """Raise ShelfError where a layout would not find on the shelf what lies beside it."""
        try:
            Layout.from_text(text, source.name, self, folder=place.parent)
        except LayoutError as error:
            if not beside:
                raise
            names = ", ".join(one.name for one in beside)
            raise ShelfError(
                f"{source.name} names {names} beside it, which would not be found on the shelf: "
                "have its files taken along (a list can also be put on the shelf by itself)"
            ).typing("--with-files") from error

    def _take_along(self, file: Path, place: Path) -> None:
        """Copy what lies beside a layout to where it lies beside it on the shelf; what was there is
        among the former ones."""
        with self._alone():
            place.parent.mkdir(parents=True, exist_ok=True)
            (place.parent / FORMER).mkdir(exist_ok=True)
            content = _read(file)
            if place.exists() and place.read_bytes() != content:
                _keep_former(place)
            with Target(place, "replace") as target:
                target.write(content)

    def save(self, layout: Layout, name: str, *, replace: bool = False) -> Path:
        """Keep a layout on the personal shelf under a name; return where it stands.

        Raises ShelfError where the name is taken and is not to be replaced, and LayoutError where
        it names a file that is not beside it there.

        >>> from tempfile import mkdtemp
        >>> shelf, layout = Shelf([mkdtemp()]), Layout.from_data({"columns": [{"No": "no"}]})
        >>> shelf.save(layout, "numbers").name
        'numbers.yaml'
        """
        place = self.check_save(layout, name, replace=replace)
        text = layout.named(name).to_text()
        return self._write(text.encode(), ShelfCategory.LAYOUT, name, place, replace)

    def check_save(self, layout: Layout, name: str, *, replace: bool = False) -> Path:
        """Where a layout would be kept. Raises as `save` does.

        >>> layout = Layout.from_data({"columns": [{"No": "no"}]})
        >>> Shelf(["/nowhere"]).check_save(layout, "numbers").name
        'numbers.yaml'
        """
        place = self._place(ShelfCategory.LAYOUT, name, SUFFIXES[ShelfCategory.LAYOUT][0])
        if not replace:
            self._check_free(name, ShelfCategory.LAYOUT)
        Layout.from_text(layout.to_text(), name, self, folder=place.parent)
        return place

    def get(self, name: str, category: str | None = None) -> str:
        """The text of something on the shelf. Raises ShelfError, also where the name is that of
        several categories and none is said.

        >>> from tempfile import mkdtemp
        >>> shelf, layout = Shelf([mkdtemp()]), Layout.from_data({"columns": [{"No": "no"}]})
        >>> place = shelf.save(layout, "numbers")
        >>> shelf.get("numbers").splitlines()
        ['layout: numbers', 'columns:', '  - No: no']
        """
        return _read(self.file_of(name, category)).decode("utf-8-sig")

    def file_of(self, name: str, category: str | None = None) -> Path:
        """The file of something on the shelf. Raises ShelfError, as `get` does.

        >>> Shelf(["/nowhere"]).file_of("numbers", "list")
        Traceback (most recent call last):
        flatledger.errors.ShelfError: no list `numbers` on the shelf; `flatledger shelf` lists \
what there is
        """
        if category is not None:
            return self.find(_known(category), name)
        entries = [one for one in self.entries() if one.name == name and not one.hidden]
        if len(entries) > 1:
            categories = " and ".join(entry.category for entry in entries)
            raise ShelfError(f"`{name}` is the name of {categories}; say which").typing("--kind")
        if entries:
            return entries[0].path
        near = nearest(name, [one.name for one in self.entries()])
        if near is not None:
            raise ShelfError(f"nothing is called `{name}` on the shelf; did you mean `{near}`?")
        return self.find(ShelfCategory.LAYOUT, name)

    def remove(self, name: str, category: str | None = None) -> Path:
        """Take something off the personal shelf; return where it is kept.

        Raises ShelfError, also where it is on a shared shelf only.

        >>> from tempfile import mkdtemp
        >>> shelf, layout = Shelf([mkdtemp()]), Layout.from_data({"columns": [{"No": "no"}]})
        >>> place = shelf.save(layout, "numbers")
        >>> shelf.remove("numbers").parent.name, shelf.entries()
        ('former', [])
        """
        file = self.file_of(name, category)
        if self.folders[0] not in file.parents:
            raise ShelfError(f"`{name}` is on a shared shelf, in {file.parent}; remove it there")
        with self._alone():
            kept = _keep_former(file)
            file.unlink()
        return kept

    # ---- the personal folder

    def _place(self, category: ShelfCategory, name: str, suffix: str) -> Path:
        """Where something of this name stands, or would stand, in the personal folder."""
        if not _NAME.fullmatch(name):
            raise ShelfError(
                f"`{name}` can't be a name on the shelf: letters, digits, blanks and . + - _, "
                "beginning with a letter or digit"
            )
        return self.folders[0] / FOLDERS[category] / f"{name}{suffix}"

    def _check_free(self, name: str, category: ShelfCategory) -> None:
        """Raise ShelfError where the personal shelf has something of this category and name."""
        if any(self._place(category, name, suffix).exists() for suffix in SUFFIXES[category]):
            raise ShelfError(
                f"`{name}` is on the shelf already; choose another name, remove it first, or have "
                "it replaced"
            ).typing("--replace")

    def _write(
        self, content: bytes, category: ShelfCategory, name: str, place: Path, replace: bool
    ) -> Path:
        """Put something in its place; what stands there is among the former ones before it goes."""
        with self._alone():
            if not replace:
                self._check_free(name, category)
            files = [self._place(category, name, suffix) for suffix in SUFFIXES[category]]
            for file in files:
                if file.exists():
                    _keep_former(file)
            with Target(place, "replace") as target:
                target.write(content)
            for file in files:
                if file != place:
                    file.unlink(missing_ok=True)
        return place

    @contextmanager
    def _alone(self) -> Iterator[None]:
        """The personal shelf while nobody else writes to it."""
        folder = self.folders[0]
        with ExitStack() as held:
            try:
                for name in FOLDERS.values():
                    (folder / name / FORMER).mkdir(parents=True, exist_ok=True)
                held.enter_context(locked(folder / ".lock", LONGEST_WAIT))
            except LockedError:
                message = f"another run is still writing to {folder}; try again later"
                raise ShelfError(message) from None
            except OSError as error:
                raise OutputError(f"{folder} can't be written: {error.strerror}") from error
            yield


def _named_beside(layout: Layout, file: Path) -> list[Path]:
    """The files beside or below a layout that it names."""
    folder, own = file.parent.resolve(), file.resolve()
    found = {one.resolve() for one in layout.taking_part() if one.is_file()} - {own}
    return sorted(one for one in found if one.is_relative_to(folder))


def _known(category: str) -> ShelfCategory:
    """A category by its name. Raises ArgumentError."""
    check_choice("category", category, [*ShelfCategory])
    return ShelfCategory(category)


def _category_of(path: Path) -> ShelfCategory:
    """What a file is: a list by its suffix, else conditions where it has `only` and no columns."""
    if path.suffix in SUFFIXES[ShelfCategory.LIST]:
        return ShelfCategory.LIST
    item = read_items(path)
    keys = {key.text for key, _ in item.pairs} if isinstance(item, ItemMap) else set()
    conditions = "only" in keys and not keys & {"columns", "from"}
    return ShelfCategory.CONDITIONS if conditions else ShelfCategory.LAYOUT


def _about(file: Path, category: ShelfCategory) -> str:
    """What it is for, in its own words; a list says how long it is."""
    try:
        if category is ShelfCategory.LIST:
            return f"{len(read_list(file)):,} values"
        item = read_items(file)
    except LayoutError as error:
        return f"(can't be used: {error.problems[0].message})"
    pairs = item.pairs if isinstance(item, ItemMap) else ()
    texts = [value.text for key, value in pairs if key.text == "about" and hasattr(value, "text")]
    return " ".join(" ".join(texts).split())


def _keep_former(file: Path) -> Path:
    """Keep a file's content among the former ones, under its name and the time."""
    former = file.parent / FORMER
    while (kept := former / f"{file.stem} {_now()}{file.suffix}").exists():
        time.sleep(0.001)
    try:
        with Target(kept, "number") as target:
            target.write(file.read_bytes())
    except OSError as error:
        raise OutputError(f"{file} can't be read: {error.strerror}") from error
    return kept


def _now() -> str:
    return dt.datetime.now().strftime("%Y-%m-%dT%H%M%S.%f")


def _read(file: Path) -> bytes:
    try:
        return file.read_bytes()
    except OSError as error:
        raise ShelfError(f"{file} can't be read: {error.strerror}") from error
