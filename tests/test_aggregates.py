"""Aggregates on their own: parts merge, and one more is one object."""

from __future__ import annotations

import statistics
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from flatledger.plan import kinds
from flatledger.values import aggregates
from flatledger.values.aggregates import AGGREGATES, DISTINCT, Aggregate, Distinct
from flatledger.values.numbers import ValueFaultError
from tests.conftest import table

numbers = st.lists(st.integers(0, 5) | st.decimals(0, 5, places=1), max_size=8)
truths = st.lists(st.sampled_from([True, False, None]), max_size=6)


def plainly(name: str, values: list[Any]) -> Any:
    """What an aggregate of numbers is, said in another way."""
    if name in ("sum", "avg"):
        return (sum(values) / (Decimal(len(values)) if name == "avg" else 1)) if values else None
    if name == "listagg":
        return "; ".join(map(str, values)) or None
    ends = {"first": values[:1], "last": values[-1:], "min": sorted(values)[:1]}
    if name == "count":
        return len(values)
    return next(iter(ends.get(name, sorted(values)[-1:])), None)


@given(st.sampled_from(sorted({*AGGREGATES} - {"any", "every"})), st.booleans(), numbers, st.data())
def test_states_of_parts_merge_to_that_of_the_whole(
    name: str, distinct: bool, values: list[Any], data: st.DataObject
) -> None:
    one = (DISTINCT if distinct else AGGREGATES)[name]
    cut = data.draw(st.integers(0, len(values)))
    first, later = (one.add(one.zero(), part) for part in (values[:cut], values[cut:]))
    whole = one.merge(first, later)
    wanted = list(dict.fromkeys(values)) if distinct else values
    count = len(values)
    assert one.result(whole, count) == pytest.approx(plainly(name, wanted), abs=Decimal("1e-26"))
    assert one.proof(whole, count) == one.proof(one.add(one.zero(), values), count)
    assert one.of([values[:cut], *values[cut:]]) == one.add(one.zero(), values)


@given(truths, st.booleans())
def test_any_and_every_know_what_is_unknown(values: list[Any], every: bool) -> None:
    one = AGGREGATES["every" if every else "any"]
    settled = not every
    unknown = None in values and not {True, False} & {*values}  # all are
    expected = settled if settled in values else None if unknown else not settled
    assert one.result(one.of(values), len(values)) is expected


def test_a_mixture_has_no_least_value_in_parts_either() -> None:
    one = AGGREGATES["min"]
    state = one.merge(one.add(one.zero(), [3, 2]), one.add(one.zero(), ["x"]))
    with pytest.raises(ValueFaultError, match="a mixture"):
        one.result(state, 3)


class Median(Aggregate):
    """One more, as somebody would add it."""

    name, takes, gives = "median", "number", "number"
    totals = True

    def zero(self) -> Any:
        return ()

    def add(self, state: Any, values: list[Any]) -> Any:
        return (*state, *values)

    def merge(self, state: Any, later: Any) -> Any:
        return state + later

    def result(self, state: Any, count: int, *options: Any) -> Any:
        return statistics.median(map(Decimal, state)) if state else None

    def proof(self, state: Any, count: int) -> tuple[Any, ...]:
        return tuple(sorted(state))


def test_a_median_is_one_object(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(aggregates.AGGREGATES, "median", Median())
    monkeypatch.setitem(aggregates.DISTINCT, "median", Distinct(Median()))
    monkeypatch.setitem(kinds.AGGREGATE_KINDS, "median", "number")  # made of the registry
    source = [
        {"g": "a", "lines": [{"q": 1}, {"q": 9}, {"q": 2}]},
        {"g": "b", "lines": [{"q": 5}]},
        {"g": "a", "lines": [{"q": 7}, {"q": 7}]},
    ]
    rows, balance = table({"columns": [{"M": "median(lines.q)"}]}, source)
    assert [row[0] for row in rows] == [2, 5, 7]
    columns = [{"G": "g"}, {"Q": {"value": "lines.q", "total": "median"}}]
    for layout in ({"group": ["G"]}, {"group": ["G"], "totals": {"detail": "no"}}):
        rows, balance = table({"row-per": "lines", "columns": columns, **layout}, source)
        assert balance.balanced, balance.wrong
        assert rows[-1][1] == 6
        assert {7, 5} <= {row[1] for row in rows[:-1]}
    median = {"value": "median(lines.q)", "total": "sum"}
    distinct = {"value": "median(distinct lines.q)"}
    layout = {"row-per-group": ["g"], "columns": [{"G": "g"}, {"M": median}, {"D": distinct}]}
    rows, balance = table(layout, source)
    assert rows == [("a", 7, Decimal("4.5")), ("b", 5, 5), ("Grand total", 6, None)]
    assert balance.balanced


def test_a_list_of_objects_without_parts_is_null_in_records_and_groups() -> None:
    records = [{"g": "b", "p": [{"by": {}}]}, {"g": "c", "p": [{"by": {}}, {"by": "x"}]}]
    columns = [{"G": "g"}, {"By": "listagg(p.by, '/')"}]
    expected = [("b", None), ("c", "/x")]
    assert table({"columns": columns}, records)[0] == expected
    assert table({"row-per-group": ["g"], "columns": columns}, records)[0] == expected
