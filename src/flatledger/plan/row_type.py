"""What the rows of a table are made of: columns, keys, marks, the address of an entry."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import msgspec

from ..language import nodes as n
from ..layout.model.column import Column
from ..values.aggregates import Aggregate
from ..values.lazily import lazily


class ColumnPlan(msgspec.Struct, frozen=True):
    """A column with its home (the index of a level of the chain) and its slot in a row.

    ``value`` is its expression, in which every node says what is known of it. A value can be shown
    on some rows of its home only; ``shown`` is then the deeper level on whose entries that depends,
    and ``once`` what it is for an entry of its home. A total on a tree takes some ``nodes`` only:
    its leaves or tops. ``quotients`` says in which rows its cells are some that nothing rounds, or
    that they are ``added up``. Where rows of several levels are stacked, ``everywhere`` is one that
    belongs to the row, whatever its level; ``by_level`` what it is on those of each, if that
    differs.
    """

    column: Column
    home: int
    numeric: bool
    slot: int
    kind: str = "any"
    value: n.Node | None = None
    shown: int | None = None
    once: n.Node | None = None
    nodes: str = ""
    quotients: Literal["", "total rows", "all rows", "added up"] = ""
    everywhere: bool = False
    by_level: tuple[n.Node, ...] = ()

    @property
    def at(self) -> int:
        """The level on whose entries it is shown."""
        return self.home if self.shown is None else self.shown

    @property
    def shows_texts(self) -> bool:
        """Whether it is a field itself, so that what is no number is shown among its numbers."""
        return isinstance(self.value, n.FieldPath)


class KeyPlan(msgspec.Struct, frozen=True):
    """A sort or group key: its slot in a row, its home, and which way it goes. Of a column that
    stands on rows of one level alone, the value stands in a slot of its own on all; ``column`` is
    then where it is shown."""

    slot: int
    home: int
    text: str
    descending: bool = False
    nulls_first: bool = False
    collation: str = ""
    kind: str = "any"
    column: int | None = None

    @property
    def place(self) -> int:
        """The column that it is, if it is one."""
        return self.slot if self.column is None else self.column


class Mark(msgspec.Struct, frozen=True):
    """What tells on a row whether an entry of a level is new there: in the total of all columns of
    that home, or of the one ``column`` (by its place) that not each of its rows shows. Of a tree
    some ``nodes`` only may count: leaves or tops."""

    home: int
    column: int | None = None
    nodes: str = ""


@dataclass(frozen=True)
class RowType:
    """A row as a tuple: the written columns, the suppressed ones, the keys that are no columns
    (``extra_keys``), a mark for each of ``marked``, and, where rows are ``addressed``, the address
    of the entry that it stands for, which is of a ``level`` of the chain.

    The slots of ``columns`` and of the keys that it is in ``sort`` and ``group`` by are places in
    it. Where rows are ``lined`` they have those columns alone that something asks for, and last
    the line of text, or the written cells in its place. With a ``stack`` of levels there are rows
    of each; a column is filled on those of its home level, and of those below where a parent's
    value ``repeats``. The entries of the first with all rows below them are families, in which
    ``within`` orders those of lower levels; last in a row stands its level. Where labels say how
    many rows or entries a group has, these are ``counted``.
    """

    level: int
    columns: tuple[ColumnPlan, ...] = ()
    extra_keys: tuple[tuple[n.Node, int], ...] = ()
    sort: tuple[KeyPlan, ...] = ()
    group: tuple[KeyPlan, ...] = ()
    marked: tuple[Mark, ...] = ()
    addressed: bool = False
    lined: bool = False
    stack: tuple[int, ...] = ()
    within: tuple[KeyPlan, ...] = ()
    repeats: bool = False
    counted: bool = False

    @property
    def first(self) -> int:
        """The level of rows that are there even where it has no entries (docs/rules.md, 7)."""
        return self.stack[0] if self.stack else self.level

    def home_row(self, column: ColumnPlan) -> int:
        """The level of the rows on which a column is filled."""
        if column.column.level is not None:
            return self.stack[column.column.level]
        return next((one for one in self.stack if one >= column.at), self.level)

    def home_row_of_all(self, columns: Sequence[ColumnPlan]) -> int:
        """The level of the first rows on which each of some columns is filled."""
        levels = [self.home_row(one) for one in columns if not one.everywhere]
        return max(levels, default=self.first)

    def shows(self, column: ColumnPlan, level: int) -> bool:
        """Whether a column is filled on rows whose entries end at a level."""
        above = not self.stack or level < self.first
        own = self.home_row(column)
        if column.column.level is not None:
            fixed = column.column.value is None
            return own == max(level, self.first) and (not above or fixed or column.at <= level)
        if above:
            return column.at <= level
        return column.everywhere or own == level or (self.repeats and own < level)

    @property
    def level_slot(self) -> int:
        """Where a stacked row has its level; one without entries has the first."""
        stop: int = self.address.stop
        return stop

    @lazily
    def totalled(self) -> list[ColumnPlan]:
        """The columns with a total."""
        return [one for one in self.columns if one.column.total]

    @lazily
    def aggregates(self) -> list[Aggregate]:
        """What each of these is added up by."""
        return [one.column.total.aggregate for one in self.columns if one.column.total]

    def column(self, heading: str) -> ColumnPlan:
        """The column that is called so."""
        return next(one for one in self.columns if one.column.heading == heading)

    def mark_slot(self, column: ColumnPlan) -> int | None:
        """Where the mark for a column's entries stands; None for the row's own level."""
        if column.home == self.level and not column.nodes and not self.stack:
            return None
        mark = Mark(column.home, column.slot if column.once is not None else None, column.nodes)
        return len(self.columns) + len(self.extra_keys) + self.marked.index(mark)

    @lazily
    def address(self) -> slice:
        """Where the address of its entry stands: the record's number, and the place of the entry at
        each level (0 where the row has none)."""
        start = len(self.columns) + len(self.extra_keys) + len(self.marked)
        return slice(start, start + self.level + 1)

    @property
    def width(self) -> int:
        """How much a row holds, its line apart."""
        start = len(self.columns) + len(self.extra_keys) + len(self.marked)
        return start + (self.level + 1) * self.addressed + bool(self.stack)

    def splits(self, home: int) -> bool:
        """Whether the rows of one entry of a level can fall into several groups."""
        return any(key.home > home for key in self.group)
