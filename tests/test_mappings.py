"""Mappings whose keys are data, also within one another, against plain loops."""

from __future__ import annotations

from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import table

number = st.one_of(st.none(), st.integers(0, 9))
needs = st.dictionaries(st.sampled_from(["lamp", "oil-2", "wick"]), st.integers(0, 9), max_size=3)
version = st.fixed_dictionaries({"n": number, "needs": needs})
things = st.dictionaries(
    st.sampled_from(["beacon", "cask.1", "drift"]),
    st.dictionaries(st.sampled_from(["1.0", "1.1", "2"]), version, max_size=3),
    max_size=3,
)
line = st.fixed_dictionaries({"a": number, "b": number})
lines = st.one_of(line, st.lists(line, max_size=3))
records = st.lists(st.fixed_dictionaries({"things": things, "lines": lines}), max_size=5)
EVERY_LEVEL = ["lines", "things.*", "things.*.*", "things.*.*.needs.*"]


def total(values: list[Any]) -> Any:
    present = [value for value in values if value is not None]
    return sum(present) if present else None


@given(records, st.integers(0, 9), st.booleans())
def test_rows_of_members_and_of_members_of_members(
    given_records: list[Any], least: int, stated: bool
) -> None:
    layout = {
        "row-per": "things.*.*.needs.*",
        "without-entries": "drop",
        "columns": [
            {"Thing": "key(things.*)"},
            {"Version": "key(things.*.*)"},
            {"N": {"value": "things.*.*.n", "total": "sum"}},
            {"Need": "key(things.*.*.needs.*)"},
            {"Count": {"value": "things.*.*.needs.*", "total": "sum"}},
        ],
        "only": [f"things.*.*.needs.* >= {least}"],
    } | ({"levels": EVERY_LEVEL} if stated else {})
    rows, balance = table(layout, given_records)
    found = [
        (thing, name, entry["n"], need, count)
        for record in given_records
        for thing, versions in record["things"].items()
        for name, entry in versions.items()
        for need, count in entry["needs"].items()
        if count >= least
    ]
    assert rows[:-1] == found
    assert balance.balanced
    assert rows[-1][4] == total([row[4] for row in found])
    once = [  # of each version whose needs are kept, however many there are
        entry["n"]
        for record in given_records
        for versions in record["things"].values()
        for entry in versions.values()
        if any(count >= least for count in entry["needs"].values())
    ]
    assert rows[-1][2] == total(once)


@given(records)
def test_aggregates_over_members(given_records: list[Any]) -> None:
    layout = {
        "levels": EVERY_LEVEL,
        "columns": [
            {"Things": "count(things.*)"},
            {"Versions": "count(things.*.*)"},
            {"N": "sum(things.*.*.n)"},
            {"Needs": "sum(things.*.*.needs.*)"},
            {"Fields": "count(lines[*].*)"},
            {"Sum": "sum(lines[*].*)"},
        ],
    }
    rows, _ = table(layout, given_records)
    for row, record in zip(rows, given_records, strict=True):
        entries = [entry for versions in record["things"].values() for entry in versions.values()]
        each = record["lines"] if isinstance(record["lines"], list) else [record["lines"]]
        fields = [value for one in each for value in one.values()]
        assert row == (
            len(record["things"]),
            len(entries),
            total([entry["n"] for entry in entries]),
            total([count for entry in entries for count in entry["needs"].values()]),
            len(fields),  # members are entries, and count(level) counts these
            total(fields),
        )


def test_an_empty_list_is_a_mapping_without_members() -> None:
    records = [{"names": {"a": 1, "b": 2}}, {"names": []}]
    layout = {"row-per": "names.*", "columns": [{"K": "key(names.*)"}, {"N": "names.*"}]}
    assert table(layout, records)[0] == [("a", 1), ("b", 2), (None, None)]
    assert table({"columns": [{"N": "names.*"}]}, records)[0] == [("1; 2",), (None,)]


@given(st.dictionaries(st.text(min_size=1, max_size=3), st.integers(), min_size=1, max_size=5))
def test_members_of_the_record_itself(record: dict[str, int]) -> None:
    layout = {"row-per": "$.*", "columns": [{"K": "key($.*)"}, {"V": "$.*"}]}
    rows, _ = table(layout, [record])
    assert rows == list(record.items())
    assert table({"columns": [{"S": "sum($.*)"}]}, [record])[0] == [(sum(record.values()),)]
