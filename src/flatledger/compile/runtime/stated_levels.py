"""A place that is no level by what a layout states, where a list stands all the same."""

from __future__ import annotations

from typing import Any, NamedTuple

from ...structure.levels import Names, level_name, levels_line
from .level_entries import Address, Tell
from .plain_data import is_null


class StatedLevels(NamedTuple):
    """A place beside the levels that a layout states.

    >>> StatedLevels((("lines",),), ("lines", "lots")).reason
    'this is a list, and no level by `levels`; if it is one, write `levels: [lines, lines.lots]`'
    """

    stated: tuple[Names, ...]
    names: Names

    def below(self, names: Names) -> StatedLevels:
        """A place below it."""
        return self._replace(names=(*self.names, *names))

    @property
    def path(self) -> str:
        """What the place is called."""
        return level_name(self.names)

    @property
    def reason(self) -> str:
        """What is wrong with a list there, and what to write."""
        line = levels_line((*self.stated, self.names))
        return f"this is a list, and no level by `levels`; if it is one, write `{line}`"


class StatedReading:
    """Steps through plain data where levels are stated, for generated code."""

    def __init__(self, tell: Tell) -> None:
        self._tell = tell

    def walk(self, value: Any, names: tuple[str, ...], at: StatedLevels, where: Address) -> Any:
        """Name steps through plain data that cross no list, where levels are stated."""
        for place, name in enumerate(names):
            if value.__class__ is list:
                return self.tell(value, at.below(names[:place]), where)
            value = value.get(name) if value.__class__ is dict else None
        return value

    def tell(self, value: Any, at: StatedLevels, where: Address) -> None:
        """Tell of a list at a place that is no level by what the layout states."""
        if not is_null(value):
            self._tell(where, at.path, value, at.reason)
