"""The public face of a layout: from a file, from the shelf, from text, from plain data."""

from __future__ import annotations

import copy
import dataclasses
import os
from collections.abc import Iterable, Mapping
from os import PathLike, fspath
from pathlib import Path
from types import MappingProxyType
from typing import Any

import msgspec

from ..errors import LayoutError, Problem
from ..layout.model.model import FormReference, LayoutRequest
from ..layout.model.note import note_of
from ..layout.model.shelved import ShelfCategory
from ..layout.model.text import Item, ItemMap, Scalar, from_data, plain_data, read_yaml, write_yaml
from ..layout.reading.assembling import assemble, with_changes
from ..layout.reading.read_layout import LAYOUT_KEYS, read_layout
from ..layout.reading.read_tables import TABLES, check_chosen, joined_tables, tables_of
from ..layout.reading.with_files import with_files
from .arguments import folder_of
from .files_met import files_met
from .layout_files import FilesOf, read_items
from .shelf_folders import SUFFIXES, ShelfFolders


class Layout:
    """What a table shall be: what a row stands for, its columns, conditions, order and totals.

    Raises LayoutError, with every fault and its place, where the layout cannot be used.

    >>> layout = Layout.from_text('''
    ... row-per: lines
    ... columns:
    ...   - Requisition: no
    ...   - Part: lines.part.code
    ... ''')
    >>> layout.headings
    ('Requisition', 'Part')
    """

    path: Path | None
    files: frozenset[Path]  # those that it is made of
    tables: Mapping[str, Layout]  # by their names, where there are several from one reading
    _request: LayoutRequest | None
    _item: Item
    _of: FilesOf
    _name: str

    def __init__(self, given: AnyLayout) -> None:
        """``given`` is what a person has: plain data, a path, a name on the shelf, or a layout."""
        self.__dict__.update(Layout.of(given).__dict__)

    @classmethod
    def _read(cls, item: Item, name: str, files: FilesOf) -> Layout:
        """The layout that some items say."""
        layout = cls.__new__(cls)
        layout.path, layout.files = None, frozenset()
        layout._item, layout._of, layout._name = item, files, _own_text(item, "layout") or name
        parts = tables_of(item, name)
        layout.tables = MappingProxyType(_each_read(parts, name, files))
        layout._request = None if parts else with_files(read_layout(item, name, files), files)
        return layout

    @property
    def request(self) -> LayoutRequest:
        """What it says. Raises LayoutError where it has several tables."""
        if self._request is None:
            names = ", ".join(self.tables)
            what = f"it has several tables: {names}"
            ways = "name one (`--table`; in Python, layout.tables[…]), or take all (tables())"
            raise LayoutError(self.name, [Problem(f"{what}; {ways}")])
        return self._request

    def __eq__(self, other: object) -> bool:
        """Whether another layout says the same, its keys in whatever order, and names the same
        files.

        >>> Layout({"columns": [{"No": "no"}]}) == Layout.from_text("columns: [No: no]")
        True
        """
        return isinstance(other, Layout) and self._says() == other._says()

    def __hash__(self) -> int:
        return hash(tuple(self.tables) or self.headings)

    def _says(self) -> tuple[Any, ...]:
        own = {self.path, note_of(self.path)} if self.path is not None else set()
        form = None if self.tables else self.request.form
        return plain_data(self._item), {*self.taking_part()} - own, form and form.headings

    @classmethod
    def of(cls, given: AnyLayout) -> Layout:
        """The layout that a person has: itself, plain data, a path, or a name on the shelf.

        Raises LayoutError, and ShelfError where there is no such file and no such name.

        >>> Layout.of({"columns": [{"Requisition": "no"}]}).headings
        ('Requisition',)
        """
        if isinstance(given, Layout):
            return given
        if isinstance(given, Mapping):
            return cls.from_data(given)
        if isinstance(given, str | PathLike):
            return cls.find(given)
        what = f"a layout is a path, a name on the shelf, a mapping or a Layout, not {given!r:.40}"
        raise LayoutError("layout", [Problem(what)])

    @classmethod
    def find(cls, name: str | PathLike[str], shelf: ShelfFolders | None = None) -> Layout:
        """The layout of a file or, where there is no such file, of the shelf.

        Raises LayoutError, and ShelfError where it is neither.

        >>> Layout.find("no-such-layout", ShelfFolders(["/nowhere"]))
        Traceback (most recent call last):
        flatledger.errors.ShelfError: no layout `no-such-layout` on the shelf; `flatledger shelf` \
lists what there is
        """
        shelf = shelf or ShelfFolders()
        text = fspath(name)
        if "\n" in text:
            what = "a layout's text goes to Layout.from_text; here its path or its name is wanted"
            raise LayoutError("layout", [Problem(what)])
        if (
            Path(text).is_file()
            or Path(text).suffix in SUFFIXES[ShelfCategory.LAYOUT]
            or os.sep in text
        ):
            return cls.from_file(text, shelf)
        return cls.from_file(shelf.find(ShelfCategory.LAYOUT, text), shelf)

    @classmethod
    def from_file(cls, path: str | PathLike[str], shelf: ShelfFolders | None = None) -> Layout:
        """Read a layout file (YAML 1.2, UTF-8), with the layout that it starts from.

        >>> Layout.from_file("no-such-file.yaml")
        Traceback (most recent call last):
        flatledger.errors.MissingLayoutError: no-such-file.yaml: the file can't be read: No such \
file or directory
        """
        path = Path(path)
        with files_met() as met:
            layout = cls._assembled(read_items(path), path.stem, path.parent, shelf)
        return layout._placed(path).made_of(met)

    @classmethod
    def from_text(
        cls,
        text: str,
        name: str = "layout",
        shelf: ShelfFolders | None = None,
        *,
        folder: str | PathLike[str] | None = None,
    ) -> Layout:
        """Read the text of a layout; ``name`` stands in messages, ``folder`` is where it looks.

        >>> Layout.from_text("columns: [No: no]", "lines").name
        'lines'
        """
        return cls._assembled(read_yaml(text, name), name, folder_of(folder), shelf)

    @classmethod
    def from_data(
        cls,
        data: Mapping[str, Any],
        name: str = "layout",
        shelf: ShelfFolders | None = None,
        *,
        folder: str | PathLike[str] | None = None,
    ) -> Layout:
        """Take a layout as plain Python data: mappings, lists and texts; ``folder`` is where it
        looks for files.

        >>> Layout.from_data({"columns": [{"Requisition": "no"}]}).headings
        ('Requisition',)
        """
        return cls._assembled(from_data(data), name, folder_of(folder), shelf)

    @classmethod
    def _assembled(
        cls, item: Item, name: str, folder: Path | None, shelf: ShelfFolders | None
    ) -> Layout:
        files = FilesOf(folder, shelf or ShelfFolders())
        with files_met() as met:
            layout = cls._read(assemble(item, name, files), name, files)
        return layout.made_of(met)

    def made_of(self, files: Iterable[Path]) -> Layout:
        """The layout with further files that it is made of: none of its runs writes over one.

        >>> layout = Layout.from_data({"columns": [{"No": "no"}]}).made_of([Path("numbers.txt")])
        >>> [file.name for file in layout.taking_part()]
        ['numbers.txt']
        """
        layout, files = copy.copy(self), frozenset(files)
        layout.files = self.files | files
        return layout._with_tables({k: one.made_of(files) for k, one in self.tables.items()})

    def _placed(self, path: Path | None) -> Layout:
        """The layout, which is in a file."""
        self.path = path
        return self._with_tables({k: one._placed(path) for k, one in self.tables.items()})

    def _with_tables(self, tables: Mapping[str, Layout]) -> Layout:
        self.tables = MappingProxyType(dict(tables))
        return self

    def with_changes(self, changes: Mapping[str, Any], *, folder: Path | None = None) -> Layout:
        """The layout with only what differs, as `from` does it: conditions are added, columns
        changed by their headings or added, all else is replaced. Files that the changes name are
        looked for in a ``folder`` too.

        >>> layout = Layout.from_data({"columns": [{"No": "no"}], "only": ["no > 1"]})
        >>> changed = layout.with_changes({"columns": [{"Name": "name"}], "only": ["no < 9"]})
        >>> changed.headings, [one.value.text for one in changed.request.conditions]
        (('No', 'Name'), ['no > 1', 'no < 9'])
        """
        files = self._of if folder is None else self._of.typed_beside(folder)
        with files_met() as met:
            item = assemble(from_data(changes), self.name, files)
            parts = tables_of(self._item, self.name)
            if parts:
                each = {k: with_changes(one, item, self.name) for k, one in parts.items()}
                merged = joined_tables(self.name, self.about, each)
            else:
                merged = with_changes(self._item, item, self.name)
            changed = Layout._read(merged, self.name, files)
        return changed._placed(self.path).made_of(self.files | met)

    @property
    def about(self) -> str:
        """What it is for.

        >>> Layout.from_data({"about": "All numbers", "columns": [{"No": "no"}]}).about
        'All numbers'
        """
        return _own_text(self._item, "about")

    @property
    def shared(self) -> LayoutRequest:
        """What it says of reading and asking, which several tables have in common.

        >>> several = Layout({"columns": [{"No": "no"}], "tables": {"all": {}}, "ask": {"day": {}}})
        >>> [one.name for one in several.shared.questions]
        ['day']
        """
        return self.of_tables()[0].request

    def choosing(self, names: Iterable[str]) -> Layout:
        """The layout with some of its tables alone; of one table it is that of it. Raises
        LayoutError for a name that it does not have.

        >>> several = Layout({"columns": [{"No": "no"}], "tables": {"all": {}, "few": {}}})
        >>> several.choosing(["few"])
        <Layout few: No>
        """
        chosen = self.of_tables(names)
        if len(chosen) == 1:
            return chosen[0]
        layout = copy.copy(self)
        layout._item = joined_tables(self.name, self.about, {one.name: one._item for one in chosen})
        return layout._with_tables({one.name: one for one in chosen})

    def of_tables(self, names: Iterable[str] = ()) -> list[Layout]:
        """The layouts of the tables that it has, or of those of some ``names``; itself where it has
        one. Raises LayoutError for a name that it does not have.

        >>> several = Layout({"columns": [{"No": "no"}], "tables": {"all": {}, "few": {}}})
        >>> [one.name for one in several.of_tables()], several.of_tables(["few"])
        (['all', 'few'], [<Layout few: No>])
        """
        chosen = list(dict.fromkeys(names))
        if chosen and not self.tables:
            problem = Problem("it has one table, which has no name; leave out its name")
            raise LayoutError(self.name, [problem])
        check_chosen(chosen, list(self.tables), self.name)
        if not self.tables:
            return [self]
        return [self.tables[name] for name in chosen or self.tables]

    def declaring(
        self, fields: Mapping[str, Any] | None, reading: Mapping[str, Any] | None = None
    ) -> Layout:
        """The layout with further declared fields, which are merged with its own by place and key,
        and further keys of its `source`.

        >>> layout = Layout.from_data({"columns": [{"Raised": "raised"}]})
        >>> [one.declared.datatype for one in layout.declaring({"raised": "date"}).request.fields]
        ['date']
        """
        changes = {"fields": fields, "source": reading}
        changes = {key: value for key, value in changes.items() if value}
        return self.with_changes(changes) if changes else self

    def fitted_to(
        self, form: str | PathLike[str], *, header_row: int = 0, first_row: int = 0
    ) -> Layout:
        """The layout with the headings and order of a published form: a CSV file or a workbook.

        Its ``header_row`` is the first with two headings or more where none is given, and the
        table begins at ``first_row``, or below it. Rows count from 1. Raises LayoutError.

        >>> layout = Layout.from_data({"columns": [{"Station": "place.name"}]})
        >>> form = Path(__file__).parents[1] / "demo" / "drill-form.xlsx"
        >>> layout.fitted_to(form).headings[:2]
        ('Date', 'Station')
        """
        from .form_files import read_form

        reference = FormReference(fspath(form), header_row, first_row)
        layout = copy.copy(self)
        found = read_form(Path(form), reference)
        layout._request = msgspec.structs.replace(self.request, form=found)
        return layout

    def taking_part(self) -> list[Path]:
        """All files that a run reads beside its source: what the layout is made of, side lists,
        the form, the note.

        >>> Layout.from_data({"columns": [{"No": "no"}]}).taking_part()
        []
        """
        if self.tables:
            each = [path for one in self.tables.values() for path in one.taking_part()]
            return list(dict.fromkeys([*self.files, *each]))
        form = [Path(self.request.form.file)] if self.request.form is not None else []
        lists = [Path(one.file) for one in self.request.lookups]
        opens_by = self.request.opens_by
        lists += [Path(opens_by.file)] if opens_by is not None and opens_by.file else []
        note = [note_of(self.path)] if self.path is not None else []
        return [*self.files, *lists, *form, *note]

    def named(self, name: str) -> Layout:
        """The same layout under another name.

        >>> print(Layout.from_data({"columns": [{"No": "no"}]}).named("few").to_text(), end="")
        layout: few
        columns:
          - No: no
        """
        assert isinstance(self._item, ItemMap)
        pairs = (pair for pair in self._item.pairs if pair[0].text != "layout")
        return Layout._read(ItemMap(((Scalar("layout"), Scalar(name)), *pairs)), name, self._of)

    def to_text(self) -> str:
        """The whole layout as YAML, put together, without its comments.

        >>> print(Layout.from_data({"columns": [{"No": "no"}]}).to_text(), end="")
        columns:
          - No: no
        """
        assert isinstance(self._item, ItemMap)
        return write_yaml(ItemMap(tuple(sorted(self._item.pairs, key=_usual_place))))

    @property
    def name(self) -> str:
        """The layout's own name, or else the name of its file.

        >>> Layout.from_data({"layout": "lines", "columns": [{"No": "no"}]}).name
        'lines'
        """
        return self.request.name if self._request is not None else self._name

    @property
    def headings(self) -> tuple[str, ...]:
        """The headings of the columns that are written, in order; or those of the form.

        >>> mass = {"value": "mass", "unit": "kg"}
        >>> Layout.from_data({"columns": [{"No": "no"}, {"Mass": mass}]}).headings
        ('No', 'Mass, kg')
        """
        form = self.request.form
        return form.headings if form is not None else self.request.headings

    def _repr_html_(self) -> str:
        from ..reports.page import render

        return render("text_fragment.html", text=self.to_text())

    def __repr__(self) -> str:
        what = "tables " + ", ".join(self.tables) if self.tables else ", ".join(self.headings)
        return f"<Layout {self.name}: {what}>"


AnyLayout = str | PathLike[str] | Mapping[str, Any] | Layout


def _each_read(parts: Mapping[str, Item], whole: str, files: FilesOf) -> dict[str, Layout]:
    """The layouts of tables. Raises LayoutError with the faults of all."""
    found: dict[str, Layout] = {}
    problems: dict[Problem, None] = {}
    for name, item in parts.items():
        try:
            found[name] = Layout._read(item, name, files)
        except LayoutError as error:
            problems |= dict.fromkeys(_of_table(name, one) for one in error.problems)
    if problems:
        raise LayoutError(whole, list(problems))
    return found


def _of_table(name: str, problem: Problem) -> Problem:
    """A problem that says which table it is of, where no line does."""
    if problem.line:
        return problem
    return dataclasses.replace(problem, message=f"{name}: {problem.message}")


def _own_text(item: Item, key: str) -> str:
    """What a layout says of itself under a key."""
    pairs = item.pairs if isinstance(item, ItemMap) else ()
    return next((v.text for k, v in pairs if k.text == key and isinstance(v, Scalar)), "")


def _usual_place(pair: tuple[Scalar, Item]) -> int:
    return [*LAYOUT_KEYS, TABLES].index(pair[0].text)
