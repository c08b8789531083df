"""What the families of nodes ask of each other, and where an expression stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

from ..language import nodes as n
from ..plan.plan import Plan
from ..structure.levels import Names
from ..values.field_values import FieldDeclaration
from .converting import Converting
from .entries import Entry, Record
from .faults import Faults, Where
from .kinds import Kinds
from .paths import Paths

Here = tuple[Entry, ...]  # the entries from the record down
Levels = tuple[Names, ...]


class Origin:
    """What an expression can ask of the source: the record's number, its file, its row in it."""

    def __init__(self, file: str = "", before: int = 0, row: int | None = None) -> None:
        self.file, self.before, self.row = file, before, row


class Values(Protocol):
    """Works out any expression: the way by which one family of nodes gets what others are worth.

    ``expression`` is the text of the one that is worked out, ``inside`` how many aggregates stand
    around what is.
    """

    plan: Plan
    record: Record
    paths: Paths
    faults: Faults
    converting: Converting
    expression: str
    inside: int

    def kinds(self, here: Here) -> Kinds:
        """What tells the kinds of expressions."""
        ...

    def declared(self, path: n.Node, here: Here) -> FieldDeclaration | None:
        """How the values at a path are declared, if they are."""
        ...

    def called(self, node: n.Node) -> str:
        """How an expression is called in a fault."""
        ...

    def where(self, node: n.Node, here: Here) -> Where:
        """The entry that a value belongs to."""
        ...

    def value(self, node: n.Node, here: Here) -> Any:
        """The value as it is."""
        ...

    def present(self, node: n.Node, here: Here) -> Any:
        """The value; null where it is missing, null or blank."""
        ...

    def as_kind(self, kind: str, node: n.Node, here: Here) -> Any:
        """The value as one of a kind."""
        ...

    def number(self, node: n.Node, here: Here) -> Any:
        """The value as a number."""
        ...

    def text(self, node: n.Node, here: Here) -> Any:
        """The value as a text."""
        ...

    def truth(self, node: n.Node, here: Here) -> bool | None:
        """The value as true, false or unknown."""
        ...

    def source(self, path: n.FieldPath, here: Here, *, aligned: bool = False) -> Any:
        """What stands at a path as it came."""
        ...

    def read(self, node: n.Node, raw: Any, declared: FieldDeclaration, here: Here) -> Any:
        """One value, read as it is declared."""
        ...

    def is_unread(self, raw: Any, declared: FieldDeclaration) -> bool:
        """Whether a value is there, and is none of those that its field is declared to have."""
        ...

    def once(self, node: n.Node, others: Sequence[n.Node], here: Here) -> n.Node:
        """A value that is worked out once, of the kind as which it is compared with others."""
        ...


def levels_of(here: Here) -> Levels:
    """The levels of the entries from the record down."""
    return here[-1].levels if here else ()
