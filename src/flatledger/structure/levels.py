"""Levels and homes: where in a record a path's value belongs, seen from the row."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

import msgspec

from ..language import nodes as n
from ..language import notations
from ..layout.model.text import scalar
from .path_texts import path_of
from .structure import MEMBERS, Place

Names = notations.Names
_CALL = re.compile(r"\w+\(")
RECORD: Names = ()


def levels_line(levels: Iterable[Names]) -> str:
    """The line of a layout that states levels.

    >>> print(levels_line([("lines", "lots"), ("lines",), ("side notes",)]))
    levels: [lines, lines.lots, "['side notes']"]
    """
    return f"levels: [{', '.join(scalar(level_name(names)) for names in sorted(set(levels)))}]"


def level_name(names: Names) -> str:
    """How a level is called in messages and reports, as a layout takes it; where a notation may
    have a name for it, it is `Chain.called` that knows.

    >>> level_name(("lines", "unit-price")), level_name(())
    ("lines['unit-price']", 'record')
    >>> level_name(("Price (SKC)",)), level_name(("sum(lines.qty)",))
    ("['Price (SKC)']", 'sum(lines.qty)')
    """
    text = ""
    for name in names:
        if name == MEMBERS:
            text = f"{text or '$'}.*"
        elif _CALL.match(name):  # a figure of a group is called as it is written
            text = f"{text}.{name}".lstrip(".")
        else:
            text = path_of(text, name)
    return text or "record"


class LevelsDifferError(Exception):
    """A list stands where the first records, by which the run was planned, had none (or one of
    ``several`` entries, where they had one at the most); or a level ``nests`` in itself that they
    show as a plain one."""

    def __init__(
        self, names: Names, number: int, *, several: bool = False, nests: bool = False
    ) -> None:
        super().__init__(names, number, several, nests)
        self.names, self.number, self.several, self.nests = names, number, several, nests


class Access(msgspec.Struct, frozen=True):
    """How a path is reached from where it is used.

    ``anchor``: the chain's level (by index) it starts from. ``names``: plain steps from there.
    ``rest``: further steps of the standard. ``crossed``: the deepest level that the plain steps
    cross; None where there is none. ``side``: the deepest of which an entry above it has several,
    so that there are many values; None where there is one value at the most.
    """

    anchor: int
    names: Names
    rest: tuple[n.Segment, ...]
    crossed: Names | None = None
    side: Names | None = None

    @property
    def alone(self) -> bool:
        """Whether a level is crossed that has one entry at the most, whose value is taken."""
        return self.crossed is not None and self.side is None


class KnownLevels(msgspec.Struct, frozen=True):
    """What a layout says of levels: ``stated`` are all that there are, ``named`` some of them.

    Where none are stated, a place is one too if a list was met there, of whatever length;
    ``complete`` says that this was looked for in the whole source. Where they are stated, those
    that a path within an aggregate has ``entered`` by `[*]` or another wildcard count as stated.
    ``headed_for`` are the levels on the way to that of a `keep` or of `columns-from`. ``nests`` are
    levels that are stated to nest in themselves, with the name of the member by which they do;
    ``trees`` are all that do so. The ``format`` is the one that the layout states.
    """

    stated: frozenset[Names] | None = None
    named: frozenset[Names] = frozenset()
    complete: bool = False
    entered: frozenset[Names] = frozenset()
    headed_for: frozenset[Names] = frozenset()
    nests: dict[Names, str] = {}
    trees: dict[Names, str] = {}
    format: str = ""

    def called(self, names: Names) -> str:
        """How a place is called: by the notation of the records' format, or as a path."""
        notation = notations.notation_of(self.format)
        return (notation.called(names) if notation else "") or level_name(names)

    def may_nest(self, names: Names) -> bool:
        """Whether a record that comes can still show that a place nests in itself."""
        if self.complete or names in self.trees or names[-1:] == (MEMBERS,):
            return False
        return self.stated is None or (*names, names[-1]) not in self.stated

    @property
    def settled(self) -> bool:
        """Whether no record that comes can make another place a level."""
        return self.complete or self.stated is not None

    def has(self, names: Names, structure: Place) -> bool:
        """Whether a place is a level (docs/rules.md, 1)."""
        if names in self.named or names in self.trees or names[-1:] == (MEMBERS,):
            return True
        place = structure.find(names)
        if self.stated is not None and (names in self.stated or names not in self.entered):
            return names in self.stated
        if self.stated is not None and place is None:
            return True
        return place is not None and place.lists > 0

    def repeats(self, names: Names, structure: Place) -> bool:
        """Whether an entry above a level has several of its entries, as far as records were seen;
        in a tree nodes of all depths count together."""
        if names[-1:] == (MEMBERS,) or self.trees.get(names) or names in self.headed_for:
            return True
        place = structure.find(names)
        return place is not None and place.many > 0


class Chain(msgspec.Struct, frozen=True):
    """The levels from the record down to the entry that is looked at, and the data's structure.

    The row's chain ends at the row. Inside an aggregate the chain goes on, down to the entries
    that the aggregate takes in.
    """

    levels: tuple[Names, ...]
    structure: Place
    known: KnownLevels

    @classmethod
    def of(cls, row_per: Names, structure: Place, known: KnownLevels) -> Chain:
        """The chain to a row's level: the record, each repeating place on the way, the row."""
        start = cls((RECORD,), structure, known)
        return start.extended(0, row_per)

    def extended(self, base: int, names: Names) -> Chain:
        """The chain as far as a level of it, and from there down to another level."""
        levels = list(self.levels[: base + 1])
        for length in range(len(levels[-1]) + 1, len(names) + 1):
            if length == len(names) or self.is_level(names[:length]):
                levels.append(names[:length])
        return Chain(tuple(levels), self.structure, self.known)

    def called(self, names: Names) -> str:
        """How a place is called, in messages and reports."""
        return self.known.called(names)

    @property
    def row(self) -> int:
        """The index of the deepest level."""
        return len(self.levels) - 1

    @property
    def node(self) -> int | None:
        """The index of the deepest level that nests in itself, if one does."""
        found = (at for at, level in enumerate(self.levels) if level in self.known.trees)
        return max(found, default=None)

    def access(self, path: n.FieldPath) -> Access:
        """How a path is reached: from the longest prefix that it shares with the chain.

        A selector on a level chooses among all its entries, so there the chain ends before it.
        """
        names, rest = plain_steps(path, self)
        chooses = bool(rest) and not rest[0].descendant
        anchor = max(
            place
            for place, level in enumerate(self.levels)
            # mutant: anchor
            if names[: len(level)] == level and not (chooses and level and level == names)
        )
        above = len(self.levels[anchor])
        crossed = names[:-1] if chooses else names
        later = [names for names in _named_after(names, rest) if self.is_level(names)]
        crossed_levels = [*reversed(later), *self._crossed(crossed, above)]
        repeating = (one for one in crossed_levels if self.known.repeats(one, self.structure))
        deepest = next(iter(crossed_levels), None)
        return Access(anchor, names[above:], rest, deepest, next(repeating, None))

    def crossed_places(self, path: n.FieldPath) -> Iterator[Names]:
        """The places below the chain that a path crosses by plain steps, levels or not."""
        access = self.access(path)
        start = self.levels[access.anchor]
        names = (*start, *access.names)
        if access.rest and not access.rest[0].descendant:
            names = names[:-1]
        for length in range(len(start) + 1, len(names) + 1):
            yield names[:length]
        yield from _named_after((*start, *access.names), access.rest)

    def place_of(self, path: n.FieldPath) -> Names | None:
        """The place that a path ends at, whatever selectors are on the way; None where these may
        lead to several."""
        names, rest = plain_steps(path, self)
        for segment in rest:
            only = segment.selectors[0]
            if segment.descendant or len(segment.selectors) > 1:
                return None
            if isinstance(only, n.Name):
                names = (*names, only.name)
            elif not self.is_level(names) and self._is_mapping(names):
                names = (*names, MEMBERS)
        return names

    def _is_mapping(self, names: Names) -> bool:
        place = self.structure.find(names)
        return place is not None and place.kinds[dict] > 0 and not place.lists

    def counts_as_level(self, names: Names, segment: n.Segment) -> bool:
        """Whether a place that a selector chooses from is a level, or counts as stated."""
        if self.is_level(names):
            return True
        stated = self.known.stated is not None
        return stated and isinstance(segment.selectors[0], n.Filter | n.Slice | n.Wildcard)

    def deepest_level(self, names: Names, above: int) -> Names | None:
        """The longest prefix of ``names``, longer than ``above``, that is a level."""
        return next(self._crossed(names, above), None)

    def _crossed(self, names: Names, above: int) -> Iterator[Names]:
        """The levels among the prefixes of ``names`` longer than ``above``, the deepest first."""
        for length in range(len(names), above, -1):
            if self.is_level(names[:length]):
                yield names[:length]

    def is_level(self, names: Names) -> bool:
        """Whether a place repeats, by the layout or by the data read so far."""
        return names in self.levels or self.known.has(names, self.structure)


def _named_after(names: Names, rest: tuple[n.Segment, ...]) -> Iterator[Names]:
    """The places that a path goes through by plain names after a selector, as far as they are
    known; those of whose entries a selector chooses again are none of them."""
    for at, segment in enumerate(rest):
        only = segment.selectors[0]
        if segment.descendant or len(segment.selectors) > 1:
            return
        if isinstance(only, n.Name):
            names = (*names, only.name)
            further = rest[at + 1].selectors[0] if at + 1 < len(rest) else only
            if isinstance(further, n.Name):
                yield names


def named_place(path: n.Node) -> Names | None:
    """The place that a path of names leads to, `*` being each member of a mapping."""
    names: list[str] = []
    for segment in path.segments if isinstance(path, n.FieldPath) else ():
        only = segment.selectors[0]
        if segment.descendant or len(segment.selectors) > 1:
            return None
        if not isinstance(only, n.Name | n.Wildcard):
            return None
        names.append(only.name if isinstance(only, n.Name) else MEMBERS)
    return tuple(names) or None


def plain_steps(path: n.FieldPath, chain: Chain) -> tuple[Names, tuple[n.Segment, ...]]:
    """The leading name steps of a path, and the segments after them.

    `[*]` on a level is no step of its own, since names go to each entry; on a mapping it is
    `MEMBERS`, a level whose entries are the members. A second one goes to the members of each
    entry.
    """
    names: list[str] = []
    entries = False  # whether a `[*]` has gone to the entries of the level so far
    for place, segment in enumerate(path.segments):
        only = segment.selectors[0]
        if segment.descendant or len(segment.selectors) > 1:
            return tuple(names), path.segments[place:]
        if isinstance(only, n.Name):
            names.append(only.name)
            entries = False
        elif not isinstance(only, n.Wildcard):
            return tuple(names), path.segments[place:]
        elif _goes_to_members(tuple(names), entries, chain):
            names.append(MEMBERS)
            entries = False
        else:
            entries = True
    return tuple(names), ()


def _goes_to_members(names: Names, entries: bool, chain: Chain) -> bool:
    """Whether `[*]` at a place goes to the members of a mapping, and not to a level's entries."""
    if entries or not names or not chain.is_level(names):
        return True
    place = chain.structure.find(names)
    if (*names, MEMBERS) in chain.known.named:
        return True
    if names[-1:] != (MEMBERS,):  # an empty list may stand for a mapping without members
        said = names in chain.known.named or names in (chain.known.stated or ())
        return not said and place is not None and place.kinds[dict] > 0 and not place.elements
    return place is None or not place.lists  # members that are lists have entries, others members
