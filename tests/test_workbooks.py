"""Workbooks as sources: what a cell holds, where a table is, files that are not what they seem."""

from __future__ import annotations

import datetime as dt
import io
import zipfile
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
import xlsxwriter
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.outputs.sheets.opendocument_parts import MANIFEST
from tests.conftest import Tool


def workbook(place: Path, fill: Any) -> Path:
    with xlsxwriter.Workbook(str(place)) as book:
        fill(book)
    return place


def stores(book: Any) -> None:
    """Two sheets: a title, headings in two rows, merged cells, hidden rows, errors, every type."""
    sheet = book.add_worksheet("Stores")
    sheet.write(0, 0, "Stores of March")
    sheet.merge_range(2, 1, 2, 2, "Lot")
    sheet.write_row(3, 0, ["No", "Qty", "Price", "Day", "When", "Clock", "Span", "Sent", "Sum"])
    for row, number in ((4, 0.1), (5, 3), (6, 1e20), (7, 0.3)):
        sheet.write(row, 0, f"00{row}")
        sheet.write_number(row, 1, number)
    formats = [
        book.add_format({"num_format": code})
        for code in ("d/m/yy", "d/m/yy hh:mm", "hh:mm", "[h]:mm")
    ]
    sheet.write_datetime(4, 3, dt.date(2026, 3, 1), formats[0])
    sheet.write_datetime(4, 4, dt.datetime(2026, 3, 1, 10, 30, 5), formats[1])
    sheet.write_datetime(4, 5, dt.time(10, 30), formats[2])
    sheet.write_datetime(4, 6, dt.timedelta(hours=30, minutes=5), formats[3])
    sheet.write_boolean(4, 7, True)
    sheet.write_formula(4, 8, "=1+1", None, 2)
    sheet.write_formula(5, 8, "=1/0", None, "#DIV/0!")
    sheet.merge_range(6, 2, 7, 2, "both")
    sheet.set_row(6, None, None, {"hidden": True})
    other = book.add_worksheet("Other")
    other.add_table(
        "B2:C4",
        {"name": "Bays", "data": [[1, 2], [3, 4]], "columns": [{"header": "x"}, {"header": "y"}]},
    )
    book.define_name("Corner", "=Stores!$A$4:$B$6")


def rows_in(place: Path, headings: list[str], **how: Any) -> list[tuple[Any, ...]]:
    layout = {"levels": [], "source": how, "columns": [{name: f"$['{name}']"} for name in headings]}
    return list(flatledger.table(layout, place))


def test_cells_are_what_they_are(tool: Tool, tmp_path: Path) -> None:
    place = workbook(tmp_path / "stores.xlsx", stores)
    names = ["No", "Qty", "Day", "When", "Clock", "Span", "Sent", "Sum"]
    rows = rows_in(place, names, **{"skip-rows": 3})
    assert [str(cell) for cell in rows[0]] == [
        *("004", "0.1", "2026-03-01", "2026-03-01T10:30:05", "10:30:00", "PT30H5M", "True", "2")
    ]
    assert [str(row[1]) for row in rows] == [
        "0.1",
        "3",
        "100000000000000000000",
        "0.3",
    ]
    found = flatledger.survey(place)
    assert found.manner.startswith(
        "a workbook, sheet Stores; headings in row 4; not read: sheet Other"
    )
    columns = ("--column", "S: Sum", "--column", "T: {value: Sum, total: sum}")
    done = tool("export", "stores.xlsx", *columns)
    assert "record 2, Sum: is an error of the workbook: #DIV/0!" in done.stderr
    assert done.returncode == 0


def test_where_a_table_is(tmp_path: Path) -> None:
    place = workbook(tmp_path / "stores.xlsx", stores)
    assert rows_in(place, ["x", "y"], range="Bays") == [(1, 2), (3, 4)]
    assert rows_in(place, ["x", "y"], sheet="Other", range="B2:C3") == [(1, 2)]
    assert rows_in(place, ["No"], range="Corner") == [("004",), ("005",)]
    two = {"skip-rows": 2, "header-row-count": 2}
    assert [row[1] for row in rows_in(place, ["Lot Qty", "Lot Price"], **two)] == [
        None,
        None,
        "both",
        None,
    ]
    filled = {**two, "fill-merged": "yes"}
    assert [row[0] for row in rows_in(place, ["Lot Price"], **filled)] == [
        None,
        None,
        "both",
        "both",
    ]
    assert len(rows_in(place, ["No"], **{"hidden-rows": "drop"})) == 3
    for how, says in (
        ({"sheet": "Stors"}, "no sheet `Stors`; did you mean `Stores`?"),
        ({"range": "Bais"}, "no range or table `Bais`; did you mean `Bays`?"),
        ({"records": "a"}, "there is no place within a table"),
    ):
        with pytest.raises(flatledger.SourceError, match=says.replace("?", r"\?")):
            rows_in(place, ["No"], **how)


CELLS = st.one_of(
    st.integers(-(10**12), 10**12),
    st.integers(-(10**9), 10**9).map(lambda number: Decimal(number * 10 + 5).scaleb(-3)),
    st.text(st.sampled_from("ab;,\"'\t é😀"), min_size=1, max_size=6),
    st.booleans(),
    st.dates(dt.date(1901, 1, 1)).map(str),
)


@settings(
    deadline=None, max_examples=30, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(
    st.lists(
        st.fixed_dictionaries({"No": st.integers(1, 999), "Cell": CELLS}), min_size=1, max_size=8
    )
)
def test_the_same_records_from_text_and_workbooks_give_the_same_table(
    tmp_path: Path, records: list[Any]
) -> None:
    layout = {
        "levels": [],
        "columns": [{"No": {"value": "No", "datatype": "integer"}}, {"Cell": "Cell"}],
        "sort": ["No"],
    }
    first = [tmp_path / f"first.{suffix}" for suffix in ("csv", "tsv", "xlsx", "ods", "jsonl")]
    plain = {**layout, "output": {"formula-guard": "no"}}
    flatledger.export(plain, records, first, if_there="replace")
    tables = []
    for place in first:
        written = io.BytesIO()
        flatledger.export(plain, place, written)
        tables.append(written.getvalue())
    assert len({*tables}) == 1


def sparse(book: Any) -> None:
    sheet = book.add_worksheet("Far")
    sheet.write(0, 0, "a")
    sheet.write(1_048_575, 16_383, "z")


def formats_only(book: Any) -> None:
    sheet = book.add_worksheet("Looks")
    for row in range(5_000):
        sheet.set_row(row, None, book.add_format({"bold": True}) if row < 3 else None)
        sheet.write_blank(row, 5, None, book.formats[-1])


def bomb(place: Path) -> Path:
    workbook(place, stores)
    with zipfile.ZipFile(place, "a", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/media/big.bin", b"\0" * (40 << 20))
    return place


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (
            lambda place: workbook(place, sparse),
            "reaches to row 1,048,576 and column 16,384, and holds 2",
        ),
        (lambda place: workbook(place, formats_only), "the sheet Looks has no headings"),
        (bomb, "MB when unpacked, and 20 are the most"),
        (lambda place: place.write_bytes(b"PK\x03\x04 no more"), "this workbook is damaged"),
        (lambda place: place.write_bytes(b"\xd0\xcf\x11\xe0" * 9), "a workbook of the old kind"),
        (lambda place: zipfile.ZipFile(place, "w").writestr("a.txt", "x"), "but no workbook"),
        (lambda place: place.write_text("<html>"), "is HTML, and no sound XML"),
    ],
)
def test_files_that_are_not_what_they_seem(
    tool: Tool, tmp_path: Path, make: Any, says: str
) -> None:
    make(tmp_path / "bad.xlsx")
    done = tool("survey", "bad.xlsx", "--read", "largest-unpacked=20")
    assert done.returncode == 1
    assert says in done.stderr


def test_each_byte_of_a_workbook_replaced_and_each_part_cut_off(tmp_path: Path) -> None:
    """No traceback, whatever is wrong: a table, a fault, or a clear error."""
    place = workbook(tmp_path / "w.xlsx", stores)
    whole = place.read_bytes()
    step = max(len(whole) // 150, 1)
    damaged = [whole[:end] for end in range(0, len(whole), len(whole) // 10)]
    damaged += [
        whole[:at] + bytes([whole[at] ^ 0xFF]) + whole[at + 1 :]
        for at in range(0, len(whole), step)
    ]
    for data in damaged:
        try:
            flatledger.survey(io.BytesIO(data))
        except flatledger.FlatLedgerError:
            continue


def test_lists_codes_and_lookups_in_any_format(tmp_path: Path) -> None:
    codes = [{"code": "a", "wording": "Alpha"}, {"code": "b", "wording": "Beta"}]
    columns = {"columns": [{"code": "code"}, {"wording": "wording"}]}
    for suffix in ("csv", "tsv", "xlsx", "ods", "jsonl", "json"):
        flatledger.export(columns, codes, tmp_path / f"codes.{suffix}")
        (tmp_path / "own.yaml").write_text(
            f"columns:\n  - Word: {{value: c, translate: codes.{suffix}}}\n  - Join: side.wording\n"
            f"lookup: {{side: {{file: codes.{suffix}, matched-by: c, key: code}}}}\n"
            f"only:\n  - c in list('codes.{suffix}', 'code')\n"
        )
        rows = flatledger.table(
            flatledger.Layout.from_file(tmp_path / "own.yaml"), [{"c": "b"}, {"c": "z"}]
        )
        assert list(rows) == [("Beta", "Beta")], suffix
    sheet = workbook(tmp_path / "sheets.xlsx", stores)
    text = f"{{file: {sheet.name}, matched-by: c, key: x, source: {{range: Bays}}}}"
    (tmp_path / "own.yaml").write_text(f"columns: [Y: bay.y]\nlookup: {{bay: {text}}}\n")
    rows = flatledger.table(flatledger.Layout.from_file(tmp_path / "own.yaml"), [{"c": 3}])
    assert list(rows) == [(4,)]


ODS = """<?xml version="1.0"?><office:document-content
 xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"
 xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"
 xmlns:calcext="urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0"
><office:body><office:spreadsheet><table:table table:name="Stores">
<table:table-row>{0}</table:table-row>
<table:table-row><table:table-cell office:value-type="string" table:number-rows-spanned="2"
 table:number-columns-spanned="1"><text:p>both<text:tab/>a</text:p><text:p>b</text:p>
</table:table-cell><table:table-cell office:value-type="time" office:time-value="PT30H05M00S"/>
<table:table-cell office:value-type="string" calcext:value-type="error"><text:p>#DIV/0!</text:p>
</table:table-cell></table:table-row>
<table:table-row table:visibility="collapse"><table:covered-table-cell/>
<table:table-cell office:value-type="time" office:time-value="PT10H05M00S"/>
<table:table-cell office:value-type="float" office:value="0.10"/></table:table-row>
<table:table-row table:number-rows-repeated="1048573"/>
</table:table>
<table:named-expressions><table:named-range table:name="Corner"
 table:cell-range-address="$Stores.$A$1:$Stores.$B$3"/></table:named-expressions>
</office:spreadsheet></office:body></office:document-content>"""


def test_opendocument_has_merged_hidden_and_odd_cells_too(tmp_path: Path) -> None:
    heading = '<table:table-cell office:value-type="string"><text:p>{}</text:p></table:table-cell>'
    cells = "".join(map(heading.format, ("Part", "Span", "Sum")))
    content = ODS.format(cells)
    place = tmp_path / "s.ods"
    with zipfile.ZipFile(place, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("content.xml", content)
        packed.writestr("META-INF/manifest.xml", MANIFEST)
    names = ["Part", "Span", "Sum"]
    rows = [tuple(map(str, row)) for row in rows_in(place, names)]
    assert rows == [("both\ta\nb", "PT30H5M", "#DIV/0!"), ("None", "10:05:00", "0.1")]
    assert rows_in(place, ["Part"], **{"fill-merged": "yes"})[1] == ("both\ta\nb",)
    assert len(rows_in(place, ["Part"], **{"hidden-rows": "drop"})) == 1
    assert len(rows_in(place, ["Span"], range="Corner")) == 2
