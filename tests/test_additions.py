"""What a layout adds to its records: side lists, and levels from cells taken apart."""

from __future__ import annotations

import csv
import json
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import flatledger
from flatledger import Layout, SourceError
from flatledger.layout.model.model import Lookup
from flatledger.sources.shaping.ordered_entries import OrderedEntries
from flatledger.sources.shaping.side_list import HeldEntries
from tests.conftest import table


def test_side_lists_are_attached_one_after_another(tmp_path: Path) -> None:
    (tmp_path / "people.csv").write_text("\ufeffId;Name;Post\nP1;Rua;K1\nP2;Ansa;K9\nP2;Old;K2\n")
    (tmp_path / "posts.json").write_text('[{"id": "K1", "station": "COR"}, {"id": "K7"}]')
    (tmp_path / "bays.jsonl").write_text('{"part": 7, "bay": "a"}\n{"part": "7", "bay": "b"}\n')
    (tmp_path / "own.yaml").write_text(
        """\
row-per: lines
lookup:
  person: {file: people.csv, matched-by: by, key: Id}
  post: {file: posts.json, matched-by: person.Post, key: id}
  bays: {file: bays.jsonl, matched-by: lines.part.code, key: part, many: yes}
columns:
  - By: person.Name
  - Station: post.station
  - Bays: lines.bays.bay
  - Qty: {value: lines.qty, total: sum}
"""
    )
    records: list[Any] = [
        {"by": "P1", "lines": [{"part": {"code": "7"}, "qty": 1}, {"part": {"code": 8}, "qty": 2}]},
        {"by": "P2", "lines": {"part": {"code": 7}, "qty": 3}},
        {"by": "P3", "lines": []},
        {"by": None},
    ]
    before = json.dumps(records)
    rows = flatledger.table(Layout.from_file(tmp_path / "own.yaml"), records)
    assert list(rows.rows(totals=True)) == [
        ("Rua", "COR", "a; b", 1),
        ("Rua", "COR", None, 2),
        ("Ansa", None, "a; b", 3),
        (None, None, None, None),
        (None, None, None, None),
        ("Grand total", None, None, 6),
    ]
    assert json.dumps(records) == before
    balance = rows.balance
    assert balance.balanced
    person, post, bays = balance.lookups
    assert (person.matched, person.unmatched, person.missing) == (2, 1, ["P3"])
    assert (person.double, person.first_double, person.unused) == (1, ["P2"], 0)
    assert (post.matched, post.missing, post.first_unused) == (1, ["K9"], ["K7"])
    assert (bays.matched, bays.missing, bays.double) == (2, ["8"], 0)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("[bay]", "`lookup` takes names: bay: {file"),
        ("{bay: {file: bays.csv, key: x}}", "`lookup` of `bay` has no `matched-by`"),
        ("{bay: {file: gone.csv, matched-by: a, key: x}}", "there is no such file"),
        ("{bay: {file: ../x.csv, matched-by: a, key: x}}", "beside or below itself only"),
        ("{bay: {file: bays.csv, matched-by: a + 1, key: x}}", "takes a path of names"),
        ("{bay: {file: bays.csv, matched-by: a, key: y}}", "no `y` to match by; there are x, z"),
        ("{bay: {file: twice.csv, matched-by: a, key: x}}", "has a heading twice: x"),
        ("{bay: {file: bad.jsonl, matched-by: a, key: x}}", "record 2: not valid JSON"),
    ],
)
def test_a_side_list_that_cannot_be_attached(tmp_path: Path, text: str, says: str) -> None:
    (tmp_path / "bays.csv").write_text("x,z\n1,2\n")
    (tmp_path / "twice.csv").write_text("x,x\n1,2\n")
    (tmp_path / "bad.jsonl").write_text('{"x": 1}\n{broken\n')
    (tmp_path / "own.yaml").write_text(f"columns: [{{A: a}}]\nlookup: {text}\n")
    with pytest.raises(flatledger.FlatLedgerError) as caught:
        flatledger.table(Layout.from_file(tmp_path / "own.yaml"), [{"a": 1}])
    assert says in str(caught.value)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=30)
@given(
    st.lists(st.integers(0, 900), min_size=1, max_size=700),
    st.sampled_from(["csv", "jsonl"]),
    st.booleans(),
)
def test_a_large_list_in_order_is_looked_up_in_its_file(
    tmp_path: Path, numbers: list[int], form: str, as_numbers: bool
) -> None:
    keys = sorted(numbers) if as_numbers else sorted(map(str, numbers))
    entries = [{"id": str(key), "is": f'{key} "x"\n;{n}'} for n, key in enumerate(keys)]
    path = tmp_path / f"list.{form}"
    with path.open("w", newline="", encoding="utf-8") as file:
        if form == "csv":
            writer = csv.DictWriter(file, ["id", "is"], delimiter=";")
            writer.writeheader()
            writer.writerows(entries)
        else:
            file.writelines(json.dumps(entry) + "\n" for entry in entries)
    held = HeldEntries(Lookup("x", path.name, ("a",), "id"), iter(entries))
    ordered = OrderedEntries(path, "id")
    for key in [*map(str, numbers[::3]), "x", "901"]:
        assert ordered.find(key) == held.find(key)
    assert ordered.unused() == held.unused()
    assert ordered.first_unused() == held.first_unused()
    assert ordered.first_double == held.first_double
    assert ordered.double == held.double


def test_a_list_larger_than_memory(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("flatledger.api.side_lists.LARGEST_LIST_HELD", 10)
    lookup = "{bay: {file: FILE, matched-by: a, key: id}}"
    text = f"columns: [{{A: a}}, {{Bay: bay.is}}]\nlookup: {lookup}\n"
    (tmp_path / "good.csv").write_text("id,is\n1,one\n2,two\n10,ten\n")
    (tmp_path / "bad.csv").write_text("id,is\n1,one\n10,ten\n2,two\n1,one\n")
    (tmp_path / "whole.json").write_text('[{"id": 1}, {"id": 2}]')
    source = [{"a": 10}, {"a": "1"}, {"a": 3}]

    def rows(file: str) -> Any:
        layout = Layout.from_text(text.replace("FILE", file), folder=tmp_path)
        return flatledger.table(layout, source)

    good = rows("good.csv")
    assert list(good) == [(10, "ten"), ("1", "one"), (3, None)]
    (bay,) = good.balance.lookups
    assert (bay.matched, bay.missing, bay.first_unused) == (2, ["3"], ["2"])
    for file, says in (
        ("bad.csv", "and `1` comes after `2`; order it by `id`"),
        ("whole.json", "save it as CSV or JSON Lines, ordered by `id`"),
    ):
        with pytest.raises(SourceError, match=says):
            rows(file)


CELLS = ["plain", 'a"b', 'c"', '"q""x"', '"two\nlines"', "10.00", "", " x ", "é", "true"]
ENTRIES = ["1", '"two"', "12345678901234567890.12", "10.00", "1e2", "null", "true", "[1.10]"]


def outcome(layout: Layout, records: list[Any]) -> Any:
    """The rows with what became of the list, or what is said instead."""
    try:
        rows = flatledger.table(layout, records)
        return list(map(repr, rows)), rows.balance.lookups
    except flatledger.FlatLedgerError as error:
        return str(error)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_a_list_in_memory_and_one_in_its_file_give_the_same(
    tmp_path: Path, data: st.DataObject
) -> None:
    keys = sorted(data.draw(st.lists(st.sampled_from(["", "1", "10", "2", "True", "true", "é"]))))
    draw: Any = data.draw
    if draw(st.booleans()):
        path, start = tmp_path / "list.csv", draw(st.sampled_from(["", "\ufeff", "\n", "\r\n\n"]))
        header = draw(st.sampled_from(["id;is", "id;is", "no;is", "id;id"]))
        end = draw(st.sampled_from(["\n", "\r\n", "\r"]))
        rows = [f"{key};{draw(st.sampled_from(CELLS))}" for key in keys]
        path.write_bytes((start + end.join([header, *rows])).encode())
    else:
        path = tmp_path / "list.jsonl"
        ids = [key if key.isdigit() and draw(st.booleans()) else json.dumps(key) for key in keys]
        lines = [f'{{"id": {key}, "is": {draw(st.sampled_from(ENTRIES))}}}' for key in ids]
        path.write_text("\n".join(["{}" if '""' in line else line for line in lines]))
    lookup = {"bay": {"file": path.name, "matched-by": "a", "key": "id", "many": "yes"}}
    layout = Layout.from_text(
        json.dumps({"columns": [{"A": "a"}, {"Bay": "bay.is"}, {"All": "bay"}], "lookup": lookup}),
        folder=tmp_path,
    )
    values = st.sampled_from([1, "1", 10, Decimal("2"), True, "True", "é", None, [1], {"a": 1}])
    records = [{"a": value} for value in draw(st.lists(values, max_size=6))]
    held = outcome(layout, records)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("flatledger.api.side_lists.LARGEST_LIST_HELD", -1)
        assert outcome(layout, records) == held


def test_a_field_of_a_record_s_own_never_passes_for_one_looked_up(tmp_path: Path) -> None:
    (tmp_path / "bays.csv").write_text("id,is\n1,2\n")
    lookup = "{bay: {file: bays.csv, matched-by: a, key: id}}"
    layout = Layout.from_text(f"columns: [B: bay.is]\nlookup: {lookup}", folder=tmp_path)
    for record in ({"a": 9, "bay": 1}, {"bay": {"is": 3}}, {"a": 1, "bay": None}):
        with pytest.raises(SourceError, match="a field of that name already"):
            list(flatledger.table(layout, [{"a": 1}] * 400 + [record]))


# ---- cells taken apart


def test_parallel_lists_in_two_cells_are_paired(tmp_path: Path) -> None:
    (tmp_path / "posts.csv").write_text("name,post\nIlse,COR\n")
    layout = Layout.from_text(
        """
split:
  crew: {pair: {name: watches.names, role: watches.roles}}
  tag: {by: comma, of: tags}
lookup:
  held: {file: posts.csv, matched-by: watches.crew.name, key: name}
row-per: watches.crew
columns:
  - Name: watches.crew.name
  - Role: watches.crew.role
  - Post: watches.crew.held.post
  - Crew: count(watches.crew)
  - Tags: {value: tag, separator: "/"}
""",
        folder=tmp_path,
    )
    records = [
        {
            "tags": "a, b,,c",
            "watches": [
                {"names": "Marrow; Ilse;", "roles": "keeper;mate"},
                {"names": "Tove;Per", "roles": "mate"},
                {"names": ["Bo"], "roles": "cook"},
            ],
        },
        {"watches": {"names": "Una;;Rua", "roles": "a;b;c"}},
        {"tags": "z"},
    ]
    before = json.dumps(records)
    rows = flatledger.table(layout, records)
    assert list(rows.rows(totals=True)) == [
        ("Marrow", "keeper", None, 2, "a/b/c"),
        ("Ilse", "mate", "COR", 2, "a/b/c"),
        ("Tove;Per", "mate", None, 1, "a/b/c"),
        ("Bo", "cook", None, 1, "a/b/c"),
        ("Una", "a", None, 3, None),
        (None, "b", None, 3, None),
        ("Rua", "c", None, 3, None),
        (None, None, None, None, "z"),
    ]
    assert [str(fault) for fault in rows.balance.faults] == [
        "record 1, watches.names and watches.roles: 2 and 1 parts can't be paired: each is left as "
        "one cell: Tove;Per | mate"
    ]
    assert json.dumps(records) == before


@pytest.mark.parametrize(
    ("split", "says"),
    [
        ({"c": {"by": "comma"}}, "is `of` one cell, or of several that `pair` names"),
        ({"c": {"pair": {"a": "x"}}}, "takes two names or more"),
        ({"c": {"pair": {"a": "x.y", "b": "z"}}}, "stand in different places"),
        ({"c": {"of": "x + 1"}}, "takes a path of names"),
        (["c"], "`split` takes names: crew: {by"),
        ({"a": {"of": "x"}}, "record 1 has a field `a` already"),
    ],
)
def test_cells_that_cannot_be_taken_apart(split: Any, says: str) -> None:
    with pytest.raises(flatledger.FlatLedgerError) as caught:
        table({"columns": [{"A": "a"}], "split": split}, [{"a": 1, "x": "1;2"}])
    assert says in str(caught.value)
