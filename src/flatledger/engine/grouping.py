"""Groups and totals: rows in, the rows of the table out, total rows among them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from itertools import groupby
from operator import itemgetter
from typing import Any

from .balance import Returning
from .finishing import group_finishers
from .plan import KeyPlan, Plan
from .protocols import Row, TotalRow
from .sorting import sort_rows
from .totals import Tally

Key = tuple[Any, ...]
BLANK_GROUP = "(blank)"
MOST_RETURNING = 100  # so many are listed, all are counted


def group_key(plan: Plan) -> Callable[[Row], Key]:
    """A function from a row to its group: one value for each group key."""
    places = [key.place for key in plan.group]
    if len(places) == 1:
        return itemgetter(slice(places[0], places[0] + 1))
    return itemgetter(*places) if places else lambda row: ()


class Tallies:
    """One tally for each totalled column, at one depth of groups (0: the whole table)."""

    def __init__(self, plan: Plan, depth: int) -> None:
        self.plan = plan
        self.columns = [(column, plan.mark_place(column.home)) for column in plan.totalled]
        self.depth = depth
        self.tallies = [Tally() for _ in self.columns]

    def add(self, rows: list[Row]) -> None:
        """Add rows; an entry that several rows repeat is added where its mark says it is new."""
        add_to([self], rows)

    def cells(self) -> dict[str, Any]:
        """The cell of each total, by heading."""
        return {
            column.column.heading: tally.cell(column.column)
            for (column, _), tally in zip(self.columns, self.tallies, strict=True)
        }


def add_to(depths: list[Tallies], rows: list[Row]) -> None:
    """Add the same rows to the tallies of several depths.

    What can fall into one group only is added up once for all of them.
    """
    for index, (column, mark) in enumerate(depths[0].columns):
        if mark is None or not depths[0].plan.splits(column.home):
            part = Tally()
            part.add(rows if mark is None else [row for row in rows if not row[mark]], column)
            for tallies in depths:
                tallies.tallies[index].merge(part)
        else:
            for tallies in depths:
                new = [row for row in rows if row[mark] <= tallies.depth]
                tallies.tallies[index].add(new, column)


class TotalRows:
    """Builds total rows: labels, group values and totals under the written headings."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.columns = plan.written
        self.group_places = [key.place for key in plan.group]
        self._finish = group_finishers(plan)

    def subtotal(self, key: Key, depth: int, cells: dict[str, Any], label: bool) -> Row:
        """The total of one group. With a label, it stands in the column of the innermost key."""
        row: list[Any] = [cells.get(plan.column.heading) for plan in self.columns]
        for position in range(depth):
            place = self.group_places[position]
            if place < len(row):
                row[place] = key[position]
        if not label:
            return tuple(row)
        for place in self._finish.keys() & self.group_places[:depth]:
            row[place] = self._finish[place](row[place])
        place, value = self.group_places[depth - 1], key[depth - 1]
        if place in self._finish:
            value = self._finish[place](value)
        shown = BLANK_GROUP if value is None else str(value)
        self._put_label(row, place, self.plan.model.totals.label.replace("{group}", shown))
        return TotalRow(row)

    def grand(self, cells: dict[str, Any]) -> Row:
        row: list[Any] = [cells.get(plan.column.heading) for plan in self.columns]
        first = self.group_places[0] if self.group_places else 0
        self._put_label(row, first, self.plan.model.totals.grand_label)
        return TotalRow(row)

    def _put_label(self, row: list[Any], place: int, text: str) -> None:
        """The label goes to its place, or else to the first column that holds no total."""
        free = [i for i, plan in enumerate(self.columns) if plan.column.total is None]
        if place in free:
            row[place] = text
        elif free:
            row[free[0]] = text


class Detail:
    """Rows as they come, in the order of their groups, with a total row at each group's end.

    With subtotals before the groups, the rows are gone through twice.
    """

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.grand = Tallies(plan, 0)
        self.group_count = 0
        self.returning: list[Returning] = []  # the first of them
        self.returned = 0
        self._first_rows: dict[Key, int] | None = {} if plan.model.group_order.as_met else None
        self._row = 0
        self._make = TotalRows(plan)
        self._key = group_key(plan)
        self._depths = len(plan.group)
        self._shows = plan.shows_totals and plan.model.totals.subtotals != "none"

    def after(self, blocks: Iterable[list[Row]]) -> Iterator[tuple[list[Row], list[Row]]]:
        """Pairs of detail rows and the total rows that follow them."""
        open_groups: list[tuple[Key, Tallies]] = []
        for block in blocks:
            if not self._depths:
                self.grand.add(block)
                yield block, []
                continue
            for key, run in groupby(block, self._key):
                common = _common(open_groups, key)
                if common < self._depths:
                    yield [], self._close(open_groups, common)
                    self._open(open_groups, key)
                    self._note_start(key)
                rows = list(run)
                self._row += len(rows)
                add_to([self.grand, *(tallies for _, tallies in open_groups)], rows)
                yield rows, []
        yield [], self._close(open_groups, 0)

    def before(
        self, blocks: Iterable[list[Row]], again: Iterable[list[Row]]
    ) -> Iterator[tuple[list[Row], list[Row]]]:
        """Pairs of detail rows and the total rows that go before them.

        ``again`` are the same rows, gone through once the totals are known.
        """
        totals: dict[Key, Tallies] = {}
        for block in blocks:
            for key, run in groupby(block, self._key):
                add_to([self.grand, *_at_each_depth(self.plan, totals, key)], list(run))
        self.group_count = sum(len(key) == self._depths for key in totals)
        shown: set[Key] = set()
        for block in again:
            for key, run in groupby(block, self._key):
                opened = [key[:d] for d in range(1, self._depths + 1) if key[:d] not in shown]
                shown.update(opened)
                opened = opened if self._shows else []
                yield list(run), [self._total_row(part, totals[part]) for part in opened]

    def _note_start(self, key: Key) -> None:
        """Groups that come as they are met may come back; that is told."""
        if self._first_rows is None:
            return
        first = self._first_rows.setdefault(key, self._row + 1)
        if first == self._row + 1:
            return
        self.returned += 1
        if len(self.returning) < MOST_RETURNING:
            self.returning.append(Returning(list(key), first, self._row + 1))

    def _open(self, open_groups: list[tuple[Key, Tallies]], key: Key) -> None:
        for depth in range(len(open_groups) + 1, self._depths + 1):
            open_groups.append((key[:depth], Tallies(self.plan, depth)))

    def _close(self, open_groups: list[tuple[Key, Tallies]], common: int) -> list[Row]:
        """Close the groups deeper than ``common``, the innermost first."""
        rows = []
        while len(open_groups) > common:
            key, tallies = open_groups.pop()
            self.group_count += len(key) == self._depths
            if self._shows:
                rows.append(self._total_row(key, tallies))
        return rows

    def _total_row(self, key: Key, tallies: Tallies) -> Row:
        return self._make.subtotal(key, len(key), tallies.cells(), label=True)


def _at_each_depth(plan: Plan, groups: dict[Key, Tallies], key: Key) -> list[Tallies]:
    """The tallies of a group and of those around it, made when they are new."""
    found = []
    for depth in range(1, len(key) + 1):
        part = key[:depth]
        if part not in groups:
            groups[part] = Tallies(plan, depth)
        found.append(groups[part])
    return found


def _common(open_groups: list[tuple[Key, Tallies]], key: Key) -> int:
    """How many of the open groups a key belongs to."""
    depth = 0
    while depth < len(open_groups) and open_groups[depth][0] == key[: depth + 1]:
        depth += 1
    return depth


class Summary:
    """Groups without their detail: one row each. Rows may come in any order."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.grand = Tallies(plan, 0)
        self.differing: dict[str, int] = defaultdict(int)
        self._make = TotalRows(plan)
        self._key = group_key(plan)
        self._depths = len(plan.group)
        self._groups: dict[Key, Tallies] = {}
        self._first: dict[Key, Row] = {}
        self._differ: set[tuple[Key, int]] = set()
        grouped = {key.place for key in plan.group}
        self._describing = [
            p
            for p in plan.written
            if p.column.value and not p.column.total and p.place not in grouped
        ]

    @property
    def group_count(self) -> int:
        return sum(len(key) == self._depths for key in self._groups)

    def add(self, rows: list[Row]) -> None:
        """Take in rows."""
        if not self._depths:
            self.grand.add(rows)
            return
        runs: dict[Key, list[Row]] = defaultdict(list)
        for row in rows:
            runs[self._key(row)].append(row)
        for key, run in runs.items():
            first = self._first.setdefault(key, run[0])
            for plan in self._describing:
                if {row[plan.place] for row in run} != {first[plan.place]}:
                    self._differ.add((key, plan.place))
            add_to([self.grand, *_at_each_depth(self.plan, self._groups, key)], run)

    def innermost(self) -> list[Tallies]:
        """The tallies of the innermost groups."""
        return [t for key, t in self._groups.items() if len(key) == self._depths]

    def ordered(self) -> list[tuple[Key, Tallies]]:
        """The innermost groups with their tallies, in the order of the rows."""
        return [(key, self._groups[key]) for key, _ in self._ordered()]

    def rows(self) -> Iterator[tuple[Row, bool]]:
        """The table's rows in their order, and whether each is an innermost group."""
        for _, place in self._differ:
            self.differing[self.plan.columns[place].column.heading] += 1
        ordered = self._ordered()
        before = self.plan.model.totals.subtotals == "before"
        inner_only = self.plan.model.totals.subtotals == "none" or self._depths == 1
        open_keys: list[Key] = []
        for key, row in ordered:
            parts = [] if inner_only else [key[:depth] for depth in range(1, self._depths)]
            common = sum(a == b for a, b in zip(open_keys, parts, strict=False))
            if not before:
                yield from self._outer(reversed(open_keys[common:]))
            else:
                yield from self._outer(parts[common:])
            open_keys = parts
            yield row, True
        if not before:
            yield from self._outer(reversed(open_keys))

    def _outer(self, keys: Iterable[Key]) -> Iterator[tuple[Row, bool]]:
        for key in keys:
            cells = self._groups[key].cells()
            yield self._make.subtotal(key, len(key), cells, label=True), False

    def _ordered(self) -> list[tuple[Key, Row]]:
        """The innermost groups in order: outer groups together, then as `sort` says."""
        summaries = [
            (key, self._row(key, tallies))
            for key, tallies in self._groups.items()
            if len(key) == self._depths
        ]
        width = len(self.plan.written)
        written_sort = [key for key in self.plan.sort if key.place < width]
        ways = {key.place: key for key in self.plan.sort}
        key_places = [
            KeyPlan(width + i, key.home, key.text, *_way(ways.get(key.place)))
            for i, key in enumerate(self.plan.group)
        ]
        extended = [(*row, *key, key) for key, row in summaries]
        sort_rows(extended, [*key_places[:-1], *written_sort, *key_places[-1:]])
        return [(row[-1], row[:width]) for row in extended]

    def _row(self, key: Key, tallies: Tallies) -> Row:
        first = self._first[key]
        cells = {plan.column.heading: first[plan.place] for plan in self.plan.written}
        cells.update(tallies.cells())
        return self._make.subtotal(key, len(key), cells, label=False)


def _way(key: KeyPlan | None) -> tuple[bool, bool, str]:
    return (key.descending, key.nulls_first, key.collation) if key else (False, False, "")
