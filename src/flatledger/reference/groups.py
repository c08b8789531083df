"""A table in which a row stands for a group: aggregates over groups (rule 20)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..language import nodes as n
from ..layout.model.column import Column
from ..layout.model.model import SettledLayout
from ..plan.kinds import AGGREGATE_KINDS
from ..plan.plan import Plan
from ..plan.row_order import pair_order
from ..plan.row_type import KeyPlan
from ..values.aggregates import AGGREGATES, SEPARATOR
from ..values.numbers import ValueFaultError
from .aggregates import is_above, result
from .entries import Entry
from .exact import is_number
from .kinds import Given, Kinds
from .ordering import in_order, same_group
from .protocols import Here
from .reading import Reading
from .trees import is_leaf

Placed = tuple[Here, Reading]


class Groups:
    """The groups of some records, and what aggregates are over each of them.

    ``plan`` is that of the rows that are gathered: one for each entry at the level of the keys.
    """

    def __init__(self, plan: Plan, readings: Sequence[Reading]) -> None:
        assert plan.over is not None
        self.plan, self.over = plan, plan.over
        self.layout: SettledLayout = plan.over.layout
        self.rows: list[Placed] = []
        self._any = readings[0] if readings else None
        for reading in (one for one in readings if one.passes):
            self.rows += [(here, reading) for here in reading.entries_of_rows()]
        self.levels = plan.chain.levels
        self.groups: list[tuple[tuple[Any, ...], list[Placed]]] = []
        for here, reading in self.rows:
            key = self.key(here, reading)
            known = next((rows for own, rows in self.groups if same_group(own, key)), None)
            if known is None:
                self.groups.append((key, known := []))
            known.append((here, reading))

    def key(self, here: Here, reading: Reading) -> tuple[Any, ...]:
        """The values that a row's group is named by."""
        found = []
        for one in self.over.keys:
            home = reading.homes.of(one.node, self.levels)
            key = reading.cells.key(one.node, here, one.text) if home < len(here) else None
            found.append(key)
        return tuple(found)

    # ---- aggregates: each kept entry once

    def aggregate(self, call: n.Call, rows: Sequence[Placed]) -> Any:
        """What an aggregate is over a group."""
        values = self.values(call, rows)
        if call.order is not None:
            pairs = [(one, one) for one in values if one is not None]
            values = [one for one, _ in in_order(pairs, [pair_order(call.order)])]
        separator = call.arguments[1] if len(call.arguments) > 1 else n.Literal(0, SEPARATOR)
        text = getattr(separator, "value", SEPARATOR)
        return result(call.name, values, text, distinct=call.distinct)

    def figure(self, call: n.Call, rows: Sequence[Placed]) -> Any:
        """The same; null where the values have none."""
        try:
            return self.aggregate(call, rows)
        except ValueFaultError:
            return None

    def values(self, call: n.Call, rows: Sequence[Placed]) -> list[Any]:
        """The values that an aggregate takes: of each entry of its argument's level that a row of
        the group stands for, or that is below it, once."""
        met: set[int] = set()
        found: list[Any] = []
        for here, reading in rows:
            for chain in self.chains(call, here, reading):
                if id(chain[-1]) not in met:
                    met.add(id(chain[-1]))
                    aggregates = reading.expressions.aggregates
                    found += aggregates.taken_in_group(call, chain)
        return found

    def chains(self, call: n.Call, here: Here, reading: Reading) -> list[Here]:
        """The entries that an aggregate takes on a row, each with those above it."""
        aggregates = reading.expressions.aggregates
        reach = aggregates.reach_of_groups(call, self.levels)
        target = reach.target if reach.named else self.levels[-1]
        if target in self.levels:
            at = self.levels.index(target)
            found = [here[: at + 1]] if at < len(here) else []
        else:
            base = max(at for at, level in enumerate(self.levels) if is_above(level, target))
            if base >= len(here):
                return []
            way = aggregates.between(self.levels[base], target)
            found = [one.chain for one in reading.record.chains(here[base], way)]
        if reach.leaves:
            found = [chain for chain in found if is_leaf(reading.record, chain[-1])]
        return found

    # ---- the rows

    def row(self, key: tuple[Any, ...], rows: Sequence[Placed]) -> tuple[Any, ...]:
        """The cells of a group: each column's expression over its aggregates and its key."""
        reading = rows[0][1] if rows else None
        return tuple(
            self.cell(one, key, rows, reading) for one in _written_first(self.layout.columns)
        )

    def cell(
        self, column: Column, key: tuple[Any, ...], rows: Sequence[Placed], reading: Reading | None
    ) -> Any:
        if column.value is None or reading is None:
            return column.text
        over = GroupCells(self, key, rows, reading)
        return over.cell(column)

    def table(self) -> list[tuple[Any, ...]]:
        """The rows of the groups, in their order, and the total row."""
        made = [(self.row(key, rows), key, rows) for key, rows in self.groups]
        width = len([one for one in self.layout.columns if not one.suppressed])
        keys, extended = self._sorting(made)
        order = in_order(extended, keys)
        take = self.layout.take
        if take is not None and take.of == "rows":
            order = order[:: take.every][: take.first]
        shown = [made[one[-1]] for one in order]
        table = [cells[:width] for cells, _, _ in shown]
        totals = [one for one in self.layout.columns if one.total]
        if self.layout.totals.grand_total and totals:
            table.append(self._total_row([rows for _, _, rows in shown], table))
        return table

    def _sorting(self, made: list[Any]) -> tuple[list[KeyPlan], list[tuple[Any, ...]]]:
        """The keys of `sort` over groups; without any, groups are in the order of their keys."""
        plan = self.over.plan
        natural = [KeyPlan(at, 0, "") for at in range(len(self.over.keys))]
        start = len(self.over.keys)
        keys = [
            KeyPlan(start + at, 0, "", one.descending, one.nulls_first, one.collation)
            for at, one in enumerate(plan.sort)
        ]
        extended = []
        for place, (cells, key, rows) in enumerate(made):
            own = [self._sort_value(one, cells, key, rows) for one in self.layout.sort]
            extended.append((*key, *own, place))
        return [*keys, *natural], extended

    def _sort_value(self, one: Any, cells: Any, key: Any, rows: Any) -> Any:
        if one.heading is not None:
            columns = _written_first(self.layout.columns)
            return cells[[column.heading for column in columns].index(one.heading)]
        return GroupCells(self, key, rows, rows[0][1]).of(one.value.node, one.value.text)

    def _total_row(
        self, groups: list[list[Placed]], table: list[tuple[Any, ...]]
    ) -> tuple[Any, ...]:
        """Each total's expression over everything that the rows shown stand for. Where no entry is
        in several groups a lone sum is that of the rounded cells (rules 16 and 20)."""
        shown = {(id(here[-1]), id(reading)) for rows in groups for here, reading in rows}
        everything = [row for row in self.rows if (id(row[0][-1]), id(row[1])) in shown]
        columns = [one for one in self.layout.columns if not one.suppressed]
        cells: list[Any] = []
        for place, column in enumerate(columns):
            cell = None
            if column.total:
                cell = self.cell(column, (None,) * len(self.over.keys), everything, self._any)
                if self._is_lone_sum(column) and column.decimals is not None and cell is not None:
                    numbers = [row[place] for row in table if is_number(row[place])]
                    cell = result("sum", numbers, "")
            cells.append(cell)
        free = [place for place, column in enumerate(columns) if not column.total]
        if free:
            entries = sum(len(here) == len(self.levels) for here, _ in everything)
            label = self.layout.label(0).replace("{rows}", str(len(table)))
            cells[free[0]] = label.replace("{entries}", str(entries))
        return tuple(cells)

    def _is_lone_sum(self, column: Column) -> bool:
        node = column.value.node if column.value is not None else None
        if not isinstance(node, n.Call) or node.name != "sum" or node.distinct:
            return False
        return not self.overlaps(node)

    def overlaps(self, call: n.Call) -> bool:
        """Whether an entry that an aggregate takes can be in several groups: one above the keys'
        own level, or one beside it."""
        if self._any is None:
            return False
        reading = self._any
        deepest = max(reading.homes.of(one.node, self.levels) for one in self.over.keys)
        target = reading.expressions.aggregates.reach_of_groups(call, self.levels).target
        above = max(at for at, level in enumerate(self.levels) if target[: len(level)] == level)
        return above < deepest


class GroupCells:
    """Works out the columns of one group: aggregates and keys are known, all else is calculated."""

    def __init__(
        self, groups: Groups, key: tuple[Any, ...], rows: Sequence[Placed], reading: Reading
    ) -> None:
        self._groups, self._key, self._rows = groups, key, rows
        self._reading = reading
        self._here: Here = (Entry({}, (), None, 1),)

    def known(self, node: n.Node) -> n.Node | None:
        """A key or an aggregate as a value; None for any other node."""
        expressions = self._reading.expressions
        kinds = Kinds(
            {one.heading: one for one in self._groups.layout.columns},
            lambda path: expressions.paths.declared(path, ()),
        )
        for one, value in zip(self._groups.over.keys, self._key, strict=True):
            if n.same(one.node, node):
                kind = self._groups.plan.column(one.text).kind
                return Given(node.position, value, "any" if kind == "mixed" else kind, node)
        if isinstance(node, n.Call) and node.name in AGGREGATE_KINDS:
            where, path = (1,), expressions.called(node)
            value = expressions.converting.guarded(
                lambda: self._groups.aggregate(node, self._rows), None, path, where
            )
            gives = AGGREGATES[node.name].gives
            kind = gives if gives != "any" else "any"
            return Given(node.position, value, kind, node)
        if isinstance(node, n.Heading):
            column = next(c for c in self._groups.layout.columns if c.heading == node.heading)
            return Given(node.position, self.cell(column), kinds._of_column(column), node)
        return None

    def of(self, node: n.Node, text: str) -> Any:
        known = n.rebuilt(node, self.known)
        return self._reading.cells.key(known, self._here, text)

    def cell(self, column: Column) -> Any:
        from msgspec.structs import replace

        if column.value is None:
            return column.text
        node = n.rebuilt(column.value.node, self.known)
        value = replace(column.value, node=node)
        return self._reading.cells.cell(replace(column, value=value, total=None), self._here)


def _written_first(columns: Sequence[Column]) -> list[Column]:
    return [one for one in columns if not one.suppressed] + [c for c in columns if c.suppressed]
