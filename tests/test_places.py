"""Where things are written: over nothing that takes part, and nothing of the user's is lost."""

from __future__ import annotations

import io
import os
import signal
import stat
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import flatledger
from flatledger import Layout, OutputError
from tests.conftest import Tool, until

FILES = {
    "base.yaml": "row-per: lines\ncolumns: [{No: no}]\n",
    "l.yaml": """
from: base.yaml
lookup: {place: {file: side.csv, matched-by: station, key: code}}
columns:
  - Kind: {value: kind, translate: codes.csv}
  - Place: place.name
only: [no in list('wanted.txt')]
fit-to: form.csv
""",
    "l.note.txt": "# by hand\nno\nlines\nlines.qty\nkind\nstation\n",
    "side.csv": "code,name\nTAR,Tarven\n",
    "codes.csv": "code,says\na,An A\n",
    "wanted.txt": "R1\nR2\n",
    "form.csv": "No,Kind,Place\n",
    "answers.yaml": "none: of these\n",
    "s.jsonl": '{"no": "R1", "kind": "a", "station": "TAR", "new": 1, "lines": [{"qty": 1}]}\n',
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name, text in FILES.items():
        (tmp_path / name).write_text(text)
    (tmp_path / "link").symlink_to("s.jsonl")
    (tmp_path / "hard").hardlink_to(tmp_path / "side.csv")
    return tmp_path


def held(folder: Path) -> dict[str, bytes]:
    return {
        str(f): f.read_bytes() for f in folder.rglob("*") if f.is_file() and "home" not in str(f)
    }


# ---- what takes part -------------------------------------------------------------------------


@pytest.mark.parametrize("option", ["-o", "--report-to", "--faults-to"])
@pytest.mark.parametrize("name", [*FILES, "link", "hard", "./sub/../s.jsonl"])
def test_nothing_that_takes_part_is_written_over(
    tool: Tool, folder: Path, option: str, name: str
) -> None:
    (folder / "sub").mkdir()
    before = held(folder)
    run = ("export", "l.yaml", "s.jsonl", "--answers", "answers.yaml", option, name)
    done = tool(*run, *(() if option == "-o" else ("-o", "t.csv")))
    assert done.returncode == 2
    assert f"{name} takes part in this run, and would be written over" in done.stderr
    assert held(folder) == before
    keyword = {"-o": "to", "--report-to": "report_to", "--faults-to": "faults_to"}[option]
    if name == "answers.yaml":  # which the command line alone knows of
        return
    layout = Layout.from_file(folder / "l.yaml")
    places: dict[str, Any] = {"to": io.BytesIO(), keyword: folder / name}
    with pytest.raises(OutputError, match="takes part in this run"):
        flatledger.export(layout, folder / "s.jsonl", **places)
    assert held(folder) == before


def test_no_output_is_written_over_another(tool: Tool, folder: Path) -> None:
    before = held(folder)
    (folder / "there.csv").write_text("")
    (folder / "other.csv").hardlink_to(folder / "there.csv")
    for pair in (
        ("new.csv", "./new.csv"),
        ("there.csv", "other.csv"),
        ("-", "-"),
        ("-", "/dev/stdout"),
    ):
        done = tool("export", "l.yaml", "s.jsonl", "-o", pair[0], "--faults-to", pair[1])
        assert done.returncode == 2, pair
        assert "is written by this run already; name another file for the faults" in done.stderr
    both = tool("export", "l.yaml", "s.jsonl", "-o", "/dev/null", "--report-to", "/dev/null")
    assert both.returncode == 0
    assert held(folder).items() >= before.items()


def test_a_layout_s_own_file_and_standard_input_are_looked_at_too(tool: Tool, folder: Path) -> None:
    (folder / "own.yaml").write_text("columns: [{No: no}]\noutput: {file: own.csv}\n")
    (folder / "own.csv").write_text(FILES["s.jsonl"])
    before = held(folder)
    own = tool("export", "own.yaml", "own.csv")
    assert own.returncode == 1  # it was not typed
    assert "own.csv takes part in this run" in own.stderr
    with (folder / "own.csv").open("rb") as source:
        command = [sys.executable, "-m", "flatledger", "export", "own.yaml", "-", "-o", "own.csv"]
        given = subprocess.run(command, stdin=source, cwd=folder, capture_output=True)
    assert given.returncode == 2
    assert held(folder) == before


@pytest.mark.parametrize(
    "arguments",
    [
        ("preview", "l.yaml", "s.jsonl", "--html", "l.yaml"),
        ("preview", "l.yaml", "s.jsonl", "--html", "hard"),
        ("survey", "s.jsonl", "--html", "link"),
        ("draft", "s.jsonl", "-o", "s.jsonl", "--replace"),
        ("draft", "s.jsonl", "--fit-to", "form.csv", "-o", "form.csv", "--replace"),
        ("draft", "l.note.txt", "-o", "l.yaml", "--replace", "--learn"),
        ("export", "l.yaml", "l.note.txt", "-o", "t.csv", "--learn"),
    ],
)
def test_other_commands_write_over_nothing_that_takes_part(
    tool: Tool, folder: Path, arguments: tuple[str, ...]
) -> None:
    before = held(folder)
    done = tool(*arguments)
    assert done.returncode == (1 if arguments[0] == "export" else 2)
    assert "takes part in this run" in done.stderr
    assert held(folder) == before


def test_a_layout_follows_no_link_out_of_its_folder(folder: Path, monkeypatch: Any) -> None:
    inner = folder / "inner"
    inner.mkdir()
    for name, text in FILES.items():
        (inner / name).write_text(text)
    for name in ("side.csv", "codes.csv", "wanted.txt", "base.yaml", "form.csv"):
        (inner / name).unlink()
        (inner / name).symlink_to(folder / name)
        with pytest.raises(flatledger.LayoutError, match="a link out of the layout's folder"):
            Layout.from_file(inner / "l.yaml")
        (inner / name).unlink()
        (inner / name).write_text(FILES[name])
    Layout.from_file(inner / "l.yaml")
    monkeypatch.chdir(inner)
    (inner / "out.csv").symlink_to(folder / "elsewhere.csv")
    own = Layout.from_data({"columns": [{"No": "no"}], "output": {"file": "out.csv"}})
    with pytest.raises(OutputError, match="a link out of this folder"):
        flatledger.export(own, [{"no": 1}])
    flatledger.export(own, [{"no": 1}], "out.csv")  # by the caller's own word it may
    assert (folder / "elsewhere.csv").exists()
    hidden = {"columns": [{"No": "no"}], "output": {"file": "{name}"}, "ask": {"name": "string"}}
    with pytest.raises(flatledger.AnswerError, match="begins with a dot"):
        flatledger.export(Layout.from_data(hidden), [{"no": 1}], ask={"name": ".profile"})


# ---- what is there already -------------------------------------------------------------------


def test_a_table_changed_by_hand_stays_beside(tool: Tool, folder: Path) -> None:
    run = ("export", "base.yaml", "s.jsonl", "-o", "t.csv")
    assert "to t.csv. " in tool(*run).stderr
    again = tool(*run)
    assert "to t.csv (replaced). " in again.stderr
    assert "former" not in again.stderr
    for number in ("", "-2", "-3"):
        (folder / "t.csv").write_text(f"corrected{number}")
        kept = tool(*run)
        assert f"it is kept as t.former{number}.csv" in kept.stderr
        assert (folder / f"t.former{number}.csv").read_text() == f"corrected{number}"
    later = time.time() + 5
    os.utime(folder / "t.csv", (later, later))  # touched, and the same
    assert "former" not in tool(*run).stderr
    (folder / "t.csv").write_text("x")
    assert "former" not in tool(*run, "--if-there", "replace").stderr
    (folder / "t.csv").write_text("mine")
    refused = tool(*run, "--if-there", "refuse")
    assert refused.returncode == 1
    assert "t.csv is there already and stays as it is" in refused.stderr
    assert "to t-2.csv. " in tool(*run, "--if-there", "number").stderr
    assert "to t-3.csv. " in tool(*run, "--if-there", "number").stderr
    assert (folder / "t.csv").read_text() == "mine"
    assert sorted(f.name for f in folder.glob("t*")) == [
        *("t-2.csv", "t-3.csv", "t.csv", "t.former-2.csv", "t.former-3.csv", "t.former.csv")
    ]


def test_where_nothing_can_be_remembered_the_former_stays(tool: Tool, folder: Path) -> None:
    (folder / "file").write_text("")
    run = ("export", "base.yaml", "s.jsonl", "-o", "t.csv")
    nowhere = {"XDG_STATE_HOME": "/proc/nowhere"}
    assert tool(*run, **nowhere).returncode == 0
    (folder / "t.csv").write_text("corrected")
    assert "kept as t.former.csv" in tool(*run, **nowhere).stderr
    assert "former" not in tool(*run, **nowhere).stderr  # it holds what is written now


def test_if_there_in_a_layout_and_for_what_goes_with_the_table(folder: Path) -> None:
    layout = Layout.from_data({"columns": [{"No": "no"}], "output": {"if-there": "refuse"}})
    (folder / "t.csv").write_text("mine")
    with pytest.raises(OutputError, match=r"t\.csv is there already and stays as it is"):
        flatledger.export(layout, [{"no": 1}], folder / "t.csv")
    (folder / "r.json").write_text("mine")
    with pytest.raises(OutputError, match=r"r\.json is there already"):
        flatledger.export(layout, [{"no": 1}], folder / "new.csv", report_to=folder / "r.json")
    assert not (folder / "new.csv").exists()
    balance = flatledger.export(
        layout, [{"no": 1}], folder / "t.csv", report_to=folder / "r.json", if_there="keep"
    )
    assert [note for note in balance.notes if "r.former.json" in note]
    assert (folder / "r.former.json").read_text() == "mine"


def test_what_people_write_is_replaced_on_their_word_alone(tool: Tool, folder: Path) -> None:
    before = held(folder)
    for arguments in (
        ("draft", "s.jsonl", "-o", "base.yaml"),
        ("shelf", "get", "b", "-o", "base.yaml"),
    ):
        tool("shelf", "put", "wanted.txt", "--as", "b")
        refused = tool(*arguments)
        assert refused.returncode == 1
        assert "base.yaml is there already and stays as it is" in refused.stderr
        assert "--replace replaces it" in refused.stderr
        assert held(folder) == before
    assert tool("draft", "s.jsonl", "-o", "base.yaml", "--replace").returncode == 0
    save = ("export", "s.jsonl", "--column", "No: no", "-o", "t.csv", "-q", "--save", "mine")
    assert tool(*save).returncode == 0
    taken = tool(*save)
    assert taken.returncode == 1
    assert "`mine` is on the shelf already" in taken.stderr
    assert tool(*save, "--replace").returncode == 0


def test_learning_only_adds(tool: Tool, folder: Path) -> None:
    done = tool("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--learn")
    assert done.returncode == 0
    note = FILES["l.note.txt"] + "new\nplace\nplace.code\nplace.name\n"
    assert (folder / "l.note.txt").read_text() == note


def test_the_demo_leaves_what_is_there(tool: Tool, folder: Path) -> None:
    assert tool("demo", "--to", "d").returncode == 0
    layout = folder / "d" / "requisition-lines.yaml"
    own = layout.read_text() + "\n# my own remark\n"
    layout.write_text(own)
    again = tool("demo", "--to", "d")
    assert again.returncode == 0
    assert layout.read_text() == own
    assert "requisition-lines.yaml is there already and differs from the sample" in again.stderr
    assert again.stderr.count("differs from the sample") == 1


def test_what_does_not_balance_stands_beside(tool: Tool, folder: Path) -> None:
    (folder / "met.yaml").write_text(
        "columns: [{No: no}, {Qty: {value: qty, total: sum}}]\n"
        "group: {by: [No], order: as-met}\noutput: {file: t.csv}\n"
    )
    (folder / "b.jsonl").write_text('{"no": 1, "qty": 1}\n{"no": 2, "qty": 1}\n{"no": 1, "qty": 1}')
    (folder / "t.csv").write_text("good")
    done = tool("export", "met.yaml", "b.jsonl", "--report-to", "r.json")
    assert done.returncode == 4
    assert (folder / "t.csv").read_text() == "good"
    assert (folder / "t.unbalanced.csv").read_text().startswith("No,Qty")
    last = done.stderr.splitlines()[-1]
    assert last.startswith("\u2717 Does not balance: 1 group came back after another")
    assert "to t.unbalanced.csv" in last
    assert '"balanced": false' in (folder / "r.json").read_text()
    stream = tool("export", "met.yaml", "b.jsonl", "-o", "-")
    assert (stream.returncode, stream.stdout[:6]) == (4, "No,Qty")
    assert "3 rows and 4 total rows to standard output" in stream.stderr.splitlines()[-1]


def test_a_preview_makes_the_checks_of_an_export(tool: Tool, folder: Path) -> None:
    (folder / "elsewhere").mkdir()
    (folder / "out").symlink_to("/tmp")
    (folder / "t.csv").write_text("mine")
    refusals = {
        "{file: s.jsonl}": "takes part in this run",
        "{file: out/x.csv}": "is a link out of this folder",
        "{file: t.csv, if-there: refuse}": "is there already and stays as it is",
        "{file: none/x.csv}": "there is no folder none",
        "{file: elsewhere}": "is a folder",
        "{file: x.tsv, delimiter: semicolon}": "has tabs between its cells",
        "{file: x.csv, encoding: ascii, header: no}": "ascii can't express",
    }
    for output, says in refusals.items():
        (folder / "p.yaml").write_text(f"columns: [{{É: {{text: é}}}}]\noutput: {output}\n")
        before = held(folder)
        for command in ("preview", "export"):
            done = tool(command, "p.yaml", "s.jsonl")
            assert done.returncode == 1
            assert says in done.stderr, (command, output)
            assert held(folder) == before


@pytest.mark.parametrize(
    ("option", "name"),
    [
        *(("-o", f"t.{suffix}") for suffix in ("parquet", "docx", "pdf", "csv.gz", "xls", "doc")),
        *(("--faults-to", "f.json"), ("--report-to", "r.csv")),
    ],
)
def test_unknown_formats_are_refused(tool: Tool, folder: Path, option: str, name: str) -> None:
    before = held(folder)
    done = tool("export", "base.yaml", "s.jsonl", option, name)
    assert done.returncode == 1
    assert f"{name}: " in done.stderr
    assert "not written as" in done.stderr or "a copy of a form" in done.stderr
    assert held(folder) == before
    if option == "-o":
        (folder / "own.yaml").write_text(f"columns: [{{No: no}}]\noutput: {{file: {name}}}\n")
        looked = tool("preview", "own.yaml", "s.jsonl")
        assert (looked.returncode, looked.stderr.partition(": ")[2]) == (
            1,
            done.stderr.partition(": ")[2],
        )


def test_a_name_in_tsv_means_tabs(folder: Path) -> None:
    layout = Layout.from_data({"columns": [{"A": "a"}, {"B": "b"}]})
    flatledger.export(layout, [{"a": 1, "b": "x,y"}], folder / "t.tsv")
    assert (folder / "t.tsv").read_bytes() == b"A\tB\r\n1\tx,y\r\n"
    other = Layout.from_data({"columns": [{"A": "a"}], "output": {"delimiter": "semicolon"}})
    with pytest.raises(OutputError, match="such a file has tabs between its cells"):
        flatledger.export(other, [{"a": 1}], folder / "u.tsv")


# ---- unfinished files ------------------------------------------------------------------------


def unfinished(folder: Path) -> list[str]:
    return [f.name for f in folder.iterdir() if f.name.endswith("-unfinished")]


def test_permissions_are_those_of_the_former_or_of_the_umask(folder: Path) -> None:
    layout = Layout.from_data({"columns": [{"No": "no"}]})
    seen: list[int] = []

    def records() -> Any:
        seen.append(stat.S_IMODE((folder / unfinished(folder)[0]).stat().st_mode))
        yield {"no": 1}

    mask = os.umask(0o027)
    try:
        flatledger.export(layout, records(), folder / "t.csv")
        (folder / "t.csv").chmod(0o664)
        flatledger.export(layout, records(), folder / "t.csv")
    finally:
        os.umask(mask)
    assert seen == [0o600, 0o664]
    assert stat.S_IMODE((folder / "t.csv").stat().st_mode) == 0o664
    flatledger.export(layout, records(), folder / "u.csv")
    assert stat.S_IMODE((folder / "u.csv").stat().st_mode) == 0o666 & ~mask


@pytest.mark.skipif(not hasattr(os, "geteuid") or os.geteuid() != 0, reason="owners are root's")
def test_the_owner_stays(folder: Path) -> None:
    (folder / "t.csv").write_text("old")
    os.chown(folder / "t.csv", 1234, 2345)
    flatledger.export(Layout.from_data({"columns": [{"No": "no"}]}), [{"no": 1}], folder / "t.csv")
    there = (folder / "t.csv").stat()
    assert (there.st_uid, there.st_gid) == (1234, 2345)


def test_names_of_any_length(folder: Path) -> None:
    layout = Layout.from_data({"columns": [{"No": "no"}]})
    for letter in ("n", "é"):
        length = 251 // len(letter.encode())
        place = folder / f"{letter * length}.csv"
        flatledger.export(layout, [{"no": 1}], place)
        place.write_text("by hand")
        flatledger.export(layout, [{"no": 1}], place)
        assert place.read_text() == "No\n1\n"
    assert sorted(f.read_text() for f in folder.glob("*.former.csv")) == ["by hand", "by hand"]
    with pytest.raises(OutputError, match="can't be written: File name too long"):
        flatledger.export(layout, [{"no": 1}], folder / f"{'n' * 300}.csv")


def test_a_refusal_leaves_no_other_output_unfinished(folder: Path) -> None:
    layout = Layout.from_data({"columns": [{"No": "no"}]})
    (folder / "t.csv").write_text("mine")
    others = {"faults_to": folder / "f.csv", "report_to": folder / "r.json"}
    for _ in range(2):
        with pytest.raises(OutputError, match=r"t\.csv is there already"):
            flatledger.export(layout, [{"no": 1}], folder / "t.csv", if_there="refuse", **others)
        assert unfinished(folder) == []
    flatledger.export(layout, [{"no": 1}], folder / "t.csv", **others)
    assert (folder / "f.csv").exists()


LONG_RUN = """
import sys, time, flatledger
def records():
    for number in range(100_000):
        yield {"no": number}
        if number == 2_000:
            print("begun", flush=True)
            time.sleep(60)
layout = flatledger.Layout.from_data({"columns": [{"No": "no"}], "levels": []})
flatledger.export(layout, records(), sys.argv[1])
"""


def test_what_a_killed_run_left_is_cleared_and_a_running_one_is_let_alone(folder: Path) -> None:
    place = folder / "t.csv"
    place.write_text("old")
    command = [sys.executable, "-c", LONG_RUN, str(place)]
    layout = Layout.from_data({"columns": [{"No": "no"}]})
    with subprocess.Popen(command, stdout=subprocess.PIPE) as run:
        assert run.stdout is not None
        assert run.stdout.readline() == b"begun\n"
        left = unfinished(folder)
        with pytest.raises(OutputError, match="another run is writing to"):
            flatledger.export(layout, [{"no": 1}], place)
        assert unfinished(folder) == left != []
        run.kill()
    assert unfinished(folder) == left
    assert place.read_text() == "old"
    balance = flatledger.export(layout, [{"no": 1}], place)
    assert [note for note in balance.notes if "cut off" in note]
    assert unfinished(folder) == []
    assert place.read_text() == "No\n1\n"


HEEDING = """
import os, signal, sys
for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):  # whatever the tests were started by
    signal.signal(number, signal.SIG_DFL)
os.execv(sys.executable, [sys.executable, "-m", "flatledger", *sys.argv[1:]])
"""


class Fed:
    """The tool over a source that waits, so that what is done to it comes at a moment of ours."""

    def __init__(self, folder: Path, *command: str, **variables: str) -> None:
        (folder / "fed.yaml").write_text("levels: []\ncolumns: [{No: no}]\n")
        called = command or (sys.executable, "-c", HEEDING)
        output = variables.pop("output", "t.csv")
        self.run = subprocess.Popen(
            [*called, "export", "fed.yaml", "-", "-o", output],
            cwd=folder,
            env={**os.environ, **variables},
            stdin=subprocess.PIPE,
            stderr=subprocess.PIPE,
        )

    def feed(self, numbers: range) -> None:
        assert self.run.stdin is not None
        self.run.stdin.write(b"".join(b'{"no": %d}\n' % number for number in numbers))
        self.run.stdin.flush()

    def end(self) -> str:
        """The source is at its end; what the tool said."""
        _, said = self.run.communicate(timeout=120)
        return said.decode()


@pytest.mark.parametrize(
    ("number", "code"), [(signal.SIGINT, 130), (signal.SIGTERM, 143), (signal.SIGHUP, 129)]
)
def test_a_signal_at_any_moment_leaves_nothing_behind(
    folder: Path, number: signal.Signals, code: int
) -> None:
    place = folder / "t.csv"
    whole = "No\n" + "".join(f"{n}\n" for n in range(200_000))

    def size() -> int:
        return sum((folder / name).stat().st_size for name in unfinished(folder))

    moments: dict[str, Callable[[], object]] = {
        "starting": lambda: True,
        "begun": lambda: unfinished(folder),
        "writing": size,
        "at its end": lambda: True,
    }
    for moment, there in moments.items():
        place.write_text("old")
        fed = Fed(folder)
        if moment in ("writing", "at its end"):
            fed.feed(range(200_000))
        until(there)
        if moment == "at its end":
            assert fed.run.stdin is not None
            fed.run.stdin.close()
            fed.run.stdin = None
        fed.run.send_signal(number)
        said = fed.end()
        at_a_known_moment = moment in ("begun", "writing")
        assert fed.run.returncode == code or not at_a_known_moment, (moment, said)
        assert "Traceback" not in said or moment == "starting", said
        assert unfinished(folder) == []
        found = place.read_text()  # or it had just been put in place, whole
        assert found == "old" or (moment == "at its end" and found == whole)


def test_a_workbook_that_is_stopped_leaves_no_scratch_behind(folder: Path) -> None:
    scratch = folder / "scratch"
    scratch.mkdir()
    fed = Fed(folder, output="t.xlsx", TMPDIR=str(scratch))
    fed.feed(range(20_000))
    until(lambda: list(scratch.iterdir()))
    fed.run.send_signal(signal.SIGTERM)
    fed.end()
    assert fed.run.returncode == 143
    assert list(scratch.iterdir()) == []
    assert not (folder / "t.xlsx").exists()


def test_a_signal_that_is_told_to_be_ignored_is_ignored(folder: Path) -> None:
    ignoring = "import signal, os, sys; signal.signal(signal.SIGHUP, signal.SIG_IGN);" + (
        "os.execv(sys.executable, [sys.executable, '-m', 'flatledger', *sys.argv[1:]])"
    )
    fed = Fed(folder, sys.executable, "-c", ignoring)
    fed.feed(range(2))
    until(lambda: unfinished(folder))
    fed.run.send_signal(signal.SIGHUP)
    fed.end()
    assert fed.run.returncode == 0
    assert (folder / "t.csv").read_text() == "No\n0\n1\n"


FORKING = """
import os, sys, flatledger
def records():
    yield {"no": 1}
    if os.fork() == 0:
        sys.exit()  # which runs what is registered for the end
    os.wait()
    yield {"no": 2}
layout = flatledger.Layout.from_data({"columns": [{"No": "no"}], "levels": []})
flatledger.export(layout, records(), sys.argv[1])
"""


def test_a_process_that_a_run_began_clears_nothing_when_it_ends(folder: Path) -> None:
    place = folder / "t.csv"
    done = subprocess.run([sys.executable, "-c", FORKING, str(place)], capture_output=True)
    assert done.returncode == 0, done.stderr
    assert place.read_text() == "No\n1\n2\n"
