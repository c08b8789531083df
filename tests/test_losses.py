"""Nothing is lost by what comes between: a place that is taken, a stop, a file system without
locks. Each happens at a moment of ours, in the tool as a process."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest

import flatledger
from flatledger.errors import SamePlaceError
from tests.conftest import Tool, until

RUN = "import sys; from flatledger.cli import main; main()"
NO_LOCKS = """
import errno, fcntl
def flock(*_):
    raise OSError(errno.ENOLCK, "no locks here")
fcntl.flock = flock
"""
AT_THE_FIRST_MOVE = """
import os, signal
signal.signal(signal.SIGTERM, signal.SIG_DFL)
move, moves = os.replace, []
def replace(*places, **within):  # what is kept in the cache is moved within its folder
    moves.extend([places] if not within else [])
    if len(moves) == {which} and not within:
        os.kill(os.getpid(), signal.{signal})
    move(*places, **within)
os.replace = replace
"""
NOT_IN_ORDER = (
    "columns: [{No: no}, {Q: {value: q, total: sum}}]\ngroup: {by: [No], order: as-met}\n"
)
RECORDS = '{"no": 1, "q": 1}\n{"no": 2, "q": 1}\n{"no": 1, "q": 1}\n'


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "l.yaml").write_text("levels: []\ncolumns: [{No: no}, {Q: q}]\n")
    (tmp_path / "s.jsonl").write_text(RECORDS)
    return tmp_path


class Run:
    """The tool over a source that waits, with something of the system changed before."""

    def __init__(self, folder: Path, *command: str, before: str = "", **variables: str) -> None:
        homes = {f"XDG_{one}_HOME": str(folder / "home") for one in ("DATA", "STATE", "CONFIG")}
        self.process = subprocess.Popen(
            [sys.executable, "-c", before + RUN, "export", "l.yaml", *command],
            cwd=folder,
            env={**os.environ, **homes, **variables},
            stdin=subprocess.PIPE,
            stderr=subprocess.PIPE,
        )

    def feed(self, text: str) -> None:
        assert self.process.stdin is not None
        self.process.stdin.write(text.encode())
        self.process.stdin.flush()

    def end(self) -> tuple[int, str]:
        """The source is at its end; the exit code, and what was said."""
        _, said = self.process.communicate(timeout=120)
        assert b"Traceback" not in said, said
        return self.process.returncode, said.decode()


def unfinished(folder: Path) -> list[Path]:
    return [one for one in folder.iterdir() if one.name.endswith("-unfinished")]


# ---- places that are taken -------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "command"),
    [
        ("s.unbalanced.jsonl", ("s.unbalanced.jsonl", "-o", "s.jsonl")),
        ("s.jsonl", ("s.jsonl", "-o", "t.csv", "--faults-to", "t.unbalanced.csv")),
        ("s.jsonl", ("s.jsonl", "-o", "t.csv", "-o", "t.unbalanced.csv")),
    ],
)
def test_the_place_of_what_does_not_balance_is_looked_at_before(
    tool: Tool, folder: Path, name: str, command: tuple[str, ...]
) -> None:
    (folder / "l.yaml").write_text(NOT_IN_ORDER)
    (folder / "s.jsonl").rename(folder / name)
    done = tool("export", "l.yaml", *command)
    assert done.returncode == 1
    assert ".unbalanced." in done.stderr
    assert "for the table, which is called so where it does not balance" in done.stderr
    assert (folder / name).read_text() == RECORDS
    assert not (folder / "t.csv").exists()


def test_what_does_not_balance_is_numbered_where_nothing_may_be_replaced(
    tool: Tool, folder: Path
) -> None:
    (folder / "l.yaml").write_text(NOT_IN_ORDER)
    for _ in range(2):
        done = tool("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--if-there", "refuse")
        assert done.returncode == 4
    assert {"t.unbalanced.csv", "t.unbalanced-2.csv"} <= {one.name for one in folder.iterdir()}


def test_the_source_is_not_written_over_though_it_takes_the_place_meanwhile(folder: Path) -> None:
    place = folder / "t.csv"
    with pytest.raises(SamePlaceError, match=r"t.csv takes part in this run"):
        flatledger.export(
            folder / "l.yaml",
            folder / "s.jsonl",
            place,
            progress=lambda _: place.exists() or (folder / "s.jsonl").rename(place),
        )
    assert place.read_text() == RECORDS
    assert unfinished(folder) == []


# ---- stopped between two files ---------------------------------------------------------------


def test_a_signal_waits_until_all_have_taken_their_places(folder: Path) -> None:
    code, said = Run(
        folder,
        *("s.jsonl", "-o", "t.csv", "-o", "t.jsonl", "--report-to", "r.json"),
        before=AT_THE_FIRST_MOVE.format(which=1, signal="SIGTERM"),
    ).end()
    assert code == 143
    assert "flatledger: stopped, but t.csv, t.jsonl, r.json had been written" in said
    assert (folder / "t.csv").read_text() == "No,Q\n1,1\n2,1\n1,1\n"
    assert len((folder / "t.jsonl").read_text().splitlines()) == 3
    assert '"balanced": true' in (folder / "r.json").read_text()


def test_after_a_kill_between_two_files_the_next_run_says_what_it_finds(
    tool: Tool, folder: Path
) -> None:
    command = ("s.jsonl", "-o", "t.csv", "-o", "t.jsonl")
    for name in ("t.csv", "t.jsonl"):
        (folder / name).write_text("old")
    kill = AT_THE_FIRST_MOVE.format(which=2, signal="SIGKILL")
    assert Run(folder, *command, before=kill).end()[0] == -signal.SIGKILL
    assert (folder / "t.jsonl").read_text() == "old"
    done = tool("export", "l.yaml", *command)
    assert "what a run that was cut off had left of t.jsonl is cleared" in done.stderr
    assert len((folder / "t.jsonl").read_text().splitlines()) == 3
    assert unfinished(folder) == []


def test_scratch_that_a_killed_run_left_is_cleared_and_a_running_one_s_is_let_alone(
    tool: Tool, folder: Path
) -> None:
    scratch = folder / "scratch"
    scratch.mkdir()
    runs = [
        Run(folder, "-", "-o", f"{name}.xlsx", TMPDIR=str(scratch)) for name in ("killed", "alive")
    ]
    for run in runs:
        run.feed(RECORDS * 5_000)
    until(lambda: len([*scratch.glob("*/lock")]) == 2)
    runs[0].process.kill()
    runs[0].end()
    assert len([*scratch.iterdir()]) == 2
    environment = {"TMPDIR": str(scratch)}
    assert Run(folder, "s.jsonl", "-o", "t.xlsx", **environment).end()[0] == 0
    assert len([*scratch.iterdir()]) == 1
    assert runs[1].end()[0] == 0
    assert [*scratch.iterdir()] == []
    assert (folder / "alive.xlsx").stat().st_size > 10_000


def test_folders_of_others_beside_scratch_are_let_alone(folder: Path) -> None:
    """However old they are, and whatever they are called; an empty one of ours goes."""
    scratch = folder / "scratch"
    names = ("flatledger-demo", ".flatledger-scratch-theirs", ".flatledger-scratch-empty")
    for name in names:
        (scratch / name).mkdir(parents=True)
    for name in names[:2]:
        (scratch / name / "layout.yaml").write_text("theirs")
    for name in names:
        os.utime(scratch / name, (0, 0))
    environment = {"TMPDIR": str(scratch)}
    assert Run(folder, "s.jsonl", "-o", "t.xlsx", **environment).end()[0] == 0
    assert sorted(one.name for one in scratch.iterdir()) == sorted(names[:2])
    assert all((scratch / name / "layout.yaml").read_text() == "theirs" for name in names[:2])


# ---- a file system without locks -------------------------------------------------------------


def test_without_locks_each_run_has_an_unfinished_file_of_its_own(folder: Path) -> None:
    first = Run(folder, "-", "-o", "t.csv", before=NO_LOCKS)
    until(lambda: unfinished(folder))
    code, said = Run(folder, "s.jsonl", "-o", "t.csv", before=NO_LOCKS).end()
    assert code == 0
    assert "lies beside t.csv: another run is writing it, or was cut off and left it" in said
    assert len((folder / "t.csv").read_text().splitlines()) == 4
    first.feed('{"no": 7, "q": 7}\n')
    assert first.end()[0] == 0
    assert (folder / "t.csv").read_bytes() == b"No,Q\r\n7,7\r\n"
    assert unfinished(folder) == []


def test_a_file_that_is_not_the_one_that_was_opened_is_not_moved(folder: Path) -> None:
    (folder / "t.csv").write_text("old")
    run = Run(folder, "-", "-o", "t.csv")
    until(lambda: unfinished(folder))
    run.feed(RECORDS)
    [other] = unfinished(folder)
    other.unlink()
    other.write_text("half a ta")
    code, said = run.end()
    assert code == 1
    assert (
        "t.csv can't be written: another program has moved or removed what was written; the "
        "former file is as it was" in said
    )
    assert (folder / "t.csv").read_text() == "old"
    assert other.read_text() == "half a ta"  # it is not ours


# ---- names that are no UTF-8 -----------------------------------------------------------------


@pytest.mark.skipif(os.name == "nt", reason="names are not bytes there")
@pytest.mark.parametrize("suffix", ["csv", "json", "xlsx", "ods", "html", "md"])
def test_names_that_are_no_utf_8(folder: Path, suffix: str) -> None:
    layout = "columns: [{No: no}]\noutput: {csvw: yes, with-balance: yes}\n"
    (folder / "l.yaml").write_text(layout)
    source = os.fsdecode(b"s\xff.jsonl")
    (folder / source).write_text(RECORDS)
    names = [os.fsdecode(b"t\xff.%s" % suffix.encode()), os.fsdecode(b"r\xff.json")]
    command = (source, "-o", names[0], "--report-to", names[1], "--verify")
    for _ in range(2):  # the second time it replaces what is known to be its own
        code, said = Run(folder, *command).end()
        assert code == 0, said
    assert rf"to t\xff.{suffix} (replaced)" in said
    assert r'"source": "s\\xff.jsonl"' in (folder / names[1]).read_text()
    assert not [*folder.glob("*former*")]
    assert unfinished(folder) == []
