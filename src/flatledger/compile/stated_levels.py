"""A place that is no level by what a layout states, where a list stands all the same."""

from __future__ import annotations

from typing import NamedTuple

from ..structure.levels import Names, level_name


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
        line = ", ".join(map(level_name, sorted({*self.stated, self.names})))
        return f"this is a list, and no level by `levels`; if it is one, write `levels: [{line}]`"
