"""Every format that is written, read back by readers that are not ours, in cells and types."""

from __future__ import annotations

import datetime as dt
import json
import os
from decimal import Decimal
from pathlib import Path
from typing import Any
from zipfile import ZipFile

import openpyxl
import pytest
from hypothesis import HealthCheck, assume, example, given, settings
from hypothesis import strategies as st
from odf import opendocument, table, text

import flatledger
from flatledger.layout.model.asking import placeholders
from flatledger.outputs.checking import verifying
from tests.conftest import Tool

LETTERS = "ab,;|\t\"'\\*_`<>&[]{}=+-@#~^ é€😀\u202e\u00a0\n"
TEXTS = st.text(st.sampled_from(LETTERS), max_size=8)
CONTROLS = st.text(st.sampled_from(LETTERS + "\x00\x01\x1f\r\x7f\ud800\ufffe_x0041_"), max_size=8)
NUMBERS = st.integers(-(10**20), 10**20) | st.decimals(
    allow_nan=False, allow_infinity=False, min_value=-(10**9), max_value=10**9, places=4
)
COLUMNS: list[dict[str, Any]] = [
    {"Text, a": "t"},
    {"Number": {"value": "n", "total": "sum"}},
    {"Day": {"value": "d", "datatype": "date"}},
    {"When": {"value": "w", "datatype": "dateTime"}},
    {"Clock": {"value": "c", "datatype": "time"}},
    {"Span": {"value": "s", "datatype": "duration"}},
    {"True": {"value": "b", "datatype": "boolean"}},
]
DAYS = st.dates(dt.date(1900, 3, 1), dt.date(2200, 1, 1))
CLOCKS = st.times().map(lambda time: time.replace(microsecond=time.microsecond // 1000 * 1000))
RECORDS = st.lists(
    st.fixed_dictionaries(
        {},
        optional={
            "t": TEXTS,
            "n": NUMBERS,
            "d": DAYS.map(str),
            "w": st.builds(dt.datetime.combine, DAYS, CLOCKS).map(lambda when: when.isoformat()),
            "c": CLOCKS.map(lambda clock: clock.isoformat()),
            "s": st.integers(0, 10**7).map(lambda seconds: f"PT{seconds}S"),
            "b": st.booleans(),
        },
    ),
    min_size=1,
    max_size=6,
)
SUFFIXES = ("csv", "tsv", "xlsx", "ods", "json", "jsonl", "html", "md")


@settings(
    deadline=None, max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(RECORDS, st.sampled_from([None, "Text, a", "Day"]))
@example(
    [{"t": "<r>x</r>", "n": 12345678901234567890}, {"t": " _x000D_ ", "n": Decimal("0.10")}], None
)
def test_every_format_is_read_back_by_another_reader(
    tmp_path: Path, records: list[Any], group: str | None
) -> None:
    """`verify` holds every cell against what was given to the writers."""
    layout: dict[str, Any] = {"columns": COLUMNS, "levels": []}
    if group is not None:
        layout |= {"group": [group]}
    places = [tmp_path / f"t.{suffix}" for suffix in SUFFIXES]
    balance = flatledger.export(layout, records, places, verify=True, if_there="replace")
    assert (balance.wrong, balance.balanced, len(balance.files)) == ([], True, len(places))
    assert sum("was read again" in note for note in balance.notes) == len(places)


@settings(
    deadline=None, max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(st.lists(CONTROLS, min_size=1, max_size=6))
def test_hostile_texts_break_no_format(tmp_path: Path, texts: list[str]) -> None:
    """What a format can't hold is replaced and counted; nothing else is touched."""
    records = [{"t": one, "n": number} for number, one in enumerate(texts)]
    layout = {
        "columns": [{"T": "t"}, {"N": "n"}],
        "levels": [],
        "output": {"unencodable": "replace"},
    }
    places = [tmp_path / f"h.{suffix}" for suffix in SUFFIXES]
    balance = flatledger.export(layout, records, places, verify=True, if_there="replace")
    assert (balance.wrong, balance.balanced) == ([], True)
    expected = [row[0] for row in flatledger.table(layout, records)]
    rows = list(openpyxl.load_workbook(places[2]).active.values)[1:]  # type: ignore[union-attr]
    assert [row[1] for row in rows] == list(range(len(texts)))
    found = [json.loads(line)["T"] for line in places[5].read_text().splitlines()]
    assert found == expected


@settings(
    deadline=None, max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(st.lists(CONTROLS.filter(str.strip), min_size=5, max_size=5, unique=True))
@example(["1", "00", "000", "{ }", "0"])
def test_hostile_names_break_no_format(tmp_path: Path, names: list[str]) -> None:
    """Headings, titles, lines above the table, names of layouts and of sheets."""
    assume(not any(map(placeholders, names)))  # which are asked for
    one, other, title, line, sheet = names
    layout = {
        "layout": title,
        "about": line,
        "columns": [{one: "a"}, {other: "b"}],
        "levels": [],
        "output": {"preamble": [line], "sheet": sheet, "with-balance": "yes"},
    }
    layout["output"] |= {"unencodable": "replace"}
    places = [tmp_path / f"n.{suffix}" for suffix in SUFFIXES]
    balance = flatledger.export(layout, [{"a": 1}], places, verify=True, if_there="replace")
    assert (balance.wrong, balance.balanced) == ([], True)


def odf_rows(file: Path) -> list[list[tuple[str, str]]]:
    """The kind and the value of each cell of the first sheet, as odfpy reads it."""
    document = opendocument.load(str(file))  # which is not to be let go
    sheet = document.spreadsheet.getElementsByType(table.Table)[0]
    rows = []
    for row in sheet.getElementsByType(table.TableRow):
        cells = []
        for cell in row.getElementsByType(table.TableCell):
            kind = cell.getAttribute("valuetype") or ""
            names = {
                "float": "value",
                "date": "datevalue",
                "time": "timevalue",
                "boolean": "booleanvalue",
            }
            lines = [str(line) for line in cell.getElementsByType(text.P)]
            value = cell.getAttribute(names[kind]) if kind in names else "\n".join(lines)
            cells.append((kind, value))
        rows.append(cells)
    return rows


RECORD = {
    "t": "007",
    "n": Decimal("12.50"),
    "d": "2026-03-01",
    "w": "2026-03-01T10:30:05",
    "c": "10:30:00",
    "s": "PT30H5M",
    "b": True,
}


def test_values_have_their_types_in_workbooks(tmp_path: Path) -> None:
    layout = {"columns": COLUMNS, "levels": []}
    places = [tmp_path / "t.xlsx", tmp_path / "t.ods"]
    flatledger.export(layout, [RECORD, {"n": 12345678901234567890}], places)
    rows = list(openpyxl.load_workbook(places[0]).active.values)  # type: ignore[union-attr]
    assert rows[1] == (
        "007",
        12.5,
        dt.datetime(2026, 3, 1),
        dt.datetime(2026, 3, 1, 10, 30, 5),
        dt.time(10, 30),
        dt.timedelta(hours=30, minutes=5),
        True,
    )
    assert rows[2] == (None, "12345678901234567890", *[None] * 5)
    assert odf_rows(places[1])[1] == [
        ("string", "007"),
        ("float", "12.50"),
        ("date", "2026-03-01"),
        ("date", "2026-03-01T10:30:05"),
        ("time", "PT10H30M00S"),
        ("time", "PT30H05M00S"),
        ("boolean", "true"),
    ]
    first = [place.read_bytes() for place in places]
    flatledger.export(layout, [RECORD, {"n": 12345678901234567890}], places)
    assert [place.read_bytes() for place in places] == first


def test_groups_fold_and_totals_stand_out_in_workbooks(tool: Tool, demo: Path) -> None:
    done = tool(
        "export",
        "requisition-lines.yaml",
        "requisitions.jsonl",
        "-o",
        "t.xlsx",
        "-o",
        "t.ods",
        "--with-balance",
    )
    assert done.returncode == 0
    book = openpyxl.load_workbook(demo / "t.xlsx")
    sheet = book.worksheets[0]
    assert (sheet.freeze_panes, sheet.auto_filter.ref, sheet.print_title_rows) == (
        "A2",
        "A1:L94",
        "$1:$1",
    )
    assert sheet.page_setup.orientation == "landscape"
    totals = [row[0].row for row in sheet.iter_rows() if str(row[2].value).startswith("Total")]
    assert len(totals) == 9
    for row in range(2, sheet.max_row):
        assert sheet.row_dimensions[row].outlineLevel == (0 if row in totals else 1)
        assert bool(sheet.cell(row, 6).font.bold) == (row in totals)
    assert [one.title for one in book.worksheets] == ["requisition-lines", "Balance"]
    assert ("Records read", 48) in [row[:2] for row in book["Balance"].values]
    assert book.properties.title == "requisition-lines"
    assert book.properties.description == "Source: requisitions.jsonl"
    content = ZipFile(demo / "t.ods").read("content.xml").decode()
    assert content.count("<table:table-row-group>") == 9
    assert 'table:display-filter-buttons="true"' in content


def test_what_a_sheet_cannot_hold_is_refused_or_goes_on(
    tool: Tool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    long = "é" * 40_000 + "😀" * 20_000
    records = [{"t": long}, *({"t": str(n)} for n in range(8))]
    layout: dict[str, Any] = {"columns": [{"T": "t"}], "levels": []}
    for suffix in ("xlsx", "ods"):
        place = tmp_path / f"t.{suffix}"
        with pytest.raises(
            flatledger.OutputError, match="row 2, T: a cell holds 32,767 letters, and"
        ):
            flatledger.export(layout, records, place)
        assert not place.exists()
        monkeypatch.setattr("flatledger.outputs.sheets.sheet_writer.MOST_ROWS", 5)
        with pytest.raises(
            flatledger.OutputError, match="a sheet holds 5 rows, and the table has more"
        ):
            flatledger.export(layout, records[1:], place)
        on = {**layout, "output": {"beyond": "continue", "sheet": "Stores/1"}}
        balance = flatledger.export(on, records, place, verify=True)
        assert balance.balanced
        assert any("1 text goes on, on the sheet Long texts" in note for note in balance.notes)
        found, _ = flatledger.survey(place, reading={"sheet": "Long texts"}), None
        assert found.records == 2
        assert flatledger.survey(place, reading={"sheet": "Stores-1 2"}).records == 4


@pytest.mark.parametrize("suffix", SUFFIXES)
def test_a_cell_that_differs_is_found_with_its_row(
    tmp_path: Path, suffix: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A file of which one figure is another than was written does not take its place."""
    rows_of = verifying.rows_of

    def altered(*given: Any) -> tuple[str, Any]:
        name, rows = rows_of(*given)
        changed = (
            [row[0], type(row[1])(f"{float(row[1]):g}9")] if row[0] == "c" else row for row in rows
        )
        return name, changed

    records = [{"t": letter, "n": number} for number, letter in enumerate("abcd")]
    columns = [{"T": "t"}, {"N": {"value": "n", "total": "sum"}}]
    place = tmp_path / f"t.{suffix}"
    monkeypatch.setattr(verifying, "rows_of", altered)
    balance = flatledger.export({"columns": columns}, records, place, verify=True)
    assert not balance.balanced
    assert len(balance.wrong) == 1
    says = "N: 12 was written and 39 is read; the first row that differs is 3: '2' was written"
    assert f"t.{suffix}: {says}" in balance.wrong[0]
    assert (place.exists(), (tmp_path / f"t.unbalanced.{suffix}").exists()) == (False, True)

    def short(*given: Any) -> tuple[str, Any]:
        name, rows = rows_of(*given)
        return name, iter(list(rows)[:-1])

    monkeypatch.setattr(verifying, "rows_of", short)
    balance = flatledger.export({"columns": columns}, records, place, verify=True)
    assert balance.wrong == [f"{place}: row 5 is not in the file"]


@pytest.mark.parametrize("suffix", ["csv", "xlsx", "ods"])
def test_a_heading_that_differs_is_found(
    tmp_path: Path, suffix: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    rows_of = verifying.rows_of

    def altered(*given: Any) -> tuple[str, Any]:
        name, rows = rows_of(*given)
        return name, (["Text" if cell == "T" else cell for cell in row] for row in rows)

    output = {"sheet": "Balance", "with-balance": "yes", "preamble": ["Title"], "csvw": "no"}
    layout = {"columns": [{"T": "t"}, {"N": "n"}], "output": output}
    place = tmp_path / f"t.{suffix}"
    assert flatledger.export(layout, [{"t": "a", "n": 1}], place, verify=True).wrong == []
    monkeypatch.setattr(verifying, "rows_of", altered)
    balance = flatledger.export(layout, [{"t": "a", "n": 1}], place, verify=True)
    assert balance.wrong == [f"{place}: the heading 'T' is read as 'Text'"]


def test_a_form_of_text_and_one_that_is_a_workbook_are_verified(tmp_path: Path) -> None:
    (tmp_path / "form.csv").write_text("N;Name\n")
    layout = flatledger.Layout.from_data({"columns": [{"Name": "t"}, {"N": "n"}]})
    fitted = layout.fitted_to(tmp_path / "form.csv")
    places = [tmp_path / "t.csv", tmp_path / "t.xlsx", tmp_path / "t.ods"]
    balance = flatledger.export(fitted, [{"t": "a", "n": 1}], places, verify=True)
    assert balance.wrong == []
    assert places[0].read_text() == "N;Name\n1;a\n"
    flatledger.export(fitted, [], tmp_path / "form.xlsx")
    again = layout.fitted_to(tmp_path / "form.xlsx")
    both = [tmp_path / "f.xlsx", tmp_path / "f.csv"]
    filled = flatledger.export(again, [{"t": "b", "n": 2}], both, verify=True)
    assert filled.wrong == []


def test_cells_that_are_changed_and_counted_are_verified_as_such(tmp_path: Path) -> None:
    """Cut, replaced, translated, put in a pattern, given a default: none of it is a difference."""
    columns = [
        {"Code": {"value": "c", "translate": {"a": "Alpha"}, "width": 8}},
        {"Text": {"value": "t", "width": 6, "default": "none"}},
        {"N": {"value": "n", "width": 7, "fill": "0", "decimals": 1, "total": "sum"}},
    ]
    records: list[Any] = [{"c": "a", "t": "two\nlines é", "n": -1.5}, {"c": "b", "n": None}]
    output = {
        "line-break": "space",
        "too-long": "cut",
        "encoding": "ascii",
        "unencodable": "replace",
    }
    layout: dict[str, Any] = {"columns": columns, "output": output, "levels": []}
    places = [tmp_path / f"t.{suffix}" for suffix in ("csv", "xlsx", "ods", "html", "md", "json")]
    assert flatledger.export(layout, records, places, verify=True).wrong == []
    fixed = {**layout, "output": {**output, "format": "fixed-width", "decimal-char": "comma"}}
    balance = flatledger.export(fixed, records, tmp_path / "t.txt", verify=True)
    assert (balance.wrong, (tmp_path / "t.txt").read_text().splitlines()[1:]) == (
        [],
        ["Alpha   two li-0001,5", "b       none         ", "Grand to      -0001,5"],
    )
    assert any("2 cells were cut" in note for note in balance.notes)


def test_of_several_files_those_that_were_put_in_place_are_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    replaced = os.replace

    def full(old: Path, new: Path) -> None:
        if Path(new).name == "b.csv":
            raise OSError(28, "No space left on device")
        replaced(old, new)

    monkeypatch.setattr(os, "replace", full)
    places = [tmp_path / "a.csv", tmp_path / "b.csv"]
    with pytest.raises(flatledger.OutputError, match=r"b\.csv can't be written") as caught:
        flatledger.export({"columns": [{"N": "n"}]}, [{"n": 1}], places)
    assert caught.value.written == f"the table had been written to {places[0]}"
    assert [path.name for path in tmp_path.iterdir()] == ["a.csv"]


def test_what_cannot_be_verified_is_said(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "a.jsonl").write_text('{"a": 1.5, "b": 2}\n')
    (tmp_path / "a.yaml").write_text(
        "columns: [{A: {value: a, format: '#,##0.0'}}, "
        "{B: {value: b, suppress-output: yes}}, {C: b}]"
    )
    done = tool("export", "a.yaml", "a.jsonl", "-o", "a.csv", "--verify")
    assert "their patterns can't be read back: A; not verified, since they are not written: B" in (
        " ".join(done.stderr.split())
    )
    assert tool("export", "a.yaml", "a.jsonl", "--verify").returncode == 1
    assert (
        "can't be verified; name a file" in tool("export", "a.yaml", "a.jsonl", "--verify").stderr
    )
    done = tool("export", "a.yaml", "a.jsonl", "-o", "a.json", "--csvw", "--with-balance")
    assert "no workbook is written, so no sheet has the balance" in done.stderr
    assert "no file of delimited text is written, so no metadata are" in done.stderr
    done = tool("export", "a.yaml", "a.jsonl", "--csvw")
    assert "so no metadata are" in done.stderr
    assert not list(tmp_path.glob("*metadata.json"))
    (tmp_path / "b.yaml").write_text("columns: [{C: b}]\noutput: {delimiter: '||'}")
    done = tool("export", "b.yaml", "a.jsonl", "-o", "a.csv", "--verify")
    assert "such a file can't be verified (leave out --verify)" in done.stderr
