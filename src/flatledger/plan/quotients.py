"""Columns whose values are quotients or means that nothing rounds, so that they have 34 digits.

Texts show fewer of them (docs/rules.md, 11). A column that is added up keeps all: it has to foot.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import msgspec

from ..language import nodes as n
from ..layout.column import Column
from ..structure.trees import OF_AN_ARGUMENT
from .plan import Plan

_QUOTIENTS = ("avg", "working_time")
_OF_ARGUMENTS = frozenset(  # what gives one of its arguments, or adds or multiplies them
    {
        *("abs", "mod", "power", "coalesce", "nullif", "chain_product"),
        *("sum", "min", "max", "first", "last", *OF_AN_ARGUMENT),
    }
)


def with_quotients(plan: Plan, columns: Sequence[Column]) -> Plan:
    """The plan, told which columns of the layout hold quotients, and in which rows."""
    told = _Quotients(columns)
    found = {column.heading: told.rows(column) for column in columns}
    marked = tuple(
        msgspec.structs.replace(one, quotients=found.get(one.column.heading, ""))
        for one in plan.columns
    )
    return replace(plan, columns=marked)


class _Quotients:
    def __init__(self, columns: Sequence[Column]) -> None:
        self._columns = {column.heading: column for column in columns}

    def rows(self, column: Column) -> Literal["", "total rows", "all rows", "added up"]:
        """In which rows a column has some."""
        total = column.total.name if column.total else ""
        if column.decimals is not None:
            return ""
        if self._holds(column):
            return "added up" if total == "sum" else "all rows"
        return "total rows" if total == "avg" else ""

    def _holds(self, column: Column) -> bool:
        """Whether a column's values are quotients that nothing rounds."""
        if column.decimals is not None or column.value is None:
            return False
        made = column.conversion
        factors = [made.factor, *made.factors.values()] if made is not None else []
        if made is not None and (made.kind == "time" or any(one.over != 1 for one in factors)):
            return True
        return self._is_one(column.value.node)

    def _is_one(self, node: n.Node) -> bool:
        match node:
            case n.Arithmetic():
                return node.operator == "/" or self._any(node.left, node.right)
            case n.Sign():
                return self._is_one(node.operand)
            case n.Case():
                results = [result for _, result in node.branches]
                return self._any(*results, *([node.otherwise] if node.otherwise else []))
            case n.Cast():
                return not node.parameters and self._is_one(node.operand)
            case n.Call():
                passed_on = node.name in _OF_ARGUMENTS and self._any(*node.arguments)
                return node.name in _QUOTIENTS or passed_on
            case n.Heading():
                return self._holds(self._columns[node.heading])
            case _:
                return False

    def _any(self, *nodes: n.Node) -> bool:
        return any(map(self._is_one, nodes))
