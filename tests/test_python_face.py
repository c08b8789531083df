"""What a program meets: programs of practitioners, errors, arguments, resources, progress, logs."""

from __future__ import annotations

import logging
import pickle
import shutil
import sqlite3
import subprocess
import sys
import time
import warnings
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest

import flatledger
from flatledger import errors
from flatledger.extras import without_warnings

ROOT = Path(__file__).parents[1]
PROGRAMS = sorted((ROOT / "examples" / "programs").glob("*.py"))
DATA = ROOT / "src" / "flatledger" / "demo" / "requisitions.jsonl"
LAYOUT: dict[str, Any] = {
    "levels": [],
    "columns": [{"No": "no"}, {"Fee": {"value": "fee", "total": "sum"}}],
}


@pytest.mark.parametrize("program", PROGRAMS, ids=lambda one: one.stem)
def test_programs_run_without_a_warning(program: Path, tmp_path: Path) -> None:
    shutil.copy(DATA, tmp_path)
    command = [sys.executable, "-W", "error", str(program)]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout


def test_types_are_whole_and_tell_slips(tmp_path: Path) -> None:
    slips = tmp_path / "slips.py"
    slips.write_text(
        "import flatledger\n"
        "flatledger.tabel({}, [])\n"
        "rows: list[flatledger.Row] = list(flatledger.table({}, []))\n"
        "flatledger.table({}, []).totls()\n"
        "flatledger.export({}, [], 't.csv', if_there='overwrite')\n"
        "where: flatledger.Destination = 1\n"
        "source: flatledger.AnySource = [{}]\n"
    )
    command = [
        sys.executable,
        "-m",
        "mypy",
        "--strict",
        *("--follow-imports", "silent"),
        "--config-file",
        str(ROOT / "pyproject.toml"),
    ]
    command += ["--cache-dir", str(ROOT / ".mypy_cache"), "--explicit-package-bases"]
    done = subprocess.run(
        [*command, *map(str, PROGRAMS), str(slips)], cwd=ROOT, capture_output=True, text=True
    )
    told = [line for line in done.stdout.splitlines() if ": error:" in line]
    assert all("slips.py" in line for line in told), told
    assert [line.split(":")[1] for line in told] == ["2", "4", "5", "6"]


# ---- errors ----------------------------------------------------------------------------------


def every_error() -> list[flatledger.FlatLedgerError]:
    """One of each class, made as the class wants it."""
    found: list[flatledger.FlatLedgerError] = []
    waiting: list[Any] = [flatledger.FlatLedgerError]
    made: dict[str, Callable[[Any], Any]] = {
        "ExpressionError": lambda one: one("no such", "summ(x)", 3),
        "LayoutError": lambda one: one("own.yaml", [errors.Problem("no columns", 3, 1, "b.yaml")]),
        "MissingLayoutError": lambda one: one("own.yaml", [errors.Problem("gone")]).of("own.yaml"),
        "MissingSourceError": lambda one: one("x is gone").of("x"),
        "SamePlaceError": lambda one: one("t.csv takes part", Path("t.csv")),
        "SeveralNamesError": lambda one: one("of several names", "list"),
        "FaultsFoundError": lambda one: one("1 fault", {"faults": 1}),
    }
    while waiting:
        kind = waiting.pop()
        waiting += kind.__subclasses__()
        found.append(made.get(kind.__name__, lambda one: one("what is wrong"))(kind))
    return found


def test_every_error_goes_from_process_to_process() -> None:
    known = {type(error).__name__ for error in every_error()}
    assert known >= {name for name in dir(flatledger) if name.endswith("Error")}
    for error in every_error():
        error.written = "a part"
        for cause in (None, OSError(28, "No space left on device", "t.csv"), StaysHereError()):
            error.__cause__ = cause
            again = pickle.loads(pickle.dumps(error))
            assert type(again) is type(error)
            assert (str(again), again.lines()) == (str(error), error.lines())
            assert again.__dict__ == error.__dict__
            if isinstance(error, OSError):
                assert (again.errno, again.filename) == (error.errno, error.filename)
            if isinstance(cause, OSError):
                assert (again.__cause__.errno, again.__cause__.filename) == (28, "t.csv")
            else:
                assert (again.__cause__ is None) == (cause is None)


class StaysHereError(Exception):
    """A cause that stays where it is."""

    def __reduce__(self) -> Any:
        raise TypeError("it stays here")


def test_what_is_missing_is_a_missing_file(tmp_path: Path) -> None:
    for call in (
        lambda: flatledger.survey(tmp_path / "none.json"),
        lambda: flatledger.table(LAYOUT, tmp_path / "none.json"),
        lambda: flatledger.Layout.from_file(tmp_path / "none.yaml"),
        lambda: flatledger.table({**LAYOUT, "from": "none.yaml"}, []),
    ):
        with pytest.raises((FileNotFoundError, flatledger.LayoutError)) as told:
            call()
        if isinstance(told.value, FileNotFoundError):
            assert (told.value.errno, "none" in str(told.value.filename)) == (2, True)
            assert isinstance(told.value.__cause__, FileNotFoundError)
    with pytest.raises(flatledger.OutputError) as full:
        flatledger.export(LAYOUT, [{"no": 1, "fee": 2}] * 9, "/dev/full")
    assert isinstance(full.value.__cause__, OSError)
    asking = {**LAYOUT, "ask": {"from": "date"}}
    with pytest.raises(flatledger.AnswerError, match=r"^the layout asks for `from`$"):
        flatledger.table(asking, [])


# ---- arguments -------------------------------------------------------------------------------


def test_layouts_are_made_as_they_are_held_and_compare_by_what_they_say(tmp_path: Path) -> None:
    path = tmp_path / "own.yaml"
    path.write_text("columns:\n  - No: no   # the number\nsort: [No]\n", encoding="utf-8")
    data: dict[str, Any] = {"sort": ["No"], "columns": [{"No": "no"}]}
    made = [flatledger.Layout(one) for one in (path, str(path), data, flatledger.Layout(data))]
    assert len({*made}) == 1
    assert all(one == flatledger.Layout.of(data) for one in made)
    assert flatledger.Layout({"columns": [{"No": "no"}]}) != made[0]
    assert made[0].with_changes({"sort": ["No desc"]}) != made[0]
    assert flatledger.Layout.from_data(data, folder=str(tmp_path)) == made[0]


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda: flatledger.export(LAYOUT, [], "t.csv", if_there=W), "keep, replace, refuse or nu"),
        (lambda: flatledger.export(LAYOUT, [], "t.csv", verify=W), "verify='wrong': it is False, "),
        (lambda: flatledger.export(LAYOUT, [], "t.csv", ask=[1]), r"ask=\[1\]: it is a mapping"),
        (lambda: flatledger.table(LAYOUT, [], fields="no"), "fields='no': it is a mapping, such"),
        (lambda: flatledger.table(LAYOUT, [], reading=3), "reading=3: it is a mapping, such as"),
        (lambda: flatledger.preview(LAYOUT, [], rows=-1), "rows=-1: it is a whole number from 0"),
        (lambda: flatledger.survey([], sample=0), "sample=0: it is a whole number from 1 on, or"),
        (lambda: flatledger.evaluate("no", [], first=True), "first=True: it is a whole number"),
        (lambda: flatledger.Layout.from_data(LAYOUT, folder=3), "folder=3: it is a path"),
        (lambda: flatledger.specimen(LAYOUT, "t.csv", if_there=W), "if_there='wrong': it is keep"),
    ],
)
def test_what_can_t_be_meant_is_told_at_once(call: Callable[[], Any], says: str) -> None:
    with pytest.raises(flatledger.ArgumentError, match=says):
        call()
    with pytest.raises(ValueError, match=says):
        call()


W: Any = "wrong"


def test_how_a_source_is_read_can_be_said_everywhere(tmp_path: Path) -> None:
    path = tmp_path / "data.txt"
    path.write_text("no|fee\n1|1.250,5\n", encoding="utf-8")
    how: dict[str, Any] = {
        "reading": {"format": "csv", "delimiter": "pipe"},
        "fields": {"fee": {"datatype": "decimal", "reads": "amount", "locale": "de"}},
    }
    rows = [("1", Decimal("1250.5"))]
    assert list(flatledger.table(LAYOUT, path, **how)) == rows
    assert flatledger.preview(LAYOUT, path, **how).first[0] == rows[0]
    assert flatledger.export(LAYOUT, path, tmp_path / "t.csv", **how).columns[0].total == rows[0][1]
    assert flatledger.evaluate("fee * 1", path, **how)[0].value == rows[0][1]
    assert flatledger.survey(path, **how).field("fee").filled == 1
    assert flatledger.distinct_values("fee", path, **how) == {rows[0][1]: 1}
    assert flatledger.generated_code(LAYOUT, path, **how).count("# column") >= 2
    assert "1250.5" in str(flatledger.specimen(LAYOUT, tmp_path / "s.xlsx", path, **how))
    assert "delimiter: pipe" in flatledger.draft(path, **how)


def test_strict_runs_end_in_an_error_where_there_is_anything_to_tell(tmp_path: Path) -> None:
    sound, odd = [{"no": 1, "fee": 2}], [{"no": 1, "fee": "two"}]
    place = tmp_path / "t.csv"
    assert flatledger.export(LAYOUT, sound, place, strict=True).rows == 1
    with pytest.raises(
        flatledger.FaultsFoundError, match="1 fault and 1 notice; the first"
    ) as told:
        flatledger.export(LAYOUT, odd, place, strict=True)
    assert (told.value.balance.fault_count, told.value.exit_code) == (1, 3)
    assert place.read_text().splitlines()[1] == "1,two"
    assert flatledger.export(LAYOUT, odd, place).fault_count == 1


def test_a_strict_run_that_does_not_balance_ends_in_an_error(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(flatledger.Balance, "balanced", False)
    with pytest.raises(flatledger.FaultsFoundError, match="it does not balance"):
        flatledger.export(LAYOUT, [{"no": 1, "fee": 2}], tmp_path / "t.csv", strict=True)


# ---- resources -------------------------------------------------------------------------------


def test_what_is_left_is_let_go(tmp_path: Path) -> None:
    ended: list[str] = []

    def records(name: str) -> Iterator[dict[str, int]]:
        try:
            yield from ({"no": n, "fee": n} for n in range(10_000))
        finally:
            ended.append(name)

    with flatledger.table(LAYOUT, records("with")) as table:
        next(table)
    batches: Any = flatledger.table(LAYOUT, records("batches")).batches()
    next(batches)
    batches.close()
    for _ in flatledger.table(LAYOUT, records("whole")):
        pass
    with pytest.raises(flatledger.SourceError, match="none of the fields"):
        list(flatledger.table({"levels": [], "columns": [{"X": "nmber"}]}, records("refused")))
    assert ended == ["with", "batches", "whole", "refused"]
    stores = tmp_path / "stores.db"
    with sqlite3.connect(stores) as one:
        one.execute("create table t (no integer, fee integer)")
        one.executemany("insert into t values (?, ?)", [(n, n) for n in range(5_000)])
    with flatledger.table(LAYOUT, one.execute("select * from t")) as table:
        next(table)
    other = sqlite3.connect(stores, timeout=0)
    other.execute("drop table t")
    other.close()
    one.close()


def test_streams_of_arrow_are_sources() -> None:
    records = [{"no": n, "fee": Decimal(n) / 4, "tags": ["a"] * (n % 3)} for n in range(2_000)]
    made = pa.Table.from_pylist(records)
    layout = {"columns": [*LAYOUT["columns"], {"Tags": "count(tags)"}]}
    wanted = list(flatledger.table(layout, records).rows(totals=True))
    for source in (made, made.to_reader(max_chunksize=300)):
        found = flatledger.table(layout, source)
        assert list(found.rows(totals=True)) == wanted
        assert found.balance.balanced
    again = flatledger.table({"columns": LAYOUT["columns"]}, flatledger.table(NAMED, records))
    assert [row[:2] for row in wanted[:-1]] == list(again)


NAMED: dict[str, Any] = {"columns": [{"no": "no"}, {"fee": "fee"}]}


def test_a_table_is_no_array() -> None:
    np = pytest.importorskip("numpy")
    with pytest.raises(TypeError, match="no array; use to_pandas"):
        np.asarray(flatledger.table(LAYOUT, []))


# ---- progress, and what is said --------------------------------------------------------------


def test_progress_says_how_far_a_run_has_come(tmp_path: Path) -> None:
    path = tmp_path / "data.jsonl"
    path.write_text("".join(f'{{"no": {n}, "fee": {n % 9}}}\n' for n in range(200_000)))
    size = path.stat().st_size
    for source, whole in ((path, size), (tmp_path, size), ([{"no": 1, "fee": 1}] * 3_000, None)):
        seen: list[flatledger.RunProgress] = []
        balance = flatledger.export(
            {**LAYOUT, "sort": ["Fee"]}, source, tmp_path.parent / "t.csv", progress=seen.append,
            if_there="replace", verify=True,
        )  # fmt: skip
        assert {one.of_bytes for one in seen if one.phase == "reading"} == {whole}
        assert list(dict.fromkeys(one.phase for one in seen)) == ["reading", "writing", "checking"]
        for name in ("records", "bytes"):
            read = [getattr(one, name) for one in seen if one.phase == "reading"]
            assert read == sorted(read)
        assert [one for one in seen if one.phase == "reading"][-1].records == balance.read
        if whole:
            assert seen[0].bytes < whole == seen[-2].bytes


def test_runs_say_to_the_log_what_they_do(caplog: pytest.LogCaptureFixture, tmp_path: Path) -> None:
    caplog.set_level(logging.INFO, "flatledger")
    flatledger.export({**LAYOUT, "layout": "fees"}, [{"no": 1, "fee": "x"}], tmp_path / "t.csv")
    told = [(one.levelname, one.getMessage()) for one in caplog.records]
    assert told[0] == ("INFO", "fees over records")
    assert ("INFO", "fees: 1 record read, 1 row") in told
    assert ("WARNING", "fees: 1 fault") in told
    assert any(level == "INFO" and text.endswith("t.csv") for level, text in told)
    caplog.clear()
    list(flatledger.table({**LAYOUT, "layout": "a\nERROR b\x1b[2J\ud800"}, []))
    assert {one.getMessage().split(" over")[0] for one in caplog.records[:1]} == {
        r"a\nERROR b\x1b[2J\ud800"
    }
    caplog.clear()
    list(flatledger.table({**LAYOUT, "layout": "fees"}, [{"no": 1, "fee": 1}]))
    assert [one.levelname for one in caplog.records] == ["INFO", "INFO"]


def test_what_nobody_listens_to_goes_nowhere(tmp_path: Path) -> None:
    code = "import logging, flatledger\n"
    code += "list(flatledger.table({'columns': [{'F': {'value': 'f + 1'}}]}, [{'f': 'x'}]))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")


def test_threads_leave_the_filters_of_warnings_as_they_were() -> None:
    before = [*warnings.filters]

    def quiet(_: int) -> None:
        with without_warnings():
            time.sleep(0.001)
            warnings.warn("nobody is told", stacklevel=1)

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(quiet, range(40)))
    assert [*warnings.filters] == before
