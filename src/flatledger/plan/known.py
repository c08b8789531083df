"""What a plan has found out about the nodes of its expressions, written on the nodes themselves."""

from __future__ import annotations

import msgspec

from ..language import nodes as n
from ..structure.levels import Access, Names
from ..values.field_values import FieldDeclaration
from .kinds import SQL_TYPES, Ready, kind_of_literal
from .plan import AggregatePlan


class Known(msgspec.Struct, frozen=True):
    """What is known of one node.

    ``kind`` is that of its value, ``homes`` are the levels that its parts belong to, ``text`` is
    what it is called in a fault (a path by its names) and ``expression`` the text that it is part
    of. A path knows how it is reached (``access``) from the place where that begins (``start``),
    whether it is the row's own chain that it is reached by (``own``), and whether it stands
    ``inside`` an aggregate, and how its values are ``declared``. A function of a tree
    knows the level whose ``node`` it is about.
    """

    kind: str
    homes: tuple[int, ...] = ()
    text: str = ""
    expression: str = ""
    access: Access | None = None
    start: Names = ()
    own: bool = True
    inside: bool = False
    declared: FieldDeclaration | None = None
    aggregate: AggregatePlan | None = None
    node: int | None = None

    @property
    def type(self) -> str:
        """The type of its value by SQL's name (ISO 9075); blank where only the data can tell."""
        return SQL_TYPES.get(self.kind, "")


def kind_of(node: n.Node) -> str:
    """The kind of a node's value. One that an emitter has put in its place is a condition."""
    if isinstance(node.known, Known):
        return node.known.kind
    if isinstance(node, Ready):
        return node.operand.kind
    return kind_of_literal(node.value) if isinstance(node, n.Literal) else "truth"


def text_of_node(node: n.Node) -> str:
    """How an expression is called in a fault."""
    if isinstance(node, Ready):
        return node.text
    return node.known.text if isinstance(node.known, Known) else ""


def known_of(node: n.Node) -> Known:
    """What is known of a node of a plan."""
    known = node.known
    assert isinstance(known, Known)
    return known


def declared_of(node: n.Node) -> FieldDeclaration | None:
    """How the values of a path are declared, if they are."""
    known = node.known
    return known.declared if isinstance(known, Known) and isinstance(node, n.FieldPath) else None


def access_of(path: n.Node) -> Access:
    """How a path of a plan is reached from where it stands."""
    access = known_of(path).access
    assert access is not None
    return access


def node_of(call: n.Node) -> int:
    """The level whose node a function of a tree is about."""
    node = known_of(call).node
    assert node is not None
    return node


def aggregate_of(call: n.Node) -> AggregatePlan:
    """What an aggregate of a plan runs over."""
    aggregate = known_of(call).aggregate
    assert aggregate is not None
    return aggregate
