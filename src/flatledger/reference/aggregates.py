"""Aggregates: over which entries one runs, and what comes of what it takes (rules 4 to 6)."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cmp_to_key
from typing import Any, NamedTuple

from ..language import nodes as n
from ..language.extents import ALL_NODES, SUBTREES, taken_by
from ..plan.kinds import AGGREGATE_KINDS, GATHERING, taken_kind
from ..plan.reaching import is_of_some_node
from ..plan.row_order import pair_order
from ..structure.levels import Names, plain_steps
from ..values.aggregates import AGGREGATES, SEPARATOR, over
from ..values.functions import text_of
from ..values.literals import Interval
from ..values.numbers import ValueFaultError
from ..values.ordering import distinct_key, order_key
from .entries import Entry
from .exact import added, compared, divided, is_number
from .ordering import in_order
from .plain import each_of, is_null
from .protocols import Here, Levels, Values, levels_of
from .trees import is_leaf, nodes_below


class Reach(NamedTuple):
    """What an aggregate runs over: the entries of ``target``, where its argument is worked out,
    under the entry of the chain at ``base``; of a tree what is below the node at ``under``."""

    base: int
    target: Names
    leaves: bool  # of a tree the leaves alone are added (rule 19)
    named: bool  # the argument names some place; else it belongs to the row (rule 4)
    under: int | None = None


class Aggregates:
    """Works out aggregates."""

    def __init__(self, values: Values) -> None:
        self._of = values
        self._worked_out: dict[tuple[Any, ...], Any] = {}

    # ---- over which entries (rule 5)

    def reach(self, node: n.Call, levels: Levels) -> Reach:
        """The entries of the argument's home level, under the nearest entry of the chain that is
        strictly above it; where nothing repeats, the one value or none."""
        found: Reach = self._of.paths.once(
            node, "reach", levels, work=lambda: self._reach(node, levels)
        )
        return found

    def _reach(self, node: n.Call, levels: Levels) -> Reach:
        argument, ways = taken_by(node)
        target = max(self._levels_of(argument, levels, chosen=False), key=len, default=())
        home = max([target, *self._levels_of(argument, levels, chosen=True)], key=len)
        above = [at for at, level in enumerate(levels) if is_above(level, home)]
        base = max(above, default=0)
        trees = self._of.plan.chain.known.trees
        adds = node.name in ("sum", "avg") and target == home and target in trees
        leaves = adds and ALL_NODES not in ways
        named = bool(target) or any(isinstance(part, n.FieldPath) for part in argument.walk())
        if set(ways) & set(SUBTREES):
            under = max(at for at, level in enumerate(levels) if level in trees)
            return Reach(under - 1, target, leaves, named, under)
        return Reach(base, target, leaves, named)

    def reach_of_groups(self, node: n.Call, levels: Levels) -> Reach:
        """The same in a group: the entries of the argument's own level, whatever the row is."""
        return self.reach(node, levels[:1])

    def taken_in_group(self, node: n.Call, chain: Here) -> list[Any]:
        """The values that an aggregate over a group takes of one entry."""
        self._of.inside += 1
        try:
            argument, _ = taken_by(node)
            levels = levels_of(chain)
            steps = (
                plain_steps(argument, self._of.paths.chain_of(levels))
                if isinstance(argument, n.FieldPath)
                else None
            )
            if node.name == "count" and not node.distinct and steps == (levels[-1], ()):
                return [1]
            return self._values(node, chain, alone=False)
        finally:
            self._of.inside -= 1

    def _levels_of(self, node: n.Node, levels: Levels, chosen: bool) -> list[Names]:
        """The levels among the paths of an argument: without ``chosen`` those whose entries are
        gone through one by one, with it also those of which selectors choose some."""
        if isinstance(node, n.FieldPath):
            chain = self._of.paths.chain_of(levels)
            names, rest = plain_steps(node, chain)
            if chosen or not rest or rest[0].descendant:
                return [self._of.paths.level(node, levels)]
            lengths = range(len(names) - 1, 0, -1)
            return [next((names[:k] for k in lengths if chain.is_level(names[:k])), ())]
        if isinstance(node, n.Call) and is_of_some_node(node):
            return [self._tree(levels)]
        if isinstance(node, n.Call) and node.name in AGGREGATE_KINDS and node.arguments:
            inner = self._levels_of(taken_by(node)[0], levels, chosen=True)
            return [self._above(max(inner, key=len, default=()))]
        return [one for part in node.children() for one in self._levels_of(part, levels, chosen)]

    def _tree(self, levels: Levels) -> Names:
        """The tree that a function is about which names none: that on the way, or the only one."""
        trees = self._of.plan.chain.known.trees
        on_the_way = [level for level in levels if level in trees]
        return on_the_way[-1] if on_the_way else next(iter(trees)) if len(trees) == 1 else ()

    def _above(self, level: Names) -> Names:
        """The level right above another: a nested aggregate runs for each of its entries."""
        lengths = range(len(level) - 1, 0, -1)
        return next((level[:k] for k in lengths if self._of.paths.is_level(level[:k])), ())

    def chains(self, node: n.Call, here: Here) -> list[Here]:
        """The entries that an aggregate runs over, each with those above it."""
        base, target, leaves, _, under = self.reach(node, levels_of(here))
        record, way = self._of.record, self.between(here[base].level, target)
        if under is None:
            found = self._below([here[base]], way)
        else:
            from_here = "from_here" in taken_by(node)[1]
            nodes = nodes_below(record, here[under], itself=from_here)
            found = self._below(nodes, way[1:])
        if leaves:
            found = [one for one in found if is_leaf(record, one)]
        if not way and under is None:
            return [here[: base + 1]]
        return [one.chain for one in found]

    def _below(self, found: list[Entry], way: Levels) -> list[Entry]:
        """The kept entries at the end of some levels. Beside the row's own, no list is crossed on
        the way that is none of the stated levels (rule 1)."""
        record, plan = self._of.record, self._of.plan
        for level in way:
            checked = plan.chain.known.stated is not None and level not in plan.chain.levels
            if checked:
                found = [one for one in found if self._of.paths.is_plain_way(one, level)]
            found = [entry for one in found for entry in record.kept(one, level)]
        return found

    def between(self, start: Names, end: Names) -> Levels:
        """The levels from below one down to another."""
        lengths = range(len(start) + 1, len(end) + 1)
        return tuple(end[:k] for k in lengths if k == len(end) or self._of.paths.is_level(end[:k]))

    # ---- what is taken of each entry (rules 3 and 6)

    def value(self, node: n.Call, here: Here) -> Any:
        """What an aggregate is worth; worked out once for each entry that it runs under."""
        reach = self.reach(node, levels_of(here))
        entry = here[reach.base if reach.under is None else reach.under]
        key = id(node), id(entry), levels_of(here)
        if key not in self._worked_out:
            self._worked_out[key] = self._value(node, here)
        return self._worked_out[key]

    def forget(self) -> None:
        """Forget what was worked out: conditions have let other entries through since."""
        self._worked_out.clear()

    def _value(self, node: n.Call, here: Here) -> Any:
        outside = here[: self.reach(node, levels_of(here)).base + 1]
        self._of.inside += 1
        try:
            chains = self.chains(node, here)
            found = [one for chain in chains for one in self.taken(node, chain, here)]
        finally:
            self._of.inside -= 1
        if node.order is not None:
            found = [value for value, _ in in_order(found, [pair_order(node.order)])]
        if node.name in GATHERING:
            return [one for one in found if one is not None] or None
        separator: Any = SEPARATOR
        if node.name == "listagg" and len(node.arguments) > 1:
            separator = self._of.text(node.arguments[1], outside)
        path, where = self._of.called(node), outside[-1].where
        return self._of.converting.guarded(
            lambda: result(node.name, found, separator, distinct=node.distinct), None, path, where
        )

    def taken(self, node: n.Call, chain: Here, here: Here) -> list[Any]:
        """The values that an aggregate takes of one entry; a list is taken for its values."""
        argument, _ = taken_by(node)
        if self.counts_entries(node, here):
            return [1]
        if node.order is not None:
            return [
                (self._of.present(argument, chain), self._of.present(node.order.operand, chain))
            ]
        alone = len(chain) - 1 == self.reach(node, levels_of(here)).base
        return self._values(node, chain, alone=alone)

    def _values(self, node: n.Call, chain: Here, *, alone: bool) -> list[Any]:
        """The same of values; ``alone``: nothing repeats, so that a null is no value."""
        argument, _ = taken_by(node)
        aggregate, kind = AGGREGATES.get(node.name), taken_kind(node.name)
        unknowns = aggregate is not None and aggregate.unknown
        unknowns = unknowns and not alone
        if isinstance(argument, n.FieldPath):
            values = self._of_path(argument, chain, kind)
        elif kind:
            values = [self._of.as_kind(kind, argument, chain)]
        else:
            values = [self._of.present(argument, chain)]
        return values if unknowns else [one for one in values if one is not None]

    def _of_path(self, path: n.FieldPath, chain: Here, kind: str) -> list[Any]:
        declared, raw = self._of.declared(path, chain), self._of.source(path, chain)
        called, where = self._of.called(path), self._of.where(path, chain)
        values: list[Any] = []
        for one in each_of(raw) or [None]:
            if is_null(one):
                values.append(None)
                continue
            value = one if declared is None else self._of.read(path, one, declared, chain)
            known = declared.kind if declared is not None else "any"
            if kind and known != kind:
                value = self._of.converting.as_kind(kind, value, called, where)
            values.append(value)
        return values

    def counts_entries(self, node: n.Call, here: Here) -> bool:
        """Whether an aggregate counts the entries of a level, and not values (rule 5)."""
        argument, _ = taken_by(node)
        if node.name != "count" or node.distinct or not isinstance(argument, n.FieldPath):
            return False
        levels = levels_of(here)
        chain = self._of.paths.chain_of(levels)
        return plain_steps(argument, chain) == (self.reach(node, levels).target, ())


def is_above(level: Names, home: Names) -> bool:
    """Whether a level is strictly above another; the record is above all, and above itself."""
    return not level or (len(level) < len(home) and home[: len(level)] == level)


# ---- what comes of the values; nulls are passed over (ISO 9075)


def result(name: str, found: Sequence[Any], separator: Any, *, distinct: bool = False) -> Any:
    """What some values result in. Raises ValueFaultError.

    >>> result("sum", [1, None, 2], ""), result("avg", [1, 2], ""), result("count", [None, 1], "")
    (3, Decimal('1.5'), 1)
    >>> result("any", [None, False], ""), result("any", [None], ""), result("every", [], "")
    (False, None, True)
    """
    values = list(found) if name in ("any", "every") else [v for v in found if v is not None]
    if distinct:
        values = _distinct(values)
    match name:
        case "count" | "count_numbers":
            return len(values)
        case "any" | "every":
            settled = name == "any"
            unknown = bool(values) and set(values) == {None}
            return settled if settled in values else None if unknown else not settled
    if not values:
        return None
    match name:
        case "sum":
            return total(values)
        case "avg":
            return divided(total(values), len(values))
        case "first":
            return values[0]
        case "last":
            return values[-1]
        case "listagg":
            return ("" if separator is None else str(separator)).join(map(text_of, values)) or None
    if name not in ("min", "max"):  # one that was added
        return over(AGGREGATES[name], values)
    return _extreme(values, greatest=name == "max")


def _distinct(values: list[Any]) -> list[Any]:
    """The first of those that are equal."""
    found: dict[Any, Any] = {}
    for value in values:
        found.setdefault(distinct_key(value), value)
    return list(found.values())


def total(values: Sequence[Any]) -> Any:
    """The sum of numbers; 0 of none."""
    whole: Any = 0
    for value in values:
        whole = added(whole, value)
    return whole


def _extreme(values: list[Any], *, greatest: bool) -> Any:
    """The least or greatest of values of one kind; of equal ones the first."""
    kinds = {kind_of(value) for value in values}
    if kinds == {"whole"}:
        raise ValueFaultError("whole values have no least or greatest")
    if len(kinds) > 1:
        raise ValueFaultError("a mixture of numbers and texts has no least or greatest")
    way = -1 if greatest else 1
    return min(values, key=cmp_to_key(lambda one, other: way * _order(one, other)))


def kind_of(value: Any) -> str:
    """The kind within which values have an order."""
    if isinstance(value, bool):
        return "truth"
    if is_number(value):
        return "number"
    if isinstance(value, str):
        return "text"
    whole = isinstance(value, dict | list | float) and not isinstance(value, Interval)
    return "whole" if whole else "time"


def _order(one: Any, other: Any) -> int:
    if is_number(one):
        return compared(one, other)
    if isinstance(one, str):
        return int(one > other) - int(one < other)
    a, b = order_key(one), order_key(other)
    return int(a > b) - int(a < b)
