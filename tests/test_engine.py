"""The engine on its own: shapes, kinds of value, groups and their rows, generated source."""

from __future__ import annotations

import datetime as dt
import io
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger.reports.balance_notes import notes_of
from flatledger.run.pipeline import Run
from flatledger.sources import open_source
from flatledger.values import functions, times
from flatledger.values.literals import Interval
from flatledger.values.numbers import (
    Unreadable,
    ValueFaultError,
    plain,
    read_decimal,
    read_fraction,
)
from tests.conftest import settled, table

LINES: list[Any] = [
    {"no": 1, "st": "N", "fee": 1, "lines": [{"p": "a", "q": 2}, {"p": "b", "q": 3}]},
    {"no": 2, "st": "S", "fee": 5, "lines": [{"p": "a", "q": 4}]},
    {"no": 3, "st": "N", "fee": 7, "lines": {"p": "a", "q": 1}},
]
COLUMNS: list[Any] = [
    {"St": "st"},
    {"P": "lines.p"},
    {"No": "no"},
    {"Q": {"value": "lines.q", "total": "sum"}},
    {"Fee": {"value": "fee", "total": "sum"}},
]


def layout(**keys: Any) -> dict[str, Any]:
    return {"row-per": "lines", "columns": COLUMNS, **keys}


# ---- groups ----------------------------------------------------------------------------------


def test_subtotals_after_two_depths_of_groups() -> None:
    rows, balance = table(layout(group=["St", "P"], sort=["No desc"]), LINES)
    assert rows == [
        ("N", "a", 3, 1, 7),
        ("N", "a", 1, 2, 1),
        ("N", "Total a", None, 3, 8),
        ("N", "b", 1, 3, 1),
        ("N", "Total b", None, 3, 1),
        ("Total N", None, None, 6, 8),
        ("S", "a", 2, 4, 5),
        ("S", "Total a", None, 4, 5),
        ("Total S", None, None, 4, 5),
        ("Grand total", None, None, 10, 13),
    ]
    fee = balance.columns[1]
    assert (fee.source, fee.written, fee.total, fee.overlap) == (13, 13, 13, 1)
    assert fee.straight == sum(row[4] for row in rows)
    assert (balance.rows, balance.total_rows, balance.groups) == (4, 6, 3)


def test_subtotals_before_and_none() -> None:
    totals = {"subtotals": "before", "label": "{group} in all", "grand-label": "Everything"}
    rows, _ = table(layout(group="St", totals=totals), LINES)
    assert [row[0] for row in rows] == ["Everything", "N in all", "N", "N", "N", "S in all", "S"]
    assert rows[1] == ("N in all", None, None, 6, 8)
    rows, _ = table(layout(group="St", totals={"subtotals": "none", "grand-total": "no"}), LINES)
    assert [row[0] for row in rows] == ["N", "N", "N", "S"]


def test_a_summary_keeps_outer_groups_together_and_says_what_differs() -> None:
    keys = layout(group=["St", "P"], totals={"detail": "no"}, sort=["Q desc"])
    rows, balance = table(keys, LINES)
    assert rows == [
        ("N", "a", 1, 3, 8),
        ("N", "b", 1, 3, 1),
        ("Total N", None, None, 6, 8),
        ("S", "a", 2, 4, 5),
        ("Total S", None, None, 4, 5),
        ("Grand total", None, None, 10, 13),
    ]
    assert notes_of(balance) == [
        "Note: column No differs within 1 of 3 groups; the value met first was taken"
    ]
    rows, _ = table(layout(group="St", totals={"detail": "no"}, sort=["Q"]), LINES)
    assert [row[0] for row in rows] == ["S", "N", "Grand total"]


def test_groups_and_orders_by_what_is_not_written() -> None:
    columns = [
        *COLUMNS[3:],
        {"Hidden": {"value": "no * 2", "suppress-output": "yes", "total": "sum"}},
    ]
    keys = {
        "row-per": "lines",
        "columns": columns,
        "group": ["st"],
        "sort": ["Hidden desc", "lines.q"],
    }
    rows, balance = table(keys, LINES)
    assert rows == [(1, 7), (2, 1), (3, 1), (6, 8), (4, 5), (4, 5), (10, 13)]
    assert [column.heading for column in balance.columns] == ["Q", "Fee", "Hidden"]
    assert balance.balanced


def test_without_entries() -> None:
    records = [*LINES, {"no": 4, "st": "N", "fee": 9}, {"no": 5, "st": "S", "fee": 2, "lines": []}]
    kept, balance = table(layout(sort="No"), records)
    assert [(row[2], row[3]) for row in kept[-3:-1]] == [(4, None), (5, None)]
    assert kept[-1] == ("Grand total", None, None, 10, 24)
    dropped, balance = table(layout(**{"without-entries": "drop"}), records)
    assert dropped[-1] == ("Grand total", None, None, 10, 13)
    assert (balance.dropped, balance.remaining) == (2, 3)
    assert balance.balanced


# ---- shapes and kinds ------------------------------------------------------------------------


def test_odd_shapes_are_faults_or_taken_as_they_are() -> None:
    records = [
        {"st": {"name": "N"}, "b": True, "l": [1, [2, 3], None]},
        {"st": "text", "b": "yes", "l": 7},
        {"st": [{"name": "A"}, {"name": "B"}], "b": None, "l": {"x": 1, "y": "z"}},
        {"st": None, "b": 0.5, "l": []},
    ]
    columns = [{"Name": "st.name"}, {"B": "b"}, {"L": {"value": "l", "separator": "-"}}]
    rows, _ = table({"columns": columns}, records)
    assert rows == [
        ("N", True, "1-2-3"),
        (None, "yes", 7),
        ("A; B", None, "1, z"),
        (None, Decimal("0.5"), None),
    ]
    rows, _ = table({"columns": [{"Whole": "st"}, *columns]}, records)
    assert [row[0] for row in rows] == ["N", "text", "A; B", None]
    # without the list, the station is a single object and a text in its place a fault
    rows, balance = table({"columns": columns}, [records[0], records[1], records[3]])
    assert [row[0] for row in rows] == ["N", None, None]
    assert [str(fault) for fault in balance.faults] == [
        "record 2, st: fields were expected here: text"
    ]


def test_whole_levels_and_their_fields_together() -> None:
    columns = [{"All": "lines"}, {"P": "lines.p"}, {"First": "lines[0].p"}, {"Any": "$..q"}]
    rows, balance = table({"row-per": "lines", "columns": columns}, LINES[:1])
    assert rows == [("a, 2", "a", "a", "2; 3"), ("b, 3", "b", "a", "2; 3")]
    assert balance.balanced


def test_a_level_of_plain_values() -> None:
    columns = [{"No": "no"}, {"Tag": "tags"}, {"Place": "ordinal(tags)"}, {"All": "count(tags)"}]
    records = [{"no": 1, "tags": ["a", None, "b"]}, {"no": 2, "tags": "c"}, {"no": 3}]
    rows, _ = table({"row-per": "tags", "columns": columns}, records)
    assert rows == [(1, "a", 1, 2), (1, "b", 3, 2), (2, "c", 1, 1), (3, None, None, 0)]


def test_levels_below_single_objects() -> None:
    records = [{"o": {"i": {"lines": [{"q": 1}, {"q": 2}]}, "fee": 3}}, {"o": None}]
    columns = [
        {"Q": {"value": "o.i.lines.q", "total": "sum"}},
        {"F": {"value": "o.fee", "total": "sum"}},
    ]
    rows, balance = table({"row-per": "o.i.lines", "columns": columns}, records)
    assert rows == [(1, 3), (2, 3), (None, None), (3, 3)]
    assert balance.columns[1].home == "record"


def test_generated_source_reads_as_what_is_done() -> None:
    keys = layout(only=["lines.q > 1"])
    run = Run(settled(keys), open_source(LINES))
    source = run.stepper.program.source
    for line in (
        "for entry_1, ordinal_1 in zip(entries_1, ordinals_1):",
        "entry_1.f_q",
        "def control_sums(records, numbers, kept, ",
    ):
        assert line in source
    assert max(len(line) for line in source.splitlines()) < 200


def test_a_caller_s_own_decimal_context_is_not_touched() -> None:
    import decimal

    before = decimal.getcontext().copy()
    rows = flatledger.table(flatledger.Layout.from_data(layout(group="St")), LINES)
    next(rows)
    assert decimal.getcontext().prec == before.prec
    list(rows)
    assert decimal.getcontext().prec == before.prec


def test_large_and_small_numbers_add_up_exactly() -> None:
    numbers = ("1e100", "1e-100", "-1e100", "0.1", "0.2")
    source = "\n".join(f'{{"n": {number}}}' for number in numbers).encode()
    keys = {"columns": [{"N": {"value": "n", "total": "sum"}}]}
    rows = list(flatledger.table(keys, io.BytesIO(source)).rows(totals=True))
    assert str(rows[-1][0]) == "0.3" + "0" * 98 + "1"


# ---- numbers and times -----------------------------------------------------------------------


@given(st.decimals(allow_nan=False, allow_infinity=False, min_value=-(10**12), max_value=10**12))
def test_a_plain_number_has_no_exponent_and_the_same_value(number: Decimal) -> None:
    text = str(plain(number))
    assert "E" not in text
    assert Decimal(text) == number
    assert read_decimal(text) == number


@given(
    st.from_regex(
        r"-?(0|[1-9][0-9]{0,32})(\.[0-9]{1,9}0{0,30})?([eE][+-]?[0-9]{1,4})?", fullmatch=True
    )
)
def test_numbers_read_quickly_are_those_read_with_care(text: str) -> None:
    quickly, carefully = read_fraction(text), read_decimal(text)
    if carefully is None:
        assert isinstance(quickly, Unreadable)
    else:
        assert quickly.__class__ is carefully.__class__
        assert (str(quickly), repr(quickly)) == (str(carefully), repr(carefully))


@given(st.dates(dt.date(1900, 1, 1), dt.date(2100, 1, 1)), st.integers(-500, 500))
def test_months_there_and_back(day: dt.date, months: int) -> None:
    interval = Interval(months, dt.timedelta(0))
    moved = times.calculate(day, "+", interval)
    assert (moved.year * 12 + moved.month) - (day.year * 12 + day.month) == months
    assert moved.day == day.day or (moved + dt.timedelta(days=1)).day == 1
    if day.day <= 28:
        assert times.calculate(moved, "-", interval) == day


@given(st.integers(0, 10**6), st.integers(0, 10**9))
def test_an_interval_survives_its_text(months: int, microseconds: int) -> None:
    interval = Interval(months, dt.timedelta(microseconds=microseconds))
    assert times.as_interval(str(interval)) == interval


@pytest.mark.parametrize(
    ("value", "wanted", "hours"),
    [
        ("1 wk", "hours", 40),
        ("2 d 30 min", "hours", Decimal("16.5")),
        ("PT90M", "hours", Decimal("1.5")),
        ("1,5 h", "min", 90),
        (7, "days", Decimal("0.875")),
        ("-PT8H", "days", -1),
        ("P1W", "d", 5),
    ],
)
def test_working_time(value: Any, wanted: str, hours: Any) -> None:
    assert times.working_time(value, wanted) == hours


@given(st.integers(0, 100_000))
def test_minutes_and_hours_convert_exactly(minutes: int) -> None:
    text = f"PT{minutes // 60}H{minutes % 60}M"
    assert times.working_time(text, "minutes") == minutes
    assert times.working_time(text, "seconds") == 60 * minutes
    assert times.working_time(minutes * 480, "days", "minutes") == minutes


@pytest.mark.parametrize("value", ["P1M", "3 moons", "days", "P", "PT"])
def test_what_is_no_working_time(value: str) -> None:
    with pytest.raises(ValueFaultError):
        times.working_time(value, "hours")


@given(st.text(max_size=8), st.integers(-3, 9), st.integers(0, 9))
def test_a_substring_is_the_characters_at_its_places(text: str, start: int, length: int) -> None:
    places = [place for place in range(start, start + length) if 1 <= place <= len(text)]
    expected = "".join(text[place - 1] for place in places)
    assert functions.substring(text, start, length) == (expected if expected.strip() else None)


@given(st.integers(-999, 999), st.integers(-99, 99).filter(bool))
def test_the_remainder_has_the_sign_of_the_number(number: int, divisor: int) -> None:
    remainder = functions.mod(number, divisor)
    assert abs(remainder) < abs(divisor)
    assert remainder == 0 or (remainder > 0) == (number > 0)
    assert (number - remainder) % divisor == 0


MAPPINGS: list[Any] = [
    {"no": 1, "names": {"en": "x", "cy": "y"}},
    {"no": 2, "names": {}},
    {"no": 4, "names": "odd", "k": {"m": {"a": 5}}},
    {"no": 5, "k": [{"m": {"a": {"q": 2, "r": [1, 2]}, "b": {"q": 3}}}, {"m": {"c": {"q": 4}}}]},
]


def test_a_row_can_stand_for_a_member_of_a_mapping() -> None:
    columns = [
        {"No": "no"},
        {"Key": "key(names.*)"},
        {"Name": "names.*"},
        {"O": "ordinal(names.*)"},
    ]
    rows, balance = table({"row-per": "names.*", "columns": columns}, MAPPINGS[:3])
    assert rows == [
        (1, "en", "x", 1),
        (1, "cy", "y", 2),
        (2, None, None, None),
        (4, None, None, None),
    ]
    assert (balance.balanced, balance.fault_count) == (True, 1)
    layout = {
        "row-per": "k.m.*",
        "columns": [
            {"No": {"value": "no", "total": "sum"}},
            {"Key": "key(k.m.*)"},
            {"Quantity": {"value": "k.m.*.q", "total": "sum"}},
            {"All": "listagg(k.m.*.r, '/')"},
        ],
        "only": ["key(k.m.*) <> 'c'"],
    }
    rows, balance = table(layout, MAPPINGS)
    assert rows == [
        (4, "a", None, None),
        *((5, "a", 2, "1/2"), (5, "b", 3, None), (9, "Grand total", 5, None)),
    ]
    assert balance.balanced
    rows, _ = table({**layout, "row-per": "k.m.*.r", "columns": [{"R": "k.m.*.r"}]}, MAPPINGS[3:])
    assert rows == [(1,), (2,), (None,)]


def test_a_level_that_no_record_could_have_shown_is_no_slip() -> None:
    deep = {"row-per": "lines.lots", "columns": [{"No": "no"}, {"Lot": "lines.lots.no"}]}
    for records in ([], [{"no": 1, "lines": []}], [{"no": 1, "lines": [None]}]):
        rows, balance = table(deep, records)
        assert rows == [(1, None)] * len(records)
        assert balance.balanced
    rows, balance = table(deep, [{"no": 1, "lines": [{"no": 2}]}])
    assert rows == [(1, None)]
    assert balance.notices[0].startswith("no record has lines.lots (if that is right")
