"""The plan of a run, from a layout, the structure of the records and the day."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import msgspec

from ..language import nodes as n
from ..layout.model.column import Column
from ..layout.model.model import SettledLayout
from ..structure.known_levels import known_levels
from ..structure.levels import Chain, Names
from ..structure.structure import Place
from ..structure.trees import OF_AN_ARGUMENT, with_trees
from .doubts import doubts_of
from .groups import Decomposed
from .plan import OverGroups, Plan, expressions_in
from .planner import Planner, Supposed
from .reaching import places_crossed


def make_plan(
    layout: SettledLayout, structure: Place, today: dt.date, complete: bool = False
) -> Plan:
    """Plan a run by the structure of the first records, or of all where it is ``complete``.

    ``today`` is the day that relative periods are counted from.

    Raises LayoutError with every fault that only the data could show.
    """

    def planned(*named: Names) -> Plan:
        return _plan_with_trees(layout, structure, today, complete, frozenset(named))

    plan = planned()
    return replace(plan, doubts=tuple(doubts_of(plan, planned)))


def _plan_with_trees(
    layout: SettledLayout,
    structure: Place,
    today: dt.date,
    complete: bool,
    named: frozenset[Names],
) -> Plan:
    """The plan in which further places are ``named`` as levels; those that functions of trees are
    about are trees."""
    made: dict[Names, str] = {}
    while True:
        plan = _plan_rows(layout, structure, today, complete, Supposed(named, made))
        if plan.made_trees <= made.keys():
            return plan
        made = made | {names: names[-1] for names in plan.made_trees}


def _plan_rows(
    layout: SettledLayout, structure: Place, today: dt.date, complete: bool, supposed: Supposed
) -> Plan:
    """The plan with what is supposed of levels."""
    if not layout.row_per_group:
        plan = Planner(layout, structure, complete, today, supposed=supposed).plan()
        return with_quotients(plan, layout.columns)
    known = supposed.added_to(known_levels(layout, expressions_in(layout), complete))
    parted = Decomposed(layout, Chain.of((), *with_trees(structure, known)))
    plan = Planner(parted.inner_layout(), structure, complete, today, supposed=supposed).plan()
    kinds = parted.kinds(plan)
    fields = Place(children={name: Place() for name in kinds})
    rows = Planner(parted.outer_layout(), fields, True, today, kinds).plan()
    rows = replace(with_quotients(rows, layout.columns), addressed=True)
    over = OverGroups(layout, tuple(parted.keys), tuple(parted.parts.values()), rows)
    values = [one.value for one in layout.columns if one.value is not None]
    values += [one.value for one in layout.sort if one.value is not None]
    crossed = frozenset(
        place for one in (*values, *parted.keys) for place in places_crossed(one.node, parted.chain)
    )
    lists = plan.lists_matter | crossed
    return replace(plan, over=over, addressed=True, lists_matter=lists)


# ---- columns of quotients or means that nothing rounds, so that they have 34 digits
#
# Texts show fewer of them (docs/rules.md, 11). A column that is added up keeps all: it has to foot.


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
        further = (one for one in self._columns.values() if one.further_of == column.heading)
        means = any(one.total and one.total.name == "avg" for one in further)
        if column.decimals is not None:
            return ""
        if self._holds(column):
            return "added up" if total == "sum" else "all rows"
        return "total rows" if total == "avg" or means else ""

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
