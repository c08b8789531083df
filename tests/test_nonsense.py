"""No success over nonsense: what is run on the wrong file, compared as texts, blank everywhere."""

from __future__ import annotations

import datetime as dt
import io
import json
from pathlib import Path
from typing import Any

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import LayoutError, SourceError
from flatledger.run.protocols import Repeats
from flatledger.sources.files import reading
from flatledger.sources.files.options import Options
from flatledger.sources.json.json_source import JsonReader
from flatledger.values.periods import UNITS, parse_period, period_of
from tests.conftest import Tool, table

RECORDS = [{"no": 1, "raised": "2026-03-31"}, {"no": 2, "raised": "28/03/2026"}]


@pytest.mark.parametrize("count", [1, 1200])
def test_a_layout_over_the_wrong_source_writes_nothing(tmp_path: Path, count: int) -> None:
    (tmp_path / "t.csv").write_text("good")
    (tmp_path / "s.jsonl").write_text('{"code": "A", "place": {"x": 1}}\n' * count)
    layout = {"columns": [{"No": "no"}, {"Raised": "raised"}], "only": ["status is null"]}
    with pytest.raises(SourceError, match=r"s\.jsonl, which has code, place; is it the right"):
        flatledger.export(layout, tmp_path / "s.jsonl", tmp_path / "t.csv")
    assert (tmp_path / "t.csv").read_text() == "good"


@pytest.mark.parametrize(
    ("columns", "records"),
    [
        (["no"], [{"no": None}]),  # a null counts as had
        (["lines.qty"], [{"lines": []}]),
        (["lines.qty"], [{"lines": None}]),
        (["station.name"], [{"station": {}}]),
        (["gone", "no"], [{"no": 1}]),
        (["record_number()"], [{"other": 1}]),
        (["gone"], []),
    ],
)
def test_a_place_that_is_empty_was_had(columns: list[str], records: list[Any]) -> None:
    rows, _ = table({"columns": [{text: text} for text in columns]}, records)
    assert len(rows) == len(records)


def test_columns_without_any_value_are_pointed_out() -> None:
    layout = {
        "columns": [
            {"No": "no"},
            {"Blank": "blank"},
            {"Day": {"value": "odd", "datatype": "date"}},
            {"Later": "later"},
            {"May lack": "lacks"},
            {"For the receiver": None},
        ],
        "may-lack": ["lacks"],
    }
    records = [{"no": 1, "blank": "", "odd": "soon", "later": None}, {"no": 2, "later": 5}]
    _, balance = table(layout, records)
    assert balance.notices == [
        "no row has a value in `Blank`",
        "nothing could be read in `Day`",
    ]
    assert table(layout, [])[1].notices == []


@pytest.mark.parametrize(
    ("condition", "says"),
    [
        ("raised >= '2026-03-01'", "in the forms yyyy-MM-dd (2026-03-31) and dd/MM/yyyy"),
        ("raised between '2026-03-01' and '2026-04-01'", "reads: [yyyy-MM-dd, dd/MM/yyyy]"),
        ("raised = '2026-03-31'", "--field 'raised: {datatype: date"),
        ("raised >= 2026-03-01", "2026-03-01 subtracts two numbers from a third"),
        ("raised like '2026%'", ""),
        ("no > 0", ""),
    ],
)
def test_dates_that_are_no_dates_are_pointed_out(condition: str, says: str) -> None:
    _, balance = table({"columns": [{"No": "no"}], "only": [condition]}, RECORDS)
    notices = "\n".join(balance.notices)
    assert says in notices
    assert bool(says) == bool(notices)


@pytest.mark.parametrize("key", ["format", "reads"])
def test_the_day_of_the_year_is_not_the_day_of_the_month(key: str) -> None:
    for pattern, meant in (("DD/MM/yyyy", "`dd`"), ("dd/MM/YYYY", "`yyyy`")):
        column = {"value": "raised", "datatype": "date", key: pattern}
        with pytest.raises(LayoutError, match=meant):
            flatledger.Layout.from_data({"columns": [{"R": column}]})


def test_a_key_that_is_shown_alike_is_pointed_out() -> None:
    days = [{"raised": f"2026-0{month}-0{day}"} for month in (1, 2) for day in (1, 2, 3)]
    month = {"value": "raised", "datatype": "date", "format": "yyyy-MM"}
    told = "6 days are shown as 2 by the format yyyy-MM; period_of(raised, 'month') makes those"
    for keys in ({"group": ["Month"]}, {"sort": ["Month"]}, {"row-per-group": ["Month"]}):
        layout: dict[str, Any] = {"columns": [{"Month": month}], **keys}
        _, balance = table(layout, days)
        assert told in balance.notices[0]
    layout = {
        "row-per-group": ["period_of(raised, 'month')"],
        "columns": [
            {"Month": "period_of(raised, 'month')"},
            {"Days": "count(raised)"},
        ],
    }
    rows, balance = table(layout, days)
    assert rows == [("2026-01", 3), ("2026-02", 3)]
    assert balance.notices == []
    shown = {"value": "period_of(raised, 'quarter')", "format": "MMM yyyy"}
    assert table({"columns": [{"Quarter": shown}]}, days[-1:])[0] == [("Jan 2026",)]


@given(st.dates(), st.dates(), st.sampled_from(UNITS))
def test_a_period_holds_its_days_and_is_ordered_as_they_are(
    day: dt.date, other: dt.date, unit: str
) -> None:
    text = period_of(day, unit)
    if not (unit == "week" and day < dt.date(1, 1, 8)):
        period = parse_period(text, day)
        assert period.first <= day <= period.last
        assert period.name == text
    assert period_of(dt.datetime(day.year, day.month, day.day, 23), unit) == text
    if day <= other and not (unit == "week" and other.isocalendar()[0] > 9999):
        assert text <= period_of(other, unit)


def test_an_empty_list_is_one_whatever_other_records_have() -> None:
    """An empty list may have had what is asked for, though another record's has what it has not."""
    layout = {"columns": [{"A": "first(side.v)"}]}
    for records in ([{"side": []}, {"side": ["", ""]}], [{"side": ["", ""]}, {"side": []}]):
        assert list(flatledger.table(layout, records)) == [(None,), (None,)]
    with pytest.raises(SourceError, match="none of the fields"):
        list(flatledger.table(layout, [{"side": ["", ""]}]))


class Read(msgspec.Struct):
    """What is asked for of a record, so that different ones may be equal."""

    a: int | None = None


LINES = ['{"a": 1}', '{"a":1}', '{"a": 2, "b": 1e400}', '{"a": 2, "b": 3}', '{"b": 1}', "", " "]


@given(st.lists(st.sampled_from(LINES), max_size=60), st.sampled_from([6, 8, 20]))
def test_equal_records_are_counted_by_their_lines(lines: list[str], size: int) -> None:
    """However the lines come, and whatever is decoded of them."""
    texts = [line for line in lines if line.strip()]
    equal = [at for at in range(1, len(texts)) if texts[at] == texts[at - 1]]
    data = "\n".join([*lines, '{"last": 1}']).encode()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(reading, "CHUNK", 1 << size)
        patch.setattr(reading, "_FIRST_CHUNK", 1 << size)
        reader = JsonReader(reading.Bytes("lines", io.BytesIO(data)), Options())
        found = Repeats()
        for batch in reader.batches(Read):
            found = found.and_later(batch.repeats)
    assert found == (len(equal), equal[0] + 1 if equal else 0)


def test_equal_records_are_told(tool: Tool, tmp_path: Path) -> None:
    rows = [{"a": 1, "b": [1]}, {"a": 1, "b": [1]}, {"b": [1], "a": 1}, {"a": 2}, {"a": 2}]
    lines = "\n".join(json.dumps(row) for row in rows)
    (tmp_path / "s.jsonl").write_text(lines)
    (tmp_path / "s.csv").write_text("a,b\n1,2\n1,2\n1,3\n")
    told = tool("export", "s.jsonl", "--column", "A: a", "-o", "t.csv").stderr
    assert "2 records are equal to the one right before them, the first of them record 2" in told
    (tmp_path / "blank.jsonl").write_text('{"a": 1}\n\n \n\n{"a": 2}\n\n\n{"a": 2}\n\n')
    told = tool("export", "blank.jsonl", "--column", "A: a", "-o", "t.csv").stderr
    assert "record 3 is equal to the one right before it" in told  # blank lines are no records
    told = tool("export", "s.csv", "--column", "A: a", "-o", "t.csv").stderr
    assert "record 2 is equal to the one right before it" in told
    told = tool("survey", "s.jsonl", "--all").stderr
    assert "3 records are equal in everything to an earlier one" in told
    assert "equal" not in tool("survey", "s.jsonl").stderr


def test_a_name_that_comes_twice_is_found_in_what_is_looked_at(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "s.jsonl").write_text('{"a": 1, "b": {"c": 1, "c": 2}}\n{"a": 2}\n')
    told = "record 1, b.c: this name comes twice in one object; the last counts"
    assert told in tool("survey", "s.jsonl").stderr
    look = tool("preview", "s.jsonl", "--column", "A: a")
    assert told in look.stdout + look.stderr
    assert told not in tool("export", "s.jsonl", "--column", "A: a", "-o", "t.csv").stderr
    strict = tool("export", "s.jsonl", "--column", "A: a", "-o", "t.csv", "--strict")
    assert (strict.returncode, told in strict.stderr) == (3, True)
    assert "names that come twice" in tool("export", "--help").stdout.replace("\n", " ")


def test_the_same_value_is_told_once_whatever_reads_it() -> None:
    layout = {
        "columns": [
            {"A": {"value": "x", "decimals": 2}},
            {"B": {"value": "x", "datatype": "date"}},
        ],
        "only": ["x > 1 or no = 1"],
        "sort": ["cast(x as date)"],
    }
    _, balance = table(layout, [{"no": 1, "x": "soon"}, {"no": 2, "x": "late"}])
    assert [(one.record, one.value) for one in balance.faults] == [(1, "soon"), (2, "late")]


@pytest.mark.parametrize(
    ("entries", "any_", "every"),
    [
        ([], False, True),
        ([None], None, None),
        ([None, 1], False, False),
        ([None, 3], True, True),
        ([1, 3], True, False),
        ([None, 1, 3], True, False),
    ],
)
def test_any_and_every_pass_over_what_is_unknown(entries: list[Any], any_: Any, every: Any) -> None:
    plain = [entries] if None not in entries else []  # where a null is no entry
    for shaped in (*plain, [{"x": one} for one in entries]):
        path = "l" if shaped is entries else "l.x"
        columns = [{"Any": f"any({path} > 2)"}, {"Every": f"every({path} > 2)"}]
        layout = {"levels": ["l"], "columns": columns}
        assert table(layout, [{"l": shaped}])[0] == [(any_, every)]
        groups = {"row-per-group": ["k"], **layout, "may-lack": ["l.x"]}
        found, _ = table(groups, [{"k": 1, "l": shaped}, {"k": 1, "l": []}])
        assert found == [(any_, every)]
