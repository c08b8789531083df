"""Order and groups go by values: instants, lengths of time, truth values; what counts as one."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections import Counter
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import Layout, LayoutError, TableNotReadError
from tests.conftest import table

zones = st.none() | st.integers(-14, 14).map(lambda hours: dt.timezone(dt.timedelta(hours=hours)))
near = st.datetimes(dt.datetime(2026, 3, 30), dt.datetime(2026, 4, 1), timezones=zones)
moments = near.map(lambda moment: moment.replace(minute=moment.minute // 30 * 30, second=0))
durations = st.sampled_from(
    ["PT60M", "PT1H", "PT90M", "P1D", "PT24H", "P1M", "P30D", "P31D", "PT0S"]
)
clocks = st.sampled_from(["10:00", "10:00:00", "11:00+01:00", "09:30", "23:30-02:00", "10:00Z"])
DAY = dt.timedelta(days=1)


def instant(text: str) -> dt.datetime:
    moment = dt.datetime.fromisoformat(text)
    return moment if moment.tzinfo else moment.replace(tzinfo=dt.UTC)


def length(text: str) -> float:
    sizes = {"PT60M": 1, "PT1H": 1, "PT90M": 1.5, "PT1H30M": 1.5, "P1D": 24, "PT24H": 24, "PT0S": 0}
    days = {"P1M": Decimal(146_097) / 4_800, "P30D": Decimal(30), "P31D": Decimal(31)}
    return float(days[text] * 24) if text in days else sizes[text]


def clock(text: str) -> dt.timedelta:
    time = dt.time.fromisoformat(text)
    offset = time.utcoffset() or dt.timedelta(0)
    return dt.timedelta(hours=time.hour, minutes=time.minute) - offset


KINDS: dict[str, tuple[Any, Any]] = {
    "dateTime": (moments.map(dt.datetime.isoformat), instant),
    "duration": (durations, length),
    "time": (clocks, clock),
}


@given(st.sampled_from(sorted(KINDS)), st.booleans(), st.booleans(), st.data())
def test_rows_groups_and_extremes_go_by_the_value(
    kind: str, down: bool, by_expression: bool, data: st.DataObject
) -> None:
    texts, value = KINDS[kind]
    found = data.draw(st.lists(texts | st.none() | st.just("soon"), max_size=8))
    source = [{"x": text, "n": 1} for text in found]
    way = " desc" if down else ""
    key = "cast(x as timestamp)" if by_expression and kind == "dateTime" else "X"
    column = {"value": "x", "datatype": kind}
    layout = {"columns": [{"X": column}, {"No": "ordinal"}][:1], "sort": [f"{key}{way}"]}
    rows, balance = table(layout, source)
    good = [text for text in found if text not in (None, "soon")]
    expected = sorted(good, key=value, reverse=down)
    shown = [value(str(row[0])) for row in rows if row[0] not in (None, "soon")]
    assert shown == [value(text) for text in expected]
    assert None not in found or key != "X" or rows[-1][0] is None
    total = {"N": {"value": "n", "total": "sum"}}
    grouped = {"columns": [{"X": column}, total], "group": ["X"], "totals": {"detail": "no"}}
    rows, balance = table(grouped, source)
    assert balance.balanced
    counts: dict[Any, int] = {}
    for text in found:
        one = value(text) if text not in (None, "soon") else text
        counts[one] = counts.get(one, 0) + 1
    assert sorted(row[1] for row in rows[:-1]) == sorted(counts.values())
    detail, balance = table({**grouped, "totals": {}}, source)
    assert balance.balanced
    assert sum(str(row[0]).startswith("Total") for row in detail) == len(counts)
    for extreme, pick in (("min", min), ("max", max)):
        rows, balance = table({"columns": [{"X": {**column, "total": extreme}}]}, source)
        assert balance.balanced
        last = rows[-1][0]
        assert (value(str(last)) if good else last) == (
            value(pick(good, key=value)) if good else None
        )
    rows, balance = table({"columns": [{"X": {**column, "total": "count"}}]}, source)
    assert rows[-1] == (len(good),)
    assert balance.columns[0].source == len(good)
    assert balance.balanced


@pytest.mark.parametrize(
    "value",
    [
        "coalesce(cast(x as timestamp), y)",
        "case when x is null then y else cast(x as timestamp) end",
    ],
)
@given(st.lists(st.tuples(st.none() | moments, st.sampled_from("abc")), max_size=6))
def test_moments_among_texts_stay_moments(
    value: str, found: list[tuple[dt.datetime | None, str]]
) -> None:
    source = [{"x": x and x.isoformat(), "y": y} for x, y in found]
    layout: dict[str, Any] = {"columns": [{"X": value}, {"N": {"value": "1", "total": "sum"}}]}
    written = io.BytesIO()
    assert flatledger.export(
        Layout.from_data({"columns": [{"X": value}]}), source, written
    ).balanced
    wanted = [x.isoformat() if x else y for x, y in found]
    assert [row["X"] for row in csv.DictReader(io.StringIO(written.getvalue().decode()))] == wanted
    rows, balance = table({**layout, "group": ["X"], "totals": {"detail": "no"}}, source)
    counts = Counter(instant(x.isoformat()) if x else y for x, y in found)
    assert sorted(row[1] for row in rows[:-1]) == sorted(counts.values())
    assert balance.balanced


@pytest.mark.parametrize("kind", ["date", "boolean", "dateTime", "time", "duration", "integer"])
def test_what_cannot_be_read_is_in_no_count(kind: str) -> None:
    good = {"date": "2026-03-31", "boolean": True, "dateTime": "2026-03-31T10:00", "time": "10:00"}
    value = {**good, "duration": "PT1H", "integer": 7}[kind]
    column = {"value": "x", "datatype": kind, "total": "count"}
    rows, balance = table({"columns": [{"X": column}]}, [{"x": value}, {"x": "soon"}, {}])
    assert rows[-1] == (1,)
    assert (balance.columns[0].source, balance.fault_count, balance.balanced) == (1, 1, True)


@pytest.mark.parametrize("kind", ["sum", "avg"])
@pytest.mark.parametrize("datatype", ["date", "dateTime", "time", "duration", "boolean", "string"])
def test_what_is_no_number_is_not_added_up(kind: str, datatype: str) -> None:
    with pytest.raises(LayoutError, match=f"`{kind}` adds up numbers, and a {datatype} is none"):
        table({"columns": [{"X": {"value": "x", "datatype": datatype, "total": kind}}]}, [])


def test_true_is_not_one() -> None:
    values = [True, 1, Decimal("1.0"), "1", False, 0, True]
    expressions = ["count(distinct x)", "listagg(distinct x, '/')"]
    layout = {"levels": ["x"], "columns": [{one: one} for one in expressions]}
    assert table(layout, [{"x": values}])[0] == [(5, "true/1/1/false/0")]
    layout = {"row-per-group": ["g"], "columns": [{one: one} for one in expressions]}
    assert table(layout, [{"g": 1, "x": one} for one in values])[0] == [(5, "true/1/1/false/0")]


SOURCE = [{"g": g, "n": n} for g, n in (("a", 1), ("c", 2), ("b", 3), ("c", 4))]


@pytest.mark.parametrize("column", ["G", "Other"])
@pytest.mark.parametrize("detail", ["yes", "no"])
def test_a_group_goes_the_way_that_the_sort_says(column: str, detail: str) -> None:
    layout: dict[str, Any] = {
        "columns": [{column: "g" if column == "G" else "n"}, {"N": {"value": "n", "total": "sum"}}],
        "group": ["g"],
        "sort": ["g desc"],
        "totals": {"detail": detail, "grand-total": "no"},
    }
    rows, balance = table(layout, SOURCE)
    assert balance.balanced
    totals = [row[1] for row in rows if detail == "no" or str(row[0]).startswith("Total")]
    assert totals == [6, 3, 1]


@pytest.mark.parametrize("place", ["before", "after"])
def test_without_totals_there_are_no_rows_of_them(place: str) -> None:
    layout = {"columns": [{"G": "g"}, {"N": "n"}], "group": ["G"], "totals": {"subtotals": place}}
    assert table(layout, SOURCE)[0] == [("a", 1), ("b", 3), ("c", 2), ("c", 4)]


def test_there_is_no_balance_before_the_end() -> None:
    rows = flatledger.table(Layout.from_data({"columns": [{"G": "g"}]}), SOURCE)
    for _ in range(2):
        with pytest.raises(TableNotReadError, match="comes after the last row"):
            _ = rows.balance
        next(rows)
    list(rows)
    assert rows.balance.balanced


GROUPS: dict[str, Any] = {
    "row-per-group": ["g"],
    "columns": [{"G": "g"}, {"N": {"value": "sum(n)", "total": "sum"}}],
    "take": {"first": 2, "of": "rows"},
}


def test_a_total_row_is_that_of_the_groups_taken() -> None:
    rows, balance = table(GROUPS, SOURCE)
    assert rows == [("a", 1), ("b", 3), ("Grand total", 4)]
    assert balance.balanced
    assert table({**GROUPS, "take": {"first": 9, "of": "rows"}}, SOURCE)[0][-1][1] == 10


def test_an_entry_of_several_groups_taken_is_once_in_their_total() -> None:
    records = [
        {"fee": 5, "lines": [{"p": "a"}, {"p": "b"}, {"p": "c"}]},
        {"fee": 7, "lines": [{"p": "c"}]},
    ]
    fees = {"value": "sum(fee)", "total": "sum"}
    layout = {
        "row-per-group": ["lines.p"],
        "columns": [{"P": "lines.p"}, {"Fees": fees}],
        "take": {"first": 2, "of": "rows"},
    }
    rows, balance = table(layout, records)
    assert rows == [("a", 5), ("b", 5), ("Grand total", 5)]
    assert balance.balanced
