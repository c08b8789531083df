"""Bad input gets one clear sentence with its place and the right exit code; nothing is lost."""

from __future__ import annotations

import gzip
import io
import json
from pathlib import Path
from typing import Any

import pytest

import flatledger
from tests.conftest import Tool

LAYOUT = """\
levels: [lines]
row-per: lines
columns:
  - No: no
  - Quantity: {value: lines.qty, total: sum}
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "layout.yaml").write_text(LAYOUT)
    (tmp_path / "good.jsonl").write_text('{"no": 1, "lines": [{"qty": 2}]}\n')
    return tmp_path


def test_values_and_records_that_cannot_be_read_are_faults(tool: Tool, folder: Path) -> None:
    lines = [
        b'{"no": 1, "lines": [{"qty": 2}, {"qty": "two"}, "stray"]}',
        b'{"no": 2, "lines": [{"qty": NaN}]}',
        b'{"no": 3, "lines": [{"qty": 1e400}, {"qty": [1, 2]}]}',
        b"[1, 2]",
        b'{"no": "\xff", "lines": [{"qty": 5}]}',
        b"",
        b'{"no": 4, "lines": [{"qty": "3"}]}',
        b'{"no": 5, "lines": [{"qt',
    ]
    (folder / "bad.jsonl").write_bytes(b"\n".join(lines))
    done = tool("export", "layout.yaml", "bad.jsonl", "-o", "out.csv", "--report-to", "r.json")
    assert done.returncode == 0
    rows = (folder / "out.csv").read_text().splitlines()
    assert rows[1:] == ["1,2", "1,two", "3,1e400", '3,"1, 2"', "4,3", "Grand total,5"]
    faults = json.loads((folder / "r.json").read_text())["faults"]
    told = sorted((fault["record"], fault["path"], fault["value"][:8]) for fault in faults)
    assert told == [
        (1, "lines", "stray"),
        (1, "lines.qty", "two"),
        (2, "", '{"no": 2'),
        (3, "lines.qty", "1e400"),
        (3, "lines.qty", "a list o"),
        (4, "", "1"),  # a list stands for its elements
        (5, "", "2"),
        (6, "", '{"no": "'),
        (8, "", '{"no": 5'),
    ]
    assert "line 8" in faults[-1]["reason"] or "line 8" in str(faults)
    assert tool("export", "layout.yaml", "bad.jsonl", "-o", "out.csv", "--strict").returncode == 3


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("layout.yaml", "missing.jsonl"), "missing.jsonl can't be read: No such file"),
        (("layout.yaml", "."), "empty.json is empty (0 bytes)"),
        (("layout.yaml", "hollow"), "hollow has no files in it"),
        (("missing.yaml", "good.jsonl"), "missing.yaml: the file can't be read"),
        (
            ("layout.yaml", "good.jsonl", "-o", "none/out.csv"),
            "out.csv: there is no folder none",
        ),
        (("layout.yaml", "good.jsonl", "-o", "/dev/full"), "/dev/full can't be written: No space"),
        (("layout.yaml", "cut.jsonl.gz"), "the gzip data is damaged or cut off"),
        (("layout.yaml", "empty.json"), "empty.json is empty (0 bytes)"),
        (
            ("layout.yaml", "data.xml"),
            "data.xml is no sound XML in line 3, column 1, after 1 record: it ends too early",
        ),
        (("layout.yaml", "data.csv"), "data.csv is not delimited text, but XML or HTML"),
        (("layout.yaml", "latin.jsonl"), "nothing in it can be read; byte 0xe9 is not UTF-8"),
        (("list.yaml", "document.json"), "no records at `data.itens`; did you mean `items`?"),
        (("level.yaml", "good.jsonl"), "line 2, column 10: no level `lnes`; did you mean `lines`?"),
    ],
)
def test_what_cannot_be_run_says_why_and_writes_nothing(
    tool: Tool, folder: Path, arguments: tuple[str, ...], says: str
) -> None:
    (folder / "level.yaml").write_text(LAYOUT.replace("row-per: lines", "row-per: lnes"))
    (folder / "list.yaml").write_text("source: {records: data.itens}\ncolumns: [{No: no}]\n")
    (folder / "document.json").write_text('{"data": {"items": [{"no": 1}]}}')
    (folder / "empty.json").write_bytes(b"")
    (folder / "data.xml").write_text("<r>\n  <no>1</no>\n")
    (folder / "data.csv").write_text("<r>no,qty\n1,2\n")
    (folder / "latin.jsonl").write_bytes(b'{"no": "\xe9"}\n')
    packed = gzip.compress(b'{"no": 1, "lines": []}\n' * 9000)
    (folder / "cut.jsonl.gz").write_bytes(packed[: len(packed) // 2])
    (folder / "hollow").mkdir()
    before = {path.name for path in folder.iterdir()}
    done = tool("export", *arguments)
    assert done.returncode == 1
    assert says in done.stderr
    assert "Traceback" not in done.stderr
    assert {path.name for path in folder.iterdir()} == before
    assert (folder / "good.jsonl").read_text().startswith('{"no": 1')


def test_a_run_that_fails_leaves_the_old_file(folder: Path) -> None:
    old = folder / "out.csv"
    old.write_text("old")
    layout = flatledger.Layout.from_text("columns: [{No: no}]\noutput: {encoding: ascii}")
    with pytest.raises(flatledger.OutputError, match=r"row 2 holds 'é' \(U\+00E9\)"):
        flatledger.export(layout, [{"no": "a"}, {"no": "é"}], old)
    assert old.read_text() == "old"
    assert [path.name for path in folder.glob(".*")] == []


def test_a_value_that_would_break_the_file_is_refused_without_quotes(folder: Path) -> None:
    layout = flatledger.Layout.from_text("columns: [{A: a}, {B: b}]\noutput: {quote-char: none}")
    with pytest.raises(flatledger.OutputError, match="row 1 holds the delimiter"):
        flatledger.export(layout, [{"a": "x,y", "b": 1}], folder / "out.csv")


@pytest.mark.parametrize("text", ["\n", "[]", "\ufeff"])
def test_a_sound_source_without_records_gives_a_header(tool: Tool, folder: Path, text: str) -> None:
    (folder / "empty.jsonl").write_text(text, encoding="utf-8")
    done = tool("export", "layout.yaml", "empty.jsonl", "-o", "-")
    assert done.returncode == 0
    assert done.stdout.splitlines()[0] == "No,Quantity"
    assert "the source holds no records" in done.stderr


def test_the_command_line_is_wrong() -> None:
    with pytest.raises(flatledger.SourceError, match="single record"):
        flatledger.table(flatledger.Layout.from_data({"columns": [{"No": "no"}]}), {"no": 1})


def test_a_table_that_does_not_balance_exits_4(
    folder: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """A fault in the totalling itself: one cell is lost between the rows and the total."""
    from flatledger.cli.export import ExportWays, run_export
    from flatledger.run.tallies import Tally

    honest = Tally.add
    monkeypatch.setattr(Tally, "add", lambda own, cells: honest(own, cells[1:]))
    source, to = str(folder / "good.jsonl"), str(folder / "out.csv")
    layout = flatledger.Layout.from_file(folder / "layout.yaml")
    assert run_export(layout, source, {}, ExportWays(to)) == 4
    assert "Does not balance: Quantity (see above)" in capsys.readouterr().err


DEEP = {"lists": ("[", "]"), "objects": ('{"a":', "}"), "nodes": ('{"parts":', "}")}
PLACES = [
    '{"no": 1, "parts": [{"q": 1, "parts": %s}]}',
    '{"no": 1, "parts": [%s, {"q": 1}]}',
    '{"no": 1, "parts": [{"q": %s}]}',
    '{"no": 1, "parts": %s}',
    '{"no": %s, "parts": [{"q": 1}]}',
]
OVER_DEEP: list[dict[str, Any]] = [
    {"row-per": "parts", "columns": [{"Q": "parts.q"}, {"W": "parts"}, {"T": "trail(parts.q)"}]},
    {"columns": [{"A": "all_parts($)"}, {"N": "no || ''"}, {"L": "listagg(parts.q)"}]},
    {"columns": [{"W": "parts"}, {"N": "no"}, {"M": "mentions($, 'x')"}, {"D": "$..q"}]},
    {"row-per-group": ["no"], "columns": [{"N": "no"}, {"D": "count(distinct parts.q)"}]},
    {"columns": [{"N": "no"}], "sort": ["no"], "group": ["N"]},
    {"columns": [{"C": "count(parts)"}], "only": [{"keep": "parts", "when": "parts.q > 0"}]},
]


@pytest.mark.parametrize("kind", DEEP)
@pytest.mark.parametrize("place", PLACES)
def test_what_can_be_decoded_can_be_walked(kind: str, place: str) -> None:
    """Up to the depth at which a record is refused, whatever is deep and wherever it stands."""
    begin, end = DEEP[kind]
    for depth in (40, 400, 700, 990):
        record = place % (begin * depth + '{"q": 2}' + end * depth)
        plain = b'{"no": 2, "parts": [{"q": 3}, {"q": 4}]}'
        data = record.encode() + b"\n" + plain
        for layout in OVER_DEEP:
            alone = {*flatledger.table(layout, io.BytesIO(plain))}
            assert alone <= {*flatledger.table(layout, io.BytesIO(data))}
            flatledger.export(layout, io.BytesIO(data), io.BytesIO())
        assert flatledger.survey(io.BytesIO(data)).records == 2
        assert flatledger.distinct_values("parts.q", io.BytesIO(data))[4] == 1
        flatledger.draft(io.BytesIO(data))


@pytest.mark.parametrize("depth", [60, 300, 450, 5_000])
def test_nesting_without_end_is_a_fault(tool: Tool, folder: Path, depth: int) -> None:
    (folder / "deep.yaml").write_text("columns: [{No: no}, {X: x}, {Y: $..a}, {Z: listagg(x)}]")
    deep = '[{"a":' * depth + "1" + "}]" * depth
    (folder / "deep.jsonl").write_text(f'{{"no": 1, "x": {deep}}}\n{{"no": 2}}\n')
    done = tool("export", "deep.yaml", "deep.jsonl", "-o", "-")
    assert done.returncode == 0, done.stderr
    assert done.stdout.splitlines()[-1] == "2,,,"
    assert "Traceback" not in done.stderr
    assert ("nested too deeply" in done.stderr) == (depth > 100)
