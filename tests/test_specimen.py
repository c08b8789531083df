"""Blank tables for people who fill them in."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import openpyxl
import pytest

import flatledger
from tests.conftest import Tool

LAYOUT = """
layout: keepers-return
columns:
  - Station: {value: station, allowed: stations.csv}
  - Date: {value: day, datatype: date}
  - Oil used: {value: oil, decimals: 1, unit: litres}
  - State: {value: s, translate: {ok: In order, rep: To be repaired}, required: yes}
  - Checked by:
primary-key: [Date]
"""


def rules(file: Path) -> dict[str, Any]:
    sheet = openpyxl.load_workbook(file).worksheets[0]
    return {str(one.sqref): one for one in sheet.data_validations.dataValidation}


def test_a_specimen_says_what_each_column_takes(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "own.yaml").write_text(LAYOUT)
    stations = [f"Station, number {number}" for number in range(60)]
    (tmp_path / "stations.csv").write_text("name\n" + "\n".join(f'"{one}"' for one in stations))
    done = tool("specimen", "own.yaml", "-o", "form.xlsx")
    assert (done.returncode, done.stdout.splitlines()[2].split()[:3]) == (0, ["Date", "date", "no"])
    book = openpyxl.load_workbook(tmp_path / "form.xlsx")
    head, example, *more = book.worksheets[0].values
    assert head == ("Station", "Date", "Oil used, litres", "State", "Checked by")
    assert [str(cell) for cell in example] == [
        *("Station, number 0", "2026-03-31 00:00:00", "12.5", "ok", "None")
    ]
    assert not more
    found = rules(tmp_path / "form.xlsx")
    assert found["A2:A1001"].formula1 == "Allowed!$A$1:$A$60"
    assert [cell.value for cell in book["Allowed"]["A"]] == stations
    assert book["Allowed"].sheet_state == "hidden"
    assert (found["B2:B1001"].type, found["B2:B1001"].allow_blank) == ("date", False)
    assert found["C2:C1001"].prompt == "A number in litres. It may be empty."
    assert (found["D2:D1001"].formula1, found["D2:D1001"].allow_blank) == ('"ok,rep"', False)
    first = (tmp_path / "form.xlsx").read_bytes()
    assert "form.xlsx is there already" in tool("specimen", "own.yaml", "-o", "form.xlsx").stderr
    assert tool("specimen", "own.yaml", "-o", "form.xlsx", "--replace").returncode == 0
    assert (tmp_path / "form.xlsx").read_bytes() == first


def test_the_example_can_come_from_records(tmp_path: Path) -> None:
    layout = {"columns": [{"No": "no"}, {"Qty": {"value": "n", "total": "sum"}}]}
    found = flatledger.specimen(layout, tmp_path / "f.csv", [{"no": "R1", "n": 3}])
    assert [(one.type, one.example) for one in found] == [("text", "R1"), ("number", 3)]
    assert (tmp_path / "f.csv").read_bytes() == b"No,Qty\r\nR1,3\r\n"
    with pytest.raises(flatledger.OutputError, match=r"a specimen is not written as `\.ods`"):
        flatledger.specimen(layout, tmp_path / "f.ods")
    (tmp_path / "s.csv").write_text("no,n\n1,2\n")
    keys = {"columns-from": "o", "named-by": "o.key", "value": "o.value"}
    with pytest.raises(flatledger.OutputError, match="are made for the keys that records have"):
        flatledger.specimen({"columns": [{"{key}": keys}]}, tmp_path / "f.xlsx")
    (tmp_path / "form.csv").write_text("Number,No,Seen\n")
    named = {"columns": [{"No": "no"}, {"Qty": {"value": "n", "titles": ["Number"]}}]}
    fitted = flatledger.Layout.from_data(named).fitted_to(tmp_path / "form.csv")
    found = flatledger.specimen(fitted, tmp_path / "g.csv")
    assert [one.heading for one in found] == ["Number", "No", "Seen"]
    with pytest.raises(flatledger.OutputError, match="takes part in this run"):
        flatledger.specimen(layout, tmp_path / "s.csv", tmp_path / "s.csv", if_there="replace")
