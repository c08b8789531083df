"""Delimited text as a source, held against Python's own reader and against plain lines."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.layout.model.source_options import TableReading
from flatledger.sources import open_source
from flatledger.sources.files import reading
from flatledger.sources.files.options import Options
from flatledger.sources.tables.dialects import Dialect
from flatledger.sources.tables.row_texts import RowTexts
from tests.conftest import Tool

HOSTILE = st.text(
    st.sampled_from("ab;,|\t\"'\\\r\n\x1e\x1f \u2028\x85\x0c\x1c\ue000é😀#="), max_size=6
)
DIALECTS = [
    Dialect(","),
    Dialect(";", "'"),
    Dialect("||"),
    Dialect("\x1f", '"', "", "\x1e"),
    Dialect("|~|", '"', "", "\x1e\n"),
    Dialect("\t", '"', "\\"),
]


def written(rows: list[list[str]], dialect: Dialect) -> str:
    """The rows as text, each cell within quotes."""
    quote = dialect.quote_char or ""
    twice = f"{dialect.escape_char or quote}{quote}"
    end = dialect.line_terminator or "\r\n"

    def cell(text: str) -> str:
        escape = dialect.escape_char
        if escape:
            text = text.replace(escape, escape * 2)
        return f"{quote}{text.replace(quote, twice)}{quote}"

    return "".join(dialect.delimiter.join(map(cell, row)) + end for row in rows)


def pieces(text: str, size: int) -> list[str]:
    return [text[at : at + size] for at in range(0, len(text), size)]


@given(
    st.sampled_from(DIALECTS),
    st.integers(1, 4).flatmap(
        lambda width: st.lists(st.lists(HOSTILE, min_size=width, max_size=width), max_size=8)
    ),
    st.integers(1, 40),
)
def test_what_is_quoted_comes_back_however_it_is_cut(
    dialect: Dialect, rows: list[list[str]], size: int
) -> None:
    reader = RowTexts(dialect, 1 << 20)
    blocks = list(reader.blocks(iter(pieces(written(rows, dialect), size))))
    assert [row for block in blocks for row in block.rows] == rows
    assert not any(block.wrong or block.odd for block in blocks)


@given(
    st.lists(
        st.lists(st.text(st.sampled_from('ab,;" \n\r'), max_size=5), min_size=1, max_size=4),
        max_size=8,
    ),
    st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL, csv.QUOTE_NONNUMERIC]),
    st.sampled_from(["\n", "\r\n"]),
    st.integers(1, 30),
)
def test_the_cells_are_those_of_python_s_reader(
    rows: list[list[str]], quoting: Any, end: str, size: int
) -> None:
    text = io.StringIO()
    csv.writer(text, quoting=quoting, lineterminator=end).writerows(rows)
    expected = [row for row in csv.reader(io.StringIO(text.getvalue(), newline="")) if row]
    blocks = RowTexts(Dialect(), 1 << 20).blocks(iter(pieces(text.getvalue(), size)))
    assert [row for block in blocks for row in block.rows] == expected


def records_of(data: bytes, chunk: int = 1 << 19, **how: Any) -> tuple[list[Any], list[Any]]:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(reading, "CHUNK", chunk)
        patch.setattr(reading, "_FIRST_CHUNK", chunk)
        options = Options(table=TableReading(**how))
        with open_source(io.BytesIO(data), options, format="csv").open() as reader:
            batches = list(reader.batches())
    found = [pair for one in batches for pair in zip(one.numbers, one.records, strict=True)]
    return found, [fault for one in batches for fault in (*one.faults, *one.remarks)]


@given(st.integers(2, 9), st.data())
@example(3, None)
def test_an_open_quote_costs_its_own_line_and_no_other(count: int, data: Any) -> None:
    lines = [f'{number},"x, ""y""",{number * 2}' for number in range(1, count + 1)]
    bad = data.draw(st.integers(0, count - 1)) if data else 1
    odd = ['{0},"never,2', '{0},2,"never', '"{0},1,2'] + (['{0},"a,2,"b"'] if data else [])
    lines[bad] = (data.draw(st.sampled_from(odd)) if data else odd[0]).format(bad + 1)
    end = data.draw(st.sampled_from(["\n", "\r\n"])) if data else "\n"
    chunk = data.draw(st.integers(5, 200)) if data else 11
    text = end.join(["No,Text,Qty", *lines]) + end
    found, faults = records_of(text.encode(), chunk, delimiter=",")
    assert [(n, one["No"]) for n, one in found if n != bad + 1] == [
        (n, str(n)) for n in range(1, count + 1) if n != bad + 1
    ]
    assert len(faults) == 1
    assert f"(line {bad + 2})" in faults[0].reason


def test_rows_of_another_length_are_faults_with_their_line(tool: Tool, tmp_path: Path) -> None:
    text = 'No;Qty;Note\nR1;1;"a\nb"\n\nR2;2\nR3;3;x;\nR4;4;x;y\nR5;5;"x"z\n'
    (tmp_path / "lines.csv").write_text(text)
    column = ("--column", "{No: No}", "--column", "Qty: {value: Qty, total: sum}")
    done = tool("export", "lines.csv", *column, "-o", "out.csv", "--report-to", "b.json")
    assert done.returncode == 0
    faults = [one["reason"] for one in json.loads((tmp_path / "b.json").read_text())["faults"]]
    assert faults == [
        "too few cells: 2 under 3 headings (line 5); the record is left out; "
        "`short-rows: blank` takes it",
        "too many cells: 4 under 3 headings (line 7); the record is left out",
        "text stands between a closing quote and the next delimiter (line 8)",
    ]
    assert (
        tmp_path / "out.csv"
    ).read_bytes() == b"No,Qty\r\nR1,1\r\nR3,3\r\nR5,5\r\nGrand total,9\r\n"
    assert "Read as text with semicolons" in done.stderr


@pytest.mark.parametrize(
    ("data", "how", "first"),
    [
        (b"a\tb\n1\t2\n", {}, {"a": "1", "b": "2"}),
        (b"a||b\n1||2|\n", {}, {"a": "1", "b": "2|"}),
        ("a;b\né;2\n".encode("cp1252"), {}, {"a": "é", "b": "2"}),
        ("a;b\né;2\n".encode("utf-16"), {}, {"a": "é", "b": "2"}),
        ("\ufeffa;b\né;2\n".encode(), {}, {"a": "é", "b": "2"}),
        ("a;b\nж;2\n".encode("koi8-r"), {"encoding": "koi8-r"}, {"a": "ж", "b": "2"}),
        (b"Title\n\n# of March\na,b\n1,2\n3,4\n", {}, {"a": "1", "b": "2"}),
        (b"Title,\na,b\n1,2\n", {"skip_rows": 1}, {"a": "1", "b": "2"}),
        (b"a,a,\n1,2,3\n", {}, {"a": "1", "a_2": "2", "column_3": "3"}),
        (b"L,,M\np,q,\n1,2,3\n", {"header_row_count": 2}, {"L p": "1", "L q": "2", "M": "3"}),
        (b"L.p,L.q,M\n1,2,3\n", {"nested": True}, {"L": {"p": "1", "q": "2"}, "M": "3"}),
        (b"1,2\n", {"headings": ("x", "y")}, {"x": "1", "y": "2"}),
        (b"1,2\n3,4\n", {"header_row_count": 0}, {"column_1": "1", "column_2": "2"}),
        (b"a,b\n#,1\n##,2\n1,2\n", {"comment_prefix": "#"}, {"a": "1", "b": "2"}),
        (b"a,b\n'=1,'tis\n", {"formula_guard": True}, {"a": "=1", "b": "'tis"}),
        (b"a~b\x1e1~2\n\x1e", {"line_terminator": "\x1e"}, {"a": "1", "b": "2\n"}),
        (b'a,b\n"1,2\n', {"quote_char": None}, {"a": '"1', "b": "2"}),
        (b"only\n1\n", {}, {"only": "1"}),
        (b"'a',b\n'x, ''y''',2\n", {}, {"a": "x, 'y'", "b": "2"}),
        (b"a,b\n'tis,2\n", {}, {"a": "'tis", "b": "2"}),
    ],
)
def test_dialects_are_found_or_stated(data: bytes, how: Any, first: Any) -> None:
    found, faults = records_of(data, **how)
    assert (found[0], faults) == ((1, first), [])
    assert records_of(data, chunk=1, **how)[0] == found


def test_a_first_line_that_is_no_row_is_told_once() -> None:
    found, faults = records_of(b'"a,b\n1,2\n3,4\n', delimiter=",", skip_rows=0)
    assert [one for _, one in found] == [{"1": "3", "2": "4"}]
    assert len(faults) == 1
    assert "(line 1)" in faults[0].reason


def test_text_in_columns_is_cut_by_its_widths(tool: Tool, tmp_path: Path) -> None:
    lines = [
        "Stores",
        "No    Part      Qty",
        "R1    wick é      2",
        "",
        "R2    oil",
        "R3    oil  9  too long",
    ]
    (tmp_path / "fixed.txt").write_bytes("\r\n".join(lines).encode("cp1252"))
    how = ("--read", "widths={No: 6, Part: 10, Qty: 4}", "--read", "skip-rows=1")
    column = ("--column", "P: Part", "--column", "Q: {value: Qty, total: sum}")
    done = tool("export", "fixed.txt", *how, *column)
    assert done.stdout.split() == ["P,Q", "wick", "é,2", "oil,", "Grand", "total,2"]
    assert "more text than the stated widths (line 6)" in done.stderr
    assert "headings in the first line" in done.stderr


def test_the_same_rows_from_text_as_from_objects(tmp_path: Path) -> None:
    rows = [
        {"No": f"R{n}", "Qty": str(n % 7), "Day": f"2026-03-{n % 28 + 1:02d}"} for n in range(3000)
    ]
    with (tmp_path / "rows.csv").open("w", newline="") as file:
        writer = csv.DictWriter(file, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    columns = [
        {"No": "No"},
        {"Day": {"value": "Day", "datatype": "date"}},
        {"Qty": {"value": "Qty", "datatype": "integer", "total": "sum"}},
        {"All": "$.*"},
    ]
    layout = {"columns": columns, "only": "Qty > 2", "group": ["Day"], "sort": ["No desc"]}
    assert list(flatledger.table(layout, tmp_path / "rows.csv")) == list(
        flatledger.table(layout, rows)
    )


def test_csvw_metadata_beside_a_table_are_obeyed(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes(
        "# note\nNo|Qty|When|Tags|Sent\n1|1.234,50|31/03/2026|a;b|Y\n2|x||-|N\n".encode("cp1252")
    )
    column = [
        {"titles": "No", "datatype": "integer"},
        {
            "titles": "Qty",
            "datatype": {"base": "decimal", "format": {"decimalChar": ",", "groupChar": "."}},
        },
        {"titles": ["When", "Day"], "datatype": {"base": "date", "format": "dd/MM/yyyy"}},
        {"titles": {"en": "Tags"}, "separator": ";", "null": "-"},
        {"titles": "Sent", "datatype": {"base": "boolean", "format": "Y|N"}},
    ]
    table = {
        "url": "t.csv",
        "dialect": {"delimiter": "|", "encoding": "windows-1252", "commentPrefix": "#"},
        "tableSchema": {"columns": column},
    }
    (tmp_path / "t.csv-metadata.json").write_text(
        json.dumps({"@context": "http://www.w3.org/ns/csvw", **table})
    )
    layout = {
        "levels": ["Tags"],
        "columns": [{name: name} for name in ("No", "Qty", "When", "Tags", "Sent")],
    }
    rows = flatledger.table(layout, tmp_path / "t.csv")
    assert [tuple(map(str, row)) for row in rows] == [
        ("1", "1234.50", "2026-03-31", "a; b", "True"),
        ("2", "x", "None", "None", "False"),
    ]
    done = tool("survey", "t.csv")
    assert "text with bars, as t.csv-metadata.json says, windows-1252" in done.stderr
    table["tableSchema"] = {"columns": column[:4]}
    (tmp_path / "t.csv-metadata.json").write_text(json.dumps(table))
    done = tool("survey", "t.csv")
    assert "describes the columns No, Qty, When, Tags, and the table has No" in done.stderr


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (
            b"a,b\n" + b"1,2\n" * 40_000 + b"1,\xe9\n",
            "line 40,002: byte 0xe9 is not UTF-8; state its",
        ),
        (b"a,a.b\n1,2\n", "the heading a is a value and holds others too"),
        (b"a,b\n1\n2\n", "nothing in it can be read; too few cells"),
    ],
)
def test_text_that_cannot_be_read_says_why(
    tool: Tool, tmp_path: Path, data: bytes, says: str
) -> None:
    (tmp_path / "bad.csv").write_bytes(data)
    done = tool("export", "bad.csv", "--column", "A: a", "--read", "headings=paths")
    assert (done.returncode, done.stdout.count("\n") <= 1) == (
        1,
        True,
    ) or "rows had been" in done.stderr
    assert says in done.stderr
    assert "Traceback" not in done.stderr


OUTPUTS = st.fixed_dictionaries(
    {
        "delimiter": st.sampled_from(
            ["comma", "tab", "||", "|~|", "unit-separator", ";", "^", " "]
        ),
        "quote": st.sampled_from(["needed", "texts", "all"]),
        "quote-char": st.sampled_from(['"', "'", "$"]),
        "line-terminator": st.sampled_from(["crlf", "lf", "record-separator", "@\n", "@@"]),
        "encoding": st.sampled_from(["utf-8", "utf-8-bom", "utf-16", "gb18030"]),
        "formula-guard": st.sampled_from(["yes", "no"]),
    },
    optional={"escape-char": st.sampled_from(["backslash", "!"])},
)


@settings(deadline=None, max_examples=120)
@example({"line-terminator": "lf", "formula-guard": "yes"}, [("", "'\r")])
@given(OUTPUTS, st.lists(st.tuples(HOSTILE, HOSTILE), min_size=1, max_size=5))
def test_what_is_written_in_any_dialect_is_read_again(
    output: dict[str, str], cells: list[tuple[str, str]]
) -> None:
    """Texts of every kind of delimiter, quote and control character, through write and read."""
    records = [{"a": one, "b": other, "n": number} for number, (one, other) in enumerate(cells)]
    columns = [{"a": "a"}, {"n": "n"}, {"b": "b"}]
    written = io.BytesIO()
    flatledger.export({"columns": columns, "levels": [], "output": output}, records, written)
    how = {key: value for key, value in output.items() if key != "quote"}
    layout = {"columns": columns, "levels": [], "source": {**how, "format": "csv", "skip-rows": 0}}
    found = list(flatledger.table(layout, io.BytesIO(written.getvalue())))
    expected = flatledger.table({"columns": columns, "levels": []}, records)
    assert [(a, int(n), b) for a, n, b in found] == list(expected)


def test_a_table_with_its_metadata_is_read_as_it_was_written(tool: Tool, tmp_path: Path) -> None:
    columns = [
        {"No": "no"},
        {"Amount": {"value": "amount", "decimals": 2, "unit": "SKC", "required": "yes"}},
        {"Day": {"value": "day", "datatype": "date", "format": "d/M/yyyy"}},
        {"Sent": {"value": "sent", "datatype": "boolean", "format": "Y|N"}},
        {"Note": {"value": "note", "null": "-"}},
    ]
    output = {"csvw": "yes", "delimiter": "||", "decimal-char": "comma", "preamble": ["Title"]}
    layout = {"columns": columns, "primary-key": ["No"], "output": output, "about": "Notes"}
    records: list[Any] = [
        {"no": "007", "amount": 2.5, "day": "2026-03-01", "sent": True, "note": "a||b"},
        {"no": "008", "amount": 1, "day": None, "sent": False, "note": None},
    ]
    balance = flatledger.export(layout, records, tmp_path / "t.csv")
    assert [Path(one.name).name for one in balance.files] == ["t.csv", "t.csv-metadata.json"]
    described = json.loads((tmp_path / "t.csv-metadata.json").read_text())
    assert described["tableSchema"]["primaryKey"] == ["No"]
    assert described["tableSchema"]["columns"][1] == {
        "name": "Amount%2C%20SKC",
        "titles": "Amount, SKC",
        "required": True,
        "datatype": {"base": "decimal", "format": {"decimalChar": ","}},
        "schema:unitText": "SKC",
        "dc:source": "amount",
    }
    names = ("No", "Amount, SKC", "Day", "Sent", "Note")
    again = {"columns": [{name: f"$['{name}']"} for name in names], "levels": []}
    rows = [tuple(map(str, row)) for row in flatledger.table(again, tmp_path / "t.csv")]
    assert rows == [
        ("007", "2.50", "2026-03-01", "True", "a||b"),
        ("008", "1.00", "None", "False", "None"),
    ]
    done = tool("export", "t.csv", "--column", "{No: No}", "--csvw", "-o", "t.csv")
    assert "takes part in this run" in done.stderr
    before = (tmp_path / "t.csv-metadata.json").read_bytes()
    done = tool("export", "t.csv", "--column", "{No: No}", "-o", "t.csv-metadata.json")
    assert "t.csv-metadata.json takes part in this run" in done.stderr
    assert (tmp_path / "t.csv-metadata.json").read_bytes() == before
