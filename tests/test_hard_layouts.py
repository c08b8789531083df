"""Layouts, numbers and places that once ended in a traceback: each is refused in words, or is a
fault of that value alone."""

from __future__ import annotations

import datetime as dt
import io
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import FlatLedgerError, Layout, OutputError, SourceError
from flatledger.values.literals import iso_duration
from tests.conftest import Tool, table

RECORD = {
    "no": 1,
    "day": "2026-01-01",
    "note": "x",
    "lines": [{"qty": 1, "k": "a", "v": 2}, {"qty": 2, "k": "b", "v": 3}],
    "o": {"a": 1},
}
NINES = "9" * 5_000
SPANS = [  # the same place in the order by each of its kinds: a span, a time, a moment
    ("P-1D", "01:00", "2026-01-01", 0),
    ("PT1H", "04:00+02:00", "2026-01-01T10:00:00", 1),
    ("P1D", "09:00", "2026-02-01T01:00:00+02:00", 2),
    ("P20D", "10:30", "2026-02-01T00:30:00", 3),
    ("P1M", "12:30+01:00", "2026-02-02T00:00:00Z", 4),
]


@pytest.mark.parametrize(
    ("columns", "says"),
    [
        (f"[{{A: {NINES}}}]", "this number has 5,000 digits; 1,000 are the most"),
        ("[{A: 1e308999999999999999}]", "this number is beyond the range of numbers"),
        ("[{A: 'lines[99999999999999999999999].v'}]", "beyond the range of an index"),
        ("[{A: {value: day, datatype: date, format: 'HH:mm'}}]", "a date lacks: it has no time"),
        ("[{A: {value: day, datatype: time, format: yyyy}}]", "a time lacks: it has no day"),
        (f"[{{A: {{value: no, format: '0.{'0' * 500}'}}}}]", "is no pattern for numbers"),
        (
            "[{A: {value: day, datatype: date, reads: yyyy-MM-yyyy}}]",
            "the year is read twice; keep one",
        ),
        (f"[{{A: {'.'.join('a' * 9_000)}}}]", "a path has 200 steps at most"),
        (f"[{{A: 'a{'[0]' * 5_000}'}}]", "a path has 200 steps at most"),
        ("[" * 5_000 + "]" * 5_000, "the brackets are nested too deeply"),
        (
            "[{A: {columns-from: lines, named-by: ordinal(linez), value: lines.v}}]",
            "`named-by` is a field of lines",
        ),
        (
            "[{A: {columns-from: lines, named-by: count(lines), value: lines.v}}]",
            "`named-by` is a field of lines",
        ),
        ("[{A: no}]\nsort: [note collate xx_nowhere]", "no collation `xx_nowhere`"),
        (
            f"[{{A: no}}]\nonly: [\"note like_regex '{'(' * 900}x{')' * 900}'\"]",
            "this pattern is no I-Regexp",
        ),
        ('[{A: no}]\noutput: {file: "a\\0b.csv"}', "holds a character that no file's name"),
        ("[{A: no}]\nonly: [no in list('a\x7f.txt')]", ""),
        ('[{A: no}]\nfit-to: "a\\0.csv"', "a layout that is not in a file"),
        *(
            (f"[{{A: no}}]\noutput: {{encoding: {name}}}", "is no encoding for tables")
            for name in ("idna", "punycode", "undefined", "unicode_escape")
        ),
        ("[{A: no}]\noutput: {encoding: rot13}", "does not encode text"),
        ('[{A: no}]\noutput: {encoding: "a\\0"}', "no encoding"),
        ("[{A: \"sum(interval '1' day)\"}]", "adds up numbers; this is an interval"),
    ],
)
def test_what_can_t_be_meant_is_refused(columns: str, says: str) -> None:
    with pytest.raises(FlatLedgerError) as error:
        list(flatledger.table(Layout.from_text(f"columns: {columns}\n"), [RECORD]))
    assert says in str(error.value)


@pytest.mark.parametrize(
    ("expression", "path"),
    [
        *(
            (f"{name}({what})", f"{name}({what})")
            for name in ("min", "max")
            for what in ("lines", "o")
        ),
        *(
            (f"{name}(distinct {what})", what)
            for name in ("sum", "avg")
            for what in ("lines.k", "o")
        ),
    ],
)
def test_aggregates_of_what_they_can_t_take_are_faults(expression: str, path: str) -> None:
    for layout in (
        {"columns": [{"A": expression}]},
        {"row-per-group": ["note"], "columns": [{"A": expression}]},
    ):
        rows, balance = table(layout, [RECORD])
        assert rows[0][0] is None
        assert balance.fault_count
        assert {fault.path for fault in balance.faults} == {path}


def test_a_mixture_has_no_extremes_in_whatever_order_it_comes() -> None:
    layout = {"row-per-group": ["g"], "columns": [{"A": "min(v)"}, {"B": "count(distinct v)"}]}
    values = [3, "x", {"a": 1}, True, 2]
    for turned in range(5):
        mixed = [{"g": 1, "v": value} for value in values[turned:] + values[:turned]]
        rows, balance = table(layout, mixed)
        assert rows[0][:2] == (None, 5)
        assert balance.fault_count == 1


@given(st.lists(st.sampled_from(SPANS), min_size=1, max_size=6), st.booleans())
def test_extremes_of_times_go_by_their_value(indexes: list[Any], grouped: bool) -> None:
    """Spans, times with and without a zone, days beside moments: in whatever order they come."""
    for kind, type_ in ((0, "interval"), (1, "time"), (2, "timestamp")):
        lines = [{"v": one[kind]} for one in indexes]
        columns = [{"A": f"min(cast(l.v as {type_}))"}, {"B": f"max(cast(l.v as {type_}))"}]
        layout: dict[str, Any] = {"levels": ["l"], "columns": columns}
        if grouped:
            layout["row-per-group"] = ["g"]
        rows, balance = table(layout, [{"g": 1, "l": lines}])
        ordered = sorted(indexes, key=lambda one: one[3])
        least, most = (read_back(text, type_) for text in rows[0][:2])
        assert least == read_back(ordered[0][kind], type_)
        assert most == read_back(ordered[-1][kind], type_)
        assert balance.fault_count == 0


def read_back(value: Any, type_: str) -> Any:
    """A value as it compares; the moments and times are in UTC where they have no zone."""
    text = str(value)
    if type_ == "interval":
        return iso_duration(text)
    if type_ == "time":
        time = dt.time.fromisoformat(text)
        return (time.hour * 60 + time.minute) - (time.utcoffset() or dt.timedelta()).seconds // 60
    moment = dt.datetime.fromisoformat(text)
    return moment if moment.tzinfo else moment.replace(tzinfo=dt.UTC)


def test_whole_entries_have_no_order() -> None:
    layout = {"row-per": "lines", "columns": [{"Q": "lines.qty"}], "only": ["lines < lines"]}
    rows, balance = table(layout, [RECORD])
    assert rows == []
    assert balance.fault_count


@pytest.mark.parametrize("digits", [4_300, 4_301, 5_000, 40_000])
@pytest.mark.parametrize("form", ["{}", '"{}"', "-{}", "[{}]"])
def test_long_integers_are_exact_or_a_fault_of_that_value_alone(digits: int, form: str) -> None:
    number = "7" * digits
    text = f'{{"no": 1, "n": {form.format(number)}}}\n{{"no": 2, "n": 1}}\n'
    layout = Layout.from_text(
        "columns: [{No: no}, {N: {value: n, datatype: integer, total: sum}}, {T: n}]\n"
    )
    to = io.BytesIO()
    balance = flatledger.export(layout, io.BytesIO(text.encode()), to)
    assert balance.balanced
    first, second, total = to.getvalue().decode().splitlines()[1:4]
    assert second == "2,1,1"
    sign = form.strip('[]"{}')
    if digits <= 4_300:
        assert first == f"1,{sign}{number},{sign}{number}"
        assert total.split(",")[1] == str(int(f"{sign}{number}") + 1)
        assert balance.fault_count == 0
    else:
        assert first.startswith("1,")
        assert total == "Grand total,1,"
        assert {fault.path for fault in balance.faults} <= {"n"}
        assert balance.read == 2
        assert balance.unreadable == 0


def test_products_of_long_integers_are_written_whole() -> None:
    layout = Layout.from_text("columns: [{P: a * a}, {T: {value: a * a * a, total: sum}}]\n")
    number = int("3" * 2_000)
    to = io.BytesIO()
    balance = flatledger.export(layout, [{"a": number}], to)
    cells = to.getvalue().decode().splitlines()[1].split(",")
    assert [len(cell) for cell in cells] == [len(f"{Decimal(n):f}") for n in (number**2, number**3)]
    assert Decimal(cells[0]) == Decimal(number**2)
    assert balance.to_json()


def test_a_delimiter_may_be_any_character() -> None:
    for delimiter in "%{}\\$^é\x1f":
        layout = Layout.from_data(
            {"columns": [{"A": "a"}, {"B": "b"}], "output": {"delimiter": delimiter}}
        )
        to = io.BytesIO()
        flatledger.export(layout, [{"a": "x%s", "b": 1}, {"a": delimiter, "b": 2}], to)
        rows = to.getvalue().decode().split("\r\n")
        quoted = f'"x%s"{delimiter}1' if delimiter == "%" else f"x%s{delimiter}1"
        assert rows[1] == quoted
        assert rows[2] == f'"{delimiter}"{delimiter}2'


def test_the_row_of_an_encoding_error_is_the_row() -> None:
    layout = Layout.from_text(
        "columns: [{A: a}, {B: b}]\noutput: {encoding: ascii, second-header: paths}\n"
    )
    records = [{"a": "two\r\nlines", "b": n} for n in range(1_200)] + [{"a": "é", "b": 0}]
    with pytest.raises(OutputError, match=r"row 1,201 holds 'é' \(U\+00E9\)"):
        flatledger.export(layout, records, io.BytesIO())
    heading = Layout.from_text("columns: [{É: a}]\noutput: {encoding: ascii}\n")
    with pytest.raises(OutputError, match="the headings hold 'É'"):
        flatledger.export(heading, [{"a": 1}], io.BytesIO())


def test_nested_lists_twenty_thousand_deep(tool: Tool, tmp_path: Path) -> None:
    deep = ["[" * 20_000 + "]" * 20_000, '{"a":' * 20_000 + "1" + "}" * 20_000]
    (tmp_path / "s.jsonl").write_text("\n".join([*deep, '{"no": 1}']))
    for command in ("survey --all", "draft", "try no"):
        words = command.split()
        arguments = ("try", "no", "s.jsonl") if words[0] == "try" else (words[0], "s.jsonl")
        assert tool(*arguments, *words[2:]).returncode == 0
    (tmp_path / "l.yaml").write_text("columns: [{No: no}]\n")
    done = tool("export", "l.yaml", "s.jsonl", "-o", "-", "--strict")
    assert (done.returncode, done.stdout) == (3, "No\r\n1\r\n")


@pytest.mark.parametrize("source", [None, 5, b"{}", {"no": 1}, 1.5])
def test_what_is_no_source_is_told(source: Any) -> None:
    layout = Layout.from_data({"columns": [{"No": "no"}]})
    for call in (
        lambda: list(flatledger.table(layout, source)),
        lambda: flatledger.survey(source),
        lambda: flatledger.draft(source),
        lambda: flatledger.export(layout, source, io.BytesIO()),
    ):
        with pytest.raises(SourceError):
            call()


def test_text_files_as_places(tmp_path: Path) -> None:
    layout = Layout.from_data({"columns": [{"No": "no"}]})
    with pytest.raises(OutputError, match=r"give io\.BytesIO, or a file of mode wb"):
        flatledger.export(layout, [{"no": 1}], io.StringIO())  # type: ignore[arg-type]
    with (tmp_path / "t.csv").open("w", encoding="utf-8") as text:
        flatledger.export(layout, [{"no": 1}], text)  # type: ignore[arg-type]
    assert (tmp_path / "t.csv").read_bytes() == b"No\r\n1\r\n"
    closed = io.BytesIO()
    closed.close()
    with pytest.raises(OutputError, match="can't be written: I/O operation on closed file"):
        flatledger.export(layout, [{"no": 1}], closed)
    for nothing in (5, object()):
        with pytest.raises(OutputError, match="a place to write to is a path"):
            flatledger.export(layout, [{"no": 1}], nothing)  # type: ignore[arg-type]
    loop = tmp_path / "loop.csv"
    loop.symlink_to(loop)
    for place in (loop, "a\0b.csv", tmp_path / "l" / "t.csv"):
        with pytest.raises(OutputError, match=r"can't be written|there is no folder"):
            flatledger.export(layout, [{"no": 1}], place)
