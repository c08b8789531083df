"""The values that generated code refers to by name."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from ...values.field_values import FieldDeclaration, FieldReader
from ...values.text_values import TextValues
from ..runtime.plain_values import casts_to
from ..runtime.watches import Watches


class Constants:
    """The values that generated code refers to by name.

    Nothing of a layout's text enters the source except here, by reference, and as the `repr` of a
    text; names of variables and attributes are our own. So whatever an expression says, it can
    reach no attribute, import or call outside the language.
    """

    def __init__(self, watches: Watches) -> None:
        self.watches = watches
        self.values: dict[str, Any] = {}
        self._names: dict[tuple[Any, ...], str] = {}
        self._readers: dict[str, FieldReader] = {}
        self._casts: dict[tuple[str, tuple[int, ...]], TextValues[Any]] = {}

    def reader(self, declared: FieldDeclaration) -> FieldReader:
        """What reads the values of a field: one for each declaration, since it keeps what it
        reads."""
        key = repr(declared)
        if key not in self._readers:
            self._readers[key] = declared.reader()
        return self._readers[key]

    def reader_name(self, declared: FieldDeclaration) -> str:
        """The name of what reads the values of a field."""
        return self.name(self.reader(declared), "reader")

    def casts(self, name: str, parameters: tuple[int, ...]) -> str:
        """The name of what casts texts to a type: one for each, since it keeps what it has cast."""
        key = name, parameters
        if key not in self._casts:
            self._casts[key] = casts_to(name, parameters)
        return self.name(self._casts[key], "casts")

    def name(self, value: Any, stem: str) -> str:
        """The name of a value; equal plain values of one stem have one name."""
        plain = isinstance(value, str | int | tuple | Decimal)
        key = (stem, value.__class__, repr(value)) if plain else (id(value),)
        if key not in self._names:
            name = f"{stem}_{len(self.values)}"
            self._names[key], self.values[name] = name, value
        return self._names[key]
