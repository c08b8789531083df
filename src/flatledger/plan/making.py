"""The plan of a run, from a layout, the structure of the records and the day."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

from ..layout.model import SettledLayout
from ..structure.known_levels import known_levels
from ..structure.levels import Chain, Names
from ..structure.structure import Place
from ..structure.trees import with_trees
from .doubts import doubts_of
from .groups import Decomposed
from .plan import OverGroups, Plan, expressions_in
from .planner import Planner, Supposed
from .quotients import with_quotients
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
