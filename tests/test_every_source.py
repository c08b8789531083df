"""What holds for every source, whatever its format: a new one joins by a line in SOURCES."""

from __future__ import annotations

import bz2
import csv
import gzip
import io
import json
import os
import subprocess
import sys
import threading
import warnings
import zipfile
from collections import namedtuple
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import openpyxl
import pytest

import flatledger
from flatledger.api.opening import open_as
from flatledger.run.decoding import structure_met
from flatledger.sources.further_formats import further_formats
from flatledger.values.own_texts import own_value

Rows = list[dict[str, str]]
Made = Any  # a path, or records
ROWS: Rows = [
    {
        "no": f"R-{n}",
        "station": ["Holm Skerry", "Gull Rock"][n % 2],
        "qty": str(n) if n != 3 else "x",
        "fee": f"{n}.50",
        "day": f"2026-03-{n:02}",
    }
    for n in range(1, 8)
]
WIDTHS = {"no": 6, "station": 14, "qty": 5, "fee": 7, "day": 12}


def written(name: str, data: Callable[[Rows], bytes]) -> Callable[[Rows, Path], Path]:
    """What writes rows to a file."""

    def make(rows: Rows, folder: Path) -> Path:
        (folder / name).write_bytes(data(rows))
        return folder / name

    return make


def lines(rows: Rows) -> bytes:
    return "".join(f"{json.dumps(row)}\n" for row in rows).encode()


def delimited(rows: Rows, delimiter: str = ",") -> bytes:
    text = io.StringIO()
    writer = csv.DictWriter(text, list(ROWS[0]), delimiter=delimiter, restval="")
    names = list(dict.fromkeys(name for row in [ROWS[0], *rows] for name in row))
    writer.fieldnames = names
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue().encode()


def fixed(rows: Rows) -> bytes:
    return "".join(
        "".join(row.get(name, "").ljust(w) for name, w in WIDTHS.items()) + "\n" for row in rows
    ).encode()


def workbook(rows: Rows) -> bytes:
    book, data = openpyxl.Workbook(), io.BytesIO()
    names = list(dict.fromkeys(name for row in [ROWS[0], *rows] for name in row))
    for values in [names, *([row.get(name) for name in names] for row in rows)]:
        book.active.append(values)
    book.save(data)
    return data.getvalue()


def elements(rows: Rows) -> bytes:
    body = "".join(
        f"<row>{''.join(f'<{k}>{escape(v)}</{k}>' for k, v in row.items())}</row>" for row in rows
    )
    return f"<rows>{body}</rows>".encode()


def attributed(rows: Rows) -> bytes:
    """The same with an attribute that nobody asks for on each element."""
    body = "".join(
        f"<row>{''.join(f'<{k} of={quoteattr(k)}>{escape(v)}</{k}>' for k, v in row.items())}</row>"
        for row in rows
    )
    return f"<rows>{body}</rows>".encode()


def log(rows: Rows) -> bytes:
    blocks = ("".join(f"{name}: {value}\n" for name, value in row.items()) for row in rows)
    return b"RADIO LOG\n\n" + "\n".join(blocks).encode()


def folder_of(make: Callable[[Rows, Path], Path]) -> Callable[[Rows, Path], Path]:
    """Rows in two files of a folder."""

    def made(rows: Rows, folder: Path) -> Path:
        for number, part in ((9, rows[:3]), (10, rows[3:])):
            inner = folder / str(number)
            inner.mkdir()
            path = make(part, inner)
            (folder / "all").mkdir(exist_ok=True)
            path.rename(folder / "all" / f"part-{number}{path.suffix}")
        return folder / "all"

    return made


def zipped(rows: Rows, folder: Path) -> Path:
    with zipfile.ZipFile(folder / "rows.zip", "w") as packed:
        packed.writestr("months/9.jsonl", lines(rows[:3]))
        packed.writestr("months/10.jsonl", lines(rows[3:]))
    return folder / "rows.zip"


def named_tuples(rows: Rows, folder: Path) -> list[Any]:
    names = list(dict.fromkeys(name for row in [ROWS[0], *rows] for name in row))
    kind = namedtuple("Row", names, defaults=[None] * len(names))  # type: ignore[misc]
    return [kind(**row) for row in rows]


SOURCES: dict[str, tuple[Callable[[Rows, Path], Made], dict[str, Any]]] = {
    "lines": (written("r.jsonl", lines), {}),
    "list": (written("r.json", lambda rows: json.dumps(rows).encode()), {}),
    "document": (
        written("d.json", lambda rows: json.dumps({"of": {"rows": rows}}).encode()),
        {"records": "of.rows"},
    ),
    "sequence": (
        written("r.json", lambda rows: b"\x1e" + lines(rows).replace(b"\n", b"\n\x1e")),
        {},
    ),
    "gzip": (written("r.jsonl.gz", lambda rows: gzip.compress(lines(rows))), {}),
    "bzip2": (written("r.csv.bz2", lambda rows: bz2.compress(delimited(rows))), {}),
    "commas": (written("r.csv", delimited), {}),
    "semicolons": (
        written("r.csv", lambda rows: delimited(rows, ";").decode().encode("utf-16")),
        {"delimiter": "semicolon"},
    ),
    "widths": (written("r.txt", fixed), {"widths": WIDTHS}),
    "workbook": (written("r.xlsx", workbook), {}),
    "elements": (written("r.xml", elements), {"records": "row"}),
    "attributed": (written("r.xml", attributed), {"records": "row"}),
    "folder of lines": (folder_of(written("r.jsonl", lines)), {}),
    "folder of tables": (folder_of(written("r.csv", delimited)), {}),
    "folder of elements": (folder_of(written("r.xml", elements)), {}),
    "zip": (zipped, {}),
    "mappings": (lambda rows, folder: rows, {}),
    "named tuples": (named_tuples, {}),
    "another package": (written("r.rlog", log), {}),
}
LAYOUT: dict[str, Any] = {
    "columns": [
        {"No": "no"},
        {"Station": "station"},
        {"Qty": {"value": "qty", "datatype": "integer", "total": "sum"}},
        {"Fee": {"value": "fee", "datatype": "decimal", "total": "sum"}},
        {"Day": {"value": "day", "datatype": "date"}},
        {"N": "record_number()"},
    ]
}


@pytest.fixture(scope="session")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where the example package is installed that adds a format."""
    place = tmp_path_factory.mktemp("installed")
    package = Path(__file__).parents[1] / "examples" / "radio-log-format"
    pip = [sys.executable, "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
    alone = ["--no-deps", "--no-index", "--no-build-isolation", "--target", str(place)]
    subprocess.run([*pip, *alone, str(package)], check=True, capture_output=True)
    return place


@pytest.fixture(params=SOURCES)
def source(
    request: pytest.FixtureRequest,
    tmp_path: Path,
    installed: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> Iterator[Callable[[Rows], tuple[Made, dict[str, Any]]]]:
    """What makes a source of rows, with how it is read."""
    make, reading = SOURCES[request.param]
    monkeypatch.syspath_prepend(str(installed))
    further_formats.cache_clear()

    def made(rows: Rows = ROWS) -> tuple[Made, dict[str, Any]]:
        folder = tmp_path / str(len(list(tmp_path.iterdir())))
        folder.mkdir()
        return make(rows, folder), reading

    yield made
    further_formats.cache_clear()


Source = Callable[..., tuple[Made, dict[str, Any]]]


def run(layout: dict[str, Any], made: Made, reading: dict[str, Any]) -> tuple[list[Any], Any]:
    rows = flatledger.table({**layout, **({"source": reading} if reading else {})}, made)
    return [tuple(row) for row in rows.rows(totals=True)], rows.balance


def test_the_table_is_that_of_the_plain_records(source: Source) -> None:
    expected, balance = run(LAYOUT, ROWS, {})
    found, other = run(LAYOUT, *source())
    assert found == expected
    assert found[-1][2:4] == (25, balance.columns[1].written)
    assert (other.read, other.balanced, other.fault_count) == (7, True, 1)
    assert (other.faults[0].record, other.faults[0].path) == (3, "qty")


@pytest.mark.parametrize(
    "keys",
    [
        {"only": ["fee > 2", "station = 'Gull Rock'"], "sort": ["Fee desc"]},
        {"group": ["Station"], "totals": {"detail": "no", "subtotals": "after"}},
        {"take": {"first": 4, "of": "records"}, "primary-key": ["No"]},
        {"row-per-group": ["station"], "columns": [{"S": "station"}, {"Q": "sum(fee)"}]},
        {
            "columns": [
                {"columns-from": "qty", "named-by": "station", "value": "sum(fee)"},
            ],
            "row-per": "qty",
        },
        {"expects": [{"ascending": "day"}], "may-lack": ["nothing"]},
        {"split": [{"values": {"of": "day"}, "separator": "-"}], "row-per": "values"},
        {"nest": {"into": "rows", "per": "station"}, "row-per": "rows"},
        {"only": ["source_row() > 0"], "levels": []},
    ],
)
def test_every_key_does_the_same(source: Source, keys: dict[str, Any]) -> None:
    def outcome(made: Made, reading: dict[str, Any]) -> Any:
        try:
            rows, balance = run({**LAYOUT, **keys}, made, reading)
        except flatledger.FlatLedgerError as error:
            return type(error)
        return rows, balance.balanced, balance.read, balance.fault_count

    assert outcome(*source()) == outcome(ROWS, {})


def test_survey_draft_try_and_preview(source: Source, tmp_path: Path) -> None:
    made, reading = source()
    survey = flatledger.survey(made, reading=reading)
    fields = [one for one in survey.fields if "@" not in one.path]
    found = [(one.path, one.filled, one.kinds) for one in fields]
    assert found == [(name, 7, {"text": 7}) for name in ROWS[0]]
    assert (survey.records, survey.complete) == (7, True)
    drafted = flatledger.draft(made, reading=reading)
    rows = list(flatledger.table(drafted.layout, made))
    assert [row[0] for row in rows[:7]] == [row["no"] for row in ROWS]
    tried = flatledger.evaluate("station || source_row()", made, first=2, reading=reading)
    assert [one.value[:11] for one in tried] == ["Gull Rock" + tried[0].value[9:], "Holm Skerry"]
    counts = flatledger.distinct_values("station", made, reading=reading)
    assert counts == {"Gull Rock": 4, "Holm Skerry": 3}
    layout = {**LAYOUT, **({"source": reading} if reading else {})}
    assert (flatledger.preview(layout, made).rows, len(tried)) == (8, 2)
    flatledger.export(layout, made, tmp_path / "out.csv")
    assert (tmp_path / "out.csv").read_text("utf-8").count("\n") == 9


def test_it_is_read_as_often_as_asked_in_parts_and_by_halves(source: Source) -> None:
    made, reading = source()
    records = reading.get("records")
    opened = open_as(made, None, 64, reading)

    def numbered(one: Any) -> list[tuple[int, Any]]:
        with one.open() as reader:
            return [
                (number, own_value(record["no"]))
                for batch in reader.batches()
                for number, record in zip(batch.numbers, batch.records, strict=True)
            ]

    whole = [(n, row["no"]) for n, row in enumerate(ROWS, 1)]
    assert numbered(opened) == numbered(opened) == whole, records
    assert [pair for part in opened.parts(3) for pair in numbered(part)] == whole
    with opened.open() as reader:
        assert reader.peek() == reader.peek()
        assert structure_met(reader).find(["no"]) is not None
        assert next(reader.batches()).numbers[0] == 1
    with warnings.catch_warnings():
        warnings.simplefilter("error")  # nothing stays open
        rows = flatledger.table({**LAYOUT, "source": reading or {"largest-record": 9}}, made)
        next(iter(rows))
        rows.close()


def test_drift_is_told(source: Source, tmp_path: Path) -> None:
    path = tmp_path / "layout.yaml"
    made, reading = source()
    drafted = flatledger.draft(made, reading=reading)
    path.write_text(str(drafted), encoding="utf-8")
    flatledger.export(path, made, tmp_path / "a.csv", learn=True)
    more = [{**{k: v for k, v in row.items() if k != "fee"}, "berth": "2"} for row in ROWS]
    later, _ = source(more)
    if reading.get("widths"):
        return  # its fields are those that are stated
    balance = flatledger.export(path, later, tmp_path / "b.csv")
    assert [one for one in balance.drift.new_fields if "@" not in one] == ["berth"]
    assert balance.drift.blank_columns[0] == "Fee"


def test_where_records_come_from(source: Source, request: pytest.FixtureRequest) -> None:
    columns = [{"F": "source_file()"}, {"R": "source_row()"}, {"N": "record_number()"}]
    made, reading = source()
    found, _ = run({"columns": columns}, made, reading)
    assert [row[2] for row in found] == list(range(1, 8))
    name = request.node.callspec.id
    heading = name in ("commas", "semicolons", "bzip2", "workbook", "folder of tables")
    in_two = name.startswith("folder") or name == "zip"
    rows = [1, 2, 3, 1, 2, 3, 4] if in_two else list(range(1, 8))
    assert [row[1] for row in found] == [row + heading for row in rows]
    files = [Path(row[0]).name if row[0] else None for row in found]
    if name in ("mappings", "named tuples"):
        assert files == [None] * 7
    elif in_two:
        assert [file.partition(".")[0][-2:].strip("-") for file in files] == ["9"] * 3 + ["10"] * 4
    else:
        assert files == [made.name] * 7


def outcome_of(made: Made, reading: dict[str, Any]) -> Any:
    """The rows, or the class of the error: never anything else than one of ours."""
    try:
        rows, balance = run(LAYOUT, made, reading)
    except flatledger.FlatLedgerError as error:
        return type(error)
    assert balance.balanced
    return rows


def test_bad_bytes_give_an_error_of_ours_or_a_table_that_balances(source: Source) -> None:
    made, reading = source(ROWS[:4])
    if not isinstance(made, Path) or made.is_dir():
        return
    data = made.read_bytes()
    for tenth in range(10):
        made.write_bytes(data[: len(data) * tenth // 10])
        assert outcome_of(made, reading) is flatledger.SourceError or tenth
    for at in range(0, len(data), 1 + len(data) // 60):
        for other in (b"\0", b"<", bytes([data[at] ^ 1])):
            made.write_bytes(data[:at] + other + data[at + 1 :])
            outcome_of(made, reading)
    for wrong in (
        b"\x89PNG\r\n\x1a\n" + data,
        b"%PDF-1.7\n%\xe2",
        b"PK\x03\x04" + data[4:],
        b"\xef\xbb\xbf",
    ):
        made.write_bytes(wrong)
        outcome_of(made, reading)
    made.write_bytes(data)
    assert len(outcome_of(made, reading)) == 5


def test_no_rows_are_an_error_or_none(source: Source) -> None:
    made, reading = source([])
    found = outcome_of(made, reading)
    assert found in ([("Grand total", *[None] * 5)], flatledger.SourceError)


def test_a_pipe_with_a_name_is_read_once(source: Source, tmp_path: Path) -> None:
    made, reading = source()
    if not isinstance(made, Path) or made.is_dir() or made.suffix == ".zip":
        return
    pipe = tmp_path / f"pipe{made.suffix}"
    os.mkfifo(pipe)
    writer = threading.Thread(target=lambda: pipe.write_bytes(made.read_bytes()))
    writer.start()
    found = outcome_of(pipe, {"format": "csv"} | reading if made.suffix == ".bz2" else reading)
    writer.join()
    assert found == outcome_of(made, reading)


def test_what_is_not_there_or_vanishes_is_an_error(source: Source) -> None:
    made, reading = source()
    if not isinstance(made, Path):
        return
    opened = open_as(made, None, 64, reading)
    if made.is_dir():
        reader = opened.open()
        sorted(made.iterdir())[0].unlink()  # the later one, by the order in which people read
        with pytest.raises(flatledger.SourceError, match=r"part-10.* can't be read"):
            list(reader.batches())
        reader.close()
        return
    made.unlink()
    with pytest.raises(flatledger.SourceError, match=f"{made.name} can't be read: No such file"):
        opened.open()


def test_the_example_package_at_the_command_line(
    installed: Path, tool: Any, tmp_path: Path
) -> None:
    shipped = Path(__file__).parents[1] / "examples" / "radio-log-format" / "watch.rlog"
    (tmp_path / "watch.log").write_bytes(shipped.read_bytes())
    minutes = "Minutes: {value: minutes, datatype: integer, total: sum}"
    command = ("export", "--column", "Station: station", "--column", minutes, "watch.log")
    done = tool(*command, PYTHONPATH=str(installed))
    assert done.returncode == 0
    assert done.stdout.splitlines()[-1] == "Grand total,22"
    assert "record 3: has no colon after its name" in done.stderr
    assert tool(*command).returncode == 1
    kept = tool("try", "kept~by", "watch.log", PYTHONPATH=str(installed))
    assert kept.returncode == 0
    assert kept.stdout.count("Ilse Gow") == 2
    stated = ("--column", "Watch: kept~bi", "--read", "format=radio-log", "watch.log")
    refused = tool("export", *stated, PYTHONPATH=str(installed))
    assert refused.returncode == 1
    assert "no field `kept bi`; did you mean `kept~by`?" in refused.stderr


class Broken:
    """A format that fails in some way."""

    name, suffixes = "broken", (".bad",)

    def __init__(self, fails: str) -> None:
        self.fails = fails

    def recognises(self, head: bytes) -> bool:
        return {"recognises": 1 // 0}[self.fails] if self.fails == "recognises" else False

    def records(self, file: Any) -> Iterator[Any]:
        if self.fails == "begins":
            raise KeyError("no index")
        yield {"no": 1}
        raise ValueError("the second block is torn")


@pytest.mark.parametrize(
    ("fails", "why"),
    [
        ("begins", "`broken`.* fails at .*no index"),
        ("later", "`broken`.* fails at record 2 of .*: ValueError: the second block is torn"),
    ],
)
def test_what_another_package_does_wrong_is_told(
    fails: str, why: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from flatledger.sources import further_formats as module

    class Point:
        name, value, dist = "broken", "broken:Broken", None

        def load(self) -> Any:
            return Broken(fails)

    monkeypatch.setattr(module, "entry_points", lambda group: [Point()])
    module.further_formats.cache_clear()
    (tmp_path / "a.bad").write_bytes(b"x")
    with pytest.raises(flatledger.SourceError, match=why):
        run(LAYOUT, tmp_path / "a.bad", {})
    module.further_formats.cache_clear()
