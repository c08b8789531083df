"""`fields`: what the values of a place are, said once, wherever it is used."""

from __future__ import annotations

import datetime as dt
import re
import shlex
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

import flatledger
from flatledger import Layout, LayoutError
from tests.conftest import Tool, table

DAY = dt.date(2026, 3, 15)
FIELDS = {
    "raised": {"datatype": "date", "reads": ["yyyy-MM-dd", "dd/MM/yyyy", "d MMM yyyy"]},
    "lines.price": {"datatype": "decimal", "reads": "amount", "locale": "de", "null": ["n/a", "-"]},
    "lines.qty": {"datatype": "integer", "reads": "numeral"},
    "no": "string",
}


def written(amount: Decimal, draw: Any) -> Any:
    """An amount as a German writes it, or as the number that it is."""
    if draw(st.booleans()):
        return amount
    whole, _, part = f"{amount:.2f}".partition(".")
    groups = f"{int(whole):,}".replace(",", draw(st.sampled_from([".", "", " "])))
    return f"{groups},{part}"


def dated(day: dt.date, draw: Any) -> str:
    forms = ("%Y-%m-%d", "%d/%m/%Y", "%d %b %Y")
    return day.strftime(draw(st.sampled_from(forms)))


@st.composite
def sources(draw: st.DrawFn) -> tuple[list[Any], list[Any]]:
    """Records as their sender writes them, and what they mean; None for what nobody can read."""
    raw, meant = [], []
    for number in range(draw(st.integers(1, 5))):
        day = draw(st.none() | st.dates(dt.date(2026, 1, 1), dt.date(2026, 12, 31)))
        lines, known = [], []
        for _ in range(draw(st.integers(0, 3))):
            price = draw(st.none() | st.decimals(0, 99_999, places=2))
            none = draw(st.sampled_from([None, "n/a", "-", "soon", "", {"a": 1}, True]))
            qty = draw(st.integers(0, 200))
            text = draw(st.sampled_from([qty, str(qty), f"{qty:04d}", f"+{qty}"]))
            lines.append({"price": none if price is None else written(price, draw), "qty": text})
            known.append((price, qty))
        odd = draw(st.sampled_from([None, "soon", "31/02/2026", 20_260_301]))
        raised = odd if day is None else dated(day, draw)
        raw.append({"no": number, "raised": raised, "lines": lines})
        meant.append((str(number), day, known))
    priced = [line["price"] for one in raw for line in one["lines"] if line["price"] is not None]
    assume(not priced or any(not isinstance(price, dict) for price in priced))  # else no value
    return raw, meant


def product(known: list[tuple[Decimal | None, int]]) -> Decimal | None:
    found = [price * qty for price, qty in known if price is not None]
    return sum(found, Decimal(0)) if found else None


@settings(max_examples=150)
@given(sources(), st.sampled_from([0, 320]))
def test_a_declaration_holds_in_columns_conditions_order_groups_and_totals(
    source: tuple[list[Any], list[Any]], before: int
) -> None:
    raw, meant = source
    first = [{"no": 99, "raised": "2026-01-01", "lines": [{"price": "1,50", "qty": "1"}]}] * before
    layout: dict[str, Any] = {
        "fields": FIELDS,
        "levels": ["lines"],
        "columns": [
            {"No": "no"},
            {"Month": "extract(month from raised)"},
            {"Worth": {"value": "sum(lines.price * lines.qty)", "total": "sum"}},
            {"Dear": "any(lines.price > 100)"},
            {"Dearest": "max(lines.price)"},
        ],
        "only": ["raised >= :day", "no <> '99'"],
        "ask": {"day": {"datatype": "date", "default": DAY.isoformat()}},
        "sort": ["raised desc", "sum(lines.price)", "No"],
    }
    rows, balance = table(layout, [*first, *raw])
    kept = [one for one in meant if one[1] is not None and one[1] >= DAY]
    kept.sort(key=lambda one: one[0])
    kept.sort(key=lambda one: (prices(one) == [], sum(prices(one), Decimal(0))))
    kept.sort(key=lambda one: one[1], reverse=True)
    expected = [
        (
            no,
            day.month,
            product(known),
            dear(prices((no, day, known)), len(known)),
            max(prices((no, day, known)), default=None),
        )
        for no, day, known in kept
    ]
    assert rows[: len(expected)] == expected
    assert balance.balanced
    whole = [worth for _, _, worth, _, _ in expected if worth is not None]
    assert rows[len(expected) :] == [
        ("Grand total", None, sum(whole, Decimal(0)) if whole else None, None, None)
    ]


def prices(one: tuple[str, Any, list[tuple[Decimal | None, int]]]) -> list[Decimal]:
    return [price for price, _ in one[2] if price is not None]


def dear(found: list[Decimal], entries: int) -> bool | None:
    """What is unknown is passed over; where all is, so is the result."""
    return any(price > 100 for price in found) if found or not entries else None


@given(sources())
def test_groups_go_by_declared_values(source: tuple[list[Any], list[Any]]) -> None:
    raw, meant = source
    layout = {
        "fields": FIELDS,
        "levels": ["lines"],
        "row-per-group": ["extract(month from raised)"],
        "columns": [
            {"Month": "extract(month from raised)"},
            {"Worth": "sum(lines.price * lines.qty)"},
            {"Lines": "count(lines)"},
        ],
        "sort": ["Month"],
        "totals": {"grand-total": "no"},
    }
    rows, balance = table(layout, raw)
    months: dict[Any, list[Any]] = {}
    for _, day, known in meant:
        months.setdefault(day.month if day else None, []).extend(known)
    keys = sorted(months, key=lambda month: (month is None, month))
    assert rows == [(key, product(months[key]), len(months[key])) for key in keys]
    assert balance.balanced


@pytest.mark.parametrize(
    ("field", "value", "read"),
    [
        ("integer", "12", 12),
        ("integer", "007", "may be a code"),
        ("decimal", "+5", "may be a code"),
        ("decimal", "0.50", Decimal("0.50")),
        ("decimal", "-0.5", Decimal("-0.5")),
        ("integer", "1.5", "is no whole number"),
        ({"datatype": "integer", "reads": "numeral"}, "+007", 7),
        ({"datatype": "decimal", "reads": "amount", "locale": "de"}, "1.200,50 kg", "1200.50"),
        ({"datatype": "decimal", "reads": "amount", "unit": "kg"}, "5 g", "is in g, and not in kg"),
        (
            {
                "datatype": "decimal",
                "reads": "amount",
                "unit": {"to": "kg", "factors": {"g": "0.001"}},
            },
            "5 g",
            Decimal("0.005"),
        ),
        ("date", "2026-02-30", "is not a date"),
        ({"datatype": "date", "reads": "yyyyMMdd"}, 20260331, dt.date(2026, 3, 31)),
        ({"datatype": "date", "reads": ["MM/dd/yyyy", "dd/MM/yyyy"]}, "01/02/2026", "can be read"),
        (
            {"datatype": "date", "reads": ["MM/dd/yyyy", "dd/MM/yyyy"]},
            "13/02/2026",
            dt.date(2026, 2, 13),
        ),
        ({"datatype": "date", "reads": "dd/MM/yyyy"}, "1/2/26", "is not a date"),
        ({"datatype": "time", "reads": "HHmm"}, "0730", dt.time(7, 30)),
        ("boolean", "TRUE", True),
        ("boolean", 1, "is a number, and is declared as a boolean"),
        ("string", 10, "10"),
        ({"null": ["n/a"]}, "n/a", None),
        ({"datatype": "string", "clean": "trim"}, "  a ", "a"),
        ("decimal", True, "is true or false, and is declared as a decimal"),
    ],
)
def test_a_value_is_read_as_it_is_declared(field: Any, value: Any, read: Any) -> None:
    layout = {"fields": {"x": field}, "columns": [{"X": "x"}, {"Y": "coalesce(x, x)"}]}
    rows, balance = table(layout, [{"x": value}])
    if isinstance(read, str) and balance.faults:
        assert read in balance.faults[0].reason
        assert rows[0][1] is None  # a function that met it is unknown
        assert balance.fault_count == 1
    else:
        assert str(rows[0][0]) == str(read)
        assert balance.fault_count == 0


def test_what_could_not_be_read_is_shown_and_unknown() -> None:
    layout = {
        "fields": {"raised": "date"},
        "columns": [
            {"Raised": "raised"},
            {"Blank": "raised is null"},
            {"Late": "not (raised < date '2026-03-01')"},
            {"Either": "raised < date '2026-03-01' or no = 1"},
        ],
        "only": ["raised >= date '2026-01-01' or no > 0"],
    }
    rows, balance = table(layout, [{"no": 1, "raised": "soon"}, {"no": 0, "raised": "later"}, {}])
    assert rows == [("soon", None, None, True)]
    assert [(one.record, one.value) for one in balance.faults] == [(1, "soon"), (2, "later")]
    (condition,) = balance.conditions
    assert (condition.passed, condition.filtered_out, condition.unknown) == (1, 0, 2)


def test_a_column_reads_the_text_of_the_source_by_its_own_keys_alone() -> None:
    layout = {
        "fields": {"raised": {"datatype": "date", "reads": "dd/MM/yyyy"}},
        "columns": [
            {"A": "raised"},
            {"B": {"value": "raised", "datatype": "date", "reads": "MM/dd/yyyy"}},
            {"C": {"value": "raised", "datatype": "string"}},
            {"D": {"value": "raised", "format": "d MMM"}},
        ],
    }
    rows, _ = table(layout, [{"raised": "02/03/2026"}])
    assert rows == [(dt.date(2026, 3, 2), dt.date(2026, 2, 3), "02/03/2026", "2 Mar")]


def test_units_come_from_the_field() -> None:
    layout = {
        "fields": {"took": {"datatype": "decimal", "unit": "minutes"}},
        "columns": [{"Took": "took"}, {"Hours": {"value": "took", "unit": {"to": "hours"}}}],
    }
    found = flatledger.table(layout, [{"took": 90}])
    assert list(found) == [(90, Decimal("1.5"))]
    assert [one.heading for one in found.columns] == ["Took, minutes", "Hours"]
    layout["columns"] = [{"Hours": {"value": "took", "unit": {"to": "hours", "from": "days"}}}]
    with pytest.raises(LayoutError, match="the field is in minutes, and not in days"):
        Layout.from_data(layout)


def test_amounts_with_a_unit_and_without_are_pointed_out() -> None:
    layout: dict[str, Any] = {
        "fields": {"kg": {"datatype": "decimal", "reads": "amount"}},
        "columns": [{"Kg": {"value": "kg", "total": "sum"}}],
    }
    records = [{"kg": "5 kg"}, {"kg": "3"}, {"kg": 2}]
    rows, balance = table(layout, records)
    assert rows[-1] == (10,)
    assert "field `kg`: 1 amounts are in kg, and 2 have no unit" in balance.notices[0]
    layout["fields"]["kg"]["unit"] = "kg"
    assert table(layout, records)[1].notices == []
    del layout["fields"]["kg"]["unit"]
    with pytest.raises(LayoutError, match="field `kg` holds amounts in 2 units"):
        table(layout, [*records, {"kg": "7 g"}])


def test_lists_and_lookups_go_by_the_declaration(tmp_path: Path) -> None:
    (tmp_path / "days.txt").write_text("2026-03-31\n2026-04-01\n")
    (tmp_path / "names.csv").write_text("code,name\n1.50,low\n2,high\n")
    text = """
fields:
  raised: {datatype: date, reads: [dd/MM/yyyy]}
  band: {datatype: decimal, reads: amount, locale: de}
lookup: {bands: {file: names.csv, matched-by: band, key: code}}
columns: [{No: no}, {Band: bands.name}]
only: ["raised in list('days.txt')"]
"""
    read = Layout.from_text(
        text.replace("[dd/MM/yyyy]", "[yyyy-MM-dd, dd/MM/yyyy]"), folder=tmp_path
    )
    records = [
        {"no": 1, "raised": "31/03/2026", "band": "1,5"},
        {"no": 2, "raised": "2026-04-01", "band": 2},
        {"no": 3, "raised": "02/04/2026", "band": "2"},
    ]
    found = flatledger.table(read, records)
    assert list(found) == [(1, None), (2, "high")]  # 1.50 is no German amount of one and a half


def test_brackets_and_unused_fields_are_pointed_out() -> None:
    layout = {
        "fields": {"lines.p": "decimal", "gone": "date", "lines.q": "string"},
        "columns": [{"N": "count(lines[?@.p > 2])"}, {"Q": "count(lines[?@.q == 'a'])"}],
    }
    _, balance = table(layout, [{"lines": [{"p": "3", "q": "a"}, {"p": "1", "q": "b"}]}])
    brackets, unused = balance.notices
    assert "in brackets the value of lines.p is compared as it stands in the source" in brackets
    assert unused == "`fields` declares gone, which no record has"


def test_several_values_are_read_each(tmp_path: Path) -> None:
    layout = {
        "fields": {"lines.d": {"datatype": "date", "reads": "dd/MM/yyyy"}, "days": "date"},
        "columns": [{"D": "lines.d"}, {"Days": "days"}, {"First": "min(lines[*].d)"}],
    }
    records = [{"lines": [{"d": "02/01/2026"}, {"d": "x"}], "days": ["2026-05-01", "2026-05-02"]}]
    rows, balance = table(layout, records)
    assert rows == [("2026-01-02; x", "2026-05-01; 2026-05-02", dt.date(2026, 1, 2))]
    assert balance.fault_count >= 1


def test_a_workbook_has_its_dates_whatever_the_pattern(tmp_path: Path) -> None:
    book = Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (["no", "raised"], [1, dt.date(2026, 3, 31)], [2, "28/03/2026"]):
        sheet.append(row)
    book.save(tmp_path / "s.xlsx")
    layout = {
        "fields": {"raised": {"datatype": "date", "reads": "dd/MM/yyyy"}},
        "columns": [{"Raised": "raised"}],
    }
    found = flatledger.table(layout, tmp_path / "s.xlsx")
    assert list(found) == [(dt.date(2026, 3, 31),), (dt.date(2026, 3, 28),)]
    look = flatledger.survey(tmp_path / "s.xlsx", fields=layout["fields"])
    assert look.fields[1].remarks[0] == "read as date: 2"


@pytest.mark.parametrize(
    ("pattern", "wrong"),
    [
        ("HH:HH", "the hour is read twice"),
        ("HH:mm:mm", "the minute is read twice"),
        ("HHHH m s a", "`a` is no part of a time"),
        ("hh:mm", "`hh` is no part of a time"),
        ("'now'", "is no pattern for times"),
    ],
)
@pytest.mark.parametrize("datatype", ["time", "duration"])
def test_patterns_that_are_none_for_times(pattern: str, wrong: str, datatype: str) -> None:
    fields = {"t": {"datatype": datatype, "reads": pattern}}
    if datatype == "time" and pattern.startswith("HHHH"):
        wrong = "`HHHH` is no part of a time"
    with pytest.raises(LayoutError, match=wrong):
        table({"fields": fields, "columns": [{"T": "t"}]}, [{"t": "10:20"}])


def test_from_merges_fields_by_place_and_key(tmp_path: Path) -> None:
    (tmp_path / "base.yaml").write_text(
        "fields: {raised: date, no: string}\ncolumns: [{Raised: raised}]\n"
    )
    text = "from: base.yaml\nfields: {\"$['raised']\": {reads: dd/MM/yyyy}}\n"
    (tmp_path / "own.yaml").write_text(text)
    fields = Layout.from_file(tmp_path / "own.yaml").request.fields
    found = {one.names: (one.declared.datatype, one.declared.reads) for one in fields}
    assert found == {("no",): ("string", ()), ("raised",): ("date", ("dd/MM/yyyy",))}


@pytest.mark.parametrize(
    ("fields", "why"),
    [
        ("{raised: date, \"$['raised']\": string}", "`$['raised']` is declared twice"),
        ("{'lines[0].x': date}", "`lines[0].x` is no place"),
        ("{$..x: date}", "is no place"),
        (
            "{x: {datatype: date, reads: DD/MM/YYYY}}",
            "D is the day of the year; the day of the mon",
        ),
        ("{x: {datatype: date, reads: dd/MM/YYYY}}", "Y is the year of a week; the year of a date"),
        ("{x: {reads: amount}}", "`reads` goes with the datatype"),
        ("{x: {datatype: string, unit: kg}}", "a `unit` goes with `datatype: decimal`"),
        ("{x: {datatype: date, clean: trim}}", "`clean` is for texts"),
        ("{x: {decimals: 2}}", "no key `decimals` in field `x`"),
        ("{x: date, x.y: date}", "`x.y` is a part of `x`, which is declared as one value"),
    ],
)
def test_what_can_t_be_declared_says_why(fields: str, why: str) -> None:
    with pytest.raises(LayoutError) as told:
        Layout.from_text(f"fields: {fields}\ncolumns: [{{A: a}}]\n")
    assert why in str(told.value)


def test_the_page_on_fields_shows_what_comes_out(tmp_path: Path) -> None:
    page = (Path(__file__).parents[1] / "docs" / "fields.md").read_text("utf-8")
    layout, records, wanted = (
        page.partition(f"```{kind}\n")[2].partition("```")[0] for kind in ("yaml", "json", "csv")
    )
    (tmp_path / "s.json").write_text(records)
    flatledger.export(Layout.from_text(layout), tmp_path / "s.json", tmp_path / "t.csv")
    assert (tmp_path / "t.csv").read_text("utf-8") == wanted


def test_trees_and_mappings_have_declared_values() -> None:
    tree = [{"parts": [{"q": "2,5", "parts": [{"q": "1,5"}, {"q": "x"}]}]}]
    layout: dict[str, Any] = {
        "fields": {"parts.q": {"datatype": "decimal", "reads": "amount", "locale": "de"}},
        "row-per": "parts",
        "columns": [
            {"Q": {"value": "parts.q", "total": "sum"}},
            {"Below": "sum(below(parts.q))"},
            {"Parent": "parent(parts.q)"},
        ],
    }
    whole, half = Decimal("2.5"), Decimal("1.5")
    rows, balance = table(layout, tree)
    assert rows[:3] == [(whole, half, None), (half, None, whole), ("x", None, whole)]
    assert rows[3][0] == half
    assert balance.balanced
    layout = {
        "fields": {"names.*": {"datatype": "integer", "reads": "numeral"}},
        "columns": [{"Sum": "sum(names.*)"}, {"Names": "names.*"}],
    }
    assert table(layout, [{"names": {"a": "007", "b": "3"}}])[0] == [(10, "7; 3")]


def test_a_level_of_objects_is_no_value() -> None:
    layout = {"fields": {"lines": "decimal"}, "columns": [{"N": "count(lines)"}]}
    with pytest.raises(LayoutError, match="lines holds objects; declare what is in them"):
        table(layout, [{"lines": [{"x": 1}]}])


def test_the_tool_takes_fields(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "s.jsonl").write_text(
        '{"no": "1", "raised": "28/03/2026"}\n{"no": "2", "raised": "05/03/2026"}\n'
    )
    field = ("--field", "raised: {datatype: date, reads: [MM/dd/yyyy, dd/MM/yyyy]}")
    span = ("--column", "No: no", "--only", "raised > date '2026-03-10'")
    done = tool("export", "s.jsonl", *span, *field)
    assert done.stdout.split() == ["No", "1"]
    assert "can be read as 2026-05-03 (MM/dd/yyyy) and 2026-03-05 (dd/MM/yyyy)" in done.stderr
    look = tool("survey", "s.jsonl", *field).stdout
    assert "read as date: 1; 1 can be read in two ways (05/03/2026)" in look
    assert "2026-03-28" in tool("try", "raised", "s.jsonl", *field).stdout
    drafted = tool("draft", "s.jsonl", *field).stdout
    assert "fields:\n  raised:\n    datatype: date" in drafted
    assert Layout.from_text(drafted).request.fields[0].names == ("raised",)
    wrong = tool("export", "s.jsonl", *span, "--field", "raised:date")
    assert "Write a blank after the colon" in wrong.stderr


def test_paths_in_brackets_are_declared_as_they_are_typed(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "s.csv").write_text("Counted on,n: kg\n28/03/2026,1\n29.03.2026,2\n")
    typed = ("--column", "On: \"['Counted on']\"", "--only", "['Counted on'] > '01/03/2026'")
    told = tool("export", "s.csv", *typed).stderr
    forms = "{datatype: date, reads: [dd/MM/yyyy, dd.MM.yyyy]}"
    field = re.search(r'--field "(.*)"', told)
    assert field
    assert field[1] == f"['Counted on']: {forms}"
    span = ("--only", "['Counted on'] > date '2026-03-28'")
    assert tool("export", "s.csv", *typed[:2], *span, "--field", field[1]).stdout.split() == [
        "On", "2026-03-29",
    ]  # fmt: skip
    for declared in ("integer", "{datatype: integer}"):
        done = tool("try", "['n: kg'] * 1.00", "s.csv", "--field", f"['n: kg']:{declared}")
        assert "2.00" in done.stdout
    twice = tool("try", "['n: kg']", "s.csv", *("--field", "['n: kg']: date") * 2)
    assert "--field declares ['n: kg'] twice" in twice.stderr
    (tmp_path / "h.csv").write_text("$(id) 'a' (`b`),n\n28/03/2026,1\n2026-03-29,2\n")
    path = r"['$(id) \'a\' (`b`)']"
    told = tool("export", "h.csv", "--column", "n: n", "--only", f"{path} > '01/01/2026'").stderr
    hint = shlex.split(told[told.index("--field") : told.index("}") + 3].split("\n")[0])
    assert hint == ["--field", f"{path}: {{datatype: date, reads: [dd/MM/yyyy, yyyy-MM-dd]}}"]
    assert "2026-03-28" in tool("try", path, "h.csv", *hint).stdout
    for text in ("fields: {['n: kg']: decimal}\n", "columns:\n  - N: ['n: kg']\n"):
        (tmp_path / "l.yaml").write_text(text)
        assert "needs quotes" in (said := tool("export", "l.yaml", "s.csv").stderr)
        assert "\"['n: kg']\"" in said
