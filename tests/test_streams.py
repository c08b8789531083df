"""The standard streams, in every state that a shell can leave them in; real processes."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import Tool

LAYOUT = "row-per: lines\ncolumns: [{No: no}, {Qty: {value: lines.qty, total: sum}}]\n"
RECORDS = "".join(
    f'{{"no": {n}, "kind": "k", "lines": [{{"qty": {n}}}, {{"qty": 1}}]}}\n' for n in range(3_000)
)
COMMANDS = (
    "export l.yaml s.jsonl",
    "preview l.yaml s.jsonl",
    "survey s.jsonl",
    "survey s.jsonl --json",
    "survey s.jsonl --values no",
    "draft s.jsonl",
    "try no s.jsonl --first 300",
    "shelf --json",
    "--help",
    "export --help",
    "demo",
)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "l.yaml").write_text(LAYOUT)
    (tmp_path / "s.jsonl").write_text(RECORDS)
    return tmp_path


def shell(folder: Path, line: str, **variables: str) -> subprocess.CompletedProcess[str]:
    """A line in a shell, with `fl` for the tool."""
    home = {f"XDG_{one}_HOME": str(folder / one) for one in ("DATA", "STATE", "CONFIG")}
    done = subprocess.run(
        [
            "bash",
            "-o",
            "pipefail",
            "-c",
            f'fl() {{ "{sys.executable}" -m flatledger "$@"; }}; {line}',
        ],
        cwd=folder,
        env={**os.environ, **home, **variables},
        capture_output=True,
        text=True,
        timeout=60,
    )
    assert "Traceback" not in done.stderr + done.stdout, done.stderr
    assert "should not happen" not in done.stderr, done.stderr
    return done


@pytest.mark.parametrize("command", COMMANDS)
def test_a_result_that_can_t_go_out_is_told(folder: Path, command: str) -> None:
    full = shell(folder, f"fl {command} > /dev/full")
    assert full.returncode == 1
    assert "standard output can't be written: No space left on device" in full.stderr
    closed = shell(folder, f"fl {command} >&-")
    assert closed.returncode == 1
    assert "standard output" in closed.stderr
    assert "closed" in closed.stderr
    silent = shell(folder, f"fl {command} 2>&- > out")
    assert silent.returncode == 0  # what was asked for is there, and nobody listens
    assert shell(folder, f"fl {command} 2>/dev/full > out").returncode == 0


@pytest.mark.parametrize(
    "command", [c for c in COMMANDS if c not in ("shelf --json", "--help", "export --help")]
)
def test_a_reader_that_has_gone_ends_it_quietly(folder: Path, command: str) -> None:
    done = shell(folder, f"fl {command} 2> err | (exec <&-; sleep 0.8); echo ${{PIPESTATUS[0]}}")
    assert done.stdout.strip() == "141"
    assert "can't be written" not in (folder / "err").read_text()


def test_standard_input_that_is_closed_is_told(folder: Path) -> None:
    for command in (
        "export l.yaml - -o t.csv",
        "survey -",
        "draft -",
        "try no -",
        "preview l.yaml -",
    ):
        done = shell(folder, f"fl {command} <&-")
        assert done.returncode == 1
        assert "standard input is closed; name a file" in done.stderr
    assert not (folder / "t.csv").exists()


def test_streams_and_pipes_by_name(folder: Path) -> None:
    shell(folder, "fl export l.yaml s.jsonl -o t.csv")
    table = (folder / "t.csv").read_text()
    assert table.count("\n") == 6_002
    ways = (
        "fl export l.yaml s.jsonl -q -o - | cat > out",
        "fl export l.yaml s.jsonl -q -o /dev/stdout | cat > out",
        "fl export l.yaml s.jsonl -q -o /dev/stdout > out",
        "fl export l.yaml s.jsonl -q -o /dev/fd/1 | cat > out",
        "fl export l.yaml s.jsonl -q -o /dev/fd/5 5> out",
        "fl export l.yaml s.jsonl -q -o /dev/stderr 2> out",
        "mkfifo pipe; cat pipe > out & fl export l.yaml s.jsonl -q -o pipe; wait",
        "fl export l.yaml s.jsonl -q -o >(cat > out; touch o2); until [ -e o2 ]; do :; done",
        "cat s.jsonl | fl export l.yaml - -q -o - > out",
        "cat s.jsonl | fl export l.yaml /dev/stdin -q -o - > out",
        "fl export l.yaml <(cat s.jsonl) -q -o - > out",
    )
    for way in ways:
        assert shell(folder, way).returncode == 0, way
        assert (folder / "out").read_text() == table, way
    shell(folder, "fl export l.yaml s.jsonl -q -o /dev/stdout >> out")
    assert (folder / "out").read_text() == table + table
    gone = shell(folder, "mkfifo p2; (exec < p2) & fl export l.yaml s.jsonl -o p2 -q; echo $?")
    assert gone.stdout.strip() in ("141", "0")  # as quick as the reader is
    full = shell(folder, "fl export l.yaml s.jsonl -o t.csv --faults-to /dev/full")
    assert full.returncode == 1
    assert "/dev/full can't be written" in full.stderr
    assert (folder / "t.csv").read_text() == table


def test_a_full_disk_leaves_the_former_file(folder: Path) -> None:
    """A bound on the size of files is what a full disk is, halfway through one."""
    (folder / "t.csv").write_text("old")
    (folder / "sorted.yaml").write_text(LAYOUT + "sort: [Qty desc]\n")
    for layout in ("l.yaml", "sorted.yaml"):
        done = shell(folder, f"ulimit -f 8; fl export {layout} s.jsonl -o t.csv")
        assert done.returncode == 1
        assert "t.csv can't be written: File too large; the former file is as it was" in done.stderr
        assert (folder / "t.csv").read_text() == "old"
        assert not [f.name for f in folder.iterdir() if "unfinished" in f.name]


def test_all_that_a_run_writes_takes_its_place_together_or_nothing_does(folder: Path) -> None:
    (folder / "t.csv").write_text("old")
    done = shell(folder, "fl export l.yaml s.jsonl -o t.csv --report-to /dev/full")
    assert done.returncode == 1
    assert "/dev/full can't be written: No space left" in done.stderr
    # of two tables the first fits below the bound on the size of files, and the second does not
    two = "ulimit -f 40; fl export l.yaml s.jsonl -o t.csv -o t.jsonl --faults-to f.csv"
    assert "t.jsonl can't be written: File too large" in shell(folder, two).stderr
    assert (folder / "t.csv").read_text() == "old"
    assert not {"t.jsonl", "f.csv"} & {one.name for one in folder.iterdir()}


def test_what_a_stream_was_given_before_an_error_is_told(folder: Path) -> None:
    (folder / "ascii.yaml").write_text("columns: [{A: a}]\noutput: {encoding: ascii}\n")
    rows = "".join(f'{{"a": {n}}}\n' for n in range(60_000))
    (folder / "a.jsonl").write_text(rows + '{"a": "é"}\n', "utf-8")
    done = shell(folder, "fl export ascii.yaml a.jsonl -o - | wc -l")
    assert "row 60,001 holds 'é' (U+00E9), which ascii can't express" in done.stderr
    assert int(done.stdout) > 1_000
    given = int(done.stdout) - 1  # but for the headings
    assert f"But {given:,} rows had been given to standard output." in done.stderr


def test_consoles_that_are_narrow_or_plain_or_without_letters(folder: Path) -> None:
    (folder / "u.jsonl").write_text('{"a": "é✓"}\n', "utf-8")
    plain = shell(folder, "fl try a u.jsonl", PYTHONIOENCODING="ascii")
    assert plain.returncode == 0
    assert "\\xe9\\u2713" in plain.stdout
    shell(folder, "fl export l.yaml s.jsonl -o t.csv")
    narrow = shell(
        folder,
        "script -qec 'stty cols 20; fl() { " + sys.executable + ' -m flatledger "$@"; }; '
        "fl export l.yaml s.jsonl -o t.csv' /dev/null",
        NO_COLOR="1",
        TERM="dumb",
    )
    assert "4,501,500" in narrow.stdout  # whole
    assert "\x1b" not in narrow.stdout


def test_a_terminal_shows_the_table_and_does_not_obey_it(folder: Path) -> None:
    (folder / "n.jsonl").write_text('{"no": "\\u001b[31mred\\u0007", "lines": [{"qty": 1}]}\n')
    line = f"{sys.executable} -m flatledger export l.yaml n.jsonl -q -o -"
    shown = shell(folder, f"script -qec '{line}' /dev/null", NO_COLOR="1")
    assert "\\x1b[31mred\\x07" in shown.stdout
    assert "\x1b" not in shown.stdout


def test_a_program_without_docstrings_says_the_same(tool: Tool, folder: Path) -> None:
    for command in ("--help", "export --help", "shelf put --help", "export l.yaml s.jsonl -q -o -"):
        arguments = command.split()
        assert tool(*arguments, PYTHONOPTIMIZE="2").stdout == tool(*arguments).stdout != ""
