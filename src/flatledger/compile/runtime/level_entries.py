"""The entries of a level as they come: a lone one, plain objects, and what is none."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from types import NoneType
from typing import Any

import msgspec

from .plain_data import as_structs, is_null, listed, members

Address = tuple[int, ...]  # of an entry: the record's number, and a place in each list
NO_FIELDS = "this has no fields, and is left out"
Tell = Callable[[Address, str, object, str], None]  # where, a path, a value, what is wrong


class LevelEntries:
    """Finds entries for generated code; what is none is told."""

    def __init__(self, tell: Tell) -> None:
        self._tell = tell

    def entries(
        self, value: Any, struct: type | None, fields: bool, path: str, where: Address
    ) -> tuple[list[Any], Sequence[int]]:
        """The entries of a level, and their places: a lone object is a list of one. Where
        ``fields`` of them are read, an entry that is no object is none."""
        if value.__class__ is not list:
            if is_null(value):
                return [], ()
            value = [value]
        classes = {*map(type, value)}
        if struct is not None and dict in classes:
            value = as_structs(value, struct)
            classes = {*map(type, value)}
        if classes == {struct or dict} or not (struct or fields or NoneType in classes):
            return value, range(1, len(value) + 1)
        kind = struct or (dict if fields else None)
        if kind is not None:
            self._tell_strays(value, kind, path, where)
        fits = [entry.__class__ is kind if kind else entry is not None for entry in value]
        places = [place for place, fitting in enumerate(fits, 1) if fitting]
        return [value[place - 1] for place in places], places

    def fielded(self, value: Any, path: str, where: Address) -> list[Any]:
        """The entries of a side level of which fields are read; what has none is left out."""
        found = listed(value)
        classes = {*map(type, found)}
        if classes <= {dict}:
            return found
        fits = [one for one in found if isinstance(one, dict | msgspec.Struct)]
        if len(fits) < len(found):
            for one in found:
                if not isinstance(one, dict | msgspec.Struct):
                    self._tell(where, path, one, NO_FIELDS)
        return fits

    def member_entries(
        self, value: Any, path: str, where: Address
    ) -> tuple[list[tuple[str, Any]], Sequence[int]]:
        """The entries of a level that is a mapping: its members with their keys, their places."""
        if value.__class__ is not dict and value.__class__ is not list and not is_null(value):
            self._tell(where, path, value, "a mapping was expected; this is left out")
        found = members(value)
        return found, range(1, len(found) + 1)

    def _tell_strays(self, entries: list[Any], struct: type, path: str, where: Address) -> None:
        for entry in entries:
            if entry.__class__ is not struct and entry is not None:
                self._tell(where, path, entry, NO_FIELDS)
