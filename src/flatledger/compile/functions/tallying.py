"""Writing `tally`, which adds rows up by group without making them.

Where only what groups add up to is wanted of rows, a list of parts is filled for each group as its
rows pass: its first row, and how many values each column with a total has, with their sum. It adds
up the values of rows where they stand in rows; control sums are added up on another walk.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from functools import cache
from typing import Any, NamedTuple

from ...plan.plan import Plan
from ...plan.row_type import ColumnPlan
from ..expressions.blocks import indented, listed_codes
from ..expressions.constants import Constants
from .ledger import OWN, Ledger, aggregate_of, part_name
from .unfolding import Unfolding

FIRST = 0  # the part with a group's first row


def takes_tallies(plan: Plan) -> bool:
    """Whether rows of a plan need not be made: they go into groups, each of their entries into one,
    and no order counts."""
    layout = plan.layout
    if plan.row_type.counted:  # which only rows that are made are
        return False
    if (
        plan.stack
        or (plan.over is None and layout.totals.detail)
        or not plan.group
        or layout.take is not None
    ):
        return False
    if plan.sums_of_own or (plan.over is not None and plan.over.plan.layout.take is not None):
        return False
    totals = [(aggregate_of(one), plan.row_type.mark_slot(one), one.home) for one in plan.totalled]
    return all(
        (aggregate.adds or aggregate.start == "None")
        and not aggregate.unknown
        and not (mark is not None and plan.row_type.splits(home))
        for aggregate, mark, home in totals
    )


def parts_of(plan: Plan) -> list[tuple[int, int | None]]:
    """Where in a group's list each column with a total has the number of its values, and their sum
    if it has one."""
    places: list[tuple[int, int | None]] = []
    further = FIRST + 1
    for column in plan.totalled:
        adds = aggregate_of(column).adds
        places.append((further, further + 1 if adds else None))
        further += 1 + adds
    return places


def describing(plan: Plan) -> list[int]:
    """The columns, by their slots, that describe a group and should be the same in its rows."""
    grouped = {key.slot for key in plan.group}
    return [
        one.slot
        for one in plan.written
        if one.column.value and not one.column.total and one.slot not in grouped
    ]


@cache
def posting(places: tuple[int, ...]) -> Callable[[Ledger, Ledger], None]:
    """What posts what later rows add up to into what earlier ones do, the parts at some places: a
    function for just these, since it goes over each group of each batch. Other parts (a group's
    first row) stay, and lists of the later ledger may become part of the first.

    >>> whole = {"a": ["first", 1]}
    >>> posting((1,))(whole, {"a": ["second", 2], "b": ["third", 4]})
    >>> whole
    {'a': ['first', 3], 'b': ['third', 4]}
    """
    lines = [
        "def post(ledger, later):",
        "    for key, parts in later.items():",
        f"        {OWN} = ledger.setdefault(key, parts)",
        f"        if {OWN} is not parts:",
        # mutant: tallies-posted
        *indented([f"{part_name(place)} += parts[{place}]" for place in places] or ["pass"], 3),
    ]
    made: dict[str, Any] = {}
    exec("\n".join(lines), made)
    post: Callable[[Ledger, Ledger], None] = made["post"]
    return post


class GroupTallies(NamedTuple):
    """What some rows add up to: a list for each group, how many rows there are, and the groups in
    which a column that describes them differs, with its slot."""

    by_group: Ledger
    rows: int
    differ: set[tuple[Any, int]]


class Tallying(Unfolding):
    """Writes `tally`."""

    name = "tally"
    results = "(by_group, rows, differ), ({counts}), classes"

    def __init__(self, plan: Plan, constants: Constants, unmet: Collection[int]) -> None:
        super().__init__(plan, constants, unmet=unmet)
        self._level = max(key.home for key in plan.group)  # of the groups
        self._places = parts_of(plan)
        self._describing = describing(plan)
        starts = ["None", *("0" for pair in self._places for one in pair if one is not None)]
        self.starts = [
            "by_group, differ, rows = {}, set(), 0",
            f"def new_group(): return [{', '.join(starts)}]",
        ]

    def known(self, level: int) -> list[str]:
        own = self._find(level) if level == self._level else []
        return [*super().known(level), *own]

    def _find(self, level: int) -> list[str]:
        """The lines that find the list of a row's group."""
        return [
            f"group = ({listed_codes(self.group(level))})",
            f"{OWN} = by_group.get(group)",
            f"if {OWN} is None: {OWN} = by_group[group] = new_group()",
        ]

    def row_lines(self, level: int) -> list[str]:
        lines, marks = self.marks(level)
        if level < self._level:
            lines += self._find(level)
        first, codes = part_name(FIRST), self.codes(level)
        lines += ["rows += 1", f"if {first} is None: {first} = {self.row(level, marks)}"]
        if self._describing:
            lines.append("else:")
        for slot in self._describing:
            lines.append(f"    if {codes[slot]} != {first}[{slot}]: differ.add((group, {slot}))")
        for index, column in enumerate(self.plan.totalled):
            place = self.plan.row_type.mark_slot(column)
            mark = "" if place is None else marks[place - len(codes)]
            if column.home <= level and mark != "REPEAT":
                lines += self._adding(index, column, codes[column.slot], mark)
        return lines

    def _adding(self, index: int, column: ColumnPlan, code: str, mark: str) -> list[str]:
        """The lines that add one value; nulls and faults are none, nor is what a row repeats."""
        count, state = self._places[index]
        tests = [f"not {mark}"] if mark else []
        tests += [f"{code} is not None"] if code.isidentifier() else []
        texts = column.shows_texts or not column.numeric
        if texts and not self.emitter.columns.is_integer(column):
            tests.append(f"{code}.__class__ is not FaultText")
        taken = [f"{part_name(count)} += 1"]
        if state is not None:
            taken.append(aggregate_of(column).taking(part_name(state), code))
        if code == "None":
            return []
        return [f"if {' and '.join(tests)}:", *indented(taken, 1)] if tests else taken
