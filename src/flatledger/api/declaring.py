"""Fields that are declared apart from a layout, and what a survey tells of their values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from ..errors import LayoutError
from ..layout.declared import ANY, DeclaredField
from ..layout.read_fields import FIELDS
from ..layout.reading import Reading
from ..layout.text import from_data
from ..structure.path_texts import path_of
from ..structure.survey import FieldSurvey
from ..values.element_texts import element_value
from ..values.faults import shown
from ..values.field_values import AmbiguousValueError
from ..values.numbers import ValueFaultError
from .layout_files import FilesOf
from .shelf_folders import ShelfFolders

_WHERE = "what is declared"
_EXAMPLES = 3
Fields = Mapping[str, Any] | None


def declared_fields(fields: Fields, *, catalogue: bool = False) -> tuple[DeclaredField, ...]:
    """The fields that are declared by plain data, as under `fields` in a layout.

    Raises LayoutError.

    >>> [one.names for one in declared_fields({"lines.price": "decimal"})]
    [('lines', 'price')]
    """
    if not fields:
        return ()
    reading = Reading(FilesOf(Path(), ShelfFolders()))
    reading.catalogue = catalogue
    found = FIELDS.read(from_data(fields), "`fields`", reading)
    if reading.problems:
        raise LayoutError(_WHERE, reading.problems)
    return found


class FieldsRead:
    """Reads the values of declared fields as a survey goes along, and counts how that went."""

    def __init__(self, fields: Iterable[DeclaredField]) -> None:
        self._fields = [_FieldRead(one) for one in fields]

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


class _FieldRead:
    def __init__(self, field: DeclaredField) -> None:
        self._names = field.names
        self._declared = field.in_locale("")
        self._reader = self._declared.reader()
        self.path = ""
        for name in (one for one in field.names if one != ANY):
            self.path = path_of(self.path, name)
        self._read = 0
        self._odd: dict[str, int] = {}
        self._either: dict[str, int] = {}

    def look_at(self, record: Any) -> None:
        for value in _values(record, self._names):
            try:
                self._read += self._reader.read(element_value(value)) is not None
            except AmbiguousValueError:
                self._either[shown(value)] = self._either.get(shown(value), 0) + 1
            except ValueFaultError:
                self._odd[shown(value)] = self._odd.get(shown(value), 0) + 1

    def remark(self) -> str:
        """How its values were read, in words."""
        what = self._declared.datatype or "declared"
        parts = [f"read as {what}: {self._read:,}"]
        if self._odd:
            parts.append(f"{sum(self._odd.values()):,} can't be read ({_first(self._odd)})")
        if self._either:
            count = sum(self._either.values())
            parts.append(f"{count:,} can be read in two ways ({_first(self._either)})")
        return "; ".join(parts)


def _first(values: Mapping[str, int]) -> str:
    more = ", …" if len(values) > _EXAMPLES else ""
    return ", ".join(list(values)[:_EXAMPLES]) + more


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
