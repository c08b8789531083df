"""Total rows: of groups and of the whole table, among the rows that they add up."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

from ..plan.plan import Plan
from ..plan.row_type import ColumnPlan, RowType
from ..values.functions import text_of
from .balance import Reopened
from .groups import GroupKeys, Groups, Key
from .protocols import GroupHeading, Row, TotalRow, Wording
from .tallies import Adder, Tallies

BLANK_GROUP = "(blank)"
MOST_REOPENED = 100  # so many are listed, all are counted


class TotalMade(NamedTuple):
    """A row of totals with what it is made of: its group (of all rows, none) and their tallies.

    ``innermost``: it stands for a group whose rows are not shown. ``further`` are the rows of its
    further totals.
    """

    row: Row
    group: Key
    tallies: Tallies
    innermost: bool = False
    further: tuple[Row, ...] = ()

    @property
    def rows(self) -> tuple[Row, ...]:
        """All rows of it."""
        return (self.row, *self.further)


class HeadingMade(NamedTuple):
    """A row that names a group, above its rows."""

    row: Row
    group: Key


Made = TotalMade | HeadingMade


class TotalRowMaker:
    """Builds total rows: labels, group values and totals under the written headings.

    ``wording`` says what a group's value is called in the column at a place.
    """

    def __init__(self, plan: Plan, wording: Wording) -> None:
        self._plan = plan
        self._columns = plan.written
        self._places = [key.place for key in plan.group]
        self._wording = wording
        self._free = [
            [one.slot for one in own if one.column.total is None] for own in _labelled(plan)
        ]
        self._kinds = plan.layout.total_rows
        rows, depths = range(len(self._kinds)), range(len(plan.layout.group) + 1)
        self._labels = [[plan.layout.label(depth, at) for at in rows] for depth in depths]
        self._totals = [places_of_totals(plan, at) for at in range(len(self._kinds))]

    def subtotal(self, group: Key, tallies: Tallies) -> TotalMade:
        """The total of one group; its label stands in the column of the innermost key."""
        row, *further = self._all_rows(group, tallies)
        return TotalMade(row, group, tallies, further=tuple(further))

    def _all_rows(self, group: Key, tallies: Tallies) -> list[TotalRow]:
        """The total rows of a group, or of all rows."""
        return [self._total_row(group, tallies, at) for at in range(len(self._kinds))]

    def _total_row(self, group: Key, tallies: Tallies, at: int) -> TotalRow:
        row = self._figures(tallies, at)
        for place, value in zip(self._places, group, strict=False):
            if place < len(row):
                row[place] = self._wording(place, value)
        label = with_counts(self._labels[len(group)][at], tallies.rows, tallies.entries)
        place = self._places[0] if self._places else 0
        if group:
            place, value = self._places[len(group) - 1], group[-1]
            value = self._wording(place, value)
            label = label.replace("{group}", BLANK_GROUP if value is None else text_of(value))
        self._put_label(row, place, label)
        return (
            TotalRow(row).with_depth(len(group)).of_kind(self._kinds[at], at, len(self._kinds) > 1)
        )

    def headings(self, group: Key, depths: Iterable[int]) -> list[HeadingMade]:
        """The rows that name a group and those around it, of some depths."""
        named = [depth for depth in depths if self._plan.layout.group[depth - 1].shown == "row"]
        return [self._heading(group[:depth]) for depth in named]

    def _heading(self, group: Key) -> HeadingMade:
        """Its value stands in its own column, or else in the first."""
        first = [at for at, one in enumerate(self._columns) if not one.column.level]
        place = self._places[len(group) - 1]
        place = place if place in first else first[0]
        value = self._wording(place, group[-1])
        row: list[Any] = [None] * len(self._columns)
        row[place] = BLANK_GROUP if value is None else value
        return HeadingMade(GroupHeading(row).with_depth(len(group)), group)

    def group(self, group: Key, first: Row, tallies: Tallies) -> TotalMade:
        """The row of a group whose rows are not shown: its values, totals, what describes it."""
        row = self._figures(tallies, 0, first)
        for place, value in zip(self._places, group, strict=True):
            if place < len(row):
                row[place] = value
        further = tuple(self._all_rows(group, tallies)[1:]) if len(self._kinds) > 1 else ()
        return TotalMade(tuple(row), group, tallies, innermost=True, further=further)

    def grand(self, tallies: Tallies) -> TotalMade:
        """The total of all rows."""
        row, *further = self._all_rows((), tallies)
        return TotalMade(row, (), tallies, further=tuple(further))

    def _figures(self, tallies: Tallies, at: int, first: Row = ()) -> list[Any]:
        """The cells of one kind of totals, among those of a row or among blanks."""
        width, cells = len(self._columns), tallies.cells()
        row = list(first[:width]) if first else [None] * width
        for place, index in self._totals[at]:
            row[place] = cells[index]
        return row

    def _put_label(self, row: list[Any], place: int, text: str) -> None:
        """The label goes to its place, or else to the first column that holds no total; of columns
        by level, to one of each level that has a total."""
        for free in filter(None, self._free):
            row[place if place in free else free[0]] = text


def places_of_totals(plan: Plan, at: int) -> list[tuple[int, int]]:
    """Where the totals of a total row stand (the first, or a further one), and which of the columns
    with a total they are of; those of suppressed columns stand nowhere."""
    written = {one.column.heading: one.slot for one in plan.written}
    found = []
    for index, one in enumerate(plan.totalled):
        place = written.get(one.column.further_of or one.column.heading)
        if one.column.total_row == at and place is not None:
            found.append((place, index))
    return found


def with_counts(label: str, rows: int, entries: int) -> str:
    """A label with the counts of what is summed up."""
    return label.replace("{rows}", str(rows)).replace("{entries}", str(entries))


def _labelled(plan: Plan) -> list[list[ColumnPlan]]:
    """The columns among which a label stands: all, or those of each level with a total."""
    if not plan.layout.by_level:
        return [plan.written]
    levels = dict.fromkeys(one.column.level for one in plan.written if one.column.total)
    return [[one for one in plan.written if one.column.level == level] for level in levels]


class Detail:
    """Rows as they come, in the order of their groups, with a total row at each group's end.

    With subtotals before the groups, the rows are gone through twice.
    """

    def __init__(self, plan: Plan, row_type: RowType, make: TotalRowMaker) -> None:
        self.whole = Tallies(row_type, 0)
        self.groups = 0
        self.first_reopened: list[Reopened] = []
        self.reopened = 0
        self._plan, self._row_type = plan, row_type
        self._make = make
        self._keys = GroupKeys(row_type)
        self._adder = Adder(row_type)
        self._depths = len(plan.group)
        self._shown = plan.layout.subtotals.depths if plan.shows_totals else ()
        self._starts: dict[Key, int] | None = {} if plan.layout.group_order.as_met else None
        self._row = 0

    def after(self, blocks: Iterable[list[Row]]) -> Iterator[tuple[list[Row], list[Made]]]:
        """Pairs of rows and the totals that follow them."""
        open_groups: list[tuple[Key, Key, Tallies]] = []
        for block in blocks:
            if not self._depths or not block:
                self._adder.add([self.whole], block)
                yield block, []
                continue
            for key, rows in self._keys.runs(block):
                common = _common(open_groups, key)
                if common < self._depths:
                    made: list[Made] = [*self._close(open_groups, common)]
                    shown = self._keys.shown(rows[0])
                    self._open(open_groups, key, shown)
                    new = range(common + 1, self._depths + 1)
                    yield [], [*made, *self._make.headings(shown, new)]
                self._row += len(rows)
                self._adder.add_whole(open_groups[-1][2], rows)
                self._adder.add_split([self.whole, *(one for *_, one in open_groups)], rows)
                yield rows, []
        yield [], [*self._close(open_groups, 0)]

    def before(
        self, blocks: Iterable[list[Row]], again: Iterable[list[Row]]
    ) -> Iterator[tuple[list[Row], list[Made]]]:
        """Pairs of rows and the totals that go before them.

        ``again`` are the same rows, gone through once the totals are known.
        """
        groups = Groups(self._plan)
        for block in blocks:
            groups.add(block)
        self.whole, self.groups = groups.whole, groups.count
        shown: set[Key] = set()
        for block in again:
            for key, rows in self._keys.runs(block):
                new = [key[:depth] for depth in range(1, self._depths + 1)]
                new = [part for part in new if part not in shown]
                shown.update(new)
                values, made = self._keys.shown(rows[0]), list[Made]()
                for part in new:
                    made += self._make.headings(values, [len(part)])
                    if len(part) in self._shown:
                        total = self._make.subtotal(values[: len(part)], groups.tallies(part))
                        made.append(total)
                yield rows, made

    def _open(self, open_groups: list[tuple[Key, Key, Tallies]], key: Key, shown: Key) -> None:
        """Open the groups of a row that are not open. One that was closed may come back."""
        for depth in range(len(open_groups) + 1, self._depths + 1):
            open_groups.append((key[:depth], shown[:depth], Tallies(self._row_type, depth)))
        if self._starts is None:
            return
        first = self._starts.setdefault(key, self._row + 1)
        if first != self._row + 1:
            self.reopened += 1
            if len(self.first_reopened) < MOST_REOPENED:
                self.first_reopened.append(Reopened(list(shown), first, self._row + 1))

    def _close(self, open_groups: list[tuple[Key, Key, Tallies]], common: int) -> list[TotalMade]:
        """Close the groups deeper than ``common``, the innermost first."""
        made = []
        while len(open_groups) > common:
            key, shown, tallies = open_groups.pop()
            around = open_groups[-1][2] if open_groups else self.whole
            self._adder.merge_whole(around, tallies)
            self.groups += len(key) == self._depths
            if len(key) in self._shown:
                made.append(self._make.subtotal(shown, tallies))
        return made


def _common(open_groups: list[tuple[Key, Key, Tallies]], key: Key) -> int:
    """How many of the open groups a key belongs to."""
    depth = 0
    while depth < len(open_groups) and open_groups[depth][0] == key[: depth + 1]:
        depth += 1
    return depth


def group_rows(plan: Plan, groups: Groups, make: TotalRowMaker) -> Iterator[Made]:
    """The rows of groups whose own rows are not shown, with totals of the groups around them."""
    rows = {
        key: make.group(groups.shown(key), groups.first(key), groups.tallies(key))
        for key in groups.innermost()
    }
    subtotals = plan.layout.subtotals
    before = subtotals.where == "before"
    shown = [depth for depth in subtotals.depths if depth < len(plan.group)]
    open_key: Key = ()
    for key in groups.ordered({key: total.row for key, total in rows.items()}):
        common = _alike(open_key, key)
        changed = key if before else open_key
        depths = [depth for depth in shown if common < depth <= len(changed)]
        new = range(common + 1, len(plan.group))
        if not before:
            for depth in reversed(depths):
                values = groups.shown(changed[:depth])
                yield make.subtotal(values, groups.tallies(changed[:depth]))
        for depth in new:
            yield from make.headings(groups.shown(key[:depth]), [depth])
            if before and depth in depths:
                yield make.subtotal(groups.shown(key[:depth]), groups.tallies(key[:depth]))
        yield rows[key]
        open_key = key
    if not before and open_key:
        for depth in reversed(shown):
            yield make.subtotal(groups.shown(open_key[:depth]), groups.tallies(open_key[:depth]))


def _alike(one: Key, other: Key) -> int:
    """How many values two groups have in common, from the outermost."""
    depth = 0
    while depth < min(len(one), len(other)) and one[depth] == other[depth]:
        depth += 1
    return depth
