"""The kind of an expression's value, as far as its text tells (rule 13)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from ..language import nodes as n
from ..layout.model.column import Column
from ..plan.kinds import (
    AGGREGATE_KINDS,
    COLLECT,
    DATATYPES,
    LEVEL,
    OF_THE_SOURCE,
    arithmetic_kind,
    common_kind,
    comparison_kind,
    kind_of_literal,
)
from ..structure.trees import OF_AN_ARGUMENT, TREE_KINDS
from ..values.field_values import FieldDeclaration
from ..values.functions import CAST_KINDS, FUNCTIONS
from .exact import number_in

_FIXED = {
    "current_date": "moment",
    LEVEL: "text",
    "ordinal": "number",
    "key": "text",
    **OF_THE_SOURCE,
}


class Given(n.Node, frozen=True):
    """A value that is known already, with its kind, in the place of its expression."""

    value: object
    kind: str
    expression: n.Node


class Kinds:
    """Tells kinds. ``declared`` says how a path is declared; ``columns`` are the layout's."""

    def __init__(
        self,
        columns: Mapping[str, Column],
        declared: Callable[[n.FieldPath], FieldDeclaration | None],
    ) -> None:
        self._columns = columns
        self._declared = declared

    def of(self, node: n.Node) -> str:
        """The kind of a value: number, text, truth, moment, time, interval, null; or any."""
        match node:
            case Given(kind=kind):
                return kind
            case n.Literal(value=value):
                return kind_of_literal(value)
            case n.FieldPath():
                declared = self._declared(node)
                return declared.kind if declared is not None else "any"
            case n.Heading(heading=heading):
                return self._of_column(self._columns[heading])
            case n.Sign():
                return "number"
            case n.Arithmetic(operator=operator, left=left, right=right):
                return arithmetic_kind(operator, self.of(left), self.of(right))
            case n.Concatenation() | n.Collate():
                return "text"
            case n.Case(branches=branches, otherwise=otherwise):
                outcomes = [outcome for _, outcome in branches]
                return common_kind(map(self.of, [*outcomes, *([otherwise] if otherwise else [])]))
            case n.Cast(type=name):
                return CAST_KINDS[name]
            case n.Call():
                return self._of_call(node)
        return "truth"

    def _of_call(self, node: n.Call) -> str:
        name = node.name
        if name == "coalesce":
            return common_kind(map(self.of, node.arguments))
        gives_argument = AGGREGATE_KINDS.get(name) == "any" and name != COLLECT
        if name == "nullif" or name in OF_AN_ARGUMENT or gives_argument:
            return self.of(node.arguments[0])
        known = {**_FIXED, **AGGREGATE_KINDS, **TREE_KINDS}
        return known.get(name) or FUNCTIONS[name].result

    def _of_column(self, column: Column) -> str:
        if column.typed:
            return DATATYPES.get(column.datatype or "", "text")
        if column.numeric:
            return "number"
        return self.of(column.value.node) if column.value else "text"

    def compared_as(self, nodes: Iterable[n.Node]) -> str | None:
        """The kind as which values are compared; None where each value decides: numbers among
        numbers, a number and a text that is one as numbers, two texts as texts (rule 13)."""
        nodes = list(nodes)
        kinds = [self.of(node) for node in nodes]
        kind = comparison_kind(kinds)
        if kind == "text" and "any" in kinds and any(map(_may_be_number, nodes)):
            return None
        return kind


def _may_be_number(node: n.Node) -> bool:
    if isinstance(node, n.Literal):
        return isinstance(node.value, str) and number_in(node.value) is not None
    return isinstance(node, n.Concatenation | n.Case | n.Call)
