"""docs/columns.md, example by example; and what is refused or told of columns."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest

import flatledger
from flatledger import Layout, LayoutError
from tests.conftest import Tool, table

PAGE = (Path(__file__).parents[1] / "docs" / "columns.md").read_text(encoding="utf-8")
RECORD = re.findall(r"```json\n(.*?)```", PAGE, re.DOTALL)[0]
EXAMPLES = [
    tuple(part.strip() for part in line.split("→"))
    for block in re.findall(r"```examples\n(.*?)```", PAGE, re.DOTALL)
    for line in block.splitlines()
]


@pytest.mark.parametrize(("column", "expected"), EXAMPLES)
def test_an_example_of_the_page(tmp_path: Path, column: str, expected: str) -> None:
    layout = Layout.from_text(f"columns:\n  - Value: {column}\n")
    source = tmp_path / "record.jsonl"
    source.write_text(" ".join(RECORD.split("\n")), encoding="utf-8")
    rows = flatledger.rows(layout, source)
    assert [str(cell) for row in rows for cell in row] == [expected]
    assert rows.balance().fault_count == ("odd" in column)


def test_the_examples_are_there() -> None:
    assert len(EXAMPLES) > 20


RECORDS: list[Any] = [
    {"no": 1, "day": "2026-03-01", "code": "b", "qty": 1200.5, "n": 2},
    {"no": 2, "day": "2026-11-02", "code": "a", "qty": 2, "n": "2.5"},
    {"no": 3, "day": "soon", "code": "x"},
]


def test_what_is_written_changes_no_order_and_no_total() -> None:
    layout = {
        "columns": [
            {"Code": {"value": "code", "translate": {"a": "Zinc", "b": "Amber"}, "default": "?"}},
            {"Day": {"value": "day", "datatype": "date", "format": "d/M"}},
            {"Qty": {"value": "qty", "unit": "kg", "total": "sum", "format": "#,##0.0"}},
            {"Twice": {"value": '"Qty" * 2'}},
            {"N": {"value": "n", "datatype": "integer", "total": "sum"}},
        ],
        "group": ["Code"],
        "sort": ["Day desc"],
    }
    parsed = Layout.from_data(layout)
    assert parsed.headings == ("Code", "Day", "Qty, kg", "Twice", "N")
    rows = flatledger.rows(parsed, RECORDS)
    assert [tuple(str(cell) for cell in row) for row in rows] == [
        ("Zinc", "2/11", "2.0", "4", "2.5"),
        ("Total a", "None", "2.0", "None", "None"),
        ("Amber", "1/3", "1,200.5", "2401.0", "2"),
        ("Total b", "None", "1,200.5", "None", "2"),
        ("x", "soon", "None", "None", "None"),
        ("Total x", "None", "None", "None", "None"),
        ("Grand total", "None", "1,202.5", "None", "2"),
    ]
    balance = rows.balance()
    assert balance.balanced
    assert [str(one.source) for one in balance.columns] == ["1202.5", "2"]
    assert sorted(fault.reason[:20] for fault in balance.faults) == [
        *("is no whole number", "is not a date (ISO 8"),
    ]


def test_a_code_list_from_a_file(tool: Tool, demo: Path) -> None:
    (demo / "codes.csv").write_text("code;wording\nsent;On its way\nreceived;In store\n")
    (demo / "own.yaml").write_text(
        "columns: [{No: no}, {State: {value: status, "
        "translate: {codes: codes.csv, otherwise: fault}}}]\n"
    )
    export = ("export", "own.yaml", "requisitions.jsonl", "-o", "out.csv")
    done = tool(*export, "--report-to", "b.json")
    assert "Faults: 6, in no total" in done.stderr  # four drafts and two that were cancelled
    faults = json.loads((demo / "b.json").read_text(encoding="utf-8"))["faults"]
    assert {fault["reason"] for fault in faults} == {"is not on the code list"}
    assert "In store" in (demo / "out.csv").read_text(encoding="utf-8")
    (demo / "codes.csv").write_text("code,wording\na,b\na,c\n")
    done = tool(*export)
    assert "the code `a` comes twice, on lines 2 and 3" in done.stderr


@pytest.mark.parametrize(
    ("column", "says"),
    [
        ("{value: a, datatype: dat}", "does not take `dat`; did you mean `date`?"),
        ("{value: a, datatype: date, decimals: 2}", "`decimals` goes with the datatype decimal"),
        ("{value: a, format: dd/MM/yyyy}", "no pattern for numbers"),
        ("{value: a, datatype: date, format: bbbbbbb}", "no pattern for dates"),
        ("{value: a, datatype: boolean, format: Y}", "what stands for true and false: Y|N"),
        ("{value: a, datatype: duration, format: HH}", "a duration has no `format`"),
        ("{value: a, locale: xx-YY}", "no locale `xx-YY`"),
        ("{value: a, clean: [trimm]}", "does not take `trimm`; did you mean `trim`?"),
        ("{value: a, decimals: 1, clean: trim}", "`clean` is for texts"),
        ("{text: a, datatype: date}", "has a datatype but no `value`"),
        ("{value: a, translate: {x: 1, x: 2}}", "the code `x` comes twice; keep one"),
        ("{value: a, translate: gone.csv}", "has nothing beside it"),
    ],
)
def test_what_cannot_be_is_refused(column: str, says: str) -> None:
    with pytest.raises(LayoutError) as caught:
        Layout.from_text(f"columns:\n  - A: {column}\n")
    assert says in str(caught.value)


def test_a_preview_says_what_stands_for_nothing() -> None:
    layout = Layout.from_data({"columns": [{"A": {"value": "a", "default": "none", "unit": "m"}}]})
    (column,) = flatledger.preview(layout, [{"a": 1}]).columns
    assert (column.heading, column.none) == ("A, m", "none")
    rows, _ = table({"columns": [{"A": {"value": "a", "null": "-"}}]}, [{}])
    assert rows == [("-",)]
