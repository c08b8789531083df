"""What is written: dialects, encodings, places, and what happens to the file that was there."""

from __future__ import annotations

import io
import os
from pathlib import Path
from typing import Any

import pytest

import flatledger
from tests.conftest import Tool

RECORDS: list[Any] = [
    {"a": "x", "b": 1},
    {"a": 'say "hi"', "b": None},
    {"a": "two\nlines", "b": True},
    {"a": "semi;colon, comma", "b": "é"},
]


def written(output: dict[str, Any], records: list[Any] = RECORDS) -> bytes:
    layout = flatledger.Layout.from_data({"columns": [{"A": "a"}, {"B": "b"}], "output": output})
    file = io.BytesIO()
    flatledger.export(layout, records, file)
    return file.getvalue()


def test_the_standard_dialect() -> None:
    assert written({}).decode() == (
        'A,B\r\nx,1\r\n"say ""hi""",\r\n"two\nlines",true\r\n"semi;colon, comma",é\r\n'
    )


@pytest.mark.parametrize(
    ("output", "expected"),
    [
        ({"delimiter": "semicolon"}, 'A;B\r\nx;1\r\n"say ""hi""";\r\n"two\nlines";true\r\n'),
        ({"delimiter": "tab", "line-terminator": "lf"}, 'A\tB\nx\t1\n"say ""hi"""\t\n"two\nlines"'),
        ({"delimiter": "unit-separator", "header": "no"}, 'x\x1f1\r\n"say ""hi"""\x1f\r\n'),
        ({"quote": "all", "header": "off"}, '"x","1"\r\n"say ""hi""",""\r\n"two\nlines","true"'),
        ({"quote-char": "'", "header": False}, "x,1\r\nsay \"hi\",\r\n'two\nlines',true\r\n"),
        ({"delimiter": "|", "header": "false"}, 'x|1\r\n"say ""hi"""|\r\n'),
    ],
)
def test_dialects(output: dict[str, Any], expected: str) -> None:
    assert written(output).decode().startswith(expected)


@pytest.mark.parametrize(
    ("encoding", "codec"),
    [("utf-8-bom", "utf-8-sig"), ("utf-16", "utf-16"), ("iso-8859-1", "latin-1")],
)
def test_encodings(encoding: str, codec: str) -> None:
    data = written({"encoding": encoding, "line-terminator": "lf"})
    assert data.decode(codec).splitlines()[0] == "A,B"
    assert data.decode(codec).endswith('"semi;colon, comma",é\n')
    # a mark stands at the beginning only, however many blocks are written
    many = written({"encoding": encoding}, RECORDS[:1] * 3_000)
    assert many.decode(codec).count("x,1") == 3_000
    assert "\ufeff" not in many.decode(codec)


def test_blocks_with_and_without_quotes_make_one_file() -> None:
    records = [{"a": f"n{n}", "b": n} for n in range(1_500)]
    records += [{"a": "a,b"}, {"a": None, "b": "None"}]
    lines = written({"header": "no"}, records).decode().split("\r\n")
    assert lines[0] == "n0,0"
    assert lines[-3:] == ['"a,b",', ",None", ""]


def test_one_blank_column_is_still_a_row() -> None:
    layout = flatledger.Layout.from_data({"columns": [{"A": "a"}]})
    file = io.BytesIO()
    flatledger.export(layout, [{"a": None}, {"a": "x"}], file)
    assert file.getvalue() == b'A\r\n""\r\nx\r\n'


def test_where_the_table_goes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    layout = flatledger.Layout.from_data({"columns": [{"A": "a"}], "output": {"file": "own.csv"}})
    assert flatledger.export(layout, RECORDS).files[0].name == "own.csv"
    assert (tmp_path / "own.csv").exists()
    bare = flatledger.Layout.from_data({"columns": [{"A": "a"}]})
    with pytest.raises(flatledger.OutputError, match="nowhere to write to"):
        flatledger.export(bare, RECORDS)
    with pytest.raises(flatledger.OutputError, match="is a folder"):
        flatledger.export(bare, RECORDS, tmp_path)


def test_a_file_keeps_its_mode_and_a_link_its_place(tmp_path: Path) -> None:
    real, link = tmp_path / "real.csv", tmp_path / "link.csv"
    real.write_text("old")
    real.chmod(0o640)
    link.symlink_to(real)
    layout = flatledger.Layout.from_data({"columns": [{"A": "a"}]})
    flatledger.export(layout, [{"a": 1}], link)
    assert link.is_symlink()
    assert real.read_text() == "A\n1\n"
    assert real.stat().st_mode & 0o777 == 0o640
    assert (tmp_path / "real.former.csv").read_text() == "old"
    assert sorted(os.listdir(tmp_path)) == ["link.csv", "real.csv", "real.former.csv"]


def test_the_same_from_text_file_bytes_and_path(tmp_path: Path) -> None:
    file = tmp_path / "a.jsonl"
    file.write_text('{"a": "é"}\n', encoding="utf-8")
    layout = flatledger.Layout.from_data({"columns": [{"A": "a"}]})
    with file.open(encoding="utf-8") as text, file.open("rb") as data:
        for source in (file, str(file), text, data, io.StringIO('{"a": "é"}')):
            assert list(flatledger.table(layout, source)) == [("é",)]


def test_the_tool_s_own_words(tool: Tool, tmp_path: Path) -> None:
    help_text = tool("--help").stdout
    for command in ("export", "preview", "survey", "draft", "try", "demo"):
        assert command in help_text
        assert "Usage: flatledger " in tool(command, "--help").stdout
    assert tool("--version").stdout.split()[0] == "flatledger"
    for wrong in (("export",), ("exprot", "a", "b"), ("export", "--nothing", "a", "b")):
        done = tool(*wrong)
        assert done.returncode == 2
        assert "Traceback" not in done.stderr
    (tmp_path / "l.yaml").write_text("columns: [{A: a}]")
    (tmp_path / "s.jsonl").write_text('{"a": 1}\n')
    quiet = tool("export", "l.yaml", "s.jsonl", "-o", "-", "-q")
    assert (quiet.stdout, quiet.stderr) == ("A\r\n1\r\n", "")
    assert tool("export", "l.yaml", "s.jsonl").stdout == "A\r\n1\r\n"
    full = tool("export", "l.yaml", "s.jsonl", "-o", "-", "--report-to", "/dev/full")
    assert full.returncode == 1
    assert "/dev/full can't be written" in full.stderr


def test_a_layout_typed_on_the_command_line(tool: Tool, demo: Path) -> None:
    options = (
        *("--row-per", "lines", "--column", "Part: lines.part.code", "--sort", "Part"),
        *("--column", "Quantity: {value: lines.qty, total: sum}", "--column", "status"),
        *("--only", "lines.qty > 11", "--only", "station.code = 'TAR'"),
    )
    done = tool("export", "requisitions.jsonl", *options, "-o", "-", "-q")
    assert done.stdout.replace("\r", "").splitlines() == [
        "Part,Quantity,status",
        "BT-06,12,received",
        "PT-05,12,received",
        "Grand total,24,",
    ]
    assert "2 rows" not in tool("preview", "requisitions.jsonl", *options).stderr
    slip = tool("export", "requisitions.jsonl", "--column", "Part: {value: lines.qty, totl: sum}")
    assert slip.returncode == 1
    assert "command line: no key `totl` in column `Part`; did you mean `total`?" in slip.stderr
    assert tool("export", "requisitions.jsonl").returncode == 2
    assert tool("export", "requisitions.jsonl").returncode == 2
