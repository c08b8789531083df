"""What must hold for any records: totals, groups, and the file read back."""

from __future__ import annotations

import csv
import io
from collections import defaultdict
from decimal import Decimal
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

import flatledger
from tests.conftest import table

amounts = st.decimals(min_value=-1000, max_value=1000, places=2, allow_nan=False)
maybe_amount = st.one_of(st.none(), amounts, st.integers(-50, 50), amounts.map(str), st.just("odd"))
line = st.fixed_dictionaries({"part": st.sampled_from("abc"), "qty": st.integers(0, 9)})
lines = st.one_of(st.none(), line, st.lists(line, max_size=4))
record = st.fixed_dictionaries(
    {"station": st.sampled_from(["N", "S", None])},
    optional={"carriage": maybe_amount, "lines": lines},
)
records = st.lists(record, max_size=12)
CARRIAGE = {"Carriage": {"value": "carriage", "total": "sum"}}


def number(value: Any) -> Decimal:
    return Decimal(0) if value in (None, "odd") else Decimal(value)


def entries(record: dict[str, Any]) -> list[dict[str, Any]]:
    found = record.get("lines") or []
    return found if isinstance(found, list) else [found]


@given(records)
def test_an_amount_of_the_record_is_totalled_once_whatever_its_lines(records: list[Any]) -> None:
    layout: dict[str, Any] = {"row-per": "lines", "columns": [{"Part": "lines.part"}, CARRIAGE]}
    if not any("lines" in record for record in records):
        layout["row-per"] = "record"
        layout["columns"] = [CARRIAGE]
    layout["may-lack"] = ["carriage", "lines.part"]
    rows, balance = table(layout, records)
    expected = sum((number(r.get("carriage")) for r in records), Decimal(0))
    assert (rows[-1][-1] or 0) == expected
    assert balance.columns[0].source == balance.columns[0].written == expected
    assert balance.balanced
    assert balance.fault_count == sum(r.get("carriage") == "odd" for r in records)


@given(records, st.sampled_from(["after", "before"]), st.booleans())
def test_groups_agree_with_a_plain_count(records: list[Any], place: str, detail: bool) -> None:
    records.append({"station": "N", "lines": [{"part": "a", "qty": 1}]})
    layout = {
        "row-per": "lines",
        "without-entries": "drop",
        "columns": [
            {"Station": "station"},
            {"Part": "lines.part"},
            {"Quantity": {"value": "lines.qty", "total": "sum"}},
            CARRIAGE,
        ],
        "group": ["Station", "Part"],
        "totals": {"detail": detail, "subtotals": place, "label": "T {group}"},
    }
    rows, balance = table(layout, records)
    quantity: dict[Any, int] = defaultdict(int)
    carriage: dict[Any, Decimal] = defaultdict(Decimal)
    for item in records:
        for key in {(item["station"], entry["part"]) for entry in entries(item)}:
            carriage[key] += number(item.get("carriage"))
        for entry in entries(item):
            quantity[item["station"], entry["part"]] += entry["qty"]
    shown = {}
    for station, part, total, cost in rows:
        if detail and str(part).startswith("T "):
            shown[station, part[2:]] = (total, cost or 0)
        elif not detail and part is not None:
            shown[station, part] = (total, cost or 0)
    assert shown == {key: (quantity[key], carriage[key]) for key in quantity}
    assert balance.balanced
    assert balance.groups == len(quantity)
    assert balance.columns[0].total == sum(quantity.values())


@given(records)
def test_passed_filtered_out_and_unknown_make_up_what_was_tested(records: list[Any]) -> None:
    records.append({"station": "N", "lines": [{"part": "a", "qty": 1}]})
    layout = {
        "row-per": "lines",
        "columns": [{"Part": "lines.part"}],
        "only": ["lines.qty > 2", "lines.part in ('a', 'b')", "station <> 'S'"],
    }
    rows, balance = table(layout, records)
    kept = [
        entry["part"]
        for item in records
        if item["station"] == "N"
        for entry in entries(item)
        if entry["qty"] > 2 and entry["part"] in "ab"
    ]
    assert [row[0] for row in rows] == kept
    quantities, parts, station = balance.conditions
    assert quantities.tested == parts.tested == sum(len(entries(item)) for item in records)
    for count in (quantities, parts, station):
        assert count.passed + count.filtered_out + count.unknown == count.tested
    assert station.unknown == sum(item["station"] is None for item in records)
    assert balance.records_agree


text = st.text(
    st.one_of(st.sampled_from(";,|\t\"'\r\n é漢"), st.characters(exclude_categories=["Cs"])),
    max_size=8,
)


@given(
    st.lists(st.tuples(text, text), min_size=1, max_size=6),
    st.sampled_from([",", ";", "\t", "|", " ", "x", "§"]),
    st.sampled_from(["crlf", "lf"]),
    st.sampled_from(["needed", "all"]),
)
def test_a_file_read_back_gives_the_rows(
    cells: list[Any], delimiter: str, end: str, quote: str
) -> None:
    output = {"delimiter": delimiter, "line-terminator": end, "quote": quote, "header": False}
    output |= {"formula-guard": "no"}
    layout = flatledger.Layout.from_data(
        {
            "columns": [{"A": "a"}, {"B": "b"}, {"C": {"text": "None"}}, {"D": None}],
            "output": output,
        }
    )
    source = [{"a": a, "b": b} for a, b in cells]
    file = io.BytesIO()
    flatledger.export(layout, source, file)
    read = csv.reader(io.StringIO(file.getvalue().decode(), newline=""), delimiter=delimiter)
    given_rows = [tuple(cell or "" for cell in row) for row in flatledger.table(layout, source)]
    assert [tuple(row) for row in read] == given_rows
    blanks = " \t\r\n\f\v"
    assert [row[0] or "" for row in given_rows] == [a if a.strip(blanks) else "" for a, _ in cells]
