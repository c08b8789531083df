"""The sample layouts over the sample data; every figure here was added up by hand."""

from __future__ import annotations

import csv
import datetime as dt
import json
from decimal import Decimal
from pathlib import Path
from typing import Any

from lxml import html
from openpyxl import load_workbook

import flatledger
from flatledger.demo import LAYOUTS
from tests.conftest import Tool


def exported(demo: Path, name: str, delimiter: str) -> list[list[str]]:
    layout = flatledger.Layout.from_file(demo / f"{name}.yaml")
    to = demo / "table.csv"
    assert flatledger.export(layout, demo / LAYOUTS[f"{name}.yaml"], to).balanced
    with to.open(encoding="utf-8", newline="") as file:
        return list(csv.reader(file, delimiter=delimiter))


def test_subtotals_of_the_requisition_lines(demo: Path) -> None:
    rows = exported(demo, "requisition-lines", ";")
    brae = [row for row in rows if row[2] == "Brae Sound"]
    # R-0043: 6 x 24.50 + 12 x 4.40; R-0048: 3 x 0.60; R-0038: 1 x 0.60; R-0025: 4 x 31 + 6 x 3.20;
    # R-0015: 2 x 31 + 4 x 3.20 + 6 x 24.50; R-0002: 5 x 4.40 + 10 x 2.50 + 1 x 10
    amounts = " ".join(row[7] for row in brae)
    assert amounts.startswith("147.00 52.80 1.80 0.60 124.00 19.20 62.00 12.80 147.00 22.00")
    total = next(row for row in rows if row[2] == "Total Brae Sound")
    # carriage: 12.75 + 12.75 + 12.75 + 4.50 + 4.50 + 0.00, once for each requisition
    assert total == ["", "", "Total Brae Sound", "", "", "60", "", "624.20", "47.25", "", "", ""]
    assert rows[-1][2] == "Grand total"
    assert rows[-1][5:9] == ["428", "", "4516.65", "227.50"]


def test_awkward_records_come_out_whole(demo: Path) -> None:
    rows = {row[0]: row for row in exported(demo, "requisition-lines", ";") if row[0]}
    assert rows["R-0014"][3:8] == ["WK-20", "Round wick", "1", "3.20", "3.20"]  # a lone line
    assert rows["R-0007"][3:9] == ["", "", "", "", "", "0.00"]  # no lines
    assert rows["R-0030"][2] == ""  # no station
    assert rows["R-0032"][9] == "urgent"  # one tag, not a list
    every = exported(demo, "requisition-lines", ";")
    assert ["R-0005", 'Battery; "dry",\nfor the large lamp'] in [[r[0], r[4]] for r in every]
    assert "灯台のレンズ布" in [row[4] for row in every]
    layout = flatledger.Layout.from_data({"columns": [{"Account": "account"}]})
    accounts = [row[0] for row in flatledger.table(layout, demo / "requisitions.jsonl")]
    assert 100000000000000000000017 in accounts


def test_summary_by_station(demo: Path) -> None:
    rows = exported(demo, "station-summary", ",")
    # Hollow Isle: R-0040, R-0035, R-0017, R-0012 with 1 + 2 + 2 + 4 lines;
    # 30 + 224.40 + 120.40 + 80.75; carriage 4.50 + 4.50 + 0 + 0; the mean line 455.55 / 9
    assert ["Hollow Isle", "9", "50", "455.55", "50.62", "9.00"] in rows
    assert rows[-1] == ["Grand total", "97", "504", "5011.90", "51.67", "251.25"]


def test_requisitions_above_their_lines(demo: Path) -> None:
    name = "requisitions-and-their-lines"
    layout, place = flatledger.Layout.from_file(demo / f"{name}.yaml"), demo / "t.html"
    assert flatledger.export(layout, demo / LAYOUTS[f"{name}.yaml"], place, verify=True).balanced
    page: Any = html.parse(str(place))
    rows = [[cell.text_content() for cell in row] for row in page.iterfind(".//tbody/tr")]
    at = next(place for place, row in enumerate(rows) if row[0] == "R-0012")
    # 44.00 + 30.00 + 4.25 + 2.50, the largest first
    assert rows[at][1:2] + rows[at][4:5] == ["Hollow Isle", "80.75"]
    assert [row[-1] for row in rows[at + 1 : at + 5]] == ["44.00", "30.00", "4.25", "2.50"]
    assert len(rows) == 48 + 103 + 2  # the total stands once for each level
    assert (rows[-2][3], rows[-1][-2:]) == ("257.25", ["528", "5327.10"])


BY_STATION = """
about: A page for each station, with the sum, the mean and the largest amount.
levels: [lines, lines.options, payments]
row-per: lines
without-entries: drop
columns:
  - Station: station.name
  - Requisition: no
  - Part: lines.part.name
  - Quantity: {value: lines.qty, total: sum}
  - Amount: {value: lines.qty * lines.unit_price, decimals: 2, total: [sum, avg, max]}
group:
  - {by: Station, heading: row, page-break: yes, label: "{group}, {rows} lines"}
  - {by: Requisition, heading: first, subtotals: none}
totals: {labels: {avg: "Mean line", max: "Largest line"}}
"""


def test_a_page_for_each_station(demo: Path) -> None:
    layout, place = flatledger.Layout.from_text(BY_STATION), demo / "t.xlsx"
    assert flatledger.export(layout, demo / "requisitions.jsonl", place, verify=True).balanced
    sheet: Any = load_workbook(place).active
    rows = [list(row) for row in sheet.values]
    at = rows.index(["Hollow Isle", None, None, None, None])
    assert rows[at + 10 : at + 13] == [
        ["Hollow Isle, 9 lines", None, None, 50, 455.55],  # 80.75 + 120.40 + 224.40 + 30.00
        ["Mean line", None, None, None, 50.62],
        ["Largest line", None, None, None, 186],
    ]
    assert [row[1] for row in rows[at + 1 : at + 10]] == [
        *("R-0012", None, None, None, "R-0017", None, "R-0035", None, "R-0040"),
    ]
    assert len(sheet.row_breaks.brk) == 8  # nine stations, of which one is blank


def test_summary_by_part_states_the_overlap(demo: Path) -> None:
    layout = flatledger.Layout.from_file(demo / "part-summary.yaml")
    rows = flatledger.table(layout, demo / "requisitions.jsonl")
    amounts = [row[3] for row in rows.rows(totals=True)]
    assert amounts[:-1] == sorted(amounts[:-1], reverse=True)
    balance = rows.balance
    carriage = balance.columns[-1]
    assert (carriage.source, carriage.written, carriage.total) == (Decimal("248.00"),) * 3
    assert carriage.overlap == Decimal("282.75")
    assert balance.dropped == 2  # R-0007 and R-0019 have no lines
    assert balance.balanced


def test_demo_command_shows_tables_balances_and_where_the_files_are(
    tool: Tool, tmp_path: Path
) -> None:
    done = tool("demo", "--to", "here")
    assert done.returncode == 0
    assert "R-0043" in done.stdout
    for layout in list(LAYOUTS)[1:]:
        assert f"\n{layout.removesuffix('.yaml')} " in done.stdout
    assert "does not balance" not in done.stdout
    assert (done.stdout + done.stderr).count("\n") < 60
    following = [line.strip() for line in done.stdout.splitlines()[-3:]]
    assert all("-m flatledger " in line for line in following)
    assert (tmp_path / "here" / "requisition-lines.csv").exists()


def test_the_report_is_whole(tool: Tool, demo: Path) -> None:
    report = ("--report-to", "report.json")
    done = tool("export", "requisition-lines.yaml", "requisitions.jsonl", *report)
    assert done.returncode == 0
    balance = json.loads((demo / "report.json").read_bytes())
    assert balance["balanced"] is True
    assert (balance["read"], balance["remaining"], balance["not_passed"]) == (48, 42, 6)
    assert balance["conditions"][0]["text"] == "status in ('sent', 'received')"
    amount = next(column for column in balance["columns"] if column["heading"] == "Amount, SKC")
    assert (amount["source"], amount["written"], amount["total"]) == ("4516.65",) * 3
    # straight down the file: the lines, the nine subtotals and the grand total
    assert amount["straight"] == "13549.95"
    file = balance["files"][0]
    assert file["bytes"] == (demo / "requisition-lines.csv").stat().st_size
    assert file["rows"] == balance["rows"] + balance["total_rows"]


def test_the_register_of_drills(demo: Path) -> None:
    rows = exported(demo, "drill-register", ",")
    # Ansa Lind: 50 + 105 + 40 + 65 + 45 + 90 minutes; (7 + 10 + 7 + 7 + 4) / 5 points
    assert ["Ansa Lind: all", "", "", "", "", "395", "7.0", "", ""] in rows
    assert rows[-1] == ["All keepers", "", "", "", "", "1570", "7.5", "", ""]
    glanio = next(row for row in rows if row[3] == "Glanio cwch")  # no English name: what there is
    assert glanio[:3] == ["Isla Marrow", "HOL", "2026-01-19"]


def test_the_period_the_list_and_the_word(demo: Path, tool: Tool) -> None:
    layout = flatledger.Layout.from_file(demo / "period-requisitions.yaml")
    rows = flatledger.table(layout, demo / "requisitions.jsonl")
    table = list(rows.rows(totals=True))
    # 57.00 + 111.40 + 221.80 + 143.20; carriage 0 + 4.50 + 4.50 + 4.50
    assert [str(cell) for cell in table[4][4:]] == ["533.40", "13.50"]
    assert table[-1][0] == "All of 2026-Q1"
    assert [one.remaining for one in rows.balance.conditions] == [36, 35, 33]
    done = tool("export", "period-requisitions.yaml", "requisitions.jsonl", "--ask", "when=2026-02")
    assert "Period 2026-02: 2026-02-01 to 2026-02-28, both days included" in done.stderr
    assert (demo / "requisitions-2026-02.csv").exists()
    wanted = exported(demo, "wanted-requisitions", ",")
    assert wanted[-1] == ["Grand total", "", "317.80", ""]  # 57.00 + 226.30 + 34.50
    words = exported(demo, "word-search", ",")
    assert [row[0] for row in words[1:4]] == ["R-0005", "R-0042", "R-0041"]
    assert words[-1] == ["Grand total", "", "", "39"]  # 12 + 1 + 6 + 3 + 4 + 1 + 2 + 10


def test_equipment_with_four_lists(demo: Path) -> None:
    head, units, *rows = exported(demo, "equipment-list", ",")
    # the columns of the further fields are those of the list, in its order
    assert head[6:9] == ["Kept in", "Voltage", "Remark"]
    assert units[4:6] == ["kg", "hours"]
    by_tag = {row[0]: row for row in rows}
    assert by_tag["EQ-001"][2:] == [
        *("Corran Point", "3 Apr 2019", "48.00", "1.50", "Optic room", "24 V", ""),
        *("A1, C4, A2", "Rua Oban, keeper; Ilse Marrow, mate"),
    ]
    assert by_tag["EQ-006"][4:6] == ["0.85", "0.25"]  # 850 g, 15 minutes
    assert by_tag["EQ-005"][10] == "Bo Strand; Tove Reef; Una Skerry, keeper; mate"  # no pairs
    # hours: 2.00 + 1.50, 1.50 + 0.75, 3.50 + 0.25, 1.50 + 0.50, 2.50, 1.50 + 0.17
    totals = [row[5] for row in rows if not row[0]]
    assert totals == ["3.50", "2.25", "3.75", "2.00", "2.50", "1.67", "15.67"]


def test_drills_in_the_published_register(demo: Path) -> None:
    layout = flatledger.Layout.from_file(demo / "published-drill-register.yaml")
    to = demo / "register.xlsx"
    balance = flatledger.export(layout, demo / "drills.json", to)
    assert balance.balanced
    assert balance.fault_count == 0
    book = load_workbook(to)
    rows = [row[1:] for row in book["Register"].iter_rows(min_row=4, max_row=29, values_only=True)]
    assert rows[0] == layout.headings
    night = (dt.datetime(2026, 1, 5), "Corran Point", "Rua Oban", "Lamp change at night")
    assert rows[1] == (*night, 0.67, 9, "yes", None, None)  # PT40M
    assert rows[24][0] == dt.datetime(2026, 3, 26)
    assert all(cell is None for cell in rows[25])
    assert book.sheetnames == ["Register", "Lists"]
    register = book["Register"]
    ranges = {str(one.sqref) for one in register.data_validations.dataValidation}
    assert ranges == {"C5:C28", "H5:H28"}
    assert register.auto_filter.ref == "B4:J28"
    assert {register[f"B{row}"].number_format for row in range(5, 29)} == {"dd/mm/yyyy"}


def test_the_count_of_stores_becomes_a_workbook(demo: Path) -> None:
    layout = flatledger.Layout.from_file(demo / "stores-count.yaml")
    balance = flatledger.export(layout, demo / "stores-count.csv", demo / "s.xlsx", verify=True)
    assert (balance.balanced, balance.fault_count) == (True, 0)
    rows = list(load_workbook(demo / "s.xlsx").worksheets[0].values)
    assert rows[0][0] == "Stores of the stations, spring 2026"
    assert rows[2][:6] == (
        *("Brae Sound", "OL-01", "Lamp oil, 1 l", dt.datetime(2026, 3, 31)),
        *(12, 4.4),
    )
    # 12 x 4.40 + 6 x 3.20; 4 x 10 + 20 x 4.40; 15 x 0.60 + 3 x 18.90; 5 x 31 + 2 x 24.50
    totals = [row[6] for row in rows if str(row[0]).startswith(("Total", "Grand"))]
    assert totals == [72, 128, 65.7, 204, 469.7]


def test_lamps_and_what_they_take(demo: Path) -> None:
    rows = exported(demo, "lamp-assembly", ",")
    # 38 screws at 0.05, 4 gaskets at 0.60, 8 segments at 18.00, a valve body, 3 heads, a base plate
    assert 38 * 5 + 4 * 60 + 8 * 1800 + 1100 + 3 * 750 + 4000 == 22180
    assert ["Total LA-100", *[""] * 5, "24.76", "221.80", ""] in rows
    assert rows[-1][6:8] == ["32.80", "308.00"]
    gaskets = [row for row in rows if row[2] == "GS-02"]
    assert [(row[1], row[4], row[5]) for row in gaskets] == [
        *[("1.1.2.2", "1", "2"), ("1.2.1.2.2", "1", "2"), ("1.1.2.2", "1", "4")]
    ]
    order = exported(demo, "parts-to-order", ",")
    # two main lamps and one standby lamp: 2 x 38 + 36 screws
    assert ["SC-04", "Screw M4", "F1", "112", "5", "5.60", "GK-50, LA-100, SP-200"] in order
    assert order[-1][5] == "529.80"  # 2 x 221.80 + 86.20


def test_the_plan_and_its_wrong_summary(demo: Path) -> None:
    plan = {row[0]: row for row in exported(demo, "restoration-plan", ",")}
    # T10: (24 x 1 + 32 x 2/3) / 56; T20: 40 x 0.125 / 245.5
    assert plan["T10"][5:8] == ["64", "56", "81"]
    assert plan["T20"][5:8] == ["245.5", "245.5", "2"]
    assert plan["T28"][1:3] == ["2.3.3", "    Refit the lens"]
    assert plan["Grand total"][5] == "301.5"  # 56 + 245.5, and no summary
    wrong = exported(demo, "plan-differences", ",")[1:]
    assert [(row[0], row[-1]) for row in wrong] == [
        *[("T10", "yes"), ("T11", ""), ("T12", ""), ("T13", "")]
    ]


def test_the_same_facts_in_xml_are_the_same_tables(demo: Path) -> None:
    for plain, in_xml in (
        ("requisition-lines", "requisitions-in-xml"),
        ("lamp-assembly", "lamp-assembly-in-xml"),
    ):
        tables = []
        for name in (plain, in_xml):
            layout = flatledger.Layout.from_file(demo / f"{name}.yaml")
            flatledger.export(layout, demo / LAYOUTS[f"{name}.yaml"], demo / "table.csv")
            tables.append((demo / "table.csv").read_bytes())
            (demo / "table.csv").unlink()
        assert tables[0] == tables[1]


def test_the_files_of_the_months(demo: Path) -> None:
    rows = exported(demo, "months-of-requisitions", ",")
    # March: 12 requisitions with 29 lines; added up by a loop over the lines of that month
    assert rows[3] == ["2026-03.jsonl", "12", "29", "2058.65", "63.50"]
    assert rows[-1] == ["Grand total", "48", "103", "5327.10", "257.25"]


def test_the_catalogue_and_its_shelf_list(demo: Path) -> None:
    rows = exported(demo, "catalogue", ",")
    assert rows[2][:6] == [
        *("SLT-0002", "1884", "Welsh", "text", "Llyfr log goleudy Brae Sound /", "Marrow, Ilse")
    ]
    assert rows[2][6] == "Fenn, Tobias (mate, cook); Gow, Una (keeper)"
    assert rows[-1][-1] == "11"  # 2 + 1 + 2 + 1 + 3 + 0 + 1 + 1 copies; one record is broken
    shelves = exported(demo, "shelf-list", ",")
    assert [row[1] for row in shelves if row[0] == "HOLM"] == ["A2", "A10", "A11", "B1", "C1", "C2"]
    for name, table in (("catalogue", rows), ("shelf-list", shelves)):
        layout = flatledger.Layout.from_file(demo / f"{name}.yaml")
        balance = flatledger.export(layout, demo / "catalogue.xml", demo / "xml.csv")
        assert balance.fault_count == 0
        with (demo / "xml.csv").open(encoding="utf-8", newline="") as file:
            assert list(csv.reader(file)) == table
    kept = flatledger.evaluate("100$a", demo / "catalogue-marc8.mrc")
    assert [one.value for one in kept] == ["Óban, Rua"]
