"""The public face of a layout: from a file, from text, from plain data."""

from __future__ import annotations

import copy
import datetime as dt
import os
from collections.abc import Iterable, Sequence
from collections.abc import Mapping as AnyMapping
from os import PathLike, fspath
from pathlib import Path
from typing import Any

import msgspec

from ..errors import LayoutError, Problem
from .answering import answered
from .assembling import assemble, with_changes
from .check import LAYOUT_KEYS, check_layout
from .files import SUFFIXES, files_met, read_items
from .fitting import fitted
from .form import read_form
from .known import Note, note_of, read_note
from .lists import lists_of
from .model import FormReference, LayoutModel
from .shelf import Shelf
from .side_files import with_files
from .spreading import spread
from .text import Item, Mapping, Scalar, from_data, read_yaml, write_yaml


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

    def __init__(self, item: Item, name: str, folder: Path | None, shelf: Shelf) -> None:
        self.path: Path | None = None
        self.files: frozenset[Path] = frozenset()  # those that it is made of
        self._item = item
        self._folder = folder
        self._shelf = shelf
        self.model = with_files(check_layout(item, name, folder), folder)
        lists = lists_of(self.model, folder, shelf)
        if lists:
            self.model = msgspec.structs.replace(self.model, lists=lists)

    @classmethod
    def find(cls, name: str | PathLike[str], shelf: Shelf | None = None) -> Layout:
        """The layout of a file or, where there is no such file, of the shelf.

        Raises ShelfError where it is neither.
        """
        shelf = shelf or Shelf()
        text = fspath(name)
        if Path(text).is_file() or Path(text).suffix in SUFFIXES["layout"] or os.sep in text:
            return cls.from_file(text, shelf)
        return cls.from_file(shelf.find("layout", text), shelf)

    @classmethod
    def from_file(cls, path: str | PathLike[str], shelf: Shelf | None = None) -> Layout:
        """Read a layout file (YAML 1.2, UTF-8), with the layout that it starts from."""
        path = Path(path)
        with files_met() as met:
            layout = cls._assembled(read_items(path), path.stem, path.parent, shelf)
        layout.path = path
        return layout.made_of(met)

    @classmethod
    def from_text(
        cls,
        text: str,
        name: str = "layout",
        shelf: Shelf | None = None,
        *,
        folder: Path | None = None,
    ) -> Layout:
        """Read the text of a layout; ``name`` stands in messages, ``folder`` is where it looks."""
        return cls._assembled(read_yaml(text, name), name, folder, shelf)

    @classmethod
    def from_data(
        cls, data: dict[str, Any], name: str = "layout", shelf: Shelf | None = None
    ) -> Layout:
        """Take a layout as plain Python data: mappings, lists and texts.

        >>> Layout.from_data({"columns": [{"Requisition": "no"}]}).headings
        ('Requisition',)
        """
        return cls._assembled(from_data(data), name, None, shelf)

    @classmethod
    def _assembled(cls, item: Item, name: str, folder: Path | None, shelf: Shelf | None) -> Layout:
        shelf = shelf or Shelf()
        with files_met() as met:
            layout = cls(assemble(item, name, folder, shelf), name, folder, shelf)
        return layout.made_of(met)

    def made_of(self, files: Iterable[Path]) -> Layout:
        """The layout with further files that it is made of: none of its runs writes over one."""
        layout = copy.copy(self)
        layout.files = self.files | {*files}
        return layout

    def with_changes(self, changes: dict[str, Any]) -> Layout:
        """The layout with only what differs, as `from` does it: conditions are added, columns
        changed by their headings or added, all else is replaced.

        >>> layout = Layout.from_data({"columns": [{"No": "no"}], "only": ["no > 1"]})
        >>> changed = layout.with_changes({"columns": [{"Name": "name"}], "only": ["no < 9"]})
        >>> changed.headings, [one.value.text for one in changed.model.conditions]
        (('No', 'Name'), ['no > 1', 'no < 9'])
        """
        with files_met() as met:
            item = assemble(from_data(changes), self.name, self._folder, self._shelf)
            merged = with_changes(self._item, item, self.name)
            changed = Layout(merged, self.name, self._folder, self._shelf)
        changed.path = self.path
        return changed.made_of(self.files | met)

    def answered(self, given: AnyMapping[str, Any] | None = None) -> Layout:
        """The layout with what was given for the values that it asks for, defaults for the rest.

        Raises AnswerError, with all that is missing, unknown or no value of its kind.

        >>> layout = Layout.from_data(
        ...     {"columns": [{"No": "no"}], "only": ["no > :least"], "ask": {"least": "integer"}}
        ... )
        >>> layout.answered({"least": "12"}).model.answers[0].value
        12
        """
        today = self.model.today or dt.date.today()
        model = msgspec.structs.replace(answered(self.model, given or {}, today), today=today)
        return self._with(model)

    def spread(self, found: AnyMapping[str, Sequence[str]]) -> Layout:
        """The layout with a column for each of the keys that were found, by heading."""
        return self._with(spread(self.model, dict(found)))

    def noted(self, learning: bool = False) -> Layout:
        """The layout with the fields that the note beside its file knows by now.

        One that is ``learning`` knows none where there is no note yet; it raises LayoutError where
        it is in no file, and so can have no note beside it.
        """
        if self.path is None and learning:
            raise LayoutError(self.name, [Problem("a layout learns when it is in a file; save it")])
        note = read_note(self.path) if self.path is not None else None
        if note is None:
            note = Note(frozenset()) if learning else None
        known, keys = (note.fields, note.keys) if note is not None else (None, {})
        return self._with(msgspec.structs.replace(self.model, known=known, known_keys=keys))

    def fitted_to(
        self, form: str | PathLike[str], *, header_row: int = 0, first_row: int = 0
    ) -> Layout:
        """The layout with the headings and order of a published form: a CSV file or a workbook.

        Its ``header_row`` is the first with two headings or more where none is given, and the
        table begins at ``first_row``, or below it. Raises LayoutError.
        """
        reference = FormReference(fspath(form), header_row, first_row)
        read = read_form(Path(form), reference)
        return self._with(msgspec.structs.replace(self.model, form=read))

    def fitted(self, strict: bool = False) -> Layout:
        """The layout with the columns of its form, if any, in place of its own.

        Raises LayoutError where they do not fit and that is ``strict``.
        """
        return self._with(fitted(self.model, strict))

    def knowing(self, keys: AnyMapping[str, tuple[str, ...]]) -> Layout:
        """The layout with further keys as known, by what its columns are named by."""
        known = {**self.model.known_keys, **keys}
        return self._with(msgspec.structs.replace(self.model, known_keys=known))

    def taking_part(self) -> list[Path]:
        """All files that a run reads beside its source: what the layout is made of, side lists,
        the form, the note."""
        form = [Path(self.model.form.file)] if self.model.form is not None else []
        lists = [Path(one.file) for one in self.model.attachments]
        note = [note_of(self.path)] if self.path is not None else []
        return [*self.files, *lists, *form, *note]

    def _with(self, model: LayoutModel) -> Layout:
        layout = copy.copy(self)
        layout.model = model
        return layout

    def named(self, name: str) -> Layout:
        """The same layout under another name."""
        item = from_data({"layout": name})
        assert isinstance(self._item, Mapping)
        assert isinstance(item, Mapping)
        pairs = (pair for pair in self._item.pairs if pair[0].text != "layout")
        return Layout(Mapping((*item.pairs, *pairs)), name, self._folder, self._shelf)

    def to_text(self) -> str:
        """The whole layout as YAML, put together, without its comments.

        >>> print(Layout.from_data({"columns": [{"No": "no"}]}).to_text(), end="")
        columns:
          - No: no
        """
        assert isinstance(self._item, Mapping)
        return write_yaml(Mapping(tuple(sorted(self._item.pairs, key=_usual_place))))

    @property
    def name(self) -> str:
        """The layout's own name, or else the name of its file."""
        return self.model.name

    @property
    def headings(self) -> tuple[str, ...]:
        """The headings of the columns that are written, in order; or those of the form."""
        form = self.model.form
        return form.headings if form is not None else self.model.headings

    def __repr__(self) -> str:
        return f"<Layout {self.name}: {', '.join(self.headings)}>"


def _usual_place(pair: tuple[Scalar, Item]) -> int:
    return LAYOUT_KEYS.index(pair[0].text)
