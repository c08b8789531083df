"""Reading values as their fields are declared, for generated code; what can't be read is told."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..values.amounts import UnitWatch
from ..values.field_values import FieldReader
from ..values.functions import text_of
from ..values.numbers import ValueFaultError
from ..values.parts import flattened
from .level_entries import Address, Tell
from .plain_data import Joining
from .plain_values import fault_text
from .watches import ListsMet


class FieldReading:
    """Reads for generated code: ``one`` gives the one value among many, ``cell`` what a cell shows
    of several."""

    def __init__(
        self,
        tell: Tell,
        one: Callable[[Any, str, Address], Any],
        cell: Callable[[Any, Joining, str, Address], Any],
        lists: ListsMet,
    ) -> None:
        self._tell, self._one, self._cell, self._lists = tell, one, cell, lists

    def read_field(self, value: Any, reader: FieldReader, path: str, where: Address) -> Any:
        """A value read by a declaration: one, where there are several entries."""
        value = self._one(value, path, where)
        try:
            return reader.read(value) if value is not None else None
        except ValueFaultError as error:
            self._tell(where, path, value, str(error))
            return None

    def read_amounts(
        self, value: Any, reader: FieldReader, watch: UnitWatch, path: str, where: Address
    ) -> Any:
        """The same of amounts, whose units are noted."""
        value = self._one(value, path, where)
        read = self.read_field(value, reader, path, where)
        if read is not None:
            watch.note(reader.amount(value).unit if isinstance(value, str) else "", where[0])
        return read

    def read_cell(
        self, value: Any, reader: FieldReader, joining: Joining, path: str, where: Address
    ) -> Any:
        """The values of a declared field as a cell shows them: one, or several joined."""
        if value.__class__ is not list:
            read = self.read_field(value, reader, path, where)
            return fault_text(value, reader) if read is None else read
        if not joining.reckoned:
            self._lists.some = True
        cells = [self.read_cell(one, reader, joining, path, where) for one in flattened(value)]
        if len(cells) == 1 and not joining.aligned:
            return cells[0]
        texts = [cell if cell is None else text_of(cell) for cell in cells]
        return self._cell(texts, joining, path, where)
