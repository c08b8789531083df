"""A whole table by definition: order, groups, totals, and what is taken (rules 15 to 17 and 22)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..plan.plan import Plan
from ..plan.row_order import grouped_order
from ..plan.row_type import KeyPlan
from ..values.functions import text_of
from .exact import is_number, rounded
from .ordering import in_order, same_group
from .reading import Reading
from .totals import Row, totalled

Cells = tuple[Any, ...]
Key = tuple[Any, ...]


class Table:
    """The table of a layout over some records, a row for each entry. It holds all of them: it is
    there to be held against, and not to be fast."""

    def __init__(self, plan: Plan, readings: Sequence[Reading]) -> None:
        self.plan = plan
        self.width = len(plan.written)
        self._before: Key | None = None  # the group of the row that was written last
        self.totals = {one.column.heading: one for one in totalled(plan)}
        taken = _taken([one for one in readings if one.passes], plan, "records")
        rows = [Row(read, reading) for reading in taken for read in reading.rows()]
        self.rows = rows = self._within_parents(rows, 0) if plan.stack else rows
        order = (
            list(plan.sort)
            if plan.layout.group_order.as_met
            else grouped_order(plan.sort, plan.group)
        )
        if plan.layout.totals.detail:
            ordered = in_order([_Sortable(row) for row in rows], order)
            self.rows = self._taken_rows([one.row for one in ordered])

    # ---- stacked rows: families stay together

    def _within_parents(self, rows: Sequence[Row], at: int) -> list[Row]:
        """Rows of a level of the stack, each with what is below it, in the order of their keys."""
        stack = self.plan.stack
        if at == len(stack):
            return list(rows)
        families = self._families(rows, stack[at])
        keys = [key for key in self.plan.within if key.home == stack[at]]
        found = [one.part for one in in_order([_Part(one) for one in families], keys)]
        return [row for own, *below in found for row in (own, *self._within_parents(below, at + 1))]

    def _families(self, rows: Sequence[Row], level: int) -> list[list[Row]]:
        """Rows by the entry of a level that they are of."""
        families: list[list[Row]] = []
        for row in rows:
            if len(row.read.here) <= level + 1:
                families.append([])
            families[-1].append(row)
        return families

    def _taken_rows(self, rows: list[Row]) -> list[Row]:
        """The rows that are taken; of stacked ones whole families."""
        if not self.plan.stack:
            return _taken(rows, self.plan, "rows")
        families = _taken(self._families(rows, self.plan.stack[0]), self.plan, "rows")
        return [row for family in families for row in family]

    # ---- the blocks of the table

    def table(self) -> list[Cells]:
        """The rows as an output is given them, total rows among them."""
        totals = self.plan.layout.totals
        body = self._groups(self.rows, 0) if self.plan.group or totals.detail else []
        grand = []
        if totals.grand_total and self.plan.shows_totals:
            grand = self._total_rows(self.rows, ())
        before = self.plan.layout.subtotals.where == "before"
        before = before and (bool(self.plan.group) or not totals.detail)
        return grand + body if before else body + grand

    def figures(self) -> dict[str, Any]:
        """What each totalled column adds up to in all: the balance's source side."""
        return {heading: one.figure(self.rows) for heading, one in self.totals.items()}

    def _groups(self, rows: Sequence[Row], depth: int) -> list[Cells]:
        """The rows of a group: of each group within it, after or before that its total."""
        group, totals = self.plan.group, self.plan.layout.totals
        if depth == len(group):
            return [self._written(row) for row in rows] if totals.detail else []
        found: list[Cells] = []
        parts = self._parts(rows, depth)
        innermost = not totals.detail and depth + 1 == len(group)
        if innermost:
            return self._without_detail(parts)
        if not totals.detail:
            parts = self._in_order(parts, group[depth : depth + 1])
        for part in parts:
            shown = self.plan.shows_totals or not totals.detail
            own: list[Cells] = []
            if depth + 1 in self.plan.layout.subtotals.depths and shown:
                own = self._total_rows(part, self.plan.group[: depth + 1])
            inner = self._groups(part, depth + 1)
            before = self.plan.layout.subtotals.where == "before"
            found += self._heading(part, depth + 1)
            found += own + inner if before else inner + own
        return found

    def _parts(self, rows: Sequence[Row], depth: int) -> list[list[Row]]:
        """Rows by the group that they are in, each group in the order in which it is met."""
        slots = [key.slot for key in self.plan.group[: depth + 1]]
        parts: list[tuple[Key, list[Row]]] = []
        as_met = self.plan.layout.group_order.as_met
        for row in rows:
            key = tuple(row.cells[slot] for slot in slots)
            known = parts[-1:] if as_met and self.plan.layout.totals.detail else parts
            part = next((part for own, part in known if same_group(own, key)), None)
            if part is None:
                parts.append((key, part := []))
            part.append(row)
        return [part for _, part in parts]

    def _in_order(self, parts: list[list[Row]], keys: Sequence[KeyPlan]) -> list[list[Row]]:
        ways = {key.slot: key for key in reversed(self.plan.sort)}
        order = [ways.get(key.slot, key) for key in keys]
        return [one.part for one in in_order([_Part(part) for part in parts], order)]

    def _without_detail(self, parts: list[list[Row]]) -> list[Cells]:
        """A row for each group: its totals, and what its first row says; in the order of `sort`."""
        width, last = self.width, self.plan.group[-1]
        ways = {key.slot: key for key in reversed(self.plan.sort)}
        own = ways.get(last.slot, last)
        innermost = KeyPlan(width, own.home, "", own.descending, own.nulls_first, own.collation)
        keys = [*(key for key in self.plan.sort if key.slot < width), innermost]
        rows = [(*self._summary(part), part[0].cells[own.slot]) for part in parts]
        rows = [(*row, part) for row, part in zip(rows, parts, strict=True)]
        found = []
        for *cells, _, part in in_order(rows, keys):
            further = self._total_rows(part, self.plan.group)[1:]
            found += [self._once(tuple(cells), part[0]), *further]
        return found

    def _once(self, cells: Cells, row: Row) -> Cells:
        """A row without the values of keys that stand on the first row of their group alone."""
        key = tuple(row.cells[one.slot] for one in self.plan.group)
        before, self._before = self._before, key
        found = list(cells)
        pairs = zip(self.plan.layout.group, self.plan.group, strict=True)
        for depth, (said, own) in enumerate(pairs, 1):
            again = before is not None and same_group(before[:depth], key[:depth])
            alone = not self.plan.layout.totals.detail and depth == len(self.plan.group)
            once = said.shown == "row" or (said.shown == "first" and again)
            if once and own.place < self.width and not alone:
                found[own.place] = None
        return tuple(found)

    def _summary(self, part: Sequence[Row]) -> Cells:
        group = {key.place: key.slot for key in self.plan.group}
        cells = []
        for place, one in enumerate(self.plan.written):
            first = part[0].cells[group.get(place, place)]
            column = one.column
            total = column.total and place not in group
            cells.append(self.totals[column.heading].cell(part) if total else first)
        return tuple(cells)

    def _heading(self, part: Sequence[Row], depth: int) -> list[Cells]:
        """The row that names a group: in the column of its key, or in the first."""
        if self.plan.layout.group[depth - 1].shown != "row":
            return []
        key = self.plan.group[depth - 1]
        value = part[0].cells[key.slot]
        free = [at for at, one in enumerate(self.plan.written) if not one.column.level]
        place = key.place if key.place in free else free[0]
        cells: list[Any] = [None] * self.width
        cells[place] = "(blank)" if value is None else value
        return [tuple(cells)]

    def _total_rows(self, rows: Sequence[Row], group: Sequence[KeyPlan]) -> list[Cells]:
        """The total rows of a group, or of all: where columns have several totals, several."""
        columns = [one.column for one in self.plan.columns if one.column.total]
        last = max((one.total_row for one in columns if not one.checks), default=0)
        return [self._total_row(rows, group, at) for at in range(last + 1)]

    def _total_row(self, rows: Sequence[Row], group: Sequence[KeyPlan], at: int) -> Cells:
        written = [one.column for one in self.plan.written]
        totals = {
            one.column.further_of or one.column.heading: self.totals[one.column.heading]
            for one in self.plan.columns
            if one.column.total and one.column.total_row == at
        }
        cells: list[Any] = [
            totals[column.heading].cell(rows) if column.heading in totals else None
            for column in written
        ]
        for key in group:
            if key.place < self.width:
                cells[key.place] = rows[0].cells[key.slot]
        label = _counted(self.plan.layout.label(len(group), at), rows, self.plan)
        keys = group[-1:] or self.plan.group[:1]
        if group:
            value = rows[0].cells[group[-1].slot]
            label = label.replace("{group}", "(blank)" if value is None else text_of(value))
        place = keys[0].place if keys else 0
        for level in {column.level for column in written if column.total} or {None}:
            own = [at for at, column in enumerate(written) if column.level == level]
            free = [at for at in own if not written[at].total]
            if free:
                cells[place if place in free else free[0]] = label
        return tuple(cells)

    def _written(self, row: Row) -> Cells:
        """The cells of a row; one of a total that is exact is rounded here alone (rule 16)."""
        cells = list(row.cells[: self.width])
        for place, one in enumerate(self.plan.written):
            column = one.column
            exact = column.total is not None and column.total.exact
            if exact and column.decimals is not None and is_number(cells[place]):
                cells[place] = rounded(cells[place], column.decimals, column.rounding)
        return self._once(tuple(cells), row)


def _counted(label: str, rows: Sequence[Row], plan: Plan) -> str:
    """A label with how many rows it sums up, and how many of them stand for an entry; of stacked
    ones for one of the first level."""
    ends = [len(row.read.here) - 1 for row in rows]
    own = plan.stack[0] if plan.stack else plan.chain.row
    entries = str(ends.count(own))
    return label.replace("{rows}", str(len(rows))).replace("{entries}", entries)


class _Sortable:
    """A row that is ordered by its cells."""

    def __init__(self, row: Row) -> None:
        self.row = row

    def __getitem__(self, slot: int) -> Any:
        return self.row.cells[slot]


class _Part:
    """A group that is ordered by the cells of its first row."""

    def __init__(self, part: list[Row]) -> None:
        self.part = part

    def __getitem__(self, slot: int) -> Any:
        return self.part[0].cells[slot]


def _taken(things: list[Any], plan: Plan, of: str) -> list[Any]:
    """The first of some things, or every n-th."""
    take = plan.layout.take
    if take is None or take.of != of:
        return things
    return things[:: take.every][: take.first]
