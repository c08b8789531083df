"""What readers have in common: they are contexts, and need not be closed."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any, Self

from ..run.protocols import Account


class BaseReader:
    """A reader that gives plain records, and has nothing open."""

    decodes = False
    of_elements = False
    states: Mapping[str, Any] = MappingProxyType({})
    account = Account()
    file = ""
    manner = ""

    def close(self) -> None:
        """Nothing is open."""

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()


def last(records: list[Any]) -> list[Any]:
    """The last of some records, in a list: a specimen of them."""
    return records[-1:]
