"""Which places are levels: stated, named or shown by a list of several, wherever it stands."""

from __future__ import annotations

import copy
import io
import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger import Layout, LayoutError
from flatledger.errors import LevelsError
from tests.conftest import Tool, table

FIRST = 320  # more records than a run looks at before it makes its plan
number = st.none() | st.integers(0, 3)
lots = st.lists(st.fixed_dictionaries({"w": number}), max_size=3)
lines = st.lists(st.fixed_dictionaries({"q": number, "lots": lots}), max_size=3)
records = st.lists(
    st.fixed_dictionaries(
        {
            "no": st.integers(0, 9),
            "lines": lines,
            "pays": st.lists(st.fixed_dictionaries({"m": number}), max_size=2),
            "tags": st.lists(st.sampled_from(["a", "b", "c"]), max_size=2),
        }
    ),
    min_size=1,
    max_size=5,
)
LEVELS = ["lines", "lines.lots", "pays", "tags"]
COLUMNS = {
    "record": ["sum(pays.m)", "count(pays)", "any(pays.m > 1)", "tags", "sum(lines.lots.w)"],
    "lines": ["lines.q", "sum(lines.lots.w)", "count(lines.lots)", "lines.lots.w", "sum(pays.m)"],
    "lines.lots": ["lines.lots.w", "lines.q", "sum(pays.m)", "pays.m", "lines[0].q"],
    "pays": ["pays.m", "count(lines)", "sum(lines.q)", "no"],
    "tags": ["tags", "no", "count(tags)"],
}
ONLY: list[Any] = ["any(pays.m > 0)", {"keep": "pays", "when": "pays.m > 0"}, "no > 3"]


def loosened(value: Any, draw: Any) -> Any:
    """The same facts: some lists of one as lone values, some lists of none left out."""
    if isinstance(value, dict):
        found = {key: loosened(one, draw) for key, one in value.items()}
        return {key: one for key, one in found.items() if one != [] or draw(st.booleans())}
    if isinstance(value, list):
        entries = [loosened(one, draw) for one in value]
        return entries[0] if len(entries) == 1 and draw(st.booleans()) else entries
    return value


@settings(max_examples=120)
@given(records, st.data())
def test_lists_of_one_and_lone_values_are_the_same_in_any_order(
    source: list[Any], data: st.DataObject
) -> None:
    row = data.draw(st.sampled_from(sorted(COLUMNS)))
    layout: dict[str, Any] = {
        "row-per": row,
        "columns": [{text: text} for text in COLUMNS[row]],
        "only": data.draw(st.lists(st.sampled_from(ONLY[1 if row == "pays" else 0 :]), max_size=1)),
        "may-lack": [*LEVELS, "lines.q", "lines.lots.w", "pays.m"],
    }
    if row == "pays" and layout["only"] == [ONLY[1]]:
        layout["only"] = ["pays.m > 0"]
    stated, balance = table({**layout, "levels": LEVELS}, source)
    assert balance.balanced
    # somewhere each level has a list of several, at the start or after the first look
    shows = {"no": 0, "lines": [{"lots": [{}, {}]}, {}], "pays": [{}, {}], "tags": ["x", "y"]}
    lone: Any = {"no": 1, "lines": {"lots": {}}, "pays": {}, "tags": "x"}
    other = [loosened(copy.deepcopy(one), data.draw) for one in source]
    first = [lone] * data.draw(st.sampled_from([0, 1, FIRST]))
    parts = data.draw(st.permutations([first, other, [shows]]))
    place = [part is other for part in parts].index(True)
    around = [table({**layout, "levels": LEVELS}, part)[0] for part in parts]
    rows, balance = table(layout, [one for part in parts for one in part])
    before = sum(map(len, around[:place]))
    assert rows[before : before + len(around[place])] == stated
    assert sorted(map(str, rows)) == sorted(str(row) for part in around for row in part)


def source_of(last: Any, count: int = FIRST) -> list[Any]:
    return [{"no": n, "lines": {"q": 1, "tag": "x"}} for n in range(count)] + [last]


LATE = {"no": 999, "lines": [{"q": 2, "tag": "y"}, {"q": 3, "tag": "z"}]}
TOTAL = {"columns": [{"No": "no"}, {"Q": {"value": "sum(lines.q)", "total": "sum"}}]}


def test_a_late_list_begins_the_run_again_and_is_told() -> None:
    rows, balance = table({**TOTAL, "sort": ["No"]}, source_of(LATE))
    assert rows[-2:] == [(999, 5), ("Grand total", FIRST + 5)]
    assert balance.balanced
    assert balance.read == FIRST + 1
    (again,) = balance.begun_again
    assert (again.record, again.level) == (FIRST + 1, "lines")


def test_rows_that_were_given_or_a_source_that_is_gone_end_in_an_error() -> None:
    many = source_of(LATE, 1200)
    for source, why in ((many, "rows were given"), (iter(source_of(LATE)), "once only")):
        with pytest.raises(LevelsError, match=why) as told:
            list(flatledger.table(Layout.from_data(TOTAL), source))
        assert "State all levels in the layout: `levels: [lines, …]`" in str(told.value)
    rows = list(flatledger.table({**TOTAL, "levels": ["lines"]}, iter([LATE])).rows(totals=True))
    assert rows == [(999, 5), ("Grand total", 5)]


def test_a_refused_layout_names_the_first_record_and_both_ways(tmp_path: Path) -> None:
    layout = Layout.from_data({"columns": [{"Q": "lines.q + 1"}]})
    with pytest.raises(LayoutError) as told:
        flatledger.export(layout, source_of(LATE), tmp_path / "out.csv")
    message = str(told.value)
    assert f"record {FIRST + 1} has a list of several" in message
    assert "`levels: […]` states the levels without it, and each such list is a fault" in message
    assert "sum(lines.q)" in message
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("column", ["lines.q", "lines.q + 0", "lines"])
def test_where_levels_are_stated_another_list_is_a_fault_of_its_value(column: str) -> None:
    layout: dict[str, Any] = {"levels": [], "columns": [{"No": "no"}, {"Q": column}]}
    rows, balance = table(layout, source_of(LATE))
    assert len(rows) == FIRST + 1
    assert [(fault.record, fault.reason) for fault in balance.faults] == [
        (FIRST + 1, "one value was expected")
    ]
    joined = {"levels": [], "columns": [{"Q": {"value": "lines.q", "separator": "/"}}]}
    rows, balance = table(joined, [LATE])
    assert (rows, balance.fault_count) == ([("2/3",)], 0)
    rows, balance = table({"levels": [], "columns": [{"S": "sum(lines.q)"}]}, [LATE])
    assert rows == [(None,)]  # in an aggregate a list of any length would be its home
    assert "if it is one, write `levels: [lines]`" in balance.faults[0].reason


def test_rows_of_plain_values_that_no_column_shows() -> None:
    rows, balance = table(
        {"row-per": "tags", "columns": [{"No": "no"}]}, [{"no": 1, "tags": ["a", "b"]}, {"no": 2}]
    )
    assert (rows, balance.fault_count) == ([(1,), (1,), (2,)], 0)


def test_standard_input_and_files_begin_again(tool: Tool, tmp_path: Path) -> None:
    text = "\n".join(json.dumps(one) for one in source_of(LATE))
    (tmp_path / "s.jsonl").write_text(text)
    (tmp_path / "l.yaml").write_text(json.dumps(TOTAL))
    for source, piped in (("s.jsonl", b""), ("-", text.encode()), ("/dev/stdin", text.encode())):
        done = tool("export", "l.yaml", source, "-o", "out.csv", stdin=piped)
        assert done.returncode == 0, done.stderr
        assert "all records were looked at, and the run began again" in done.stderr
        assert (tmp_path / "out.csv").read_text().splitlines()[-1] == f"Grand total,{FIRST + 5}"
    out = io.BytesIO()
    layout = Layout.from_data(TOTAL)
    with pytest.raises(LevelsError):
        flatledger.export(layout, io.BytesIO(text.encode()), out)
    look = tool("preview", "l.yaml", "s.jsonl")
    assert "Levels, as the records show: lines." in look.stdout
    assert "began again" in look.stdout + look.stderr


def test_a_looked_up_field_stands_in_the_same_place_in_every_shape(tmp_path: Path) -> None:
    (tmp_path / "parts.csv").write_text("id,name\n1,wick\n2,lens\n")
    layout = """
row-per: lines
lookup: {part: {file: parts.csv, matched-by: lines.id, key: id}}
columns: [{No: no}, {Part: lines.part.name}]
"""
    late = {"no": 999, "lines": [{"id": 1}, {"id": 2}]}
    for shape in ({"id": 1}, [{"id": 1}]):
        source = [{"no": 1, "lines": shape}] * FIRST
        for records in ([*source, late], [late, *source], source):
            (tmp_path / "s.jsonl").write_text("\n".join(map(json.dumps, records)))
            read = Layout.from_text(layout, folder=tmp_path)
            out = tmp_path / "out.csv"
            flatledger.export(read, tmp_path / "s.jsonl", out)
            rows = out.read_text().splitlines()[1:]
            expected = ["1,wick", "999,lens", "999,wick"]
            assert sorted(set(rows)) == expected[: 3 if late in records else 1]


def test_a_draft_states_the_levels(tool: Tool, demo: Path) -> None:
    done = tool("draft", "requisitions.jsonl")
    assert "levels: [tags, lines, lines.lots, lines.options, payments]" in done.stdout


@pytest.mark.parametrize(
    ("layout", "record"),
    [
        ({"columns": [{"A": "a"}]}, {"a": [1, 2]}),
        ({"columns": [{"A": "a * 2"}]}, {"a": [1, 2]}),
        ({"columns": [{"A": {"value": "a", "datatype": "date"}}]}, {"a": [1, 2]}),
        ({"columns": [{"A": "b.a"}]}, {"b": [{"a": 1}, {"a": 2}]}),
        ({"columns": [{"A": "b.a"}]}, {"b": {"a": [1, 2]}}),
        ({"columns": [{"A": "case when c then a end"}]}, {"a": [1, 2], "c": False}),
        ({"columns": [{"A": "coalesce(c, a)"}]}, {"a": [1, 2], "c": 1}),
        ({"columns": [{"A": "c"}], "only": ["a > 1"]}, {"a": [1, 2], "c": 1}),
        ({"columns": [{"A": "a"}], "only": ["c = 2"]}, {"a": [1, 2], "c": 1}),
        ({"columns": [{"A": "l.x"}, {"B": "a"}], "row-per": "l", "without-entries": "drop"},
         {"a": [1, 2]}),
        ({"columns": [{"A": "l.x"}], "row-per": "l"}, {"l": [{"x": 1}, {"x": [1, 2]}]}),
        ({"columns": [{"A": "count(l.x)"}, {"B": "l"}], "row-per": "record"}, {"l": [1, 2]}),
    ],
)  # fmt: skip
def test_a_list_is_found_wherever_the_plan_reads_one_value(
    layout: dict[str, Any], record: dict[str, Any]
) -> None:
    """Late or early in the source, it makes the same table or the same refusal."""
    plain = [{"a": 1, "b": {"a": 1}, "c": 1, "l": [{"x": 1}]}] * 400

    def outcome(source: list[Any]) -> Any:
        try:
            rows = flatledger.table(flatledger.Layout.from_data(layout), source)
            found = sorted(map(repr, rows))
        except (flatledger.LayoutError, flatledger.LevelsError) as error:
            return str(error).partition("(record")[0].partition(", and rows were")[0]
        return found, rows.balance.repeating

    late, early = outcome([*plain, record]), outcome([record, *plain])
    if isinstance(late, str) and "State all levels" not in late and "has a list" in late:
        late = early  # rows had been given; what would come of it is told
    assert late == early
