"""Levels and homes: where in a record a path's value belongs, seen from the row."""

from __future__ import annotations

import msgspec

from ..language import nodes as n
from .structure import Place

Names = tuple[str, ...]
RECORD: Names = ()


def level_name(names: Names) -> str:
    """How a level is called in messages and reports."""
    return ".".join(names) if names else "record"


class Access(msgspec.Struct, frozen=True):
    """How a path is reached from the row.

    ``anchor``: the chain's level (by index) it starts from. ``names``: plain steps from there.
    ``rest``: further steps of the standard. ``many``: it may give more than one value; then
    ``side`` is the deepest repeating place on the way.
    """

    anchor: int
    names: Names
    rest: tuple[n.Segment, ...]
    many: bool
    side: Names | None


class Chain(msgspec.Struct, frozen=True):
    """The levels from the record down to the row, and the structure they were found in."""

    levels: tuple[Names, ...]
    structure: Place

    @classmethod
    def of(cls, row_per: Names, structure: Place) -> Chain:
        """The chain to a row's level: the record, each repeating place on the way, the row."""
        levels = [RECORD]
        for length in range(1, len(row_per) + 1):
            names = row_per[:length]
            place = structure.find(names)
            if names == row_per or (place is not None and place.repeated):
                levels.append(names)
        return cls(tuple(levels), structure)

    @property
    def row(self) -> int:
        """The index of the row's own level."""
        return len(self.levels) - 1

    def access(self, path: n.Path) -> Access:
        """How a path is reached: from the longest prefix that it shares with the chain."""
        names, rest = plain_steps(path, self)
        anchor = max(i for i, level in enumerate(self.levels) if names[: len(level)] == level)
        below = names[len(self.levels[anchor]) :]
        side = self.deepest_level(names, len(self.levels[anchor]))
        many = side is not None or not _is_singular(rest)
        return Access(anchor, below, rest, many, side or (names if many else None))

    def deepest_level(self, names: Names, above: int) -> Names | None:
        """The longest prefix of ``names``, longer than ``above``, that repeats."""
        for length in range(len(names), above, -1):
            place = self.structure.find(names[:length])
            if place is not None and place.repeated:
                return names[:length]
        return None

    def is_level(self, names: Names) -> bool:
        """Whether a place repeats, by the layout or by the data read so far."""
        place = self.structure.find(names)
        return names in self.levels or (place is not None and place.repeated)


def plain_steps(path: n.Path, chain: Chain) -> tuple[Names, tuple[n.Segment, ...]]:
    """The leading name steps of a path, `[*]` on a level skipped, and the segments after them."""
    names: list[str] = []
    for place, segment in enumerate(path.segments):
        only = segment.selectors[0]
        if segment.descendant or len(segment.selectors) > 1:
            return tuple(names), path.segments[place:]
        if isinstance(only, n.Wildcard) and chain.is_level(tuple(names)):
            continue
        if not isinstance(only, n.Name):
            return tuple(names), path.segments[place:]
        names.append(only.name)
    return tuple(names), ()


def _is_singular(rest: tuple[n.Segment, ...]) -> bool:
    return n.Path(0, rest).is_singular()
