"""Aggregates: what is made of many values; nulls are passed over (ISO 9075).

Each is one object that knows everything about itself: what it takes and gives, how its state
begins, grows, and merges with the state of values that came later, what it results in, what must
agree on both sides of a balance, and the code that adds one value on the walk for control sums. A
new one is a class here and a line in the registry at the end.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable
from decimal import Decimal
from typing import Any

from .functions import text_of
from .literals import Interval
from .numbers import QUOTIENT, ValueFaultError, plain
from .ordering import distinct_key, order_key

SEPARATOR = "; "  # of a list, unless another is given


class Aggregate:
    """An aggregate: its name, the kind of value that it ``takes`` and the kind that it ``gives``.

    ``adds``: its state is a plain sum, so that whoever has many values may add them at once.
    ``totals``: a column can have it as its total. ``unknown``: nulls are taken too, as unknown.
    ``merges_at_once``: its state is small, and merged in no time.
    ``composes``: that of what parts result in is that of the whole. ``ordered``: the order of the
    values matters.
    """

    name = ""
    takes = "any"
    gives = "any"  # the kind of what it takes
    adds = False
    totals = False
    unknown = False
    merges_at_once = False
    composes = False
    ordered = False

    def zero(self) -> Any:
        """The state before any value."""
        raise NotImplementedError

    def add(self, state: Any, values: list[Any]) -> Any:
        """The state with some values more, which are not null; it may be the same, grown."""
        raise NotImplementedError

    def merge(self, state: Any, later: Any) -> Any:
        """The state of all values, from that of some, which may grow, and that of later ones."""
        raise NotImplementedError

    def result(self, state: Any, count: int, *options: Any) -> Any:
        """What the values result in; of ``count`` values. Raises ValueFaultError."""
        raise NotImplementedError

    def proof(self, state: Any, count: int) -> tuple[Any, ...]:
        """What is the same for the same values, in whatever order and parts they came."""
        return (count,)

    def figure(self, state: Any, count: int) -> Any:
        """The figure by which a balance shows it."""
        return count

    # the code of a walk: what a variable begins with, how it takes a value, and the state it holds

    start = "[]"

    def taking(self, variable: str, value: str) -> str:
        """The statement by which a variable takes one value."""
        return f"{variable}.append({value})"

    def of_present(self, found: str) -> str:
        """The expression for the result of a list of values within a record, nulls left out; blank
        where it takes more than an expression."""
        return ""

    def of_none(self) -> Any:
        """What no value results in."""
        return self.result(self.zero(), 0)

    def taken(self, variable: str, name: str) -> str:
        """The expression for the state that a variable holds; ``name`` is this object's."""
        return f"{name}.of({variable})"

    def of(self, values: list[Any]) -> Any:
        """The state of some values; a list among them stands for its values."""
        if list in {*map(type, values)}:
            values = [part for one in values for part in (one if one.__class__ is list else (one,))]
        return self.add(self.zero(), values)


class Sum(Aggregate):
    """The sum; of nothing, null."""

    name, takes, gives = "sum", "number", "number"
    adds = totals = composes = merges_at_once = True

    def zero(self) -> Any:
        return 0

    def add(self, state: Any, values: list[Any]) -> Any:
        return state + sum(values)

    def merge(self, state: Any, later: Any) -> Any:
        return state + later

    def result(self, state: Any, count: int, *options: Any) -> Any:
        return state if count else None  # mutant: sum-of-none

    def proof(self, state: Any, count: int) -> tuple[Any, ...]:
        return (state,)

    def figure(self, state: Any, count: int) -> Any:
        return state

    start = "0"

    def of_present(self, found: str) -> str:
        return f"sum({found}) if {found} else None"

    def taking(self, variable: str, value: str) -> str:
        return f"{variable} += {value}"

    def taken(self, variable: str, name: str) -> str:
        return variable


class Mean(Sum):
    """The mean, of 34 digits; of nothing, null."""

    name = "avg"
    composes = False

    def result(self, state: Any, count: int, *options: Any) -> Any:
        return plain(QUOTIENT.divide(state, count)) if count else None  # mutant: mean

    def of_present(self, found: str) -> str:
        return ""

    def proof(self, state: Any, count: int) -> tuple[Any, ...]:
        return state, count


class Count(Aggregate):
    """How many values there are; the tally of any aggregate counts them."""

    name, gives = "count", "number"
    totals = merges_at_once = True

    def zero(self) -> Any:
        return None

    def add(self, state: Any, values: list[Any]) -> Any:
        return None

    def merge(self, state: Any, later: Any) -> Any:
        return None

    def result(self, state: Any, count: int, *options: Any) -> Any:
        return count

    start = "None"

    def taking(self, variable: str, value: str) -> str:
        return "pass"

    def taken(self, variable: str, name: str) -> str:
        return "None"


class Least(Aggregate):
    """The least value. The state holds the least of each kind: a mixture has none."""

    name = "min"
    totals = merges_at_once = True
    _choose: Callable[..., Any] = staticmethod(min)

    def zero(self) -> Any:
        return {}

    def add(self, state: Any, values: list[Any]) -> Any:
        found: dict[str, list[Any]] = {}
        for value in values:
            found.setdefault(_kind(value), []).append(value)
        return self.merge(state, {kind: self._of(kind, some) for kind, some in found.items()})

    def merge(self, state: Any, later: Any) -> Any:
        whole = dict(state)
        for kind, value in later.items():
            whole[kind] = self._of(kind, [whole[kind], value]) if kind in whole else value
        return whole

    def _of(self, kind: str, values: list[Any]) -> Any:
        if kind == "whole":
            return values[0]
        return self._choose(values, key=order_key if kind in ("time", "truth") else None)

    def result(self, state: Any, count: int, *options: Any) -> Any:
        if "whole" in state and len(state) == 1:
            raise ValueFaultError("whole values have no least or greatest")
        if len(state) > 1:
            raise ValueFaultError("a mixture of numbers and texts has no least or greatest")
        return next(iter(state.values())) if len(state) == 1 else None

    def proof(self, state: Any, count: int) -> tuple[Any, ...]:
        return tuple((kind, distinct_key(state[kind])) for kind in sorted(state))

    def figure(self, state: Any, count: int) -> Any:
        return next(iter(state.values())) if len(state) == 1 else None


class Greatest(Least):
    """The greatest value."""

    name = "max"
    _choose = staticmethod(max)


class Join(Aggregate):
    """The values as texts, joined; of nothing, null."""

    name, gives = "listagg", "text"
    ordered = True

    def zero(self) -> Any:
        return []

    def add(self, state: Any, values: list[Any]) -> Any:
        state.extend(values)
        return state

    def merge(self, state: Any, later: Any) -> Any:
        state.extend(later)
        return state

    def result(self, state: Any, count: int, *options: Any) -> Any:
        separator = options[0] if options else SEPARATOR
        return (separator or "").join(map(text_of, state)) or None  # of objects without parts


class First(Aggregate):
    """The first value."""

    name = "first"
    composes = ordered = merges_at_once = True

    def zero(self) -> Any:
        return ()

    def add(self, state: Any, values: list[Any]) -> Any:
        return state or tuple(values[:1])

    def merge(self, state: Any, later: Any) -> Any:
        return state or later

    def result(self, state: Any, count: int, *options: Any) -> Any:
        return state[0] if state else None


class Last(First):
    """The last value."""

    name = "last"

    def add(self, state: Any, values: list[Any]) -> Any:
        return tuple(values[-1:]) or state

    def merge(self, state: Any, later: Any) -> Any:
        return later or state


class AnyOf(Aggregate):
    """True if one is; what is unknown is passed over, and if all are, so is the result (our own;
    ISO 9075 gives unknown if one is). Over nothing false."""

    name, takes, gives = "any", "truth", "truth"
    unknown = composes = merges_at_once = True
    _settled = True

    def zero(self) -> Any:
        return frozenset()

    def add(self, state: Any, values: list[Any]) -> Any:
        return state | frozenset(values)

    def merge(self, state: Any, later: Any) -> Any:
        return state | later

    def result(self, state: Any, count: int, *options: Any) -> Any:
        one, other = self._settled, not self._settled
        if one in state:
            return one
        return None if None in state and other not in state else other

    def of_present(self, found: str) -> str:
        one, other = self._settled, not self._settled
        unknown = f"{found} and {other} not in {found}"
        return f"{one} if {one} in {found} else None if {unknown} else {other}"


class Every(AnyOf):
    """False if one is; unknown ones are passed over as by `any`. Over nothing true."""

    name = "every"
    _settled = False


class Distinct(Aggregate):
    """Another aggregate over values of which each is taken once: the first of those that are equal.

    >>> one = Distinct(AGGREGATES["sum"])
    >>> one.result(one.merge(one.add(one.zero(), [2, 3]), one.add(one.zero(), [3, 4])), 4)
    9
    """

    def __init__(self, aggregate: Aggregate) -> None:
        self.name, self.takes, self.gives = aggregate.name, aggregate.takes, aggregate.gives
        self.unknown, self.ordered = aggregate.unknown, aggregate.ordered
        self._aggregate = aggregate

    def zero(self) -> Any:
        return {}

    def add(self, state: Any, values: list[Any]) -> Any:
        for value in values:
            state.setdefault(distinct_key(value), value)
        return state

    def merge(self, state: Any, later: Any) -> Any:
        for key, value in later.items():
            state.setdefault(key, value)
        return state

    def result(self, state: Any, count: int, *options: Any) -> Any:
        aggregate, values = self._aggregate, list(state.values())
        return aggregate.result(aggregate.add(aggregate.zero(), values), len(values), *options)


def _kind(value: Any) -> str:
    """The kind within which values have an order."""
    if isinstance(value, bool):
        return "truth"
    if isinstance(value, int | Decimal):
        return "number"
    if isinstance(value, dt.date | dt.time | Interval):
        return "time"
    return "text" if isinstance(value, str) else "whole"


def over(aggregate: Aggregate, found: list[Any], *options: Any) -> Any:
    """An aggregate of some values, nulls among them. Raises ValueFaultError.

    >>> over(AGGREGATES["avg"], [1, None, 2])
    Decimal('1.5')
    """
    values = found if aggregate.unknown else [value for value in found if value is not None]
    return aggregate.result(aggregate.add(aggregate.zero(), values), len(values), *options)


def _registry(aggregates: Iterable[Aggregate]) -> dict[str, Aggregate]:
    return {aggregate.name: aggregate for aggregate in aggregates}


AGGREGATES = _registry(
    [Sum(), Mean(), Count(), Least(), Greatest(), Join(), AnyOf(), Every(), First(), Last()]
)
DISTINCT = {name: Distinct(aggregate) for name, aggregate in AGGREGATES.items()}
