"""Several tables from one reading: each is what its layout gives alone."""

from __future__ import annotations

import io
import json
import pickle
import random
import zipfile
from decimal import Decimal
from pathlib import Path
from typing import Any

import jsonschema
import pytest
import python_calamine
from hypothesis import given, settings
from hypothesis import strategies as st
from lxml import html

import flatledger
from flatledger.run.tables_run import TablesRun
from flatledger.values.functions import text_of
from tests.by_definition import check_tables
from tests.conftest import Tool

LAYOUT: dict[str, Any] = {
    "layout": "stores",
    "levels": ["lines"],
    "columns": [{"No": "no"}, {"Site": "site"}],
    "only": ["fee > 1"],
    "tables": {
        "lines": {
            "row-per": "lines",
            "columns": ["No", {"Qty": {"value": "lines.qty", "total": "sum"}}],
            "only": ["lines.qty > 2"],
            "group": ["Site"],
        },
        "by-site": {
            "row-per-group": ["Site"],
            "leave-out": ["No"],
            "columns": [{"Qty": {"value": "sum(lines.qty)", "total": "sum"}}],
        },
        "records": {"sort": ["No desc"]},
    },
}
RECORDS: list[dict[str, Any]] = [
    {"no": "R-1", "site": "Ness", "fee": 5, "lines": [{"qty": 2}, {"qty": "x"}, {"qty": 9}]},
    {"no": "R-2", "site": "Head", "fee": 7, "lines": []},
    {"no": "R-0", "site": "Ness", "fee": 3, "lines": [{"qty": 4}]},
    {"no": "R-9", "site": "Ness", "fee": 1, "lines": [{"qty": 1}]},
]
NAMES = ["lines", "by-site", "records"]


def changed(**tables: Any) -> dict[str, Any]:
    return {**LAYOUT, "tables": {**LAYOUT["tables"], **tables}}


def alone(name: str, records: Any = RECORDS) -> list[tuple[Any, ...]]:
    layout = flatledger.Layout(LAYOUT).tables[name]
    return list(flatledger.table(layout, records).rows(totals=True))


@settings(max_examples=150, deadline=None)
@given(st.randoms(use_true_random=False))
def test_any_tables_are_those_of_their_layouts_alone(seed: random.Random) -> None:
    """Rows, conditions' counts, totals and faults, by exact types and by plain data."""
    check_tables(seed)


# ---- a layout with tables


def test_a_table_is_what_stands_beside_it_and_what_differs() -> None:
    tables = flatledger.Layout(LAYOUT).tables
    headings = {name: one.headings for name, one in tables.items()}
    assert headings == {
        "lines": ("No", "Qty", "Site"),
        "by-site": ("Site", "Qty"),
        "records": ("No", "Site"),
    }
    conditions = [one.value.text for one in tables["lines"].request.conditions]
    assert (conditions, tables["lines"].name) == (["fee > 1", "lines.qty > 2"], "lines")


def test_it_is_written_and_changed_as_any_layout() -> None:
    layout = flatledger.Layout(LAYOUT)
    assert flatledger.Layout.from_text(layout.to_text()) == layout
    more = layout.with_changes({"only": ["no <> 'R-2'"], "source": {"format": "jsonl"}})
    again = flatledger.Layout.from_text(more.to_text())
    assert all(one.request.conditions[-1].value.text == "no <> 'R-2'" for one in again.of_tables())
    assert {one.request.source.format for one in again.of_tables()} == {"jsonl"}
    assert pickle.loads(pickle.dumps(layout.to_text())) == layout.to_text()
    jsonschema.validate(LAYOUT, flatledger.layout_schema())
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(changed(lines={"source": {}}), flatledger.layout_schema())


def test_a_layout_that_starts_from_one_with_tables(tmp_path: Path) -> None:
    """Tables go by their names: what differs in one is put over it, another is added."""
    (tmp_path / "base.yaml").write_text(flatledger.Layout(LAYOUT).to_text())
    (tmp_path / "own.yaml").write_text(
        "from: base.yaml\nonly: [fee < 7]\n"
        "tables: {records: {columns: [Fee: fee]}, sums: {columns: [Fee: fee]}}\n"
    )
    tables = flatledger.Layout(tmp_path / "own.yaml").tables
    assert list(tables) == [*NAMES, "sums"]
    assert tables["records"].headings == ("No", "Site", "Fee")
    assert [one.value.text for one in tables["sums"].request.conditions] == ["fee > 1", "fee < 7"]
    assert tables["lines"].path == tmp_path / "own.yaml"


@pytest.mark.parametrize(
    ("given", "told"),
    [
        ({"tables": {"a/b": {}}}, "`a/b` can't be the name of a file everywhere"),
        ({"tables": {"nul": {}}}, "`nul` can't be the name of a file everywhere"),
        ({"tables": {"a" * 101: {}}}, "a name has 100 letters at most"),
        ({"tables": {"All": {}, "all": {}}}, "`all` is `All` but for its capitals"),
        ({"tables": {}}, "`tables` takes names, each with what differs in it"),
        ({"tables": ["lines"]}, "`tables` takes names, each with what differs in it"),
        ({"tables": {"a": "no"}}, "a takes keys and values, as a layout does"),
        (changed(records={"source": {}}), "`source` stands beside `tables`, not in records"),
        (changed(records={"tables": {}}), "`tables` stands beside `tables`, not in records"),
        (changed(records={"colums": []}), "no key `colums` in a layout; did you mean `columns`?"),
        (changed(records={"columns": ["Nr"]}), "no column `Nr`"),
    ],
)
def test_what_tables_can_not_be_is_told(given: Any, told: str) -> None:
    with pytest.raises(flatledger.LayoutError) as error:
        flatledger.Layout({"columns": [{"No": "no"}], **given})
    assert told in str(error.value)


def test_a_name_that_comes_twice_is_told_at_its_place() -> None:
    text = "columns: [No: no]\ntables:\n  a: {}\n  a: {}\n"
    with pytest.raises(flatledger.LayoutError, match=r"line 4, column 3: .*`a` comes twice"):
        flatledger.Layout.from_text(text)


def test_where_one_table_is_wanted_the_names_are_told() -> None:
    for one in (flatledger.table, flatledger.preview):
        with pytest.raises(flatledger.LayoutError, match="several tables: lines, by-site, records"):
            one(LAYOUT, RECORDS)
    with pytest.raises(flatledger.LayoutError, match="no table `line`; did you mean `lines`"):
        flatledger.tables(LAYOUT, RECORDS, names=["line"])


# ---- in a program


def test_tables_by_their_names() -> None:
    with flatledger.tables(LAYOUT, RECORDS) as found:
        rows = {name: list(one.rows(totals=True)) for name, one in found.items()}
        balance = found.balance
    assert rows == {name: alone(name) for name in NAMES}
    assert (balance.read, balance.rows, balance.balanced) == (4, 7, True)
    assert [one.layout for one in balance.tables] == NAMES


def test_tables_can_be_taken_in_turn() -> None:
    """Rows of one wait while another is gone through; more of them than memory is to hold."""
    layout = {
        "columns": [{"No": "no"}],
        "tables": {"all": {}, "even": {"only": ["mod(no, 2) = 0"]}},
    }
    found = flatledger.tables(layout, ({"no": no} for no in range(30_000)))
    even, every = found["even"], found["all"]
    pairs = [(next(even)[0], next(every)[0], next(every)[0]) for _ in range(15_000)]
    assert pairs == [(no, no, no + 1) for no in range(0, 30_000, 2)]
    assert (list(even), list(every), found.balance.balanced) == ([], [], True)


def test_only_some_of_the_tables() -> None:
    found = flatledger.tables(LAYOUT, RECORDS, names=["records", "lines"])
    assert list(found) == ["records", "lines"]
    assert list(found["lines"].rows(totals=True)) == alone("lines")
    with pytest.raises(flatledger.TableNotReadError):
        _ = found.balance
    assert list(found["records"]) == alone("records")


def test_a_level_that_is_found_late_begins_all_tables_anew(tmp_path: Path) -> None:
    """A list comes in a record after those that were looked at first; where rows were given by then
    it ends in an error with the lines to add."""
    columns = [{"Q": {"value": "sum(lines.q)", "total": "sum"}}]
    lines = {"row-per": "lines", "columns": [{"Q": {"value": "lines.q", "total": "sum"}}]}
    layout = {
        "columns": [{"No": "no"}],
        "tables": {"records": {"columns": columns}, "lines": {"sort": ["Q"], **lines}},
    }
    records: list[Any] = [{"no": no, "lines": {"q": 1}} for no in range(9_000)]
    records.append({"lines": [{"q": 2}, {"q": 3}]})
    balance = flatledger.export(layout, records, tmp_path / "{table}.csv")
    assert [(one.rows, one.columns[0].written) for one in balance.tables] == [
        *((9_001, 9_005), (9_002, 9_005))
    ]
    assert (len(balance.begun_again), balance.balanced) == (1, True)
    found = flatledger.tables(layout, records)  # of a sorted table none is given before the end
    assert (len(list(found["lines"])), len(list(found["records"]))) == (9_002, 9_001)
    assert found.balance.balanced
    found = flatledger.tables(layout, records)
    next(found["records"])
    with pytest.raises(flatledger.LevelsError, match="rows were given already"):
        list(found["lines"])


def test_a_level_that_one_table_names_is_one_for_that_table_alone() -> None:
    records = [{"no": 1, "boat": {"name": "Tern"}}, {"no": 2, "boat": {"name": "Skua"}}]
    layout = {
        "columns": [{"Boat": "boat.name"}],
        "tables": {
            "records": {},
            "boats": {"row-per": "boat", "columns": [{"At": "ordinal(boat)"}]},
        },
    }
    with flatledger.tables(layout, records) as found:
        assert list(found["records"]) == [("Tern",), ("Skua",)]
        assert list(found["boats"]) == [("Tern", 1), ("Skua", 1)]
        assert [one.repeating for one in found.balance.tables] == [[], ["boat"]]


# ---- the balance


def test_a_fault_of_several_tables_is_one() -> None:
    out = io.BytesIO()
    faults = io.BytesIO()
    faults.name, out.name = "faults.csv", "t.json"
    balance = flatledger.export(LAYOUT, RECORDS, out, faults_to=faults)
    assert (balance.fault_count, len(faults.getvalue().splitlines())) == (1, 2)
    assert [one.fault_count for one in balance.tables[:2]] == [1, 1]


def test_a_key_that_comes_twice_is_one_fault_of_all_tables() -> None:
    layout = {"columns": [{"No": "no"}], "primary-key": ["No"], "tables": {"a": {}, "b": {}}}
    with flatledger.tables(layout, [{"no": 1}, {"no": 2}, {"no": 1}]) as found:
        assert [len(list(one)) for one in found.values()] == [3, 3]
        balance = found.balance
    assert [one.fault_count for one in (balance, *balance.tables)] == [1, 1, 1]


def test_sums_that_differ_are_told_with_the_reason() -> None:
    out = io.BytesIO()
    out.name = "t.json"
    balance = flatledger.export(LAYOUT, RECORDS, out)
    assert [str(one) for one in balance.sums_apart] == [
        "lines.qty comes to 13 in lines, 15 in by-site: lines has the condition lines.qty > 2"
    ]
    told = json.loads(balance.to_json())
    assert told["sums_apart"][0]["sums"] == {"lines": "13", "by-site": "15"}
    same = {**LAYOUT["tables"]["lines"], "only": []}
    assert not flatledger.export(changed(lines=same), RECORDS, out).sums_apart


def test_a_table_that_loses_a_row_does_not_balance(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Nothing of the set takes its place, those that are right neither."""
    from flatledger.run import state

    absorbed = state.RunState.absorb

    def losing(self: Any, result: Any) -> Any:
        rows = absorbed(self, result)
        return rows[1:] if self.plan.layout.name == "records" and not self.gathered else rows

    monkeypatch.setattr(state.RunState, "absorb", losing)
    layout = changed(records={"columns": [{"Fee": {"value": "fee", "total": "sum"}}]})
    balance = flatledger.export(layout, RECORDS, tmp_path / "{table}.csv")
    assert [one.balanced for one in balance.tables] == [True, True, False]
    assert (balance.balanced, balance.wrong[0].startswith("records: ")) == (False, True)
    assert {one.name for one in tmp_path.iterdir()} == {f"{name}.unbalanced.csv" for name in NAMES}


# ---- files


def test_each_table_has_a_file_of_its_own(tmp_path: Path) -> None:
    flatledger.export(LAYOUT, RECORDS, tmp_path / "{table}.csv")
    for name, layout in flatledger.Layout(LAYOUT).tables.items():
        flatledger.export(layout, RECORDS, tmp_path / "alone.csv")
        assert (tmp_path / f"{name}.csv").read_bytes() == (tmp_path / "alone.csv").read_bytes()


@pytest.mark.parametrize("format", ["xlsx", "ods", "html", "json"])
def test_a_document_takes_all_tables(format: str, tmp_path: Path) -> None:
    """Each is in it as it would be in one alone, and is read again so."""
    place = tmp_path / f"all.{format}"
    balance = flatledger.export(LAYOUT, RECORDS, place, verify=True)
    assert balance.balanced, balance.wrong
    assert [note for note in balance.notes if "was read again" in note][1].endswith("of by-site")
    for at, (name, layout) in enumerate(flatledger.Layout(LAYOUT).tables.items()):
        flatledger.export(layout, RECORDS, tmp_path / f"one.{format}")
        assert part(place, at, name) == part(tmp_path / f"one.{format}", 0, "")


def part(place: Path, at: int, name: str) -> Any:
    """What is read of one table in a document."""
    if place.suffix == ".json":
        whole = json.loads(place.read_bytes(), parse_float=Decimal)
        return whole[name] if name else whole
    if place.suffix == ".html":
        sections: Any = html.parse(str(place)).findall(".//section")
        return [[cell.text_content() for cell in row] for row in sections[at].iterfind(".//tr")]
    book = python_calamine.load_workbook(str(place))
    assert not name or book.sheet_names == NAMES
    return [[text_of(cell) for cell in row] for row in book.get_sheet_by_index(at).to_python()]


def test_a_cell_of_a_later_table_that_is_wrong_is_seen(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from flatledger.outputs.sheets.workbook import Workbook

    row = Workbook.row

    def wrong(self: Any, cells: Any, *more: Any) -> None:
        row(self, (*cells[:-1], "wrong") if self.layout.name == "records" else cells, *more)

    monkeypatch.setattr(Workbook, "row", wrong)
    balance = flatledger.export(LAYOUT, RECORDS, tmp_path / "all.xlsx", verify=True)
    assert not balance.balanced


def test_the_balance_stands_in_a_workbook_once(tmp_path: Path) -> None:
    layout = {**LAYOUT, "output": {"with-balance": "yes"}}
    flatledger.export(layout, RECORDS, tmp_path / "all.xlsx", verify=True)
    book = python_calamine.load_workbook(str(tmp_path / "all.xlsx"))
    assert book.sheet_names == [*NAMES, "Balance", "Faults"]
    rows = book.get_sheet_by_name("Balance").to_python()
    assert [row[0] for row in rows if str(row[0]).startswith("Balance of")] == [
        *("Balance of stores", "Balance of lines", "Balance of by-site", "Balance of records")
    ]
    assert zipfile.is_zipfile(tmp_path / "all.xlsx")


@pytest.mark.parametrize("format", ["xlsx", "ods"])
def test_a_long_text_of_a_later_table_goes_on_with_its_sheets_name(
    format: str, tmp_path: Path
) -> None:
    """What is chosen for what no cell holds is chosen for each table."""
    tables = {"short": {}, "long": {"output": {"beyond": "continue"}}}
    layout: Any = {"columns": [{"Note": "note"}], "tables": tables}
    place = tmp_path / f"t.{format}"
    with pytest.raises(flatledger.OutputError, match="a cell holds"):
        flatledger.export(layout, [{"note": "x" * 40_000}], place)
    tables["short"] = {"columns": [{"Note": "substring(note from 1 for 3)"}]}
    assert flatledger.export(layout, [{"note": "x" * 40_000}], place, verify=True).balanced
    rows = python_calamine.load_workbook(str(place)).get_sheet_by_name("Long texts").to_python()
    assert rows[1][:2] == [2, "long: Note"]


def test_a_table_never_takes_the_place_of_what_is_read(tmp_path: Path) -> None:
    source = tmp_path / "lines.jsonl"
    source.write_text("\n".join(map(json.dumps, RECORDS)))
    before = source.read_bytes()
    with pytest.raises(flatledger.SamePlaceError):
        flatledger.export(LAYOUT, source, tmp_path / "{table}.jsonl")
    assert source.read_bytes() == before


@pytest.mark.parametrize(
    ("name", "more", "told"),
    [
        (
            "t.csv",
            {},
            "t.csv takes one table, and these are 3 (lines, by-site, records): put {table}",
        ),
        ("t.md", {}, "takes one table"),
        ("-", {}, "standard output takes one table"),
        (None, {}, "nowhere to write to"),
        (None, {"output": {"file": "same.csv"}}, "same.csv takes one table"),
    ],
)
def test_where_several_tables_can_not_go(
    name: str | None, more: Any, told: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    with pytest.raises(flatledger.OutputError) as error:
        flatledger.export({**LAYOUT, **more}, RECORDS, name)
    assert told in str(error.value)
    assert not [*tmp_path.iterdir()]


def test_from_the_command_line(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "s.jsonl").write_text("\n".join(map(json.dumps, RECORDS)))
    layout = {**LAYOUT, "output": {"file": "{table}-{day}.csv"}, "ask": {"day": {"default": "1"}}}
    (tmp_path / "t.yaml").write_text(flatledger.Layout(layout).to_text())
    done = tool("export", "t.yaml", "s.jsonl")
    assert "Wrote 7 rows and 3 total rows in 3 tables to lines-1.csv" in done.stderr
    assert "by-site: a row for each group" in done.stderr
    assert (tmp_path / "records-1.csv").read_text() == "No,Site\nR-2,Head\nR-1,Ness\nR-0,Ness\n"
    one = tool("export", "t.yaml", "s.jsonl", "--table", "records", "-o", "-")
    assert one.stdout.splitlines() == (tmp_path / "records-1.csv").read_text().splitlines()
    two = tool(
        "export", "t.yaml", "s.jsonl", *("--table", "by-site", "--table", "records"), "--strict"
    )
    assert (two.returncode, "in 2 tables" in two.stderr) == (3, True)
    wrong = tool("export", "t.yaml", "s.jsonl", "--table", "site", "-o", "-")
    assert (wrong.returncode, "no table `site`" in wrong.stderr) == (1, True)
    looked = tool("preview", "t.yaml", "s.jsonl").stdout
    assert [f"Preview of {name}: nothing is written" in looked for name in NAMES] == [True] * 3
    assert "lines-1.csv would have 2 rows and 2 total rows" in looked
    assert "3 tables from one reading" in tool("check", "t.yaml").stdout
    assert tool("specimen", "t.yaml", "--table", "by-site", "-o", "-").stdout.startswith("Site,Qty")
    page = tool("preview", "t.yaml", "s.jsonl", "--html", "p.html")
    assert (page.returncode, (tmp_path / "p.html").read_text().count("The first rows")) == (0, 3)


def test_a_table_runs_once_through_the_source(monkeypatch: pytest.MonkeyPatch) -> None:
    """One run serves all, and the source is opened once."""
    opened = []
    begin = TablesRun.__init__

    def counted(self: Any, layouts: Any, source: Any, *more: Any, **ways: Any) -> None:
        opened.append(len(layouts))
        begin(self, layouts, source, *more, **ways)

    monkeypatch.setattr(TablesRun, "__init__", counted)
    numbers = iter(RECORDS)  # which can be gone through once
    out = io.BytesIO()
    out.name = "t.json"
    assert flatledger.export(LAYOUT, numbers, out).balanced
    assert opened == [3]
