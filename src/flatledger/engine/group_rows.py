"""`row-per-group`: a row stands for one group, and the columns use aggregates (DESIGN, rule 20).

It is two runs, one after the other. The first gathers, for each group, the parts that the
aggregates of the columns are made of; each kept entry is in a group once. The second has the groups
as its records: an aggregate, or a group's key, is a field of them, called by its own text.
"""

from __future__ import annotations

import decimal
from collections import Counter
from collections.abc import Callable, Iterator
from typing import Any

import msgspec

from ..errors import LayoutError, Problem
from ..language import nodes as n
from ..layout.column import Column, Expression, Total
from ..layout.model import Grouping, LayoutModel, Sorting, Totals
from ..layout.spreading import without_keyless
from ..layout.text import Scalar
from ..values.aggregates import AGGREGATES
from ..values.numbers import EXACT, QUOTIENT, Unreadable, ValueFaultError, plain
from .balance import Balance
from .faults import Fault
from .grouping import Tallies
from .kinds import AGGREGATE_KINDS
from .levels import Chain, Names, known_levels, level_name
from .plan import expressions_in
from .protocols import Batch, Row, RowStore, Source, TotalRow
from .resolver import reach
from .run import Progress, Run
from .sorting import in_order, pair_order
from .structure import Place, observe
from .totals import Tally
from .wanted import names_wanted

NOT_ALL_TAKEN = (
    "`take` leaves groups out, and the total row would be that of all groups; leave out the total "
    "row (`totals: {grand-total: no}`), or `take` of records"
)
_KEPT_AS_ONE = ("min", "max", "first", "last", "any", "every")


class Part(msgspec.Struct, frozen=True):
    """One aggregate of the columns: its text, the call, and the inner columns it is made of."""

    text: str
    call: n.Call
    columns: tuple[Column, ...]


class GroupRun:
    """A run whose rows are groups; it has the face of `Run`."""

    def __init__(
        self,
        model: LayoutModel,
        source: Source,
        progress: Progress | None = None,
        store: RowStore | None = None,
        structure: Place | None = None,
        faults: Callable[[Fault], None] | None = None,
    ) -> None:
        self._model = model = without_keyless(model)
        known = known_levels(model, expressions_in(model), complete=structure is not None)
        met = structure or observe(source.look_ahead(), names_wanted(model))
        self._chain = _Decomposed(model, Chain.of((), met, known))
        self._inner = Run(self._chain.inner_model(), source, progress, store, structure, faults)
        self._outer: Run | None = None
        self._faults = faults
        self._total_rows = 0

    def blocks(self) -> Iterator[list[Row]]:
        """The rows of the table, the total row last."""
        summary, _ = self._inner.summarised()
        with decimal.localcontext(EXACT):
            groups = [self._chain.record(key, tallies) for key, tallies in summary.ordered()]
            everything = self._chain.record((), summary.grand)
        self._outer = Run(self._chain.outer_model(), _Groups(groups), faults=self._faults)
        grand = self._model.totals.grand_total and any(c.total for c in self._model.columns)
        shown = 0
        for block in self._outer.blocks():
            shown += len(block)
            yield block
        if not grand:
            return
        if shown < len(groups):  # the total row is that of the groups that are taken
            raise LayoutError(self._model.name, [Problem(NOT_ALL_TAKEN)])
        self._total_rows = 1
        yield [self._grand(everything)]

    @property
    def records(self) -> Run:
        """The run over the records."""
        return self._inner

    def _grand(self, everything: dict[str, Any]) -> Row:
        """The total row: each column with a total, its expression taken over everything."""
        run = Run(self._chain.outer_model(), _Groups([everything]))
        cells = next(iter(run.blocks()))[0]
        columns = [column for column in self._model.columns if not column.suppressed]
        row = [cell if column.total else None for cell, column in zip(cells, columns, strict=True)]
        free = [place for place, column in enumerate(columns) if not column.total]
        if free:
            row[free[0]] = self._model.totals.grand_label
        return TotalRow(row)

    def balance(self) -> Balance:
        """The proof: what the first run read and added up, and the rows of the second."""
        assert self._outer is not None
        balance, outer = self._inner.balance(), self._outer.balance()
        balance.row_per = "group"
        balance.rows, balance.total_rows = outer.rows, self._total_rows
        balance.rows_not_taken = outer.rows_not_taken
        balance.faults = [*balance.faults, *outer.faults]
        balance.fault_count += outer.fault_count
        places = Counter(balance.fault_places) + Counter(outer.fault_places)
        balance.fault_places = dict(places.most_common())
        balance.drift.blank_columns = outer.drift.blank_columns
        balance.columns = [column for column in balance.columns if column.kind != "list"]
        return balance


class _Groups:
    """The groups as a source of records."""

    name = "groups"

    def __init__(self, records: list[dict[str, Any]]) -> None:
        self._records = records

    def look_ahead(self) -> list[Any]:
        return self._records

    def batches(self, shape: Any) -> Iterator[Batch]:
        records = msgspec.convert(self._records, list[shape])
        yield Batch(records, range(1, len(records) + 1), [])


class _Decomposed:
    """A layout taken apart into the layout of the first run and that of the second."""

    def __init__(self, model: LayoutModel, chain: Chain) -> None:
        self.model = model
        self.problems: list[Problem] = []
        self.keys = [self._key(key) for key in model.row_per_group]
        self.chain = chain.extended(0, self._level(chain))
        self.parts: dict[str, Part] = {}
        self._columns = [self._outer_column(column) for column in model.columns]
        self._sort = [self._outer_sort(key) for key in model.sort]
        if self.problems:
            raise LayoutError(model.name, self.problems)

    def _key(self, key: Grouping) -> Expression:
        """A key's expression, its own or that of the column it names."""
        if key.value is not None:
            return key.value
        column = next(column for column in self.model.columns if column.heading == key.heading)
        if column.value is None:
            self.problems.append(
                column.problem(f"column `{column.heading}` holds nothing to group by")
            )
            raise LayoutError(self.model.name, self.problems)
        return column.value

    def _level(self, chain: Chain) -> Names:
        """The deepest level that the keys belong to."""
        reached: list[tuple[Names, Expression]] = [((), key) for key in self.keys]
        reached += [(level, key) for key in self.keys for level in reach(key.node, chain)]
        deepest, _ = max(reached, key=lambda found: len(found[0]))
        for level, key in reached:
            if deepest[: len(level)] != level:
                names = f"{level_name(level)} and {level_name(deepest)}"
                self.problems.append(key.problem(f"{names} are two branches, with no common entry"))
        return deepest

    # ---- the first run

    def inner_model(self) -> LayoutModel:
        """Groups without detail; each part of an aggregate is a totalled column."""
        keys = [Column(key.text, key) for key in self.keys]
        parts = [column for part in self.parts.values() for column in part.columns]
        level = self.chain.levels[-1]
        row_per = Expression(Scalar(level_name(level)), _field(level)) if level else None
        return msgspec.structs.replace(
            self.model,
            columns=tuple({column.heading: column for column in (*keys, *parts)}.values()),
            row_per=row_per,
            row_per_group=(),
            primary_key=(),
            sort=(),
            group=tuple(Grouping(None, key.text, key.text) for key in self.keys),
            totals=Totals(detail=False, grand_total=False, subtotals="none"),
            take=self.model.take if self.model.take and self.model.take.of == "records" else None,
        )

    def _part(self, call: n.Call, expression: Expression) -> Part:
        text = _call_text(expression.scalar.text, call.position)
        if call.order is not None:
            way = (call.order.descending, call.order.nulls_first, call.order.collation)
            text += f" within group {way}"
            if not n.same(call.order.operand, call.arguments[0]):
                what = "in a row for a group, a list is ordered by its own values"
                self.problems.append(expression.problem(what, call.order.position))
        text = self._free_name(text, call)
        if text not in self.parts:
            self.parts[text] = Part(text, call, self._inner_columns(call, text, expression))
        return self.parts[text]

    def _free_name(self, text: str, call: n.Call) -> str:
        """A name that no other call has: columns made for keys are alike in their text."""
        name, count = text, 1
        while name in self.parts and not n.same(self.parts[name].call, call):
            count += 1
            name = f"{text} ({count})"
        return name

    def _inner_columns(self, call: n.Call, text: str, expression: Expression) -> tuple[Column, ...]:
        """What is gathered for an aggregate: values at a level of the chain, or below one."""
        argument = call.arguments[0]
        target = max(reach(argument, self.chain), key=len, default=())
        here = target in self.chain.levels
        if here and call.name == "count" and self._is_level(argument, target):
            argument = n.Call(call.position, "ordinal", (argument,))  # one for each entry

        def column(heading: str, name: str, total: Total) -> Column:
            inner = n.Call(call.position, name, (argument,), inner=True)
            node = argument if here else inner
            return Column(heading, Expression(expression.scalar, node), total=total)

        name = call.name
        if name in ("sum", "avg") and call.distinct:  # what is no number is told entry by entry
            argument = n.Cast(argument.position, argument, "decimal", ())
        if name in ("sum", "count") and not call.distinct:
            kind: Any = name if here else "sum"
            return (column(text, name, Total(kind)),)
        if name == "avg" and not call.distinct:
            if here:
                return (column(text, name, Total("avg")),)
            sums = column(f"sum of {text}", "sum", Total("sum"))
            return sums, column(f"count of {text}", "count", Total("sum"))
        kept = name if name in _KEPT_AS_ONE and not call.distinct else ""
        return (column(text, kept or "collect", Total("list", keeps=kept)),)

    def _is_level(self, argument: n.Node, target: Names) -> bool:
        """Whether an argument is a level itself, whose entries are counted."""
        return isinstance(argument, n.Path) and bool(target) and argument.names() == target

    # ---- the second run

    def outer_model(self) -> LayoutModel:
        """The columns over groups, each aggregate a field of its group."""
        return msgspec.structs.replace(
            self.model,
            columns=tuple(self._columns),
            conditions=(),
            row_per_group=(),
            sort=tuple(self._sort),
            totals=Totals(grand_total=False),
            take=self.model.take if self.model.take and self.model.take.of == "rows" else None,
            expects=(),
        )

    def _outer_column(self, column: Column) -> Column:
        if column.value is None:
            return msgspec.structs.replace(column, total=None)
        value = self._outer(column.value)
        return msgspec.structs.replace(column, value=value, total=None)

    def _outer_sort(self, key: Sorting) -> Sorting:
        if key.value is None:
            return key
        return msgspec.structs.replace(key, value=self._outer(key.value))

    def _outer(self, expression: Expression) -> Expression:
        node = n.rebuilt(expression.node, lambda part: self._over_group(part, expression))
        return Expression(expression.scalar, node)

    def _over_group(self, node: n.Node, expression: Expression) -> n.Node | None:
        """What stands for a node over a group: for aggregates and keys their fields."""
        key = next((key for key in self.keys if n.same(key.node, node)), None)
        if key is not None:
            return _field((key.text,), node.position)
        if isinstance(node, n.Call) and node.name in AGGREGATE_KINDS:
            if not node.arguments:
                self.problems.append(
                    expression.problem(f"`{node.name}` takes a path", node.position)
                )
                return node
            return _field((self._part(node, expression).text,), node.position)
        if isinstance(node, n.Path):
            name = ".".join(node.names() or ("…",))
            self.problems.append(
                expression.problem(
                    f"`{name}` can differ within a group: put it into `row-per-group`, or take "
                    f"first({name}) or listagg(distinct {name})",
                    node.position,
                )
            )
            return node
        return None

    def record(self, key: tuple[Any, ...], tallies: Tallies) -> dict[str, Any]:
        """A group as a record of the second run; without a key, everything."""
        found = {
            column.column.heading: tally
            for (column, _), tally in zip(tallies.columns, tallies.tallies, strict=True)
        }
        record = {key.text: value for key, value in zip(self.keys, key, strict=False)}
        for part in self.parts.values():
            record[part.text] = _value(part, [found[column.heading] for column in part.columns])
        return record


def _value(part: Part, tallies: list[Tally]) -> Any:
    """What an aggregate is for one group."""
    call, first = part.call, tallies[0]
    total = part.columns[0].total
    assert total is not None
    if total.kind == "list":
        values = first.values
        if call.order is not None and values:
            values = in_order([(value, value) for value in values], pair_order(call.order))
        arguments: list[Any] = [values, call.distinct]
        if call.name == "listagg":
            separator = call.arguments[1] if len(call.arguments) > 1 else n.Literal(0, "; ")
            arguments.append(getattr(separator, "value", "; "))
        try:
            return AGGREGATES[call.name](*arguments)
        except ValueFaultError as error:
            return Unreadable("", str(error))
    if call.name == "count":
        return first.count if total.kind == "count" else first.sum
    if not first.count:
        return None
    if call.name == "avg":
        count = tallies[1].sum if len(tallies) > 1 else first.count
        return plain(QUOTIENT.divide(first.sum, count)) if count else None
    return first.sum


def _field(names: Names, position: int = 0) -> n.Path:
    steps = (n.Segment(position, (n.Name(position, name, bracketed=True),)) for name in names)
    return n.Path(position, tuple(steps))


def _call_text(text: str, position: int) -> str:
    """The text of a call that begins at a position, as far as its closing bracket."""
    depth, quote = 0, ""
    for place in range(position, len(text)):
        letter = text[place]
        if quote:
            quote = "" if letter == quote else quote
        elif letter in "'\"":
            quote = letter
        elif letter in "([":
            depth += 1
        elif letter in ")]":
            depth -= 1
            if depth == 0:
                return " ".join(text[position : place + 1].split())
    return text[position:]
