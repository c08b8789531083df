"""What people type by mistake, and what must be said: the table of the trials, row by row."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

import flatledger
from tests.conftest import Tool

RECORDS = [
    {
        "no": f"R{at}",
        "status": ("sent", "Deck")[at % 2],
        "ref": at,
        "raised": "2026-02-30",
        "lines": [{"qty": 1, "unit-price": 2}, {"qty": at}],
        "hours": at,
    }
    for at in range(1, 41)
]
LAYOUTS = {
    "layout": "columns: [{No: no}]",
    "groups": 'columns: [{No: no}]\noutput: {file: "x-{exchange}.csv"}',
    "bare": "columns: [{No: no}]\ntotals: {detail: no}",
    "tree": "row-per: $..lines\ncolumns: [{Q: lines.qty}]",
    "dates": "columns: [{No: no}, {Raised: {value: raised, datatype: date}}]",
    "list": "columns:\n  A: a\n  - B: b",
    "colon": "columns:\n  - A: b: c",
    "tab": "columns:\n\t- A: a",
    "quote": 'columns:\n  - A: "b',
    "star": "columns: [*a]",
    "short": "columns: [{A: {value: coalesce(a, b)}}]",
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "s.jsonl").write_text("\n".join(map(json.dumps, RECORDS)), encoding="utf-8")
    (tmp_path / "odd.foo").write_text("AAA BBB\nCCC", encoding="utf-8")
    (tmp_path / "wanted.txt").write_text("R7\n", encoding="utf-8")
    for name, text in LAYOUTS.items():
        (tmp_path / f"{name}.yaml").write_text(text, encoding="utf-8")
    return tmp_path


def column(text: str, *more: str) -> tuple[str, ...]:
    return ("export", "--column", text, *more, "s.jsonl")


def only(text: str) -> tuple[str, ...]:
    return ("export", "--column", "no", "--only", text, "s.jsonl")


@pytest.mark.parametrize(
    ("typed", "code", "said"),
    [
        (("export", "--column", "a", "odd.foo"), 1, "odd.foo is not JSON (line 1 begins `AAA BBB"),
        (
            ("export", "s.jsonl", "layout.yaml"),
            2,
            "s.jsonl looks like data; the layout comes first",
        ),
        (("try", "s.jsonl", "status"), 2, "The expression comes first: try 'status' s.jsonl"),
        (column("Part:code"), 2, "Write a blank after the colon: --column 'Part: code'"),
        (only("status = Dock"), 0, "no record has a field Dock; a text stands in single quotes"),
        (only("status in (Dock)"), 0, "a text stands in single quotes: 'Dock'"),
        (only("status like 'D*'"), 0, "in like, % stands for any text and _ for one letter: 'D%'"),
        (column("concat(no, status)"), 1, "join texts with ||: a || b"),
        (column("len(no)"), 1, "write char_length(a)"),
        (column("iif(no, 1, 2)"), 1, "write case when … then … else … end"),
        (column("if(no = 1, 1, 2)"), 1, "write case when … then … else … end"),
        (column("A: (ref + 1"), 1, "the bracket at 1 is not closed"),
        (column("A: {value: no, datatype: int}"), 1, "did you mean `integer`?"),
        (column("A: {value: no, datatype: string(10)}"), 1, "did you mean `string`?"),
        (column("A: {value: no, datatype: number}"), 1, "did you mean `decimal`?"),
        (column("A: {value: substring(no from 2), datatype: integer, total: sum}"), 0, " 820  "),
        (only("no between 'R1' and 'R20'"), 0, "`collate natural` compares them as numbers"),
        (only("ref > '9'"), 0, "Wrote 31 rows"),
        (column("no", "--sort", "statsu"), 1, "did you mean `status`?"),
        (column("statu"), 1, "did you mean `status`?"),
        (("survey", "s.jsonl", "--values", "statsu"), 1, "did you mean `status`?"),
        (("survey", "s.jsonl", "--under", "statsu"), 1, "did you mean `status`?"),
        (column("no", "-o", "nodir/o.csv"), 1, "nodir/o.csv: there is no folder nodir"),
        (column("no", "-o", "table.unheard"), 1, "a table is not written as `.unheard`"),
        (("export", "s.jsonl", "odd.foo"), 2, "s.jsonl is no layout"),
        (("export", "s.jsonl"), 2, "SOURCE and columns (--column)"),
        (("export", "loyout.yaml", "s.jsonl"), 1, "loyout.yaml: the file can't be read"),
        (("export", "groups.yaml", "s.jsonl"), 1, "one file for each group can't be written yet"),
        (column("no", "-o", "x-{no}.csv"), 1, "`{no}` is not asked for"),
        (only("no in list('wanted.txt')"), 0, "Wrote 1 row to"),
        (("export", "bare.yaml", "s.jsonl"), 1, "only the heading would be written"),
        (column("Hours: {value: hours, unit: {from: hours, to: hours}}"), 0, "Wrote 40 rows"),
        (("export", "tree.yaml", "s.jsonl"), 1, "by its name: `row-per: lines`"),
        (column("lines.unit-price"), 1, "for the field unit-price write lines['unit-price']"),
        (
            column("SKC", "--only", '"status" = 1'),
            1,
            'no column "status"; a text stands in single quotes',
        ),
        (("export", "list.yaml", "s.jsonl"), 1, "put it below a key of its own: - B: b"),
        (("export", "colon.yaml", "s.jsonl"), 1, "a text that holds `: ` needs quotes"),
        (("export", "tab.yaml", "s.jsonl"), 1, "a tab stands here; YAML wants blanks"),
        (("export", "quote.yaml", "s.jsonl"), 1, "a quote or bracket is opened and never closed"),
        (("export", "star.yaml", "s.jsonl"), 1, "a `*` at the beginning needs quotes"),
        (("export", "short.yaml", "s.jsonl"), 1, "the bracket at 9 is not closed"),
        (("help",), 0, "Usage: flatledger"),
        (("help", "export"), 0, "flatledger export"),
        (
            ("export", "dates.yaml", "s.jsonl"),
            0,
            "raised: 40 are not a date (ISO 8601: 2026-03-31): 2026-02-30; first R1 (record 1), R2",
        ),
    ],
)
def test_what_is_typed_by_mistake_gets_what_helps(
    tool: Tool, folder: Path, typed: tuple[str, ...], code: int, said: str
) -> None:
    done = tool(*typed)
    assert (done.returncode, said in done.stderr + done.stdout) == (code, True), done.stderr
    assert "Traceback" not in done.stderr


def test_a_unit_that_the_heading_says_already_stands_once(folder: Path) -> None:
    unit = {"value": "hours", "unit": {"from": "minutes", "to": "hours"}}
    layout = {"columns": [{"Hours": unit}, {"Worked": unit}]}
    table = flatledger.table(layout, [{"hours": 90}])
    assert (table.headings, list(table)) == (("Hours", "Worked, hours"), [(1.5, 1.5)])


def test_a_former_name_says_the_new_one() -> None:
    with pytest.raises(AttributeError, match="it is now `table`"):
        _ = flatledger.rows  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    "command",
    [
        *("", "check", "demo", "draft", "export", "preview", "schema", "shelf", "specimen"),
        *("survey", "try", "shelf put", "shelf get", "shelf remove", "help"),
    ],
)
def test_help_is_whole_at_eighty_columns(tool: Tool, command: str) -> None:
    shown = tool(*command.split(), "--help").stdout
    assert shown == tool("help", *command.split()).stdout
    assert all(len(line) <= 80 for line in shown.splitlines())
    assert "..." not in shown.replace("SOURCE...", "").replace("[ARGS]...", "")
    if command in ("export", "preview"):
        assert "How the source is read:" in shown
        assert "may be repeated" in " ".join(shown.split())


@pytest.mark.parametrize(
    ("command", "says"),
    [
        ("survey s.jsonl --read sheet=A --read sheet=B", "--read says sheet twice; keep one"),
        ("export l.yaml s.jsonl --ask x=1 --ask x=2", "--ask gives x twice; keep one"),
    ],
)
def test_what_is_typed_twice_is_told(command: str, says: str, tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "s.jsonl").write_text('{"no": 1}\n')
    (tmp_path / "l.yaml").write_text("columns: [No: no]\nonly: [no > :x]\nask: {x: integer}\n")
    done = tool(*command.split())
    assert done.returncode == 2
    assert says in done.stderr
