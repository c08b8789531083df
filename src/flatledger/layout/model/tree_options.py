"""What a layout says of trees: rows that are made into one, and how far its nodes are opened."""

from __future__ import annotations

from typing import Literal

import msgspec

from .column import Expression
from .source_options import SourceOptions
from .text import TextPlace

Names = tuple[str, ...]


class Nest(msgspec.Struct, frozen=True):
    """Flat rows that become the nodes of a tree, at the level ``into``.

    They are the entries of the level ``of`` in each record, or else the records of the source:
    then there is one record for all, or one for each value of the field ``per``. What tells where
    a row belongs is its ``parent``'s ``key``, its ``depth``, or its ``numbering``.
    """

    into: str
    key: str = ""
    parent: str = ""
    depth: str = ""
    numbering: str = ""
    of: Names = ()
    per: str = ""
    place: TextPlace = (0, 0, "")

    @property
    def level(self) -> Names:
        """The level of the nodes."""
        return (*self.of[:-1], self.into)


class Opening(msgspec.Struct, frozen=True):
    """How far the nodes of a level are opened: ``to_depth``, or ``until`` something holds of one.

    A node that is not opened is a leaf.
    """

    level: Names
    to_depth: int | None = None
    until: Expression | None = None
    place: TextPlace = (0, 0, "")


class OpensBy(msgspec.Struct, frozen=True):
    """Definitions of what nodes hold: a node whose ``key`` is the ``named_by`` of a definition has
    the entries that this has at the same level.

    ``file`` has the definitions; blank where they are the source's own records.
    """

    level: Names
    key: Names
    named_by: str
    file: str = ""
    reading: SourceOptions | None = None
    place: TextPlace = (0, 0, "")


WITH = ("branch", "ancestors")
With = Literal["", "branch", "ancestors"]
