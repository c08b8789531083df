"""Survey and draft: figures by hand, odd data, and layouts that run as they were drafted."""

from __future__ import annotations

import io
import json
import re
from contextlib import ExitStack
from decimal import Decimal
from itertools import cycle
from pathlib import Path
from typing import Any
from unittest.mock import patch

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from rich.cells import cell_len

import flatledger
from flatledger.reports.screen import Screen
from flatledger.reports.survey_text import print_survey
from flatledger.reports.words import if_empty
from flatledger.structure import data_keys, profiles
from tests.conftest import Tool

RECORDS: list[Any] = [
    {"no": "A1", "lines": [{"qty": 1, "unit-price": 2}, {"qty": "two"}],
     "names": {"en": "x", "cy-GB": "y"}},
    {"no": "A2", "lines": {"qty": 3}, "when": "2026-03-31", "took": "3 days", "tags": "a; b"},
    {"no": "A3", "lines": [], "when": "2026-04-01", "took": "PT4H", "tags": "c; d", "x": None},
]  # fmt: skip


def test_the_survey_counts_what_is_there() -> None:
    result = flatledger.survey(RECORDS)
    assert (result.records, result.complete, result.faults) == (3, True, 0)
    lines, quantity = result.field("lines"), result.field("lines.qty")
    assert (lines.filled, lines.lists, lines.lone, lines.entries) == (3, 2, 1, 3)
    assert (lines.least, lines.most, str(lines.mean)) == (0, 2, "1")
    assert "a list 2 times and a lone object once" in lines.remarks[0]
    assert (quantity.parents, quantity.filled) == (3, 3)
    assert quantity.kinds == {"integer": 2, "text": 1}
    assert quantity.remarks == ["mixed: 2 numbers, 1 text (such as 'two')"]
    assert result.field("lines['unit-price']").filled == 1
    odd = flatledger.survey([{"unit-price": 1}])
    assert odd.field("$['unit-price']") == odd.under("$['unit-price']").field("['unit-price']")
    dates = "dates, all of them: {datatype: date, reads: yyyy-MM-dd}"
    assert result.field("when").remarks == [dates]
    assert result.field("took").remarks == ["durations: working_time(took, 'hours')"]
    assert result.field("tags").remarks == ["lists in one text, separated by '; '"]
    assert "in_language(names, 'en')" in result.field("names").remarks[0]
    assert result.field("no").remarks == ["all different and never blank: an identifier"]
    assert [field.path for field in result.under("names").fields] == ["names", "names.*"]
    assert result.field("x").filled == 0


def test_a_sample_says_that_it_is_one() -> None:
    many = [{"a": n} for n in range(50)] + [{"late": 1}]
    sample = flatledger.survey(many, sample=20)
    assert (sample.records, sample.complete) == (20, False)
    assert [field.path for field in sample.fields] == ["a"]
    whole = flatledger.survey(many, sample=None)
    assert (whole.records, whole.complete) == (51, True)
    assert whole.field("late").filled == 1
    assert flatledger.survey(many, sample=51).complete is True


def test_odd_data_stays_bounded() -> None:
    keys = [{"k": {f"key{n}-{m}": m for m in range(100)}} for n in range(200)]
    result = flatledger.survey(keys)
    assert "its keys are data" in result.field("k").remarks[0]
    assert len(result.fields) < 10
    wide = flatledger.survey([{f"c{n}": n for n in range(2_000)}])
    assert len(wide.fields) == 2_000
    lone = flatledger.survey([{f"c{n}": n for n in range(5_000)}])
    assert [field.path for field in lone.fields] == ["$.*"]
    assert "the keys are data (5,000 different" in lone.fields[0].remarks[0]
    wider = [{f"c{n}": n if n % 2 else "x" for n in range(5_000)}]
    assert len(flatledger.survey(wider).fields) == 3_001
    drafted = flatledger.draft(wider)
    assert "more than 3,000 fields; the others are not listed" in drafted
    assert drafted.count("\n  - C") == 3_000
    values = flatledger.survey([{"v": f"value {n}"} for n in range(3_000)], sample=None)
    assert (values.field("v").distinct, values.field("v").distinct_is_bound) == (1_000, True)
    assert flatledger.survey([{"v": "x" * 10_000_000}]).field("v").longest == 10_000_000
    assert flatledger.survey([]).fields == []


def test_kinds_and_values(demo: Path) -> None:
    source = demo / "requisitions.jsonl"
    assert flatledger.distinct_values("status", source) == {
        "received": 32,
        "sent": 10,
        "draft": 4,
        "cancelled": 2,
    }
    kinds = flatledger.survey_kinds("status", source)
    assert {kind: result.records for kind, result in kinds.items()} == {
        "received": 32,
        "sent": 10,
        "draft": 4,
        "cancelled": 2,
    }


def test_the_commands(tool: Tool, demo: Path) -> None:
    done = tool("survey", "requisitions.jsonl")
    assert done.returncode == 0
    assert "all 48 records" in done.stderr
    line = next(line for line in done.stdout.splitlines() if line.startswith("lines.options "))
    assert line.split() == "lines.options 40 % object 64 entries, 1 to 2 in each".split()  # noqa: SIM905
    assert "lines.qty" not in tool("survey", "requisitions.jsonl", "--under", "lines.part").stdout
    assert tool("survey", "requisitions.jsonl", "--values", "status").stdout.splitlines()[1] == (
        "received\t32"
    )
    fields = json.loads(tool("survey", "requisitions.jsonl", "--json").stdout)["fields"]
    assert [field["path"] for field in fields][:3] == ["no", "raised", "status"]
    assert tool("survey", "requisitions.jsonl", "--under", "nothing").returncode == 1
    drafted = tool("draft", "requisitions.jsonl", "--row-per", "lines", "-o", "draft.yaml")
    assert drafted.returncode == 0
    exported = tool("export", "draft.yaml", "requisitions.jsonl", "-o", "draft.csv")
    assert "agree. No faults." in exported.stderr
    rows = (demo / "draft.csv").read_text(encoding="utf-8").splitlines()
    assert rows[0].startswith("No,Raised,Status,Station code,Station name,Keeper,Carriage,Tags")
    again = tool("draft", "requisitions.jsonl", "-o", "draft.yaml")
    assert again.returncode == 1
    assert "is there already" in again.stderr
    assert (
        "did you mean `payments`?"
        in tool("draft", "requisitions.jsonl", "--row-per", "paymets").stderr
    )


def test_the_survey_on_a_narrow_terminal(monkeypatch: pytest.MonkeyPatch) -> None:
    """A line for each field, none too long but for a path that has one of its own, whole."""
    deep: dict[str, Any] = {"value": " two  blanks", "size": 7}
    path = [f"level_number_{at}" for at in range(6)]
    for name in reversed(path):
        deep = {name: deep}
    records = [{**deep, "id": n, "size": n, "note": "wide 漢字 " * 9, "ok": True} for n in (1, 2)]
    monkeypatch.setattr("flatledger.reports.screen.WIDEST", 80)
    stream = io.StringIO()
    print_survey(flatledger.survey(records), Screen(stream))
    lines = stream.getvalue().splitlines()
    whole = ".".join([*path, "value"])
    assert lines[lines.index(whole) + 1].endswith("␣two␣␣blanks")
    assert all(cell_len(line) <= 80 for line in lines if not line.startswith("level_number"))
    assert [line.split()[0] for line in lines[1:5]] == ["id", "size", "note", "ok"]
    assert [line.split()[-1] for line in lines[1:3]] == ["2", "2"]
    assert lines[1].split()[4] == "1"  # the note: an identifier, and the size is none
    assert lines[-1] == "  1  all different and never blank: an identifier"
    assert "true/false" in lines[4]


names = st.one_of(
    st.sampled_from(
        ["no", "qty", "unit-price", "Amount", "dc:title", "it's", "a b", "é", "#", "x.y"]
    ),
    st.text(min_size=1, max_size=5).filter(str.strip),
)
values = st.recursive(
    st.one_of(
        st.none(), st.booleans(), st.integers(), st.decimals(-99, 99, places=2), st.text(max_size=5)
    ),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(names, inner, max_size=3)),
    max_leaves=10,
)


@settings(max_examples=150)
@example([{"no": {"no": False}}, {"no": [None, {"no": {}}]}])  # a node's member is a plain value
@given(st.lists(st.dictionaries(names, values, max_size=4), max_size=4))
def test_every_drafted_layout_runs_and_balances(records: list[Any]) -> None:
    if all(value is None or value == "" for record in records for value in record.values()):
        return
    try:
        text = flatledger.draft(records)
    except flatledger.SourceError:  # nothing but empty objects
        return
    layout = flatledger.Layout.from_text(text)
    rows = flatledger.table(layout, records)
    list(rows)
    assert rows.balance.balanced, text


@pytest.mark.parametrize(
    ("name", "records", "level"),
    [
        *(("requisitions.jsonl", None, level) for level in (None, "record", "lines", "lines.lots")),
        *(("requisitions.jsonl", None, level) for level in ("lines.options", "payments")),
        *(("drills.json", "statements", level) for level in (None, "record", "checks")),
    ],
)
def test_every_level_of_the_sample_data_can_be_drafted(
    demo: Path, name: str, records: str | None, level: str | None
) -> None:
    source = demo / name
    drafted = flatledger.draft(source, row_per=level, records=records)
    rows = flatledger.table(drafted.layout, source)
    assert len(list(rows)) > 20
    assert rows.balance.balanced
    assert "<pre" in drafted._repr_html_()
    ways = re.sub(r"^  # - (.*?)(  #.*)?$", r"  - \1", drafted, flags=re.MULTILINE)
    more = flatledger.Layout.from_text(ways)
    assert len(more.headings) >= len(drafted.layout.headings)
    rows = flatledger.table(more, source)
    list(rows)
    assert rows.balance.balanced
    assert rows.balance.fault_count == 0


def test_a_draft_fits_what_was_seen() -> None:
    records: list[Any] = [
        {"no": n, "rate": [1.5, 2][n % 2], "noise": 0.1 + 0.2, "net": 3, "k": {f"key{n}": n}}
        for n in range(100)
    ]
    drafted = flatledger.draft([*records, {"rare": "x"}])
    assert "  - Rate: rate\n" in drafted
    noise = "the noise of binary fractions shows (0.30000000000000004): `decimals: 1` rounds it"
    assert f"  - Noise: noise   # {noise}\n" in drafted
    assert "  - Net: {value: net, total: sum}\n" in drafted
    assert "  # - Rare: rare   # filled in 1 of 101 only\n" in drafted
    assert "# k: its keys are data. To have it: `row-per: k.*` with" in drafted
    assert flatledger.draft([{f"k{n}": n} for n in range(200)]).layout.headings[0] == "K0"
    deep: Any = 1
    for _ in range(250):
        deep = {"n": {"m": deep}}
    drafted = flatledger.draft([{"no": 1, "deep": deep}])
    assert "# What is nested more than 60 deep is not listed." in drafted
    list(flatledger.table(drafted.layout, [{"no": 1, "deep": deep}]))


def test_a_preview_says_what_the_export_then_does(tool: Tool, demo: Path) -> None:
    source = demo / "requisitions.jsonl"
    for name in ("requisition-lines", "station-summary", "part-summary", "station-spending"):
        layout = flatledger.Layout.from_file(demo / f"{name}.yaml")
        found = flatledger.preview(layout, source)
        balance = flatledger.export(layout, source, demo / "out.csv")
        size = (demo / "out.csv").stat().st_size
        assert (found.balance.files[0].rows, found.balance.files[0].bytes) == (
            balance.files[0].rows,
            size,
        )
        assert found.first == list(flatledger.table(layout, source).rows(totals=True))[:10]
        assert [one.column.heading for one in found.columns] == list(layout.headings)
    layout = flatledger.Layout.from_file(demo / "requisition-lines.yaml")
    found = flatledger.preview(layout, source)
    columns = {one.column.heading: one for one in found.columns}
    assert columns["Carriage, SKC"].column.level == "record"
    assert columns["Quantity"].kinds == ["number"]
    assert columns["Checked by"].filled == 0
    assert "Carriage, SKC belongs to the record: shown on each of its rows, and added once." in (
        found.plan
    )
    many = [{"no": n} for n in range(3_000)]
    short = flatledger.preview(
        flatledger.Layout.from_text("columns: [{No: no}]"), many, sample=True
    )
    assert (short.rows, short.sample) == (1_000, True)
    shown = tool("preview", "requisition-lines.yaml", "requisitions.jsonl", "--sample")
    assert "would have 83 rows and 10 total rows, 7,160 bytes." in shown.stdout
    assert "This is a sample" in shown.stdout
    assert not (demo / "requisition-lines.csv").exists()


@pytest.mark.parametrize(
    ("texts", "line"),
    [
        (["31/03/2026", "01/04/2026"], "  x: {datatype: date, reads: dd/MM/yyyy}   # all 2"),
        (["3.31.26", "4.1.26"], "  x: {datatype: date, reads: M.d.yy}"),
        (["03/04/2026", "05/06/2026"], "#   x: {datatype: date, reads: dd/MM/yyyy or MM/dd/yyyy}"),
        (["20260331", "20260401"], "  x: {datatype: date, reads: yyyyMMdd}"),
        (["20269931", "20269999"], "  x: {datatype: integer}"),
        (["1.5", "2", "-3"], "  x: {datatype: decimal}"),
        (["1.250", "2.500"], "#   x: {datatype: decimal}   # is it 1.200 or 1200?"),
        ([*map(str, range(20)), "?"], "#   x: {datatype: integer}   # '?' is not a number"),
        (["0071", "12"], "  x: {datatype: string}"),
        (["+2", "3"], "#   x: {datatype: integer, reads: numeral}   # '+2' would be written as 2"),
        (["2026-03-31", "2026-04-01"], "  x: {datatype: date, reads: yyyy-MM-dd}"),
        (["2026-03-31"] * 9 + ["2026-04-02T10:00"], "#   x: {datatype: dateTime}   # '2026-03-31'"),
        (["2026-03-31T10:00:00Z"], "#   x: {datatype: dateTime}   # '2026-03-31T10:00:00Z' would"),
        (["07:30", "12:05"], "  x: {datatype: time, reads: HH:mm}"),
        (["1,250.50 kg", "3 kg"], "#   x: {datatype: decimal, reads: amount, unit: kg}"),
        (["12,5 kg", "3 kg"], "#   x: {datatype: decimal, reads: amount, locale: de, unit: kg}"),
        (["£1,200.00", "£3.50"], "#   x: {datatype: decimal, reads: amount, unit: GBP}"),
        (["1.200 kg", "2.300 kg"], "  - X: x   # numbers with marks or units, but is it 1.200"),
        (["5 kg", "5 g"], "  - X: x   # numbers in different units: g, kg"),
        (["3209324 This", "2 is"], "  - X: x\n"),
        (["1/200", "1/32"], "  - X: x\n"),
        (["R-1", "R-2"], "  - X: x\n"),
        (["12A", "7B"], "  - X: x\n"),
    ],
)
def test_a_draft_types_only_what_gives_every_text_back(texts: list[str], line: str) -> None:
    records = [{"x": text} for text in texts]
    drafted = flatledger.draft(records)
    assert f"\n{line}" in drafted
    rows = flatledger.table(drafted.layout, records)
    list(rows)
    assert rows.balance.fault_count == 0


def test_pages_hold_what_the_terminal_shows(tool: Tool, demo: Path) -> None:
    survey = flatledger.survey(demo / "requisitions.jsonl")
    assert tool("survey", "requisitions.jsonl", "--html", "s.html").returncode == 0
    page = (demo / "s.html").read_text(encoding="utf-8")
    for field in survey.fields:
        assert f'data-path="{field.path}"' in page
    assert page.count("<details open") == sum(
        any(other.path.startswith(f"{field.path}.") for other in survey.fields)
        for field in survey.fields
    )
    odd = flatledger.survey([{"<b>": "<script>", "a": {"b'c": ["&"]}}])
    for shown in (odd._repr_html_(), survey._repr_html_()):
        assert "<script>" not in shown
    assert "<code>" not in odd._repr_html_()
    assert (
        tool("preview", "part-summary.yaml", "requisitions.jsonl", "--html", "p.html").stdout == ""
    )
    page = (demo / "p.html").read_text(encoding="utf-8")
    found = flatledger.preview(
        flatledger.Layout.from_file(demo / "part-summary.yaml"), demo / "requisitions.jsonl"
    )
    for text in (*found.plan, *found.headings, *(str(row[0]) for row in found.first)):
        assert text in page
    assert "http" not in page.replace("http-equiv", "")
    assert found._repr_html_().count("<td") > 50


def test_a_preview_looks_at_rows_and_not_at_their_totals() -> None:
    layout = flatledger.Layout.from_data(
        {
            "columns": [
                {"No": "no"},
                {"Qty": {"value": "qty", "total": "sum"}},
                {"X": {"text": "x"}},
            ],
            "group": ["No"],
        }
    )
    found = flatledger.preview(
        layout, [{"no": 1, "qty": 2}, {"no": 1}, {"no": 2, "qty": "y" * 999}]
    )
    assert (found.columns[0].filled, found.columns[0].examples) == (3, ["1", "2"])
    assert (found.columns[1].filled, found.columns[1].examples[1][-2:]) == (2, "y…")
    assert if_empty(one.column for one in found.columns) == {}
    assert (found.rows, found.balance.rows, found.balance.total_rows) == (6, 3, 3)


# ---- many values at once -----------------------------------------------------------------------

plain = st.sampled_from(
    [None, "", "a", "bb", "ccccccc", 1, 2, Decimal("1.0"), Decimal("1.00"), True, 1.5, "x1", "x2"]
)
keyed = st.dictionaries(
    st.integers(0, 30).map("k{}".format),
    st.sampled_from([{"p": 1, "q": 2}, {"p": 3}, 5]),
    max_size=5,
)
nested = st.recursive(
    plain | keyed,
    lambda inner: (
        st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from("abcdef"), inner, max_size=4)
    ),
    max_leaves=6,
)


def as_data(profile: profiles.PlaceProfile | None) -> Any:
    """All that a profile holds, its children in their order."""
    if profile is None:
        return None
    plainly = {name: getattr(profile, name) for name in profile.__slots__}
    plainly["nested"] = None if profile.nested is profile else as_data(profile.nested)
    plainly |= {name: list(plainly[name].items()) for name in ("kinds", "values")}
    plainly["children"] = [(key, as_data(child)) for key, child in profile.children.items()]
    plainly |= {name: as_data(plainly[name]) for name in ("others", "members")}
    return {**plainly, "keys": list(profile.keys)}


@settings(max_examples=150)
@given(
    st.lists(st.dictionaries(st.sampled_from("abcde"), nested, min_size=1), max_size=40),
    st.lists(st.integers(1, 15), min_size=1, max_size=5),
)
def test_many_records_at_once_are_what_they_are_one_by_one(records: Any, sizes: Any) -> None:
    bounds = {"MOST_VALUES": 6, "FIRST_LOOK": 4, "FEWEST_KEYED": 6, "FEWEST_PLAIN": 9}
    with ExitStack() as patched:
        for name, value in (bounds | {"MOST_KEYS": 14, "LONGEST_VALUE": 5}).items():
            for module in (profiles, data_keys):
                if hasattr(module, name):
                    patched.enter_context(patch.object(module, name, value))
        one_by_one, together = profiles.PlaceProfile(top=True), profiles.PlaceProfile(top=True)
        for record in records:
            one_by_one.add(record)
        rest = list(records)
        for size in cycle(sizes):
            if not rest:
                break
            together.add_many(rest[:size])
            del rest[:size]
        assert as_data(together) == as_data(one_by_one)
