"""Fields that are declared apart from a layout, and what a survey tells of their values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from ..errors import LayoutError
from ..language.notations import Notation
from ..layout.model.declared import ANY, DeclaredField
from ..layout.model.text import from_data
from ..layout.reading.read_fields import FIELDS
from ..layout.reading.reading import Reading
from ..structure.path_texts import path_of
from ..structure.survey import FieldSurvey
from ..values.faults import shown
from ..values.field_values import AmbiguousValueError
from ..values.numbers import ValueFaultError
from ..values.own_texts import own_value
from .layout_files import FilesOf
from .shelf_folders import ShelfFolders

_WHERE = "what is declared"
_EXAMPLES = 3
Fields = Mapping[str, Any] | None


def declared_fields(
    fields: Fields, *, notation: Notation | None = None
) -> tuple[DeclaredField, ...]:
    """The fields that are declared by plain data, as under `fields` in a layout.

    Raises LayoutError.

    >>> [one.names for one in declared_fields({"lines.price": "decimal"})]
    [('lines', 'price')]
    """
    if not fields:
        return ()
    reading = Reading(FilesOf(Path(), ShelfFolders()))
    reading.notation = notation
    found = FIELDS.read(from_data(fields), "`fields`", reading)
    if reading.problems:
        raise LayoutError(_WHERE, reading.problems)
    return found


class FieldsRead:
    """Reads the values of declared fields as a survey goes along, and counts how that went."""

    def __init__(self, declared: Iterable[DeclaredField]) -> None:
        self._declared = [*declared]
        self._fields: list[_FieldRead] = []

    def begin(self, *, typed: bool) -> None:
        """Before the first records; of a source that has ``typed`` its dates and times, these are
        by ISO 8601."""
        self._fields = [_FieldRead(one, typed) for one in self._declared]

    def look_at(self, records: Iterable[Any]) -> None:
        """Read the values of some records."""
        for field in self._fields:
            for record in records:
                field.look_at(record)

    def tell(self, fields: Iterable[FieldSurvey]) -> None:
        """Put what came of it among the remarks on the surveyed fields."""
        told = {one.path: one for one in self._fields}
        for field in fields:
            if field.path in told:
                field.remarks.insert(0, told[field.path].remark())


class _Counted:
    """How many values there are of a kind, and the first that differ."""

    def __init__(self) -> None:
        self.count = 0
        self._first: list[str] = []

    def add(self, value: Any) -> None:
        self.count += 1
        if len(self._first) <= _EXAMPLES and (text := shown(value)) not in self._first:
            self._first.append(text)

    def said(self, what: str) -> list[str]:
        more = ", …" if len(self._first) > _EXAMPLES else ""
        first = ", ".join(self._first[:_EXAMPLES]) + more
        return [f"{self.count:,} {what} ({first})"] if self.count else []


class _FieldRead:
    def __init__(self, field: DeclaredField, typed: bool) -> None:
        self._names = field.names
        self._declared = field.in_locale("", typed)
        self._reader = self._declared.reader()
        self.path = ""
        for name in (one for one in field.names if one != ANY):
            self.path = path_of(self.path, name)
        self._read = 0
        self._odd, self._either = _Counted(), _Counted()

    def look_at(self, record: Any) -> None:
        for value in _values(record, self._names):
            try:
                self._read += self._reader.read(own_value(value)) is not None
            except AmbiguousValueError:
                self._either.add(value)
            except ValueFaultError:
                self._odd.add(value)

    def remark(self) -> str:
        """How its values were read, in words."""
        what = self._declared.datatype or "declared"
        parts = [f"read as {what}: {self._read:,}"]
        parts += self._odd.said("can't be read")
        parts += self._either.said("can be read in two ways")
        return "; ".join(parts)


def _values(value: Any, names: Sequence[str]) -> Iterator[Any]:
    """The values at a place, whatever lists are on the way."""
    if isinstance(value, list):
        for entry in value:
            yield from _values(entry, names)
    elif not names:
        if value is not None:
            yield value
    elif isinstance(value, dict):
        if names[0] == ANY and len(names) > 1 and names[1] in value:
            yield from _values(value, names[1:])  # of a list, whose entries this is one of
        elif names[0] == ANY:
            for member in value.values():
                yield from _values(member, names[1:])
        else:
            yield from _values(value.get(names[0]), names[1:])
