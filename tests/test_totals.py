"""Totals by hand: kinds, rounding, levels, order."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import table

RECORDS: list[Any] = [
    {"no": "R2", "at": "N", "cost": 2, "lines": [
        {"qty": 3, "lots": [{"kg": "0.125"}, {"kg": 1}]},
        {"qty": 5, "lots": []},
    ]},
    {"no": "R1", "at": "N", "cost": 7, "lines": [{"qty": 1, "lots": {"kg": "0.135"}}]},
    {"no": "R3", "at": "S", "cost": None, "lines": []},
]  # fmt: skip


def test_every_kind_of_total() -> None:
    columns = [
        {"No": "no"},
        *(
            {kind: {"value": "lines.qty", "total": kind}}
            for kind in ("sum", "avg", "count", "min", "max")
        ),
        {"cost": {"value": "cost", "total": "avg", "decimals": 1}},
    ]
    rows, balance = table({"row-per": "lines", "columns": columns, "sort": ["No desc"]}, RECORDS)
    assert [row[0] for row in rows] == ["R3", "R2", "R2", "R1", "Grand total"]
    assert rows[-1] == ("Grand total", 9, Decimal(3), 3, 1, 5, Decimal("4.5"))
    assert balance.balanced


def test_three_levels_each_counted_once() -> None:
    layout = {
        "row-per": "lines.lots",
        "columns": [
            {"No": "no"},
            {"Cost": {"value": "cost", "total": "sum"}},
            {"Quantity": {"value": "lines.qty", "total": "sum"}},
            {"Weight": {"value": "lines.lots.kg", "total": "sum"}},
        ],
        "group": ["No"],
    }
    rows, balance = table(layout, RECORDS)
    assert rows == [
        ("R1", 7, 1, Decimal("0.135")),
        ("Total R1", 7, 1, Decimal("0.135")),
        ("R2", 2, 3, Decimal("0.125")),
        ("R2", 2, 3, 1),
        ("R2", 2, 5, None),
        ("Total R2", 2, 8, Decimal("1.125")),
        ("R3", None, None, None),
        ("Total R3", None, None, None),
        ("Grand total", 9, 9, Decimal("1.260")),
    ]
    assert [(level.level, level.met, level.remaining) for level in balance.levels] == [
        ("lines", 3, 3),
        ("lines.lots", 3, 3),
    ]
    dropped, balance = table({**layout, "only": "lines.lots.kg > 0.13"}, RECORDS)
    assert [row[0] for row in dropped] == ["R1", "Total R1", "R2", "Total R2", "Grand total"]
    assert dropped[-1] == ("Grand total", 9, 4, Decimal("1.135"))
    assert balance.dropped == 1
    assert balance.balanced


def test_a_column_foots_unless_its_total_is_exact() -> None:
    kg = {"value": "lines.lots.kg", "decimals": 2}
    columns = [{"Foots": {**kg, "total": "sum"}}, {"Exact": {**kg, "total": {"sum": "exact"}}}]
    rows, balance = table({"row-per": "lines.lots", "columns": columns}, RECORDS)
    shown = [row[0] for row in rows if row[0] is not None]
    # half-even: 0.125 -> 0.12, 0.135 -> 0.14; exactly 1.26
    assert shown == [Decimal("0.12"), Decimal("1.00"), Decimal("0.14"), Decimal("1.26")]
    assert rows[-1] == (Decimal("1.26"), Decimal("1.26"))
    thirds = [{"kg": "0.005"}, {"kg": "0.005"}, {"kg": "0.005"}]
    rows, balance = table({"row-per": "lots", "columns": [
        {"Foots": {"value": "lots.kg", "decimals": 2, "total": "sum"}},
        {"Exact": {"value": "lots.kg", "decimals": 2, "total": {"sum": "exact"}}},
    ]}, [{"lots": thirds}])  # fmt: skip
    assert rows[-1] == (Decimal("0.00"), Decimal("0.02"))
    foots, exact = balance.columns
    assert (foots.total, foots.rounding) == (Decimal("0.00"), None)
    assert (exact.total, exact.rounding) == (Decimal("0.015"), Decimal("-0.02"))
    assert balance.balanced


def test_order_is_stable_and_blanks_come_last() -> None:
    records = [
        {"k": k, "n": n} for n, k in enumerate(["b", None, "a", 10, 2, "a", "", Decimal("2.5")])
    ]
    layout: dict[str, Any] = {"columns": [{"K": "k"}, {"N": "n"}], "sort": "K"}
    assert [row[1] for row in table(layout, records)[0]] == [4, 7, 3, 2, 5, 0, 1, 6]
    layout["sort"] = "K desc"
    assert [row[1] for row in table(layout, records)[0]] == [0, 2, 5, 3, 7, 4, 1, 6]
    layout["sort"] = "k nulls first"
    assert [row[1] for row in table(layout, records)[0]] == [1, 6, 4, 7, 3, 2, 5, 0]


def test_a_summary_without_groups_is_the_grand_total() -> None:
    layout = {"row-per": "lines", "columns": [{"Q": {"value": "lines.qty", "total": "sum"}}]}
    rows, balance = table({**layout, "totals": {"detail": "no"}}, RECORDS)
    assert rows == [(9,)]
    assert balance.balanced
    assert balance.rows == 0


def test_an_exact_quotient_and_a_division_by_zero() -> None:
    columns = [{"A": "1 / n"}, {"B": {"value": "7 / n", "decimals": 2}}, {"C": "n / 4 || ' m'"}]
    rows, balance = table({"columns": columns}, [{"n": 3}, {"n": 0}, {"n": "8"}])
    assert str(rows[0][0]) == "0.3333333333333333333333333333333333"
    assert rows[0][1:] == (Decimal("2.33"), "0.75 m")
    assert rows[1] == (None, None, "0 m")
    assert rows[2] == (Decimal("0.125"), Decimal("0.88"), "2 m")
    assert [fault.reason for fault in balance.faults] == ["a division by zero"] * 2


def test_conditions_on_side_levels_and_with_aggregates() -> None:
    records: list[Any] = [
        {
            "no": 1,
            "i": {"pay": [{"a": 1, "m": "c"}, {"a": 7, "m": "t"}]},
            "lines": [{"q": 1}, {"q": 5}],
        },
        {"no": 2, "i": {"pay": {"a": 4, "m": "c"}}, "lines": {"q": 2}},
        {"no": 3},
    ]  # fmt: skip
    columns = [
        {"No": "no"},
        {"Paid": {"value": "sum(i.pay.a)", "total": "sum"}},
        {"How": "i.pay.m"},
    ]
    cash = {"keep": "i.pay", "when": "i.pay.m = 'c'"}
    rows, balance = table({"columns": columns, "only": [cash]}, records)
    assert rows == [(1, 1, "c"), (2, 4, "c"), (3, None, None), ("Grand total", 5, None)]
    judged = balance.conditions[0]
    assert (judged.level, judged.tested, judged.passed, judged.filtered_out) == ("i.pay", 3, 2, 1)
    # the deeper condition first: record 1 has 5 left, which is not more than 5
    rows, balance = table(
        {
            "row-per": "lines",
            "columns": [{"No": "no"}, {"Q": {"value": "lines.q", "total": "sum"}}],
            "only": ["lines.q > 1", "sum(lines.q) <= 5", "any(i.pay.m = 'c')"],
        },
        records,
    )
    assert rows == [(1, 5), (2, 2), ("Grand total", 7)]
    assert balance.balanced
    rows, _ = table(
        {
            "row-per": "lines",
            "columns": [
                {"No": "no"},
                {"Share": {"value": "lines.q / sum(lines.q)", "decimals": 2}},
            ],
            "only": ["lines.q = max(lines.q)"],
        },
        records,
    )
    assert rows == [(1, Decimal("1.00")), (2, Decimal("1.00"))]


def test_a_row_for_each_group() -> None:
    records: list[Any] = [
        {"no": 1, "st": "N", "fee": 2,
         "lines": [{"p": "a", "q": 1}, {"p": "b", "q": 5}, {"p": "a", "q": 2}],
         "pay": [{"a": 1, "m": "c"}, {"a": 7, "m": "t"}]},
        {"no": 2, "st": "S", "fee": 3, "lines": {"p": "a", "q": 2}, "pay": []},
        {"no": 3, "st": "N", "fee": 4, "pay": {"a": 4, "m": "c"}},
    ]  # fmt: skip
    values = {
        "N": "count(no)",
        "Q": "sum(lines.q)",
        "Fee": "sum(fee)",
        "Paid": "avg(pay.a)",
        "Mean": "avg(count(lines))",
        "Parts": "listagg(distinct lines.p, '/')",
        "Cash": "any(pay.m = 'c')",
        "Least": "min(lines.q)",
        "First": "first(lines.p)",
        "Twice": '"Q" * 2',
        "D": "count(distinct lines.p)",
    }
    columns = [{"St": "st"}, *({name: {"value": v, "total": "sum"}} for name, v in values.items())]
    rows, balance = table({"row-per-group": ["St"], "columns": columns}, records)
    third = Decimal("1.333333333333333333333333333333333")
    assert rows == [
        ("N", 2, 8, 6, 4, Decimal("1.5"), "a/b", True, 1, "a", 16, 2),
        ("S", 1, 2, 3, None, 1, "a", False, 2, "a", 4, 1),
        ("Grand total", 3, 10, 9, 4, third, "a/b", True, 1, "a", 20, 2),
    ]
    assert balance.balanced
    # by part: requisition 1 has both parts, so its fee is with each, and once in all
    columns = [
        {"Part": "lines.p"},
        *({v: {"value": v, "total": "sum"}} for v in ("sum(fee)", "sum(lines.q)", "count(lines)")),
    ]
    layout = {"columns": columns, "only": "lines.p is not null", "sort": "sum(lines.q)"}
    rows, balance = table({**layout, "row-per-group": ["Part"]}, records)
    assert rows == [("a", 5, 5, 3), ("b", 2, 5, 1), ("Grand total", 5, 10, 4)]
    assert balance.columns[0].overlap == 2
    assert balance.balanced


LONG: dict[str, dict[str, Any]] = {
    "detail": {"group": ["g"]},
    "before": {"group": ["g"], "totals": {"subtotals": "before"}},
    "groups": {"group": ["g"], "totals": {"detail": "no"}},
    "all": {"totals": {"detail": "no"}},
    "taken": {"take": {"first": 2, "of": "rows"}, "sort": ["n desc"]},
}


@pytest.mark.parametrize("shape", LONG)
@given(hundredths=st.lists(st.integers(-(10**60), 10**60), min_size=1, max_size=6))
def test_a_sum_is_exact_however_long(shape: str, hundredths: list[int]) -> None:
    records = [
        {"n": at, "g": at % 2, "a": Decimal(f"{one}e-2")} for at, one in enumerate(hundredths)
    ]
    columns = [{"G": "g"}, {"A": {"value": "a", "total": "sum"}}]
    rows, balance = table({"columns": columns, **LONG[shape]}, records)
    sums = {g: Decimal(f"{sum(hundredths[g::2])}e-2") for g in (0, 1)}
    whole = Decimal(f"{sum(hundredths)}e-2")
    places = [at for at, row in enumerate(rows) if str(row[0]) == "Grand total"]
    shown = sum(hundredths[-2:]) if shape == "taken" else sum(hundredths)
    assert [rows[at][1] for at in places] == [Decimal(f"{shown}e-2")]
    if "group" in LONG[shape]:
        of_groups = {str(row[0]): row[1] for row in rows if row[0] != "Grand total"}
        for g, expected in sums.items():
            if g < len(hundredths):
                name = str(g) if shape == "groups" else f"Total {g}"
                assert of_groups[name] == expected
    assert balance.columns[0].source == whole
    assert balance.balanced


@given(hundredths=st.lists(st.integers(-(10**60), 10**60), min_size=1, max_size=6))
def test_a_sum_of_groups_is_exact_however_long(hundredths: list[int]) -> None:
    records = [{"g": at % 2, "a": Decimal(f"{one}e-2")} for at, one in enumerate(hundredths)]
    values = ("sum(a)", "sum(a) + 0.01 * count(a)")
    columns = [{"G": "g"}, *({value: {"value": value, "total": "sum"}} for value in values)]
    rows, balance = table({"row-per-group": ["G"], "columns": columns}, records)
    parts = {g: part for g in (0, 1) if (part := hundredths[g::2])}
    for name, part in {**parts, "Grand total": hundredths}.items():
        cells = next(row[1:] for row in rows if row[0] == name)
        assert cells == (Decimal(f"{sum(part)}e-2"), Decimal(f"{sum(part) + len(part)}e-2"))
    assert balance.balanced
