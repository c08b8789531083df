"""What a run ends with: its last line, faults as a table, and the columns that identify a row."""

from __future__ import annotations

import csv
import io
import json
import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import Layout, LayoutError
from flatledger.reports.balance_text import print_balance
from flatledger.reports.screen import Screen
from tests.conftest import Tool, table

LAYOUT = """\
levels: [lines]
row-per: lines
primary-key: [No, Line]
columns:
  - No: no
  - Line: lines.no
  - Posted: {value: posted, datatype: date}
  - Qty: {value: lines.qty, total: sum}
"""
RECORDS: list[Any] = [
    {"no": "R1", "posted": "2026-03-01", "lines": [{"no": 1, "qty": 2}, {"no": 2, "qty": "x"}]},
    {"no": "R2", "posted": "soon", "lines": [{"no": 1, "qty": 3}]},
    {"no": "R3", "posted": "soon", "lines": []},
]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "l.yaml").write_text(LAYOUT)
    (tmp_path / "plain.yaml").write_text("columns: [{No: no}]")
    (tmp_path / "s.jsonl").write_text("\n".join(map(json.dumps, RECORDS)) + "\n{broken\n")
    (tmp_path / "sound.jsonl").write_text('{"no": 1}\n{"no": 2}\n')
    (tmp_path / "none.json").write_text("[]")
    return tmp_path


@pytest.mark.parametrize(
    ("arguments", "code", "last"),
    [
        (("plain.yaml", "sound.jsonl", "-o", "t.csv"), 0, "Wrote 2 rows to t.csv."),
        (("plain.yaml", "sound.jsonl", "-o", "l.csv"), 0, "Wrote 2 rows to l.csv (replaced)."),
        (("plain.yaml", "sound.jsonl"), 0, "Wrote 2 rows to standard output."),
        (("plain.yaml", "none.json", "-o", "t.csv"), 0, "Wrote 0 rows to t.csv."),
    ],
)
def test_the_last_line_says_how_much_and_where(
    tool: Tool, folder: Path, arguments: tuple[str, ...], code: int, last: str
) -> None:
    (folder / "l.csv").write_text("former")
    done = tool("export", *arguments)
    assert done.returncode == code
    mark = "!" if "none.json" in arguments else "\u2713"  # a source without records is looked at
    assert done.stderr.splitlines()[-1] == f"{mark} {last} Counts agree. No faults."
    quiet = tool("export", *arguments, "-q").stderr
    assert (quiet == "") == ("none.json" not in arguments)


def test_faults_are_named_in_the_last_line_and_all_of_them_in_a_table(
    tool: Tool, folder: Path
) -> None:
    done = tool("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--faults-to", "f.csv", "-q")
    assert done.returncode == 0
    assert done.stderr.splitlines()[-1] == (
        "! Wrote 4 rows and 1 total row to t.csv. Totals agree. "
        "4 faults in posted, lines.qty, the source."
    )
    assert "  record 1 (R1), lines.qty: is not a number: x" in done.stderr
    assert (
        "  posted: 2 are not a date (ISO 8601: 2026-03-31): soon; first R2 (record 2)"
        in done.stderr
    )
    with (folder / "f.csv").open(newline="", encoding="utf-8") as file:
        rows = sorted(csv.reader(file))
    assert rows[-1] == ["Record", "Identifier", "Path", "Entries", "Value", "Reason", "In file"]
    assert [row[:5] for row in rows[:-1]] == [
        ["1", "R1", "lines.qty", "2", "x"],
        ["2", "R2", "posted", "", "soon"],
        ["3", "R3", "posted", "", "soon"],
        ["4", "", "", "", "{broken"],
    ]
    strict = tool("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--strict")
    assert strict.returncode == 3
    failed = tool("export", "l.yaml", "gone.jsonl", "-o", "t.csv", "--faults-to", "f.csv")
    assert failed.stderr.startswith("Nothing written: gone.jsonl can't be read")
    assert len((folder / "f.csv").read_text().splitlines()) == 5


def test_every_fault_is_in_the_table_without_bound(tmp_path: Path) -> None:
    layout = Layout.from_data({"columns": [{"N": {"value": "n", "datatype": "integer"}}]})
    records = [{"n": "x" * (number % 7 + 1)} for number in range(12_000)]
    to = tmp_path / "f.csv"
    balance = flatledger.export(layout, records, tmp_path / "t.csv", faults_to=to)
    assert (balance.fault_count, len(balance.faults)) == (12_000, 10_000)
    assert balance.fault_places == {"n": 12_000}
    assert len(to.read_text().splitlines()) == 12_001


def test_faults_of_filtered_records_count_as_any_others() -> None:
    layout = {
        "columns": [{"No": "no"}, {"Qty": {"value": "qty", "total": "sum"}}],
        "only": ["qty > 1", "cast(day as date) > date '2026-01-01' or no = 1"],
    }
    records = [
        {"no": 1, "qty": "2", "day": "soon"},
        {"no": 2, "qty": "x", "day": "2026-03-01"},
        {"no": 3, "qty": 5, "day": "soon"},
        {"no": 4, "qty": 7, "day": "2026-03-01"},
    ]
    rows, balance = table(layout, records)
    assert [row[0] for row in rows] == [1, 4, "Grand total"]
    assert [fault.record for fault in balance.faults] == [1, 2, 3]
    assert balance.fault_count == 3


def test_a_run_that_does_not_balance_says_so_last(
    folder: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from flatledger.cli.export import ExportWays, run_export
    from flatledger.run.tallies import Tally

    honest = Tally.add
    monkeypatch.setattr(Tally, "add", lambda own, cells: honest(own, cells[1:]))
    layout = Layout.from_file(folder / "l.yaml")
    assert run_export(layout, str(folder / "s.jsonl"), {}, ExportWays(str(folder / "t.csv"))) == 4
    assert capsys.readouterr().err.splitlines()[-1].startswith("\u2717 Does not balance: Qty (")


def test_the_balance_fits_a_narrow_terminal_and_is_not_padded(
    demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(demo)
    for layout in ("period-requisitions", "requisition-lines", "wanted-requisitions"):
        balance = flatledger.export(f"{layout}.yaml", "requisitions.jsonl", "o.csv")
        for width in (80, 160):
            monkeypatch.setattr("flatledger.reports.screen.WIDEST", width)
            stream = io.StringIO()
            print_balance(balance, Screen(stream))
            lines = stream.getvalue().splitlines()
            tables = [line for line in lines if re.search(r"\d$|agrees$", line)]
            assert max(map(len, tables)) <= width
            assert [line for line in lines if line != line.rstrip()] == []
            assert lines[-1].startswith("\u2713 Wrote ")


@pytest.mark.parametrize(("encoding", "mark"), [("utf-8", "\u2713"), ("ascii", "OK:")])
def test_the_mark_can_be_written_wherever_it_goes(encoding: str, mark: str) -> None:
    stream = io.TextIOWrapper(io.BytesIO(), encoding=encoding)
    Screen(stream).verdict("Wrote 2 rows.", "well")
    stream.seek(0)
    assert stream.read() == f"{mark} Wrote 2 rows.\n"


def test_kinds_of_record_that_nothing_tells_apart_are_pointed_out() -> None:
    log = {"kind": "log", "keeper": "Lind", "pages": 9}
    chart = {"kind": "chart", "scale": 5, "pages": 1}
    records = [log, log, chart, chart, {**log, "tags": ["x"]}]
    plain = {"columns": [{"Pages": "pages"}]}
    told = "several kinds of record (kind: log 3, chart 2 among the first)"
    assert told in flatledger.preview(plain, records).balance.notes[0]
    assert told in flatledger.export(plain, records, io.BytesIO()).notes[0]
    for layout in (
        {"columns": [{"Pages": "pages"}, {"Kind": "kind"}]},
        {**plain, "only": ["kind = 'log'"]},
        {**plain, "group": ["kind"]},
    ):
        assert flatledger.preview(layout, records).balance.notes == []
    assert flatledger.preview(plain, [log, log]).balance.notes == []
    assert len(flatledger.preview(plain, records, rows=2).first) == 2


# ---- the primary key

small = st.none() | st.sampled_from(["a", "b", 1, "1"])
keyed = st.lists(
    st.fixed_dictionaries(
        {"no": small, "lines": st.lists(st.fixed_dictionaries({"no": small}), max_size=3)}
    ),
    max_size=6,
)


@given(keyed, st.booleans())
def test_doubles_and_blanks_in_the_primary_key_are_faults(records: list[Any], spill: bool) -> None:
    layout = {
        "levels": ["lines"],
        "row-per": "lines",
        "primary-key": ["No", "Line"],
        "columns": [{"No": "no"}, {"Line": "lines.no"}],
    }
    with pytest.MonkeyPatch.context() as patch:
        if spill:
            patch.setattr("flatledger.run.identity._TOGETHER", 1)
            patch.setattr("flatledger.run.sorting.Sorter.__init__.__defaults__", (None, 0))
        _, balance = table(layout, records)
    rows = [(r["no"], line["no"]) for r in records for line in r["lines"]]
    lone = [(r["no"], "") for r in records if not r["lines"]]  # these have no line to be blank
    blanks = sum(part is None for row in [*rows, *lone] for part in row)
    texts = [tuple("" if part is None else str(part) for part in row) for row in [*rows, *lone]]
    named = [row for row in texts if any(row)]
    doubles = len(named) - len(set(named))
    reasons = [fault.reason for fault in balance.faults]
    assert sum("blank" in reason for reason in reasons) == blanks
    assert sum("stands in record" in reason for reason in reasons) == doubles


def test_groups_have_a_primary_key_too() -> None:
    layout: dict[str, Any] = {
        "row-per-group": ["upper(g)", "n"],
        "primary-key": ["G"],
        "columns": [{"G": "upper(g)"}, {"N": "n"}],
    }
    records = [{"g": "a", "n": 1}, {"g": "A", "n": 2}, {"g": "b", "n": 1}]
    _, balance = table(layout, records)
    assert [(fault.path, fault.value) for fault in balance.faults] == [("G", "A")]
    summary = {
        "primary-key": ["N"],
        "columns": [{"G": "g"}, {"N": "n"}],
        "group": ["G"],
        "totals": {"detail": "no"},
    }
    _, balance = table(summary, records)
    assert [(fault.path, fault.value) for fault in balance.faults] == [("N", "1")]


def test_a_primary_key_takes_headings() -> None:
    with pytest.raises(LayoutError, match=r"no column `Numbr`; did you mean `Number`\?"):
        Layout.from_data({"columns": [{"Number": "no"}], "primary-key": ["Numbr"]})


@pytest.mark.parametrize(
    ("row", "key"),
    [("record", "primary-key: [No]"), ("lines", "# primary-key: [No, …]"), ("payments", "No")],
)
def test_drafts_propose_a_primary_key(tool: Tool, demo: Path, row: str, key: str) -> None:
    text = tool("draft", "requisitions.jsonl", "--row-per", row).stdout
    (line,) = [line for line in text.splitlines() if "primary-key" in line]
    assert key in line
    (demo / "d.yaml").write_text(text)
    assert "No faults." in tool("export", "d.yaml", "requisitions.jsonl", "-o", "t.csv").stderr
