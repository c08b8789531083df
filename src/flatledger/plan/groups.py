"""Taking apart a layout whose rows stand for groups (docs/rules.md, 20).

One part gathers, for each group, what the aggregates of its columns are made of; each kept entry is
in a group once. The other has the groups as its records: an aggregate, or a group's key, is a field
of them, called by its own text.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any, Protocol

import msgspec

from ..errors import LayoutError, Problem
from ..language import nodes as n
from ..language.extents import ALL_NODES, SUBTREES, taken_by
from ..layout.model.column import Column, ColumnTotal, Expression
from ..layout.model.model import Grouping, SettledLayout, Sorting, Totals
from ..layout.model.text import Scalar
from ..structure.levels import Chain, Names, plain_steps
from ..structure.trees import IS_COUNTED
from ..values.aggregates import AGGREGATES, SEPARATOR
from ..values.numbers import QUOTIENT, Unreadable, ValueFaultError, plain
from .kinds import AGGREGATE_KINDS, COLLECT, COUNT_NUMBERS, GATHERING, NUMBERS
from .plan import OverGroups, Part, Plan
from .reaching import is_of_some_node, reach, tree_meant
from .row_order import in_order, pair_order


class TalliedValues(Protocol):
    """What is known of the values of one column of a group."""

    state: Any
    count: int

    def result(self, *options: Any) -> Any: ...


def group_record(
    over: OverGroups, key: Sequence[Any], headings: Sequence[str], tallies: Sequence[TalliedValues]
) -> dict[str, Any]:
    """A group as a record; without a key, everything. ``headings`` name the tallies."""
    found = dict(zip(headings, tallies, strict=True))
    record = {key.text: value for key, value in zip(over.keys, key, strict=False)}
    for part in over.parts:
        value = _value(part, [found[column.heading] for column in part.columns])
        record[part.text] = plain(value) if isinstance(value, Decimal) else value
    return record


class Decomposed:
    """A layout taken apart into that of the records and that of the groups."""

    def __init__(self, layout: SettledLayout, chain: Chain) -> None:
        self.layout = layout
        self.problems: list[Problem] = []
        self.keys = [self._key(key) for key in layout.row_per_group]
        self.chain = chain.extended(0, self._level(chain))
        self.parts: dict[str, Part] = {}
        self._columns = [self._outer_column(column) for column in layout.columns]
        self._sort = [self._outer_sort(key) for key in layout.sort]
        if self.problems:
            raise LayoutError(layout.name, self.problems)

    def _key(self, key: Grouping) -> Expression:
        """A key's expression, its own or that of the column it names."""
        if key.value is not None:
            return key.value
        column = next(column for column in self.layout.columns if column.heading == key.heading)
        if column.value is None:
            self.problems.append(
                column.problem(f"column `{column.heading}` holds nothing to group by")
            )
            raise LayoutError(self.layout.name, self.problems)
        return column.value

    def _level(self, chain: Chain) -> Names:
        """The deepest level that the keys belong to."""
        reached: list[tuple[Names, Expression]] = [((), key) for key in self.keys]
        reached += [(level, key) for key in self.keys for level in reach(key.node, chain)]
        reached += [
            (self._tree(chain), key)
            for key in self.keys
            if any(map(is_of_some_node, key.node.walk()))
        ]
        deepest, _ = max(reached, key=lambda found: len(found[0]))
        for level, key in reached:
            if deepest[: len(level)] != level:
                names = f"{chain.called(level)} and {chain.called(deepest)}"
                self.problems.append(key.problem(f"{names} are two branches, with no common entry"))
        return deepest

    def _tree(self, chain: Chain) -> Names:
        """The tree that a key is about which names none, such as `depth()`: the one that the keys
        and columns are of."""
        named = [*self.keys, *(one.value for one in self.layout.columns if one.value)]
        named += [one.value for one in self.layout.conditions if one.keep is None]
        paths = [p for one in named for p in one.node.walk() if isinstance(p, n.FieldPath)]
        levels = [level for path in paths for level in reach(path, chain)]
        trees = [level for level in levels if level in chain.known.trees]
        return max(trees, key=len, default=tree_meant(chain) or max(levels, key=len, default=()))

    # ---- what is gathered

    def inner_layout(self) -> SettledLayout:
        """Groups without detail; each part of an aggregate is a totalled column."""
        keys = [Column(key.text, key) for key in self.keys]
        parts = [column for part in self.parts.values() for column in part.columns]
        level = self.chain.levels[-1]
        row_per = (Expression(Scalar(self.chain.called(level)), _field(level)),) if level else ()
        return msgspec.structs.replace(
            self.layout,
            columns=tuple({column.heading: column for column in (*keys, *parts)}.values()),
            row_per=row_per,
            row_per_group=(),
            primary_key=(),
            sort=(),
            group=tuple(Grouping(None, key.text, key.text) for key in self.keys),
            totals=Totals(
                detail=False,
                grand_total=False,
                subtotals="none",
                grand_label=self.layout.label(0),  # which may ask for counts
            ),
            take=self.layout.take
            if self.layout.take and self.layout.take.of == "records"
            else None,
        )

    def _part(self, call: n.Call, expression: Expression) -> Part:
        text = call_text(expression.scalar.text, call.position)
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
        """What is gathered for an aggregate: values at a level of the chain, or below one.

        Below a level, an entry of it gives the aggregate of its own, or, where these would not do,
        the values themselves.
        """
        (argument, extent), name = taken_by(call), call.name
        target = max(reach(argument, self.chain), key=len, default=())
        home = max([target, *reach(argument, self.chain, chosen=True)], key=len)
        here = target in self.chain.levels and not _chooses(argument, self.chain)
        if here and name == "count" and self._is_level(argument, target):
            argument = n.Call(call.position, "ordinal", (argument,))  # one for each entry
        if set(extent) & set(SUBTREES):
            what = f"`{extent[0]}` is about one node, and a row for a group stands for several"
            self.problems.append(expression.problem(what, call.position))
        on_nodes = target in self.chain.known.trees and target == home
        if name in ("sum", "avg") and on_nodes and not extent:
            taken = n.Call(call.position, IS_COUNTED, (), inner=True)
            argument = n.Case(call.position, None, ((taken, argument),), None)
        composes = AGGREGATES[name].composes and not call.distinct
        of_numbers = AGGREGATES[name].takes == "number"
        if of_numbers and here and not composes and name != "avg":  # what is none is told here
            argument = n.Cast(argument.position, argument, "decimal", ())

        def column(heading: str, inner: str, total: str) -> Column:
            node = argument
            if not here:
                whole = n.Call(call.position, ALL_NODES, (argument,)) if extent else argument
                node = n.Call(call.position, inner, (whole,), inner=True)
            gathered = not here and inner in GATHERING
            ways = ColumnTotal(total, part=True, distinct=call.distinct, gathered=gathered)
            return Column(heading, Expression(expression.scalar, node), total=ways)

        if here:
            return (column(text, "", name),)
        if name == "avg" and not call.distinct:
            sums = column(f"sum of {text}", "sum", "sum")
            return sums, column(f"count of {text}", COUNT_NUMBERS, "sum")
        if name == "count" and not call.distinct:
            return (column(text, name, "sum"),)
        values = NUMBERS if of_numbers else COLLECT
        return (column(text, name if composes else values, name),)

    def _is_level(self, argument: n.Node, target: Names) -> bool:
        """Whether an argument is a level itself, whose entries are counted."""
        steps = plain_steps(argument, self.chain) if isinstance(argument, n.FieldPath) else None
        return bool(target) and steps == (target, ())

    # ---- the table of the groups

    def outer_layout(self) -> SettledLayout:
        """The columns over groups, each aggregate a field of its group."""
        return msgspec.structs.replace(
            self.layout,
            columns=tuple(self._columns),
            conditions=(),
            row_per_group=(),
            sort=tuple(self._sort),
            totals=Totals(grand_total=False),
            fields=(),
            take=self.layout.take if self.layout.take and self.layout.take.of == "rows" else None,
            expects=(),
            nests=(),
            nest=None,
            openings=(),
            opens_by=None,
        )

    def kinds(self, plan: Plan) -> dict[str, str]:
        """The kinds of a group's fields, as far as they are known: of keys, and of what is a value
        of the records again."""
        found = {key.text: plan.column(key.text).kind for key in self.keys}
        for part in self.parts.values():
            kind = AGGREGATES[part.call.name].gives
            if kind == "any" and len(part.columns) == 1:
                kind = plan.column(part.columns[0].heading).kind
            found[part.text] = kind
        return found

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
            field = _field((self._part(node, expression).text,), node.position)
            return n.Call(node.position, "coalesce", (field,))  # what was worked out is no field
        if isinstance(node, n.FieldPath):
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


def _value(part: Part, tallies: list[TalliedValues]) -> Any:
    """What an aggregate is for one group."""
    call, first = part.call, tallies[0]
    if len(tallies) > 1:  # a mean, of sums and counts of what is a number
        sums, counts = first.result(), tallies[1].result()
        return plain(QUOTIENT.divide(sums, counts)) if counts and sums is not None else None
    if call.name == "count" and not call.distinct:
        return first.result() or 0
    options = []
    if call.name == "listagg":
        separator = call.arguments[1] if len(call.arguments) > 1 else n.Literal(0, SEPARATOR)
        options.append(getattr(separator, "value", SEPARATOR))
    try:
        if call.order is not None:
            values = list(first.state.values()) if call.distinct else first.state
            pairs = [(value, value) for value in values]
            ordered = in_order(pairs, pair_order(call.order))
            return AGGREGATES[call.name].result(ordered, len(ordered), *options)
        return first.result(*options)
    except ValueFaultError as error:
        return Unreadable("", str(error))


def _chooses(node: n.Node, chain: Chain) -> bool:
    """Whether a path of an argument goes further than names, so that it may have many values."""
    if isinstance(node, n.FieldPath):
        return bool(plain_steps(node, chain)[1])
    if isinstance(node, n.Call) and node.name in AGGREGATE_KINDS:
        return False
    return any(_chooses(part, chain) for part in node.children())


def is_additive(node: n.Node) -> bool:
    """Whether what groups have adds up to what all have, as far as nothing is rounded: sums and
    counts, what is added to them or taken off, and multiples of them."""
    match node:
        case n.Call(name="sum" | "count", distinct=False):
            return True
        case n.Sign():
            return is_additive(node.operand)
        case n.Arithmetic(operator="+" | "-"):
            return is_additive(node.left) and is_additive(node.right)
        case n.Arithmetic():
            left, right = node.left, node.right
            if node.operator == "*" and isinstance(left, n.Literal):
                return is_additive(right)
            return isinstance(right, n.Literal) and is_additive(left)
    return False


def _field(names: Names, position: int = 0) -> n.FieldPath:
    steps = (n.Segment(position, (n.Name(position, name, bracketed=True),)) for name in names)
    return n.FieldPath(position, tuple(steps))


def call_text(text: str, position: int) -> str:
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
