"""Columns made for keys, against plain loops: under each key what the value is over its entries."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from tests.conftest import table

number = st.none() | st.integers(0, 5)
key = st.sampled_from(["a", "b", 7, None, " "])
entry = st.fixed_dictionaries({}, optional={"k": key, "x": number})
records = st.lists(
    st.fixed_dictionaries(
        {
            "fee": st.integers(1, 5),
            "lines": st.lists(
                st.fixed_dictionaries({"q": st.integers(1, 5), "o": st.lists(entry, max_size=4)}),
                max_size=3,
            ),
        }
    ),
    max_size=4,
)
KEYS = ["a", "b", "7"]


def present(found: list[Any]) -> list[Any]:
    return [one["x"] for one in found if one.get("x") is not None]


def joined(found: list[Any]) -> Any:
    return "; ".join(map(str, present(found))) or None


VALUES: dict[str, Any] = {  # what each is over the entries of one key
    "sum(lines.o.x)": lambda found: sum(present(found)) if present(found) else None,
    "count(lines.o)": len,
    "count(lines.o.x)": lambda found: len(present(found)),
    "min(lines.o.x)": lambda found: min(present(found), default=None),
    "max(lines.o.x) * 2": lambda found: max(present(found)) * 2 if present(found) else None,
    "sum(distinct lines.o.x)": lambda found: sum(set(present(found))) if present(found) else None,
    "first(lines.o.x)": lambda found: next(iter(present(found)), None),
    "any(lines.o.x > 2)": lambda found: max(present(found), default=0) > 2,
    "listagg(lines.o.x, '; ')": joined,
    "lines.o.x": joined,
}


def under(entries: list[Any], wanted: str) -> list[Any]:
    return [one for one in entries if str(one.get("k")) == wanted]


def plain(cell: Any) -> Any:
    """A cell as a test compares it: `any` over what is null may be unknown or false."""
    return cell if cell is not False else None


@given(records, st.sampled_from(sorted(VALUES)), st.sampled_from(["record", "lines"]), st.data())
def test_under_each_key_stands_what_its_entries_give(
    source: list[Any], value: str, row: str, data: st.DataObject
) -> None:
    column: dict[str, Any] = {"columns-from": "lines.o", "named-by": "lines.o.k", "value": value}
    numeric = value.startswith(("sum", "count", "min", "max"))
    if numeric:
        column["total"] = "sum"
    layout = {
        "levels": ["lines", "lines.o"],
        "row-per": row,
        "columns": [{"Fee": "fee"}, {"{key}": {**column, "keys": KEYS}}],
    }
    rows, balance = table(layout, source)
    lines = [(record, record["lines"]) for record in source]
    if row == "lines":
        lines = [(r, [line]) for r in source for line in r["lines"] or [{"o": []}]]
    groups = [(record, [one for line in some for one in line["o"]]) for record, some in lines]
    body = rows[: len(groups)]
    # a record without lines has no row of its own at the lines' level: its cells are blank
    for cells, (record, entries) in zip(body, groups, strict=True):
        found = [VALUES[value](under(entries, name)) for name in KEYS]
        blank = row == "lines" and not record["lines"]
        expected = [None if blank else plain(one) for one in found]
        assert [record["fee"], *expected] == [cells[0], *map(plain, cells[1:])]
    assert balance.balanced
    assert balance.fault_count == 0
    keyless = [one for _, entries in groups for one in entries if str(one.get("k", " ")) in " None"]
    assert [one.entries for one in balance.keyless] == ([len(keyless)] if keyless else [])
    if keyless and value == "sum(lines.o.x)":
        assert balance.keyless[0].sums == [sum(present(keyless))]


@given(records, st.booleans())
def test_a_group_has_under_each_key_its_own_entries(source: list[Any], by_fee: bool) -> None:
    column = {"columns-from": "lines.o", "named-by": "lines.o.k", "keys": KEYS, "total": "sum"}
    values = {"sum": "sum(lines.o.x)", "count": "count(lines.o)"}
    layout = {
        "levels": ["lines", "lines.o"],
        "row-per-group": ["fee"],
        "columns": [{"Fee": "fee"}, {"{key}": {**column, "values": values}}],
        "sort": ["Fee"],
    }
    rows, balance = table(layout, source)
    assert balance.balanced
    for fee, cells in zip(sorted({one["fee"] for one in source}), rows, strict=False):
        entries = [
            one for r in source if r["fee"] == fee for line in r["lines"] for one in line["o"]
        ]
        found = [under(entries, name) for name in KEYS]
        expected = [x for one in found for x in (VALUES["sum(lines.o.x)"](one), len(one))]
        assert cells == (fee, *expected)


SHOWN = [
    {"fee": 5, "lines": [{"q": 2, "o": [{"k": "a"}, {"k": "a"}]}, {"q": 4, "o": [{"k": "a"}]}]},
    {"fee": 3, "lines": [{"q": 1, "o": [{"k": "b"}]}]},
]


def higher(value: str, row: str) -> dict[str, Any]:
    column = {"columns-from": "lines.o", "named-by": "lines.o.k", "value": value, "total": "sum"}
    return {"row-per": row, "columns": [{"No": "fee"}, {"{key}": {**column, "keys": ["a", "b"]}}]}


def test_a_value_of_a_higher_level_is_shown_under_each_key_met() -> None:
    assert table(higher("fee", "record"), SHOWN)[0] == [
        *((5, 5, None), (3, None, 3)),
        ("Grand total", 5, 3),
    ]
    assert table(higher("lines.q", "lines"), SHOWN)[0][-1] == ("Grand total", 6, 1)


def test_a_value_of_a_higher_level_is_totalled_once_under_each_key() -> None:
    rows, balance = table(higher("fee", "lines"), SHOWN)
    assert balance.balanced
    assert rows[-1] == ("Grand total", 5, 3)


@given(records, st.booleans(), st.sampled_from(["yes", "no"]))
def test_a_higher_value_is_in_each_group_and_total_once_under_each_key(
    source: list[Any], grouped: bool, detail: str
) -> None:
    layout = {
        **higher("fee", "lines"),
        "levels": ["lines", "lines.o"],
        "totals": {"detail": detail},
    }
    layout["columns"][0] = {"Q": "lines.q"}
    rows, balance = table({**layout, **({"group": ["Q"]} if grouped else {})}, source)
    assert balance.balanced

    def total(lines: list[tuple[Any, Any]], key: str) -> Any:
        fees = {id(r): r["fee"] for r, line in lines if under(line["o"], key)}
        found = [fee for fee in fees.values() if fee is not None]
        return sum(found) if found else None

    every = [(record, line) for record in source for line in record["lines"]]
    assert rows[-1] == ("Grand total", total(every, "a"), total(every, "b"))
    if grouped:
        totals = (
            rows[:-1] if detail == "no" else [r for r in rows if str(r[0]).startswith("Total ")]
        )
        wanted = {}
        for q in {line["q"] for _, line in every}:
            part = [pair for pair in every if pair[1]["q"] == q]
            wanted[str(q)] = (total(part, "a"), total(part, "b"))
        found = {str(row[0]).removeprefix("Total "): row[1:] for row in totals}
        assert {q: found[q] for q in wanted} == wanted


def test_keys_are_those_of_kept_entries() -> None:
    layout = higher("lines.o.k", "lines")
    column = {"columns-from": "lines.o", "named-by": "lines.o.k", "value": "lines.o.k"}
    layout = {"row-per": "lines", "columns": [{"{key}": column}], "only": ["lines.q > 1"]}
    rows = flatledger.table(flatledger.Layout.from_data(layout), SHOWN)
    assert rows.headings == ("a",)


@pytest.mark.parametrize("value", ["sum(payments.x)", "sum(lines.q)", "sum(fee)"])
def test_an_aggregate_over_another_branch_is_refused(value: str) -> None:
    with pytest.raises(flatledger.LayoutError, match="would take in what stands under no key"):
        flatledger.Layout.from_data(higher(value, "lines"))


def test_amounts_are_read_under_each_key_and_units_are_judged_apart() -> None:
    column = {"columns-from": "o", "named-by": "o.k", "value": "o.x", "total": "sum"}
    read = {**column, "datatype": "decimal", "reads": "amount", "keys": ["a", "b"]}
    layout = {"levels": ["o"], "columns": [{"{key}": read}]}
    source = [
        {"o": [{"k": "a", "x": "5 kg"}, {"k": "b", "x": ".5 m"}]},
        {"o": [{"k": "b", "x": 1}]},
    ]
    rows, balance = table(layout, source)
    assert rows[-1][:2] == (5, Decimal("1.5"))
    assert balance.fault_count == 0
