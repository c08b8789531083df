"""Aggregates of what is below each node of a tree."""

from __future__ import annotations

from functools import cached_property
from typing import Any

from ...plan.row_order import in_order
from ...values.aggregates import Aggregate, Distinct
from ...values.ordering import distinct_key
from .tree import NodePlaces


class Subtrees:
    """An aggregate of what is gathered below each node of a tree, or from each node on.

    What has a small state is merged from the leaves up, so that a tree costs no more than its
    nodes; else all values of a subtree are taken together.
    """

    def __init__(
        self,
        places: NodePlaces,
        aggregate: Aggregate,
        found: list[list[Any]],
        from_here: bool,
        order: Any,
    ) -> None:
        """In an ``order`` the values are pairs with what they are ordered by."""
        self._tree, self._aggregate, self._from_here = places.tree, aggregate, from_here
        self._found, self._order = found, order
        self._merged = aggregate.merges_at_once and order is None
        self._counts_distinct = isinstance(aggregate, Distinct) and aggregate.name == "count"

    @cached_property
    def sums(self) -> list[Any]:
        """Where the aggregate is the sum: that of each node."""
        below = self._below
        if self._from_here:
            places = range(1, len(below))
            below = [(0, 0), *(self._with_own(place, *below[place]) for place in places)]
        return [state if count else None for state, count in below]

    @cached_property
    def _below(self) -> list[tuple[Any, int]]:
        """The state of what is below each node, and of how many values."""
        aggregate, parents = self._aggregate, self._tree.parents
        if aggregate.adds:
            return self._sums_below(parents)
        zero = aggregate.zero()
        below: list[tuple[Any, int]] = [(zero, 0)] * len(parents)
        for place in range(len(parents) - 1, 0, -1):
            state, count = self._with_own(place, *below[place])
            later, more = below[parents[place]]
            below[parents[place]] = aggregate.merge(state, later), count + more
        return below

    def _sums_below(self, parents: list[int]) -> list[tuple[Any, int]]:
        """The same of what merely adds up, which is common and goes faster so."""
        sums, counts = [0] * len(parents), [0] * len(parents)
        for place in range(len(parents) - 1, 0, -1):
            parent, values = parents[place], self._found[place]
            if values:
                sums[parent] += sum(values)
                counts[parent] += len(values)
            if counts[place]:
                sums[parent] += sums[place]
                counts[parent] += counts[place]
        return list(zip(sums, counts, strict=True))

    @cached_property
    def _distinct(self) -> list[int]:
        """How many different values each subtree has: the smaller set goes into the larger."""
        parents, sets = self._tree.parents, dict[int, set[Any]]()
        counts = [0] * len(parents)
        for place in range(len(parents) - 1, 0, -1):
            found = sets.pop(place, set())
            counts[place] = len(found)
            found |= {*map(distinct_key, self._values(self._found[place]))}
            if self._from_here:
                counts[place] = len(found)
            other = sets.get(parents[place], set())
            less, more = sorted((found, other), key=len)
            more |= less
            sets[parents[place]] = more
        return counts

    def _with_own(self, place: int, state: Any, count: int) -> tuple[Any, int]:
        values = self._values(self._found[place])
        if not values:
            return state, count
        aggregate = self._aggregate
        own = aggregate.add(aggregate.zero(), values)
        return aggregate.merge(own, state), count + len(values)

    def _values(self, found: list[Any]) -> list[Any]:
        if self._aggregate.unknown:
            return found
        return [value for value in found if value is not None]

    def values(self, place: int) -> list[Any]:
        """All values of the subtree of a node, in their order."""
        start = place if self._from_here else place + 1
        lists = self._found[start : self._tree.ends[place] + 1]
        values = [value for found in lists for value in found]
        return values if self._order is None else in_order(values, self._order)

    def result(self, place: int, *options: Any) -> Any:
        """What the values of the subtree of a node result in. Raises ValueFaultError."""
        aggregate = self._aggregate
        if self._counts_distinct:
            return self._distinct[place]
        if not self._merged:
            values = self._values(self.values(place))
            return aggregate.result(aggregate.add(aggregate.zero(), values), len(values), *options)
        state, count = self._below[place]
        if self._from_here:
            state, count = self._with_own(place, state, count)
        return aggregate.result(state, count, *options)


def result_below(subtrees: Subtrees, place: int, *options: Any) -> Any:
    """What the values below a node result in. Raises ValueFaultError."""
    return subtrees.result(place, *options)
