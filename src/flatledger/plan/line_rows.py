"""Rows that carry their line of text, and besides it only what something asks of them.

Where nothing but delimited text is wanted of a table, a row needs no cells: it is the values by
which rows are sorted, grouped, totalled and identified, its marks and address, and last its line.
A row of which nothing else is asked is the line itself.
"""

from __future__ import annotations

from dataclasses import replace

import msgspec

from .plan import Plan
from .row_type import KeyPlan, RowType


def takes_lines(plan: Plan) -> bool:
    """Whether the rows of a plan may carry lines: all are given, as they are, in one pass."""
    layout = plan.layout
    if plan.over is not None or not layout.totals.detail or layout.take is not None:
        return False
    if plan.stack and not _stacks_lines(plan):
        return False
    if layout.subtotals.where == "before" and plan.group:
        return False
    if any(key.shown != "each" for key in layout.group):
        return False
    totals = [(one.column.total, one.column.decimals) for one in plan.columns]
    return not any(total and total.exact and decimals is not None for total, decimals in totals)


def _stacks_lines(plan: Plan) -> bool:
    """Whether stacked rows may carry lines: a cell that is not the row's own is blank, as it would
    be if nothing stood there, and no column names the level."""
    columns = [one.column for one in plan.written]
    instead = plan.layout.output.null or any(one.default or one.null for one in columns)
    return not (plan.layout.by_level or instead or any(one.by_level for one in plan.columns))


def places_beside(plan: Plan) -> list[int]:
    """The columns, by their slots, whose values stand beside the line."""
    keys = {key.slot for key in (*plan.sort, *plan.group)}
    named = set(plan.layout.primary_key)
    return [
        one.slot
        for one in plan.columns
        if one.column.total or one.slot in keys or one.column.heading in named
    ]


def with_lines(plan: Plan) -> RowType:
    """What rows that carry lines are made of: the columns that stand beside them, where they stand
    there."""
    rows = plan.row_type
    beside = places_beside(plan)
    places = {slot: place for place, slot in enumerate(beside)}
    further, before = len(beside), len(rows.columns)
    places |= {before + at: further + at for at in range(len(rows.extra_keys))}

    def key(one: KeyPlan) -> KeyPlan:
        return msgspec.structs.replace(one, slot=places[one.slot])

    return replace(
        rows,
        columns=tuple(
            msgspec.structs.replace(rows.columns[slot], slot=place)
            for place, slot in enumerate(beside)
        ),
        sort=tuple(map(key, rows.sort)),
        group=tuple(map(key, rows.group)),
        within=tuple(map(key, rows.within)),
        marked=tuple(
            one if one.column is None else msgspec.structs.replace(one, column=places[one.column])
            for one in rows.marked
        ),
        lined=True,
    )
