"""What readers have in common: they are contexts, and need not be closed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any, Self

from ...run.protocols import Account, Measure, NothingMeasured, Reader


def keeps_none(number: int) -> bool:
    """What keeps the plain data of no record."""
    return False


class BaseReader:
    """A reader that gives plain records, and has nothing open."""

    decodes = False
    has_own_texts = False
    types_moments = False
    has_moments = False
    states: Mapping[str, Any] = MappingProxyType({})
    account = Account()
    measure: Measure = NothingMeasured()
    name = ""
    file = ""
    manner = ""
    keeps: Callable[[int], bool] = staticmethod(keeps_none)

    def tell_as(self, reader: Reader) -> None:
        """Tell of the records what a reader tells that they are taken from."""
        self.name, self.file, self.manner = reader.name, reader.file, reader.manner
        self.has_own_texts, self.states = reader.has_own_texts, reader.states
        self.types_moments, self.has_moments = reader.types_moments, reader.has_moments
        self.account, self.measure = reader.account, reader.measure

    def close(self) -> None:
        """Nothing is open."""

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()


def last(records: list[Any]) -> list[Any]:
    """The last of some records, in a list: a specimen of them."""
    return records[-1:]
