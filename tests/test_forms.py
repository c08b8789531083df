"""Fitting a table to a published form: a CSV file, or a workbook that is filled in a copy."""

from __future__ import annotations

import csv
import datetime as dt
import re
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any
from zipfile import ZIP_DEFLATED, ZipFile

import pytest
from fuzz import forms
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from openpyxl import Workbook, load_workbook
from openpyxl.chart import BarChart
from openpyxl.styles import Font
from openpyxl.worksheet.datavalidation import DataValidation
from openpyxl.worksheet.table import Table

import flatledger
from flatledger import Layout, LayoutError, OutputError
from flatledger.layout.model.column import Column
from flatledger.layout.settling.fitting import matched
from flatledger.outputs.sheets.workbook_cells import CellWriter, number_format
from tests.conftest import Tool

RECORDS: list[Any] = [
    {"no": 2, "day": "2026-03-31", "name": "=1+1 <&>", "sum": Decimal("12.50"), "ok": True},
    {"no": 1, "day": "soon", "name": "a\x01b\nc\ud800", "sum": Decimal("1234567890123.4567")},
    {"no": 3, "day": "1899-05-01", "name": None, "sum": 7, "ok": False},
]
LAYOUT: dict[str, Any] = {
    "columns": [
        {"No.": "no"},
        {"Day": {"value": "day", "datatype": "date", "format": "d MMM yyyy"}},
        {"Name": {"value": "name", "titles": ["Called"]}},
        {"Sum": {"value": "sum", "unit": "SKC", "format": "#,##0.00"}},
        {"OK": {"value": "ok", "datatype": "boolean"}},
        {"Inner": "no * 2"},
    ],
    "sort": ["Inner"],
}


def workbook(path: Path, headings: list[Any], row: int = 3, column: int = 2) -> None:
    """A form with a title, headings, a table, lists to choose from and a second sheet."""
    book = Workbook()
    sheet = book.worksheets[0]
    sheet["A1"] = "A form"
    for place, heading in enumerate(headings, column):
        sheet.cell(row, place, heading).font = Font(bold=True)
    last = sheet.cell(row + 1, column + len(headings) - 1).coordinate
    first = sheet.cell(row, column).coordinate
    sheet.add_table(Table(displayName="Rows", ref=f"{first}:{last}"))
    choice = DataValidation(type="list", formula1='"a,b"')
    choice.add(sheet.cell(row + 1, column).coordinate)
    sheet.add_data_validation(choice)
    sheet.cell(row + 1, column).font = Font(italic=True)
    sheet.row_dimensions[row + 1].height = 31
    sheet.cell(row + 2, column + len(headings) + 2, "beside")
    book.create_sheet("Second")["A1"] = "=1+1"
    book.save(path)


def test_headings_are_matched_in_three_ways_and_never_guessed() -> None:
    columns = [
        *(Column("Qty"), Column("Part-No", titles=("Article",)), Column("Weight", unit="kg")),
        *(Column("weight kg x"), Column("qty."), Column("A b"), Column("a-B")),
    ]
    headings = ("QTY", "Article", "Weight (kg)", "Weight", "AB", "qty.", "Part no")
    found = {h: (column.heading, by[:7]) for h, (column, by) in matched(headings, columns).items()}
    assert found == {
        "Weight": ("Weight", "exactly"),
        "qty.": ("qty.", "exactly"),
        "QTY": ("Qty", "but for"),
        "Part no": ("Part-No", "but for"),
    }


def test_a_form_of_csv_from_the_command_line(tool: Tool, demo: Path) -> None:
    (demo / "form.csv").write_text("Title;;\nSTATION;Sum of it;Remarks;Part no.\n", "utf-8")
    (demo / "own.yaml").write_text(
        """
row-per: lines
fit-to: {form: form.csv, header-row: 2}
columns:
  - Part no: lines.part.code
  - Station: station.name
  - Amount: {value: lines.qty * lines.unit_price, decimals: 2, total: sum, titles: [Sum of it]}
  - Remark: status
sort: [Remark, Part no]
"""
    )
    export = ("export", "own.yaml", "requisitions.jsonl")
    done = tool(*export, "-o", "out.csv")
    assert done.returncode == 0, done.stderr
    with (demo / "out.csv").open(newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file, delimiter=";"))
    assert rows[0] == ["STATION", "Sum of it", "Remarks", "Part no."]
    assert rows[-1] == ["Grand total", "5327.10", "", ""]
    assert {row[2] for row in rows[1:]} == {""}
    for line in (
        "headings in row 2: 3 of 4 have a column (2 but for case, spaces and punctuation, 1 by",
        "`Part no.` takes `Part no`",
        "no column for the form's heading `Remarks`; perhaps `Remark`",
        "no heading in the form for the column `Remark`; perhaps `Remarks`",
    ):
        assert line in done.stderr
    before = (demo / "out.csv").read_bytes()
    strict = tool(*export, "-o", "out.csv", "--strict")
    assert strict.returncode == 1
    assert "no column for the form's heading `Remarks`" in strict.stderr
    assert (demo / "out.csv").read_bytes() == before
    look = tool("preview", "own.yaml", "requisitions.jsonl")
    assert "3 of 4 have a column" in look.stdout + look.stderr
    (demo / "fits.csv").write_text("Amount,Part no,Remark,Station\n", "utf-8")
    fits = tool(*export, "--strict", "--fit-to", "fits.csv", "-o", "-", "-q")
    assert fits.returncode == 0, fits.stderr
    assert fits.stdout.startswith("Amount,Part no,Remark,Station\r\n")
    itself = tool(*export, "-o", "form.csv")
    assert "form.csv takes part in this run" in itself.stderr


def test_a_workbook_is_filled_in_a_copy(tmp_path: Path) -> None:
    form, out = tmp_path / "form.xlsx", tmp_path / "out.xlsx"
    workbook(form, ["no", "Called", "Day", "Sum (SKC)", "Seen by", "ok"])
    layout = Layout.from_data(LAYOUT).fitted_to(form)
    balance = flatledger.export(layout, RECORDS, out)
    assert balance.balanced
    book = load_workbook(out)
    sheet = book.worksheets[0]
    assert [[cell.value for cell in row[1:7]] for row in sheet.iter_rows(min_row=3)] == [
        ["no", "Called", "Day", "Sum (SKC)", "Seen by", "ok"],
        [1, "a_x0001_b\nc_xD800_", "soon", "1234567890123.4567", None, None],
        [2, "=1+1 <&>", dt.datetime(2026, 3, 31), 12.5, None, True],
        [3, None, "1899-05-01", 7, None, False],
    ]
    assert sheet["C5"].data_type != "f"  # a text, and no formula
    assert [sheet[place].number_format for place in ("D5", "E5")] == ["d mmm yyyy", "#,##0.00"]
    assert all(sheet[f"B{row}"].font.i and sheet.row_dimensions[row].height == 31 for row in (4, 6))
    assert sheet.tables["Rows"].ref == "B3:G6"
    assert str(sheet.data_validations.dataValidation[0].sqref) == "B4:B6"
    assert (sheet["A1"].value, sheet["J5"].value) == ("A form", "beside")
    assert book["Second"]["A1"].value == "=1+1"
    assert balance.notes[-1].startswith("Sum (SKC): numbers of more than 15 digits")
    assert flatledger.table(layout, RECORDS).headings == layout.headings
    assert layout.headings == ("no", "Called", "Day", "Sum (SKC)", "Seen by", "ok")


texts = st.text(
    st.characters(exclude_categories=["Cs", "Cc"], exclude_characters="\ufffe\uffff_"), min_size=1
).filter(lambda text: bool(text.strip()))
numbers = st.integers(-(10**14), 10**14) | st.decimals(-(10**6), 10**6, places=4)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=40)
@given(st.lists(st.tuples(texts, numbers, st.none() | st.dates(dt.date(1900, 3, 1)))))
def test_what_a_workbook_holds_is_what_the_rows_hold(tmp_path: Path, rows: list[Any]) -> None:
    form, out = tmp_path / "form.xlsx", tmp_path / "out.xlsx"
    if not form.exists():
        workbook(form, ["T", "N", "D"], row=1, column=1)
    columns = [{"T": "t"}, {"N": "n"}, {"D": {"value": "d", "datatype": "date"}}]
    records = [{"t": t, "n": n, "d": d.isoformat() if d else None} for t, n, d in rows]
    flatledger.export(Layout.from_data({"columns": columns}).fitted_to(form), records, out)
    sheet = load_workbook(out).worksheets[0]
    found = [row[:3] for row in sheet.iter_rows(min_row=2, max_row=1 + len(rows), values_only=True)]
    for (text, number, day), cells in zip(rows, found, strict=False):
        assert cells[0] == text
        assert cells[1] == float(number)
        assert cells[2] == (day and dt.datetime(day.year, day.month, day.day))
    assert len(found) >= len(rows)


@pytest.mark.parametrize(
    ("headings", "says"),
    [
        (["A", "B", "A"], "the heading `A` comes twice, in B3 and D3"),
        (["A", " ", "C"], "the heading in C3 is blank; give it one"),
    ],
)
def test_a_form_with_headings_that_cannot_be(
    tmp_path: Path, headings: list[Any], says: str
) -> None:
    workbook(tmp_path / "form.xlsx", headings)
    with pytest.raises(LayoutError, match=says):
        Layout.from_data(LAYOUT).fitted_to(tmp_path / "form.xlsx")


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda sheet: sheet.cell(5, 3, "taken"), "C5 is filled already"),
        (lambda sheet: sheet.merge_cells("B5:C5"), "B5:C5 are merged cells where the table"),
    ],
)
def test_nothing_in_a_form_is_written_over(
    tmp_path: Path, change: Callable[[Any], Any], says: str
) -> None:
    form, out = tmp_path / "form.xlsx", tmp_path / "out.xlsx"
    layout = Layout.from_data(LAYOUT)
    workbook(form, ["No.", "Day"])
    book = load_workbook(form)
    change(book.worksheets[0])
    book.save(form)
    with pytest.raises(OutputError, match=says):
        flatledger.export(layout.fitted_to(form), RECORDS, out)
    assert not out.exists()
    assert flatledger.export(layout.fitted_to(form, first_row=6), RECORDS, out).balanced
    assert load_workbook(out).worksheets[0]["B6"].value == 1


def test_what_is_no_form_and_what_no_cell_holds(tmp_path: Path) -> None:
    form, out = tmp_path / "form.xlsx", tmp_path / "out.xlsx"
    layout = Layout.from_data(LAYOUT)
    (tmp_path / "no.xlsx").write_bytes(b"PK not")
    for place, says in (("no.xlsx", "this is no workbook"), ("gone.xlsx", "can't be read")):
        with pytest.raises(LayoutError, match=says):
            layout.fitted_to(tmp_path / place)
    workbook(form, ["Called", "Day"])
    with pytest.raises(OutputError, match="the form is an XLSX workbook"):
        flatledger.export(layout.fitted_to(form), RECORDS, tmp_path / "out.ods")
    with pytest.raises(OutputError, match="B4: a cell holds 32,767 letters"):
        flatledger.export(layout.fitted_to(form), [{"name": "x" * 40_000}], out)
    assert not out.exists()
    out.symlink_to("/dev/full")
    with pytest.raises(OutputError, match="can't be written: No space left"):
        flatledger.export(layout.fitted_to(form), RECORDS * 10_000, out)
    for other in ("out.ods", "out.json", "out.html"):
        (tmp_path / other).symlink_to("/dev/full")
    for place in (out, *(tmp_path / name for name in ("out.ods", "out.json", "out.html"))):
        with pytest.raises(OutputError, match="can't be written: No space left"):
            flatledger.export(layout, RECORDS * 100, place)


def test_a_draft_for_a_form(tool: Tool, demo: Path) -> None:
    (demo / "form.csv").write_text("Status,Part code,Name of part,Checked by\n", "utf-8")
    done = tool("draft", "requisitions.jsonl", "--row-per", "lines", "--fit-to", "form.csv")
    assert "  - Status: status\n  - Part code: lines.part.code\n" in done.stdout
    assert "  - Name of part:   # perhaps " in done.stdout
    assert "  - Checked by:\n" in done.stdout
    assert "# 2 of the 4 headings of form.csv have a field." in done.stdout
    by_itself = tool("draft", "requisitions.jsonl", "--fit-to", "form.csv")
    assert "\nrow-per: lines\n" in by_itself.stdout  # what the deepest field that matches is of
    (demo / "own.yaml").write_text(done.stdout)
    run = tool(
        *("export", "own.yaml", "requisitions.jsonl", "-o", "out.csv", "--strict"),
        *("--fit-to", "form.csv"),
    )
    assert run.returncode == 0, run.stderr


def test_a_second_header_row(tmp_path: Path) -> None:
    columns = [{"A": {"value": "a", "unit": "kg"}}, {"B": "b.c"}, {"C": {"text": "x"}}]
    for second, rows in (
        ("units", [["A", "B", "C"], ["kg", "", ""]]),
        ("paths", [["A, kg", "B", "C"], ["a", "b.c", ""]]),
        ("none", [["A, kg", "B", "C"]]),
    ):
        layout = Layout.from_data({"columns": columns, "output": {"second-header": second}})
        flatledger.export(layout, [{"a": 1}], tmp_path / "out.csv")
        with (tmp_path / "out.csv").open(newline="") as file:
            written = list(csv.reader(file))
        assert written == [*rows, ["1", "", "x"]]
        assert layout.headings == tuple(rows[0])


@pytest.mark.parametrize(
    ("column", "value", "holds"),
    [
        (Column("A"), None, ""),
        (Column("A"), 10**15 - 1, "<v>999999999999999</v>"),
        (Column("A"), 10**15 + 1, ">1000000000000001</t>"),
        (Column("A"), 10**20, "<v>100000000000000000000</v>"),
        (Column("A"), Decimal("-0.00000012"), "<v>-0.00000012</v>"),
        (Column("A"), " a_x0041_ & <b>", "> a_x005F_x0041_ &amp; &lt;b&gt;</t>"),
        (Column("A", datatype="date"), dt.date(1900, 3, 1), "<v>61</v>"),
        (Column("A", datatype="date"), dt.date(1900, 2, 28), ">1900-02-28</t>"),
        (Column("A", datatype="date"), "some day", ">some day</t>"),
        (Column("A", datatype="dateTime"), dt.datetime(2026, 3, 31, 18), "<v>46112.75</v>"),
        (Column("A"), dt.datetime.fromisoformat("2026-03-31T18:00+01:00"), "T18:00:00+01:00</t>"),
        (Column("A", datatype="time"), dt.time(6), "<v>0.25</v>"),
        (Column("A", datatype="boolean"), True, ' t="b"><v>1</v>'),
        (Column("A", datatype="boolean"), "perhaps", ">perhaps</t>"),
    ],
)
def test_a_value_as_a_cell(column: Column, value: Any, holds: str) -> None:
    text = CellWriter(column).cell(value, "B5", 0)
    assert holds in text
    assert text.startswith('<c r="B5"') == (value is not None)


def test_the_days_of_1904_and_patterns_as_a_workbook_writes_them() -> None:
    day = Column("A", datatype="date")
    assert "<v>0</v>" in CellWriter(day, from_1904=True).cell(dt.date(1904, 1, 1), "A1", 0)
    assert ">1903-12-31</t>" in CellWriter(day, from_1904=True).cell(dt.date(1903, 12, 31), "A1", 0)
    formats = {
        "dd/MM/yy": "dd/mm/yy",
        "EEEE d MMMM y": "dddd d mmmm yyyy",
        "d. 'of' MMM": 'd. "of" mmm',
        "QQQ yyyy": "yyyy-mm-dd",  # a workbook has no quarters
    }
    for pattern, code in formats.items():
        assert number_format(Column("A", datatype="date", format=pattern)) == code
    assert number_format(Column("A", datatype="time", format="h:mm a")) == "h:mm AM/PM"
    assert number_format(Column("A", decimals=3)) == "0.000"
    assert number_format(Column("A", decimals=3, format="#,##0.00 ¤")) == "0.000"
    assert number_format(Column("A")) is None


LATER = b'<extLst><ext uri="x" xmlns:l="urn:later"><l:sqref>A2 D9</l:sqref></ext></extLst>'


@pytest.mark.filterwarnings("ignore:Unknown extension")
def test_a_form_whose_rows_and_cells_are_not_numbered(tmp_path: Path) -> None:
    form, bare, out = (tmp_path / f"{name}.xlsx" for name in ("form", "bare", "out"))
    workbook(form, ["No.", "Day"], row=1, column=1)
    with ZipFile(form) as old, ZipFile(bare, "w") as new:
        for name in old.namelist():
            data = old.read(name)
            if name.endswith("sheet1.xml"):  # the standard lets both be left out
                rows, beside, rest = data.partition(b'<row r="3"')
                data = re.sub(rb'(<(?:row|c)) r="\w+"', rb"\1", rows) + beside + rest
                data = data.replace(b"</worksheet>", LATER + b"</worksheet>")
            new.writestr(name, data)
    layout = Layout.from_data(LAYOUT).fitted_to(bare)
    assert flatledger.export(layout, RECORDS, out).balanced
    sheet = load_workbook(out).worksheets[0]
    assert [sheet.cell(row, 1).value for row in range(1, 5)] == ["No.", 1, 2, 3]
    assert sheet["E3"].value == "beside"
    with ZipFile(out) as new:
        assert b"<l:sqref>A2:A4 D9</l:sqref>" in new.read("xl/worksheets/sheet1.xml")


def number_in(cell: str) -> float:
    found = re.search(r"<v>([^<]*)</v>", cell)
    assert found
    return float(found[1])


@pytest.mark.parametrize("day", ["", "1900-03-01", "2026-11-25", "9999-12-31"])
@pytest.mark.parametrize("from_1904", [False, True])
def test_every_second_of_a_day_is_that_second_for_who_cuts_off_and_who_rounds(
    day: str, from_1904: bool
) -> None:
    if day.startswith("1900") and from_1904:
        return  # before the first day of such a workbook
    writer = CellWriter(Column("T", datatype="dateTime" if day else "time"), from_1904)
    step = 1 if not day else 61
    for second in range(0, 86_400, step):
        clock = (dt.datetime.min + dt.timedelta(seconds=second)).time()
        value = dt.datetime.combine(dt.date.fromisoformat(day), clock) if day else clock
        days = number_in(writer.cell(value, "A1", 0)) % 1
        assert int(days * 86_400) == round(days * 86_400) == second


def test_a_row_with_something_beside_the_table_keeps_the_first_row_s_formats(
    tmp_path: Path,
) -> None:
    workbook(tmp_path / "form.xlsx", ["No.", "Text", "Zero"])
    column = {"value": "zero", "datatype": "decimal", "default": "0"}
    layout = {"columns": [{"No.": "no"}, {"Text": "text"}, {"Zero": column}]}
    texts = ["a\r\nb\rc\nd", "\rx\r", "\tz"]
    records = [{"no": number, "text": text} for number, text in enumerate(texts)]
    form = Layout.from_data(layout).fitted_to(tmp_path / "form.xlsx")
    flatledger.export(form, records, tmp_path / "out.xlsx")
    sheet = load_workbook(tmp_path / "out.xlsx").worksheets[0]
    assert [sheet.cell(row, 2).font.italic for row in (4, 5, 6)] == [True] * 3
    assert [sheet.row_dimensions[row].height for row in (4, 5, 6)] == [31] * 3
    assert sheet.cell(5, 7).value == "beside"
    assert [sheet.cell(row, 3).value for row in (4, 5, 6)] == texts
    assert [sheet.cell(row, 4).value for row in (4, 5, 6)] == [0] * 3


def test_an_untyped_truth_value_is_one_in_a_workbook(tmp_path: Path) -> None:
    workbook(tmp_path / "form.xlsx", ["OK", "Test"])
    layout = Layout.from_data({"columns": [{"OK": "ok"}, {"Test": "n > 1"}]})
    form = layout.fitted_to(tmp_path / "form.xlsx")
    flatledger.export(form, [{"ok": True, "n": 2}], tmp_path / "out.xlsx")
    sheet = load_workbook(tmp_path / "out.xlsx").worksheets[0]
    assert [sheet.cell(4, place).value for place in (2, 3)] == [True, True]


def test_damaged_workbooks_are_refused_or_filled(tmp_path: Path) -> None:
    outcomes = {forms.run(seed, tmp_path) for seed in range(150)}
    assert outcomes == {"filled", "refused"}


def test_a_workbook_that_unpacks_without_end_is_refused(tmp_path: Path) -> None:
    form = tmp_path / "form.xlsx"
    workbook(form, ["no", "Called"])
    with ZipFile(form, "a", ZIP_DEFLATED) as packed, packed.open("xl/pad.xml", "w") as part:
        for _ in range(1_100):
            part.write(b"\0" * (1 << 20))
    with pytest.raises(LayoutError, match=r"would take 1,1\d\d MB when unpacked; 64 are the"):
        Layout.from_data(LAYOUT).fitted_to(form)


def test_a_form_whose_first_sheet_is_a_chart(tmp_path: Path) -> None:
    book = Workbook()
    book.create_chartsheet("Chart", 0).add_chart(BarChart())
    book.worksheets[0].append(["no", "Called"])
    book.save(tmp_path / "form.xlsx")
    layout = Layout.from_data({"columns": [{"no": "no"}, {"Called": "name"}]})
    flatledger.export(
        layout.fitted_to(tmp_path / "form.xlsx"), [{"no": 7, "name": "x"}], tmp_path / "out.xlsx"
    )
    sheet = load_workbook(tmp_path / "out.xlsx").worksheets[0]
    assert list(sheet.iter_rows(values_only=True)) == [("no", "Called"), (7, "x")]
