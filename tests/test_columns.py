"""docs/columns.md, example by example; and what is refused or told of columns."""

from __future__ import annotations

import csv
import json
import re
from datetime import date
from decimal import ROUND_HALF_UP, ROUND_UP, Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import Layout, LayoutError
from flatledger.reports.words import what_it_is
from flatledger.values.functions import text_of
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
    layout = Layout.from_text(f"columns:\n  - Value: {column}\n  - No: no\n")
    source = tmp_path / "record.jsonl"
    source.write_text(" ".join(RECORD.split("\n")), encoding="utf-8")
    rows = flatledger.table(layout, source)
    assert [text_of(row[0]) for row in rows] == [expected]
    assert rows.balance.fault_count == ("odd" in column)


def test_the_examples_are_there() -> None:
    assert len(EXAMPLES) > 20


@pytest.mark.parametrize("text", re.findall(r"```yaml\n(.*?)```", PAGE, re.DOTALL))
def test_a_layout_of_the_page(demo: Path, text: str) -> None:
    rows = flatledger.table(Layout.from_text(text), demo / "requisitions.jsonl")
    assert len(rows.headings) > 2
    assert any(cell is not None for row in list(rows) for cell in row[2:])
    assert rows.balance.balanced


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
    rows = flatledger.table(parsed, RECORDS)
    assert [tuple(str(cell) for cell in row) for row in rows.rows(totals=True)] == [
        ("Zinc", "2/11", "2.0", "4", "2.5"),
        ("Total Zinc", "None", "2.0", "None", "None"),
        ("Amber", "1/3", "1,200.5", "2401.0", "2"),
        ("Total Amber", "None", "1,200.5", "None", "2"),
        ("x", "soon", "None", "None", "None"),
        ("Total x", "None", "None", "None", "None"),
        ("Grand total", "None", "1,202.5", "None", "2"),
    ]
    balance = rows.balance
    assert balance.balanced
    assert [str(one.source) for one in balance.columns] == ["1202.5", "2"]
    assert sorted(fault.reason[:20] for fault in balance.faults) == [
        *("is no whole number", "is not a date (ISO 8"),
    ]


def test_total_rows_name_their_groups_as_the_cells_do() -> None:
    layout = {
        "locale": "sv",
        "columns": [
            {"Place": {"value": "code", "translate": {"a": "Zinc"}}},
            {"Day": {"value": "day", "datatype": "date", "format": "d MMM", "default": "-"}},
            {"Qty": {"value": "qty", "total": "sum"}},
        ],
        "group": ["Place", "Day"],
    }
    records = [{"code": "a", "day": "2026-03-01", "qty": 1}, {"code": "a", "qty": 2}]
    rows, balance = table(layout, records)
    assert rows == [
        ("Zinc", "1 mars", 1),
        ("Zinc", "Total 1 mars", 1),
        ("Zinc", "-", 2),
        ("Zinc", "Total (blank)", 2),
        ("Total Zinc", None, 3),
        ("Grand total", None, 3),
    ]
    assert balance.balanced
    summary, _ = table({**layout, "totals": {"detail": "no"}}, records)
    assert summary == [("Zinc", "1 mars", 1), ("Zinc", "-", 2), *rows[-2:]]


def test_values_of_mixed_units_become_one_and_add_up() -> None:
    records = [
        {"took": 90, "weight": "500 g"},
        {"took": "PT50M", "weight": "1.5 KG"},
        {"took": "1 day", "weight": "3 lb"},
        {"took": "soon", "weight": 2},
    ]
    columns = [
        {
            "Time": {
                "value": "took",
                "unit": {"from": "minutes", "to": "hours"},
                "decimals": 2,
                "total": "sum",
            }
        },
        {
            "Weight": {
                "value": "weight",
                "reads": "amount",
                "datatype": "decimal",
                "unit": {"to": "kg", "factors": {"g": "0.001"}},
                "total": "sum",
            }
        },
        {"Double": '"Weight" * 2'},
    ]
    rows = flatledger.table(
        Layout.from_data({"calendar": {"hours-per-day": 7}, "columns": columns}), records
    )
    assert rows.headings == ("Time, hours", "Weight, kg", "Double")
    assert [tuple(map(str, row)) for row in rows.rows(totals=True)] == [
        ("1.50", "0.500", "1.000"),
        ("0.83", "1.5", "3.0"),
        ("7.00", "3 lb", "None"),
        ("soon", "2", "4"),
        ("9.33", "4.000", "Grand total"),
    ]
    balance = rows.balance
    assert balance.balanced
    assert [fault.reason[:40] for fault in balance.faults] == [
        "is in lb, for which there is no factor",
        "is not a duration (such as PT40H, 3 days",
    ]


def test_a_calculated_number_that_is_not_whole_is_a_fault_and_blank() -> None:
    columns = [
        {"Half": {"value": "n / 2", "datatype": "integer", "total": "sum"}},
        {"Own": {"value": "n", "datatype": "integer", "total": "sum"}},
        {"More": '"Own" + 1'},
    ]
    rows, balance = table({"columns": columns}, [{"n": 4}, {"n": 5}, {"n": "x"}, {"n": "2.5"}])
    assert rows == [
        *((2, 4, 5), (None, 5, 6), (None, "x", None), (None, "2.5", None)),
        (2, 9, "Grand total"),
    ]
    assert balance.balanced
    assert balance.fault_count == 4


def test_a_code_list_from_a_file(tool: Tool, demo: Path) -> None:
    (demo / "codes.csv").write_text("code;wording\nsent;On its way\nreceived;In store\n")
    (demo / "own.yaml").write_text(
        "columns: [{No: no}, {State: {value: status, "
        "translate: {codes: codes.csv, otherwise: fault}}}]\n"
    )
    export = ("export", "own.yaml", "requisitions.jsonl", "-o", "out.csv")
    done = tool(*export, "--report-to", "b.json")
    # four drafts and two that were cancelled
    assert "Faults: 6; what could not be read is in no total" in done.stderr
    faults = json.loads((demo / "b.json").read_text(encoding="utf-8"))["faults"]
    assert {fault["reason"] for fault in faults} == {"is not on the code list"}
    assert "In store" in (demo / "out.csv").read_text(encoding="utf-8")
    (demo / "codes.csv").write_text("code,wording\na,b\na,c\n")
    done = tool(*export)
    assert "the code `a` comes twice, in entries 1 and 2" in done.stderr


def test_the_code_lists_of_standards_and_codes_that_are_joined() -> None:
    languages = {"value": "codes", "separator": "pipe", "translate": "iso-639"}
    known = {"codes": "iso-639", "otherwise": "blank"}
    joined = {"value": "codes", "separator": "; "}
    columns = [
        {"Names": languages},
        {"German": {**languages, "locale": "de"}},
        {"Known": {**joined, "translate": known}},
        {"All": {**joined, "translate": {**known, "otherwise": "fault"}}},
        {"Land": {"value": "land", "translate": "iso-3166"}},
    ]
    records = [
        {"codes": ["wel", "cym"], "land": "GB"},
        {"codes": ["ENG", "?", "cel"], "land": "nor"},
        {"codes": "bih", "land": "578"},
        {"codes": "?", "land": "NN"},
    ]
    rows, balance = table({"levels": [], "columns": columns}, records)
    assert rows == [
        ("Welsh|Welsh", "Walisisch|Walisisch", *["Welsh; Welsh"] * 2, "United Kingdom"),
        (
            *("English|?|Celtic languages", "Englisch|?|Celtic languages"),
            *("English; Celtic languages", None, "Norway"),
        ),
        (*["Bihari languages"] * 4, "Norway"),
        ("?", "?", None, None, "NN"),
    ]
    assert [(one.record, one.value) for one in balance.faults] == [(2, "ENG; ?; cel"), (4, "?")]


@pytest.mark.parametrize(
    ("column", "says"),
    [
        ("{value: a, unit: {to: h}}", "by one of `from`, `factor` or `factors`"),
        ("{value: a, unit: {to: mm, from: hours}}", "no unit of time `mm`"),
        ("{value: a, unit: {to: SKC, from: minor-unit}}", "is no currency of ISO 4217"),
        ("{value: a, unit: {to: kg, factor: 0}}", "a factor is a number above 0"),
        ("{value: a, unit: {to: kg, factors: {g: 1/1000}}}", "go with `reads: amount`"),
        ("{value: a, datatype: date, unit: {to: d, factor: 2}}", "only numbers and durations"),
        ("{value: a, datatype: dat}", "does not take `dat`; did you mean `date`?"),
        ("{value: a, datatype: date, decimals: 2}", "`decimals` goes with the datatype decimal"),
        ("{value: a, format: dd/MM/yyyy}", "no pattern for numbers"),
        ("{value: a, datatype: date, format: bbbbbbb}", "no pattern for dates"),
        ("{value: a, datatype: boolean, format: Y}", "what stands for true and false: Y|N"),
        ("{value: a, datatype: duration, format: HH}", "a duration has no `format`"),
        ("{value: a, locale: xx-YY}", "no locale `xx-YY`"),
        ("{value: a, reads: amount}", "`reads` goes with the datatype decimal, integer, date"),
        ("{value: a, datatype: decimal, reads: money}", "numbers are read as `amount`"),
        ("{value: a, datatype: date, reads: HH}", "no pattern for dates, such as dd.MM.yyyy"),
        ("{value: a, clean: [trimm]}", "does not take `trimm`; did you mean `trim`?"),
        ("{value: a, decimals: 1, clean: trim}", "`clean` is for texts"),
        ("{text: a, datatype: date}", "has a datatype but no `value`"),
        ("{value: a, translate: {x: 1, x: 2}}", "the code `x` comes twice; keep one"),
        ("{value: a, translate: gone.csv}", "has nothing beside it"),
        ("{value: a, unit: m}\n  - 'A, m': b", "`A, m` and `A` are both headed A, m; rename one"),
    ],
)
def test_what_cannot_be_is_refused(column: str, says: str) -> None:
    with pytest.raises(LayoutError) as caught:
        Layout.from_text(f"columns:\n  - A: {column}\n")
    assert says in str(caught.value)


def test_a_preview_says_what_stands_for_nothing() -> None:
    layout = Layout.from_data({"columns": [{"A": {"value": "a", "default": "none", "unit": "m"}}]})
    (column,) = flatledger.preview(layout, [{"a": 1}, {}]).columns
    assert (column.column.heading, column.column.default) == ("A, m", "none")
    for unit, says in (
        ({"from": "minutes", "to": "hours"}, "a, from minutes to hours"),
        ({"to": "kg", "factor": "0.001"}, "a, converted to kg"),
    ):
        converted = Layout.from_data({"columns": [{"A": {"value": "a", "unit": unit}}]})
        found = flatledger.preview(converted, [{"a": 1}]).columns[0].column
        assert what_it_is(found) == says
    assert (column.filled, column.examples) == (1, ["1"])
    rows, _ = table({"columns": [{"A": {"value": "a", "null": "-"}}]}, [{}])
    assert rows == [("-",)]


# ---- columns from what repeats

options = st.lists(
    st.fixed_dictionaries(
        {"key": st.sampled_from(["v", "cap", "it's"]), "value": st.sampled_from(["1", "2", "x"])}
    ),
    max_size=4,
)


@given(st.lists(options, max_size=6), st.booleans())
def test_columns_from_keys_carry_exactly_the_values(records: list[Any], listed: bool) -> None:
    source = [{"no": number, "options": found} for number, found in enumerate(records)]
    spread = {
        "columns-from": "options",
        "named-by": "options.key",
        "value": "options.value",
        "separator": "|",
        **({"keys": ["cap", "v"]} if listed else {}),
    }
    layout = Layout.from_data({"columns": [{"No": "no"}, {"{key}": spread}]})
    rows = flatledger.table(layout, source)
    keys = rows.headings[1:]
    met = dict.fromkeys(option["key"] for found in records for option in found)
    assert keys == (("cap", "v") if listed else tuple(met))
    for row, found in zip(rows, records, strict=True):
        for key, cell in zip(keys, row[1:], strict=True):
            values = [option["value"] for option in found if option["key"] == key]
            assert cell == ("|".join(values) if values else None)
    strange = sum(any(option["key"] not in keys for option in found) for found in records)
    assert rows.balance.fault_count == strange
    assert rows.balance.balanced


@given(st.lists(st.lists(st.integers(0, 9), max_size=4), min_size=1, max_size=6))
def test_numbered_columns_carry_exactly_the_values(records: list[list[int]]) -> None:
    source = [{"payments": [{"amount": n, "by": f"b{n}"} for n in found]} for found in records]
    spread = {
        "columns-from": "payments",
        "named-by": "ordinal(payments)",
        "values": {"amount": "payments.amount", "by": "payments.by"},
    }
    rows = flatledger.table(Layout.from_data({"columns": [{"P": spread}, {"X": "x"}]}), source)
    most = max(map(len, records))
    assert rows.headings == (
        *(f"P {n} {name}" for n in range(1, most + 1) for name in ("amount", "by")),
        "X",
    )
    for row, found in zip(rows, records, strict=True):
        whole = [part for n in found for part in (n, f"b{n}")]
        assert list(row[:-1]) == whole + [None] * (2 * most - len(whole))
    assert rows.balance.fault_count == 0


def test_labels_from_a_list_name_the_columns_of_numbered_fields(demo: Path) -> None:
    (demo / "labels.csv").write_text("index,label\n2,Depth\n1,Colour\n")
    records = [
        {"no": "a", "custom": [{"index": 1, "value": "red"}, {"index": 2, "value": 7}]},
        {"no": "b", "custom": [{"index": "2", "value": 9}, {"index": 3, "value": "x"}]},
    ]
    own = "{columns-from: custom, named-by: custom.index, value: custom.value, labels: LABELS}"
    for labels, headings, others in (
        ("labels.csv", ("Custom Depth", "Custom Colour"), ["3"]),
        ("{2: Depth}", ("Custom Depth",), ["1", "3"]),
    ):
        text = f"columns: [No: no, Custom: {own}]\nsort: [Custom Depth desc]\n"
        layout = Layout.from_text(text.replace("LABELS", labels), folder=demo)
        rows = flatledger.table(layout, iter(records))
        assert rows.headings == ("No", *headings)
        assert [row[1] for row in rows] == ["9", "7"]
        assert [fault.value for fault in rows.balance.faults] == others


@pytest.mark.parametrize(
    ("named_by", "value"), [("o.k", "o.v"), ("ordinal(o)", "o.v"), ("key(o.*)", "o.*")]
)
def test_a_note_fixes_the_columns(tmp_path: Path, named_by: str, value: str) -> None:
    def record(*keys: str) -> dict[str, Any]:
        if "*" in value:
            return {"o": dict.fromkeys(keys, 1)}
        return {"o": [{"k": key, "v": 1} for key in keys]}

    path, out = tmp_path / "own.yaml", tmp_path / "out.csv"
    level = value if "*" in value else "o"
    path.write_text(
        f"columns:\n  - C: {{columns-from: {level}, named-by: {named_by}, value: {value}}}\n"
    )
    layout = Layout.from_file(path)

    def headings(records: Any, learn: bool = False) -> tuple[list[str], int]:
        balance = flatledger.export(layout, records, out, learn=learn)
        with out.open(newline="", encoding="utf-8") as file:
            return next(csv.reader(file)), balance.fault_count

    odd = 'é"\u2028: "x\n'
    learnt = headings([record("b"), record("b", odd)], learn=True)
    assert learnt == headings([record("b")]) == headings(iter([record("b")]))
    assert headings([record("b", odd, "new")]) == (learnt[0], 1)
    wider = headings([record("b", odd, "new")], learn=True)
    assert wider[0] == [*learnt[0], "C new" if "ordinal" not in named_by else "C 3"]
    assert headings([{}]) == (wider[0], 0)


def test_keys_are_texts_and_make_no_heading_twice() -> None:
    spread = {"columns-from": "o", "named-by": "o.k", "value": "o.v"}
    layout = Layout.from_data({"columns": [{"No": "no"}, {"{key}": spread}]})
    rows = flatledger.table(layout, [{"no": 1, "o": [{"k": 7, "v": "a"}, {"k": "7", "v": "b"}]}])
    assert rows.headings == ("No", "7")
    assert list(rows) == [(1, "a; b")]
    with pytest.raises(LayoutError, match="the keys make a column `No`, and there is one already"):
        flatledger.table(layout, [{"no": 1, "o": [{"k": "No", "v": "a"}]}])


def test_columns_from_the_members_of_a_mapping_and_what_is_too_many() -> None:
    source = [{"names": {"en": "x", "cy": "y"}}, {"names": {"cy": "z", "gd": "q"}}, {}]
    name: dict[str, Any] = {
        "columns-from": "names.*",
        "named-by": "key(names.*)",
        "value": "names.*",
    }
    rows = flatledger.table(Layout.from_data({"columns": [{"Name": name}]}), source)
    assert rows.headings == ("Name en", "Name cy", "Name gd")
    assert list(rows) == [("x", "y", None), (None, "z", "q"), (None, None, None)]
    with pytest.raises(LayoutError, match="would be 3 columns, and `at-most` is 2"):
        flatledger.table(Layout.from_data({"columns": [{"Name": {**name, "at-most": 2}}]}), source)
    once = flatledger.table(Layout.from_data({"columns": [{"Name": name}]}), iter(source))
    assert list(once) == [("x", "y", None), (None, "z", "q"), (None, None, None)]
    for wrong, says in (
        ({"columns-from": "names.*", "value": "names.*"}, "goes with `named-by` and `value`"),
        ({**name, "columns-from": "1 + 1"}, "takes a level"),
        ({**name, "named-by": "ordinal(names)", "keys": ["a"]}, "take `at-most`, and no `keys`"),
    ):
        with pytest.raises(LayoutError, match=says):
            Layout.from_data({"columns": [{"Name": wrong}]})


def test_a_key_that_comes_twice_is_a_fault_where_it_is_totalled() -> None:
    source = [{"o": [{"k": "a", "v": 1}, {"k": "a", "v": 2}]}, {"o": [{"k": "a", "v": 5}]}]
    spread = {"columns-from": "o", "named-by": "o.k", "value": "o.v", "keys": ["a"], "total": "sum"}
    rows, balance = table({"columns": [{"{key}": spread}]}, source)
    assert [str(row[0]) for row in rows] == ["None", "5", "5"]
    assert (balance.balanced, balance.fault_count) == (True, 1)


def test_what_cannot_be_read_stays_readable() -> None:
    amount = {"value": "x", "datatype": "decimal", "reads": "amount", "total": "sum"}
    day = {"value": "d", "datatype": "date", "reads": "dd/MM/yyyy"}
    records = [
        {"x": "5 of 12", "d": "31/02/2026"},
        {"x": "many", "d": "2026-03-31"},
        {"x": 3, "d": "01/03/2026"},
        {"x": "4 h"},
    ]
    rows, balance = table({"columns": [{"X": amount}, {"D": day}]}, records)
    assert [row[0] for row in rows] == ["5 of 12", "many", 3, 4, 7]
    assert [row[1] for row in rows] == [
        "31/02/2026",
        "2026-03-31",
        date(2026, 3, 1),
        None,
        "Grand total",
    ]
    assert balance.fault_count == 4
    assert balance.balanced
    with pytest.raises(LayoutError, match="can't be read; the fields are"):
        table({"columns": [{"D": {**day, "reads": "yyyy MM EEE"}}]}, [{"d": "x"}])


def test_a_value_that_holds_the_separator_is_told() -> None:
    rows, balance = table({"columns": [{"T": "tags"}]}, [{"tags": ["a; b", "c"]}, {"tags": ["d"]}])
    assert rows == [("a; b; c",), ("d",)]
    assert [fault.reason for fault in balance.faults] == ["holds the separator '; '"]


@given(st.lists(st.decimals(-99, 99, places=3), max_size=9), st.sampled_from(["up", "half-up"]))
def test_a_rounded_column_foots(numbers: list[Any], rounding: str) -> None:
    column = {"value": "x", "decimals": 1, "rounding": rounding, "total": "sum"}
    rows, balance = table({"columns": [{"X": column}]}, [{"x": number} for number in numbers])
    how = {"up": ROUND_UP, "half-up": ROUND_HALF_UP}[rounding]
    expected = [number.quantize(Decimal("0.1"), how) for number in numbers]
    assert [row[0] for row in rows] == [*expected, sum(expected) if numbers else None]
    assert balance.balanced
