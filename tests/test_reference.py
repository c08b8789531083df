"""Any layout over any records, held against what it means by definition."""

from __future__ import annotations

import decimal
import io
import random
from decimal import Decimal
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.compile.functions import program
from flatledger.plan.making import make_plan
from flatledger.reference import exact
from flatledger.reference.definition import defined_for
from flatledger.reference.reading import Reading
from flatledger.run.checking import CheckedSteps
from flatledger.run.checks import Checks, ChecksOfAll
from flatledger.run.decoding import convert
from flatledger.run.protocols import Batch
from flatledger.run.results import Checked
from flatledger.run.sample import Sample
from flatledger.run.step import Stepper
from flatledger.structure.structure import observe
from flatledger.values.faults import Fault
from flatledger.values.functions import text_of
from flatledger.values.numbers import EXACT, plain
from tests.by_definition import check_groups, check_rows, check_table
from tests.conftest import TODAY, settled, table


@settings(max_examples=150)
@given(st.randoms(use_true_random=False))
def test_rows_verdicts_and_faults_of_a_record(seed: random.Random) -> None:
    check_rows(seed)


@settings(max_examples=120)
@given(st.randoms(use_true_random=False))
def test_a_table_with_its_order_groups_and_totals(seed: random.Random) -> None:
    check_table(seed)


@settings(max_examples=120)
@given(st.randoms(use_true_random=False))
def test_a_table_of_groups(seed: random.Random) -> None:
    check_groups(seed)


LINES = [
    {
        "site": "N",
        "lines": [
            {"p": "a", "opts": [{"k": "a", "v": 3}, {"k": "b", "v": 9}], "lots": [{"w": 1}]},
            {"p": "a", "opts": [{"k": "a", "v": 8}], "lots": [{"w": 4}, {"w": 5}]},
        ],
    }
]
TREE = [
    {
        "site": "N",
        "parts": [
            {"cost": 3, "tests": [{"r": 5}, {"r": 6}], "parts": [{"cost": 1}, {"cost": 2}]},
            {"cost": 4, "tests": [{"r": 1}]},
        ],
    }
]
CHOSEN = "lines.opts[?@.k == 'a'].v"


@pytest.mark.parametrize(
    ("layout", "records", "expected"),
    [
        ({"row-per": "lines", "columns": [{"A": f"sum({CHOSEN})"}]}, LINES, [(3,), (8,)]),
        (
            {
                "row-per-group": ["lines.p"],
                "columns": [{"A": f"count({CHOSEN})"}, {"B": f"avg({CHOSEN})"}],
            },
            LINES,
            [(2, Decimal("5.5"))],
        ),
        # a plain name after an index goes to all entries
        ({"columns": [{"A": "lines[-1].lots.w"}]}, LINES, [("4; 5",)]),
        ({"columns": [{"A": "sum(lines[-1].lots.w)"}]}, LINES, [(9,)]),
        ({"columns": [{"A": "lines.lots[0].w"}]}, LINES, [("1; 4",)]),
        (
            {
                "row-per-group": ["lines.p"],
                "columns": [{"A": "count(lines.lots)"}],
                "only": [{"keep": "lines.lots", "when": "lines.lots.w > 1"}],
            },
            LINES,
            [(2,)],
        ),
        # trees that nothing names but the function
        ({"row-per-group": ["depth()"], "columns": [{"D": "depth()"}]}, TREE, [(1,), (2,)]),
        ({"row-per-group": ["site"], "columns": [{"D": "max(depth())"}]}, TREE, [(2,)]),
        ({"row-per-group": ["site"], "columns": [{"C": "sum(parts.cost)"}]}, TREE, [(7,)]),
        # counts of what nodes have are over all nodes, sums over the leaves
        (
            {
                "row-per": "parts",
                "columns": [
                    {"T": {"value": "count(parts.tests)", "total": "sum"}},
                    {"R": {"value": "sum(parts.tests.r)", "total": "sum"}},
                    {"All": {"value": "sum(parts.tests.r)", "total": {"sum": "all"}}},
                ],
                "totals": {"grand-label": "all"},
                "take": {"first": 1, "of": "records"},
            },
            TREE,
            [(2, 11, 11), (0, None, None), (0, None, None), (1, 1, 1), (3, 1, 12)],
        ),
        ({"columns": [{"A": "cast(1 as varchar)"}]}, [{}], [("1",)]),
        # a value beside the row that crosses one of its levels
        (
            {
                "row-per": "lines",
                "columns": [{"Q": "lines.q"}, {"N": "count(names.*)"}],
                "only": [{"keep": "names.*", "when": "names.* = lines.q"}],
                "without-entries": "keep",
            },
            [{"lines": [{"q": 2}], "names": {"cy": 2, "en": 3}}],
            [(2, 1)],
        ),
        # an entry is none of a level whose fields are read, for whoever asks
        (
            {"columns": [{"A": "sum(ln.v)"}, {"N": "count(ln)"}]},
            [{"ln": [{"v": 1}, {"v": 2}]}, {"ln": 5}],
            [(3, 2), (None, 0)],
        ),
        # conditions of one level judge the same entries, and see each other's levels in full
        (
            {
                "columns": [{"N": "count(pays)"}],
                "only": [
                    {"keep": "pays", "when": "pays.m > 1"},
                    {"keep": "pays", "when": "pays.m < sum(fees.f)"},
                    {"keep": "fees", "when": "fees.f < 0"},
                ],
            },
            [{"pays": [{"m": 1}, {"m": 2}, {"m": 9}], "fees": [{"f": 3}, {"f": 4}]}],
            [(1,)],
        ),
        # equal values that are not written alike are told apart where groups overlap, too
        (
            {
                "row-per-group": ["lines.p"],
                "columns": [{"P": "lines.p"}, {"F": "sum(fee)"}],
            },
            [{"fee": 5, "lines": [{"p": True}, {"p": 1}]}],
            [(True, 5), (1, 5)],
        ),
    ],
)
def test_what_the_second_reading_found(layout: Any, records: Any, expected: Any) -> None:
    rows, balance = table(layout, records)
    assert rows == expected
    assert balance.balanced, balance.wrong


def test_a_sum_of_what_inner_nodes_have_is_pointed_out() -> None:
    columns = [{"R": {"value": "sum(parts.tests.r)", "total": "sum"}}]
    _, balance = table({"row-per": "parts", "columns": columns}, TREE)
    (notice,) = balance.notices
    assert "1 node has entries of their own above them, which add up to 11" in notice
    assert "`total: {sum: all}`" in notice


def test_a_lone_sum_shows_what_the_table_holds() -> None:
    column = {"value": "sum(q)", "decimals": 0, "total": "sum"}
    layout = {"row-per-group": ["site"], "columns": [{"Site": "site"}, {"Q": column}]}
    rows, balance = table(layout, [{"site": site, "q": Decimal("2.5")} for site in "abc"])
    assert rows[-1] == ("Grand total", Decimal(6))
    (found,) = balance.columns
    assert (found.source, found.written, found.rounding) == (Decimal("7.5"), 6, Decimal("-1.5"))
    assert balance.balanced


# ---- arithmetic of its own

numbers = st.integers(-(10**20), 10**20) | st.decimals(
    allow_nan=False, allow_infinity=False, places=6
)


@given(numbers, numbers, st.integers(0, 8))
@example(Decimal("-0.0"), 1, 0)
@example(Decimal("2.5"), Decimal("1E+3"), 0)
def test_arithmetic_is_that_of_the_decimals(one: Any, other: Any, decimals: int) -> None:
    with decimal.localcontext(EXACT):
        for own, theirs in (
            (exact.added(one, other), one + other),
            (exact.added(one, other, -1), one - other),
            (exact.multiplied(one, other), one * other),
        ):
            assert own == theirs
            assert text_of(own).lstrip("-") == text_of(theirs).lstrip("-")
        unit = Decimal(1).scaleb(-decimals)
        for rounding in ("ROUND_HALF_EVEN", "ROUND_HALF_UP", "ROUND_FLOOR", "ROUND_05UP"):
            expected = Decimal(one).quantize(unit, rounding)
            assert exact.rounded(one, decimals, rounding) == expected
        if other:
            quotient = plain(decimal.Context(prec=34).divide(Decimal(one), Decimal(other)))
            assert text_of(exact.divided(one, other)) == text_of(quotient)


# ---- every run

REQUISITION = {"no": "R-1", "lines": [{"qty": 2, "price": Decimal("1.125")}, {"qty": 3}]}
LAYOUT: dict[str, Any] = {
    "row-per": "lines",
    "columns": [
        {"No": "no"},
        {"Amount": {"value": "lines.qty * lines.price", "decimals": 2, "total": "sum"}},
    ],
    "only": ["lines.qty > 1"],
}


@pytest.mark.parametrize(
    ("former", "broken", "told"),
    [
        (" * ", " * 2 * ", "record 1, Amount: the table has 4.50, and by definition it is 2.25"),
        (
            ".quantize(unit_",
            ".quantize(Decimal('0.1')).quantize(unit_",  # a digit less
            "record 1, Amount: the table has 2.20, and by definition it is 2.25",
        ),
        (" > 1", " > 9", "record 1 was filtered out, and by definition it is let through"),
    ],
)
def test_code_that_is_wrong_on_both_sides_does_not_balance(
    former: str, broken: str, told: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    original = program._compiled

    def compiled(source: str, name: str) -> Any:
        assert former in source
        return original(source.replace(former, broken), name)

    monkeypatch.setattr(program, "_compiled", compiled)
    _, balance = table(LAYOUT, [REQUISITION])
    assert all(column.balanced for column in balance.columns)  # both sides say the same
    assert balance.records_agree
    assert not balance.balanced
    assert told in balance.wrong


def test_what_fails_in_the_second_reading_is_a_difference(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Reading, "rows", lambda *_: 1 / 0)
    _, balance = table(LAYOUT, [REQUISITION])
    assert not balance.balanced
    assert balance.wrong[0].startswith("record 1 can't be read by definition (ZeroDivisionError")


@given(st.lists(st.integers(1, 400), max_size=12), st.randoms(use_true_random=False))
@settings(max_examples=25)
def test_the_same_records_are_looked_at_however_they_are_cut(
    cuts: list[int], seed: random.Random
) -> None:
    records = [
        {"no": seed.choice(["x", "x", 1, None, [2]]) if at > 60 else "x", "lines": [{"qty": at}]}
        for at in range(400)
    ]
    layout = {
        "levels": ["lines"],
        "row-per": "lines",
        "columns": [{"No": "no"}, {"Q": "lines.qty"}],
    }
    plan = make_plan(settled(layout), observe(records[:60]), TODAY)
    whole, parts = [0, 400], sorted({0, 400, *cuts})
    found = []
    for bounds in (whole, parts):
        checks = Checks()
        steps = CheckedSteps(Stepper(plan), plan, defined_for(plan.layout))
        for start, end in pairwise(bounds):
            batch = Batch(records[start:end], range(start + 1, end + 1), [])
            for result in steps.of(convert(batch, plan.record_types.record_type)):
                checks.add(result.checked)
        found.append(checks.within_limits())
    assert found[0] == found[1]
    assert [one.number for one in found[0]][:50] == list(range(1, 51))
    assert not any(one.told for one in found[0])


def test_what_is_told_of_a_whole_batch_is_told_once_however_it_is_cut() -> None:
    records = [{"no": at} for at in range(1_000)]
    plan = make_plan(settled({"columns": [{"No": "no"}]}), observe(records), TODAY)
    fault = Fault(7, "no", "x", "is odd")
    batch = Batch(records, range(1, 1_001), [fault], lambda: records[-1:])
    parts = [part for part, _ in Sample(plan, everything=False).parts(batch)]
    assert len(parts) > 3
    assert [fault for part in parts for fault in part.faults] == [fault]
    assert [one for part in parts for one in part.specimens()] == records[-1:]
    assert [number for part in parts for number in part.numbers] == [*range(1, 1_001)]


def test_of_all_records_the_counts_are_kept_and_what_is_told_first() -> None:
    parts = [ChecksOfAll(), ChecksOfAll()]
    for part, start in zip(parts, (1, 61), strict=True):
        part.add([Checked(start + at, 2, None, (f"record {start + at}",)) for at in range(60)])
    parts[0].merge(parts[1])
    whole = parts[0].summary()
    assert (whole.records, whole.cells, whole.differences) == (120, 240, 120)
    assert whole.told == [f"record {number}" for number in range(1, 21)]
    assert not parts[0].found  # memory does not grow with the records


def test_faults_come_in_the_order_of_their_records() -> None:
    """Whatever is cut out of a batch for the sample, and where its unreadable records are."""
    lines = [f'{{"no": {n}, "q": "{"few" if n % 3 else n}"}}' for n in range(1, 4_001)]
    for place in (60, 249, 2_555, 3_990):
        lines[place] = '{"no": nope}'
    layout = {"columns": [{"No": "no"}, {"Q": "q + 1"}]}
    stream = io.BytesIO("\n".join(lines).encode())
    faults = flatledger.export(layout, stream, io.BytesIO()).faults
    numbers = [one.record for one in faults]
    assert {61, 250, 2_556, 3_991} < {*numbers}
    assert numbers == sorted(numbers)
