"""A plan in plain words: what a row stands for, which levels there are, the order, the totals."""

from __future__ import annotations

from collections.abc import Iterator

from ..layout.model.column import Column
from ..layout.model.model import SettledLayout
from .plan import Plan


def explained(plan: Plan) -> list[str]:
    """Sentences that say what a run by the plan will do; nothing need have been read but the
    records that the plan was made by."""
    layout = plan.layout if plan.over is None else plan.over.layout
    return [
        *_rows(plan),
        *_levels(plan),
        *_conditions(plan),
        *(_above_the_row(plan) if plan.over is None else _within_groups(plan)),
        *_order(plan, layout),
        *_totals(plan, layout),
        *_taken(layout),
    ]


def home_name(plan: Plan, column: Column) -> str:
    """What a value of a column belongs to."""
    if plan.over is not None:
        return "group"
    if column.value is None:
        return ""
    own = plan.column(column.heading)
    return "row" if own.everywhere else plan.chain.called(plan.chain.levels[own.home])


def _rows(plan: Plan) -> Iterator[str]:
    if plan.over is not None:
        keys = ", ".join(key.text for key in plan.over.keys)
        yield f"One row for each group: {keys}. Each remaining entry is taken once per group."
    elif not plan.layout.totals.detail:
        keys = ", ".join(key.text for key in plan.group) or "everything"
        yield f"One row for each group ({keys}), without the detail."
    else:
        below = [plan.chain.called(plan.chain.levels[at]) for at in plan.stack[1:]]
        under = f", and below it one for each entry of {', then of '.join(below)}" if below else ""
        yield f"One row for each {_entry(plan.row_type.first, plan)}{under}."
        yield from _without_entries(plan)


def _entry(level: int, plan: Plan) -> str:
    name = plan.chain.called(plan.chain.levels[level])
    return name if level == 0 else f"entry of {name}"


def _without_entries(plan: Plan) -> Iterator[str]:
    first = plan.row_type.first
    if first > 0:
        name = plan.chain.called(plan.chain.levels[first])
        drops = "is dropped" if plan.drops_at(0) else "gives one row with blanks"
        yield f"A record without {name} {drops}."
    if plan.stack and plan.drops_at(first):
        yield "An entry without a row below it is dropped."


def _levels(plan: Plan) -> Iterator[str]:
    """The places that repeat, and who says so."""
    names = ", ".join(map(plan.chain.called, plan.repeating))
    by = "as the records show" if plan.chain.known.stated is None else "as the layout states"
    if names:
        yield f"Levels, {by}: {names}."
    for tree in (one for one in plan.repeating if one in plan.chain.known.trees):
        name = plan.chain.called(tree)
        yield f"{name} nests in itself: each of its nodes is an entry, however deep."
    yield from _opened(plan)


def _opened(plan: Plan) -> Iterator[str]:
    """How the nodes of trees are found, and how far they are opened."""
    nest, by = plan.layout.nest, plan.layout.opens_by
    if nest is not None:
        way = f"below the one whose {nest.key} is its {nest.parent}" if nest.key else "by its "
        way += "" if nest.key else f"depth ({nest.depth})" if nest.depth else nest.numbering
        rows = f"entry of {plan.chain.called(nest.of)}" if nest.of else "row of the source"
        yield f"Each {rows} is a node of {plan.chain.called(nest.level)}, {way}."
    for one in plan.layout.openings:
        name = plan.chain.called(one.level)
        if one.until is not None:
            yield f"{name} are opened until {' '.join(one.until.text.split())}."
        if one.to_depth is not None:
            yield f"{name} are opened down to depth {one.to_depth:,}."
    if by is not None:
        where = by.file or "the source's own records"
        key = plan.chain.called((*by.level, *by.key))
        place = f"in the one whose {by.named_by} is {key}"
        yield f"What {plan.chain.called(by.level)} hold is defined in {where}, {place}."


def _conditions(plan: Plan) -> Iterator[str]:
    """Which entries the conditions choose among, where that is not the records themselves."""
    for one in plan.conditions:
        level = one.judged(plan.chain)
        if level:
            text = " ".join(one.condition.value.text.split())
            more = {"branch": ", with all below them", "ancestors": ", with those above them"}
            kept = more.get(one.condition.kept_with, "")
            yield f"Of {plan.chain.called(level)} only those remain for which {text}{kept}."


def _above_the_row(plan: Plan) -> Iterator[str]:
    for column in (one for one in plan.totalled if not one.column.checks):
        if column.home < plan.row_type.first:
            yield (
                f"{column.column.heading} belongs to the {_entry(column.home, plan)}: shown on "
                "each of its rows, and added once."
            )
    if plan.stack:
        below = ", and on all rows below those" if plan.layout.repeat_parents else ""
        yield f"A column is filled on the rows of its own level{below}."


def _within_groups(plan: Plan) -> Iterator[str]:
    """What falls into several groups, so that the groups do not add up to the whole."""
    split = [one.column.heading for one in plan.totalled if plan.row_type.splits(one.home)]
    if split:
        yield (
            f"One entry can be in several groups, with each of which it is taken: "
            f"{'; '.join(split)}. In all it is taken once."
        )


def _order(plan: Plan, layout: SettledLayout) -> Iterator[str]:
    ways = [
        (key.heading or (key.value.text if key.value else ""), key.descending)
        for key in layout.sort
    ]
    within = {key.text for key in plan.within}
    keys, below = (
        [f"{name}, descending" if down else name for name, down in ways if (name in within) is at]
        for at in (False, True)
    )
    if below:
        yield f"Rows of the same parent are sorted by {'; '.join(below)}."
    if keys:
        yield f"Sorted by {'; '.join(keys)}."
    elif plan.over is not None:
        yield "In the order of the groups."
    elif not plan.group:
        yield "In the order of the source."
    if plan.over is None and plan.group and layout.totals.detail:
        how = "as they are met" if layout.group_order.as_met else "groups first"
        yield f"Grouped by {', '.join(key.text for key in plan.group)}, {how}."


def _totals(plan: Plan, layout: SettledLayout) -> Iterator[str]:
    columns = [column for column in layout.columns if not column.checks]
    totalled = [column.heading for column in columns if column.total and not column.further_of]
    if not totalled:
        return
    places = {"after": "after each group", "before": "before each group", "none": "nowhere"}
    where = places[layout.subtotals.where] if layout.group else "at the end"
    yield f"Totals stand {where}: {'; '.join(totalled)}."
    for nodes in dict.fromkeys(one.nodes for one in plan.totalled if one.nodes):
        own = [one.column.heading for one in plan.totalled if one.nodes == nodes]
        yield f"Of the nodes only the {nodes} are added up: {'; '.join(own)}."
    if plan.over is not None and layout.totals.grand_total:
        yield "The total row takes each expression over all that the rows stand for."


def _taken(layout: SettledLayout) -> Iterator[str]:
    take = layout.take
    if take is not None:
        first = f"The first {take.first:,}" if take.first is not None else "All"
        every = f", one in {take.every}," if take.every > 1 else ""
        yield f"{first} {take.of}{every} are taken."
