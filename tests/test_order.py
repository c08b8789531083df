"""Order: sorting by any keys, in memory or not; collations; groups that stay together."""

from __future__ import annotations

import heapq
import random
from decimal import Decimal
from pathlib import Path
from typing import Any
from unicodedata import normalize

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from flatledger import LayoutError
from flatledger.api.spilling import TemporaryRows
from flatledger.plan.row_type import KeyPlan
from flatledger.run.protocols import Row
from flatledger.run.sorting import Sorter, merged
from tests.conftest import Tool, table

cells = st.one_of(
    st.none(),
    st.integers(-9, 9),
    st.decimals(-9, 9, places=1),
    st.sampled_from(["A2", "A10", "a2", "B", "", "é", "z", "10"]),
)
keys = st.lists(
    st.builds(
        KeyPlan,
        st.integers(0, 2),
        st.just(0),
        st.just(""),
        st.booleans(),
        st.booleans(),
        st.sampled_from(["", "natural"]),
    ),
    max_size=3,
)


def rank(value: Any, key: KeyPlan) -> Any:
    """What `sort` says, written down once more: nulls, numbers, texts."""
    if value is None:
        return (-1,) if key.nulls_first != key.descending else (9,)
    if key.collation:
        text, parts, number = str(value), list[Any](), ""
        for letter in normalize("NFD", text.casefold()) + "\0":
            if letter.isdigit():
                number += letter
            else:
                parts += [(0, int(number))] if number else []
                parts.append((1, letter))
                number = ""
        return 3, [part for part in parts if part != (1, "\0")], text
    return (3, value) if isinstance(value, str) else (1, value)


@given(st.lists(st.tuples(cells, cells, cells), max_size=40), keys, st.integers(1, 2_000))
def test_a_spilled_sort_is_pythons_own(rows: list[Row], keys: list[KeyPlan], memory: int) -> None:
    numbered: list[Row] = [(*row, number) for number, row in enumerate(rows)]
    expected = list(numbered)
    for key in reversed(keys):
        expected.sort(key=lambda row: rank(row[key.slot], key), reverse=key.descending)
    for sorter in (Sorter(keys), Sorter(keys, TemporaryRows(), memory)):
        for start in range(0, len(numbered), 7):
            sorter.add(numbered[start : start + 7])
        for _ in range(2):  # as often as it is asked for
            assert [row for block in sorter.blocks() for row in block] == expected


runs = st.lists(st.lists(st.integers(0, 6), max_size=12).map(sorted), max_size=5)


@given(runs, st.integers(1, 5))
def test_runs_that_are_merged_some_rows_at_a_time(found: list[list[int]], together: int) -> None:
    rows = [[(key, run, at) for at, key in enumerate(keys)] for run, keys in enumerate(found)]
    blocks = merged([iter(run) for run in rows], lambda row: row[0], together)
    assert [row for block in blocks for row in block] == list(
        heapq.merge(*rows, key=lambda row: row[0])
    )


@settings(max_examples=30)
@given(st.randoms(use_true_random=False), st.sampled_from(["after", "before"]))
def test_a_shuffled_source_gives_the_same_table(order: random.Random, subtotals: str) -> None:
    records: list[Any] = [
        {"no": n, "kind": f"K{n % 3}", "lines": [{"qty": n}, {"qty": Decimal("0.5")}]}
        for n in range(12)
    ]
    layout = {
        "row-per": "lines",
        "columns": [
            {"No": {"value": "no", "total": "sum"}},
            {"Kind": "kind"},
            {"Qty": {"value": "lines.qty", "total": "sum"}},
        ],
        "group": ["Kind"],
        "sort": ["No desc", "Qty"],
        "totals": {"subtotals": subtotals},
    }
    expected, _ = table(layout, records)
    order.shuffle(records)
    rows, balance = table(layout, records)
    assert rows == expected
    assert balance.balanced


NAMES = ["Zoe", "Åse", "Anna", "Örn", "ada", None, "A10", "A9", "a2"]


@pytest.mark.parametrize(
    ("key", "expected"),
    [
        ("Name", ["A10", "A9", "Anna", "Zoe", "a2", "ada", "Åse", "Örn", None]),
        ("Name collate natural", ["a2", "A9", "A10", "ada", "Anna", "Åse", "Örn", "Zoe", None]),
        ('name collate "sv-SE"', ["A10", "a2", "A9", "ada", "Anna", "Zoe", "Åse", "Örn", None]),
        ("Name collate de", ["A10", "a2", "A9", "ada", "Anna", "Åse", "Örn", "Zoe", None]),
        (
            "Name collate natural desc nulls first",
            [None, "Zoe", "Örn", "Åse", "Anna", "ada", "A10", "A9", "a2"],
        ),
    ],
)
def test_texts_are_sorted_by_code_point_natural_order_or_locale(
    key: str, expected: list[str]
) -> None:
    if "sv" in key or " de" in key:
        pytest.importorskip("icu")
    records = [{"name": name} for name in NAMES]
    rows, _ = table({"columns": [{"Name": "name"}], "sort": [key]}, records)
    assert [row[0] for row in rows] == expected


def test_natural_order_in_conditions() -> None:
    codes = ["A1", "A2", "a3", "A10", "A11", "531.2", "531.11", None]
    for condition, kept in {
        "code collate natural between 'A2' and 'A10'": ["A2", "a3", "A10"],
        "code collate natural < '531.11'": ["531.2"],
        "'A10' < code collate natural": ["A11"],
        "code collate natural in ('a1', 'A3')": ["A1", "a3"],
    }.items():
        layout = {"columns": [{"Code": "code"}], "only": [condition]}
        rows, balance = table(layout, [{"code": code} for code in codes])
        assert [row[0] for row in rows] == kept
        assert balance.conditions[0].unknown == 1


def test_a_locale_that_is_not_there_is_told() -> None:
    for key in ("Name collate klingon", 'name collate "xx-XX" desc', "lower(name) collate none"):
        with pytest.raises(LayoutError, match=r"no collation|library ICU"):
            table({"columns": [{"Name": "name"}], "sort": [key]}, [{"name": "x"}])
    layout = {"columns": [{"Name": "name"}], "only": ["name collate nope < 'x'"]}
    with pytest.raises(LayoutError, match=r"no collation `nope`|library ICU"):
        table(layout, [{"name": "x"}])


def test_sorting_leaves_nothing_behind(tool: Tool, tmp_path: Path) -> None:
    folder = tmp_path / "temporary"
    folder.mkdir()
    with (tmp_path / "many.jsonl").open("w", encoding="utf-8") as file:
        for number in range(60_000):
            text = f"{number * 7919 % 60_000:06d} {'x' * 900}"
            file.write(f'{{"no": {number}, "text": "{text}"}}\n')
    (tmp_path / "own.yaml").write_text("columns: [{T: text}, {No: no}]\nsort: [T]")
    done = tool("export", "own.yaml", "many.jsonl", "-o", "out.csv", TMPDIR=str(folder))
    assert "agree. No faults." in done.stderr
    with (tmp_path / "out.csv").open(encoding="utf-8") as file:
        codes = [int(line[:6]) for line in list(file)[1:]]
    assert codes == list(range(60_000))
    assert list(folder.iterdir()) == []
    gone = tool("export", "own.yaml", "many.jsonl", "-o", "out.csv", TMPDIR="/nowhere")
    assert "Traceback" not in gone.stderr


def test_groups_as_they_are_met_may_not_come_back() -> None:
    records = [{"k": key, "q": 1} for key in ["b", "b", "a", "b"]]
    layout: dict[str, Any] = {
        "columns": [{"K": "k"}, {"Q": {"value": "q", "total": "sum"}}],
        "group": {"by": ["K"], "order": "as-met"},
    }
    rows, balance = table(layout, records)
    assert [row[0] for row in rows] == [
        *("b", "b", "Total b", "a", "Total a", "b", "Total b", "Grand total"),
    ]
    assert not balance.balanced
    (back,) = balance.first_reopened
    assert (back.group, back.row, back.again) == (["b"], 1, 4)
    many = table(layout, [{"k": n % 2, "q": 1} for n in range(1_000)])[1]
    assert (many.reopened, len(many.first_reopened)) == (998, 100)
    layout["group"]["reopened"] = "allowed"
    assert table(layout, records)[1].balanced
    del layout["group"]["reopened"]
    assert table(layout, records[:3])[1].balanced
    assert not table({**layout, "sort": ["q"]}, records)[1].balanced
    assert table({**layout, "sort": ["k"]}, records)[1].balanced
    layout["group"] = ["K"]
    assert [row[0] for row in table(layout, records)[0]][:2] == ["a", "Total a"]


@pytest.mark.parametrize(
    ("expected", "faults"),
    [
        ("raised", ["record 3, raised: out of the expected order: it comes after 2026-03-01"]),
        ("raised desc", ["record 2, raised"]),
        ("lines.no", ["record 2, lines.no: out of the expected order: it comes after 2"]),
        ("code collate natural", []),
        ("code", ["record 2, code"]),
        ({"entry": "lines.no", "after": "lines.needs"}, ["record 3, lines.needs: stands before"]),
        ({"entry": "no", "after": "follows"}, ["record 2, follows: stands before"]),
    ],
)
def test_an_order_that_is_expected(expected: Any, faults: list[str]) -> None:
    records = [
        {"no": 1, "raised": "2026-01-01", "code": "A2", "lines": [{"no": 1}, {"no": 5}]},
        {"no": 2, "raised": "2026-03-01", "code": "A10", "follows": 3,
         "lines": [{"no": 2}, {"no": 1, "needs": [2]}]},
        {"no": 3, "raised": "2026-02-01", "code": "A11", "follows": [1, 2],
         "lines": [{"no": 7, "needs": 8}, {"no": 8}]},
    ]  # fmt: skip
    layout = {"row-per": "lines", "columns": [{"No": "lines.no"}], "expects-order": [expected]}
    rows, balance = table(layout, records)
    assert len(rows) == 6
    assert balance.balanced
    assert len(balance.faults) == len(faults)
    for fault, start in zip(balance.faults, faults, strict=True):
        assert str(fault).startswith(start)


def test_what_no_entry_can_depend_on_is_told() -> None:
    records = [{"no": {"a": 1}, "needs": [{"b": 2}, ["x"]]}, {"no": 2, "needs": None}]
    expected = {"entry": "no", "after": "needs"}
    layout = {"columns": [{"No": "no"}], "expects-order": [expected]}
    _, balance = table(layout, records)
    assert [fault.reason for fault in balance.faults] == ["one plain value is expected"] * 2


def test_an_expected_order_at_a_field_that_is_not_there_is_drift() -> None:
    _, balance = table({"columns": [{"No": "no"}], "expects-order": ["rased"]}, [{"no": 1}])
    assert balance.drift.unmatched == ["rased"]
    with pytest.raises(LayoutError, match="takes a path of names"):
        table({"columns": [{"No": "no"}], "expects-order": ["no + 1"]}, [])
