"""``make bench``: Flat Ledger against the plain scripts, the same jobs in the same run.

    python bench/run.py [--size MB] [--runs N] [SHAPE …]

Each shape is run by us, by the plain script with exact decimals, and by the plain script with
binary floats, in turn; the table must be equal to the exact script's. Figures are the least of some
runs of whole processes: CPU seconds (user and system), seconds by the clock, and megabytes. Without
names the other figures follow: several tables, growth, a large sort, a list, a survey, a form, text
and workbooks, the samples, start-up; `formats` alone gives those of text and workbooks, `several`
those of several tables from one reading.
"""

from __future__ import annotations

import argparse
import compileall
import csv
import filecmp
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any, NamedTuple

from data import write_movements
from formats import write_catalogue, write_elements, write_records
from shapes import SHAPES, write_source
from tables import PRODUCT, table_layout, write_lines

from flatledger.demo import copy_to

HERE = Path(__file__).parent
TOOL = Path(sys.executable).with_name("flatledger")
SORTED_ROWS = 5_000_000
FORM_ROWS = 200_000
FORMAT_ROWS = {"csv": 600_000, "xlsx": 60_000}


class Used(NamedTuple):
    """What a process used: CPU seconds, seconds by the clock, megabytes."""

    cpu: float
    clock: float
    memory: float


def use(command: list[str]) -> Used:
    started = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    clock = time.perf_counter() - started
    process.returncode = os.waitstatus_to_exitcode(status)
    if process.returncode:
        raise SystemExit(f"{' '.join(command)} ended with {process.returncode}")
    return Used(usage.ru_utime + usage.ru_stime, clock, usage.ru_maxrss / 1000)


def least(runs: list[Used]) -> Used:
    return Used(*map(min, zip(*runs, strict=True)))


def ours(layout: Path, source: Path, table: Path) -> list[str]:
    ways = ["-q", "--if-there", "replace", "-o", str(table)]
    return [str(TOOL), "export", str(layout), str(source), *ways]


def source_of(name: str, folder: Path, size: int) -> Path:
    """The source of a shape, made if it is not there."""
    path = folder / f"{_stem(name)}-{size}.jsonl"
    if not path.exists():
        write_source(name, path, size * 1_000_000)
    return path


def layout_of(name: str, folder: Path) -> Path:
    path = folder / f"{_stem(name)}.yaml"
    path.write_text(json.dumps(SHAPES[name].layout), encoding="utf-8")
    return path


def _stem(name: str) -> str:
    return name.replace(" ", "-").replace(",", "")


def compare(name: str, folder: Path, size: int, runs: int) -> str:
    """A line of figures for a shape."""
    source, layout = source_of(name, folder, size), layout_of(name, folder)
    table, exact = folder / "ours.csv", folder / "exact.csv"
    script = [sys.executable, str(HERE / "shapes.py"), name, str(source)]
    commands = [
        ours(layout, source, table),
        [*script, str(exact), "--exact"],
        [*script, str(folder / "floats.csv")],
    ]
    found = [[use(command) for command in commands] for _ in range(runs)]
    same = "" if filecmp.cmp(table, exact, shallow=False) else " THE TABLES DIFFER"
    mine, decimals, floats = (least(list(one)) for one in zip(*found, strict=True))
    cpu = f"{mine.cpu:.2f} | {decimals.cpu:.2f} | {floats.cpu:.2f}"
    ratios = f"{decimals.cpu / mine.cpu:.2f} | {floats.cpu / mine.cpu:.2f}"
    clock = f"{floats.clock / mine.clock:.2f}"
    return f"| {name} | {cpu} | {ratios} | {clock} | {mine.memory:.0f} |{same}"


def shapes(names: list[str], folder: Path, size: int, runs: int) -> Iterator[str]:
    yield f"CPU seconds over {size} MB, and how many times ours the scripts take"
    yield "| shape | ours | exact | floats | exact / ours | floats / ours | by the clock | MB |"
    yield "|---|---|---|---|---|---|---|---|"
    for name in names or SHAPES:
        yield compare(name, folder, size, runs)


def several(folder: Path, size: int, runs: int) -> Iterator[str]:
    """Several tables from one reading, against the same tables from a reading each."""
    source, detail = source_of("detail", folder, size), SHAPES["detail"].layout
    summary = SHAPES["summary"].layout
    totals = {"row-per-group": ["station.code"], "columns": [{"Station": "station.code"}]}
    totals["columns"] += [{"Lines": {"value": "sum(lines.qty)", "total": "sum"}}]
    yield "\nSeveral tables from one reading (CPU)"
    for what, tables in (
        ("a detail and two summaries", {"detail": detail, "summary": summary, "totals": totals}),
        (
            "three details",
            {"a": detail, "b": {**detail, "only": ["station.code <> 'S07'"]}, "c": detail},
        ),
    ):
        whole = _layout_at(folder / "several.yaml", _tables(tables))
        commands = [ours(whole, source, folder / "several-{table}.csv")]
        for name, one in tables.items():
            layout = _layout_at(folder / f"several-{name}.yaml", one)
            commands.append(ours(layout, source, folder / f"alone-{name}.csv"))
        found = [[use(command) for command in commands] for _ in range(runs)]
        together, first, *others = (least(list(one)).cpu for one in zip(*found, strict=True))
        for name in tables:
            pair = folder / f"several-{name}.csv", folder / f"alone-{name}.csv"
            if not filecmp.cmp(*pair, shallow=False):
                raise SystemExit(f"{pair[0]} is not {pair[1]}")
        times = f"{together / first:.2f} times the first, {together / sum([first, *others]):.2f}"
        yield f"  {what:28}{together:6.2f} s, {times} times the sum of all"


def _tables(tables: dict[str, dict[str, Any]]) -> dict[str, Any]:
    """A layout of several tables; what stands beside them is the first one's."""
    shared = ("levels", "fields", "source", "ask")
    first = next(iter(tables.values()))
    own = {
        name: {key: value for key, value in one.items() if key not in shared}
        for name, one in tables.items()
    }
    return {**{key: first[key] for key in shared if key in first}, "tables": own}


def _layout_at(path: Path, layout: dict[str, Any]) -> Path:
    path.write_text(json.dumps(layout), encoding="utf-8")
    return path


def growth(folder: Path) -> Iterator[str]:
    yield "\nDetail, as the input grows"
    for size in (10, 100, 1_000):
        source = source_of("detail", folder, size)
        used = use(ours(layout_of("detail", folder), source, folder / "grown.csv"))
        yield f"  {size:5,} MB {used.cpu:8.2f} s of CPU {used.memory:6.0f} MB of memory"


def sorting(folder: Path) -> Iterator[str]:
    """Sort more rows than are held in memory, and look whether they came out in order."""
    source, table = folder / "movements.jsonl", folder / "sorted.csv"
    if not source.exists():
        write_movements(source, SORTED_ROWS)
    used = use(ours(HERE / "sorted.yaml", source, table))
    with table.open(encoding="utf-8", newline="") as file:
        rows = csv.reader(file)
        next(rows)
        keys = ((row[0], row[1], -int(row[2])) for row in rows if row[2])
        if not all(before <= after for before, after in pairwise(keys)):
            raise SystemExit(f"{table} is not in order")
    yield f"\nSorting {SORTED_ROWS:,} rows: {used.cpu:.0f} s of CPU, {used.memory:.0f} MB"


def lists_and_surveys(folder: Path) -> Iterator[str]:
    lines, layout = source_of("detail", folder, 100), layout_of("detail", folder)
    whole, table = folder / "list.json", folder / "list.csv"
    with lines.open("rb") as source, whole.open("wb") as file:
        for place, line in enumerate(source):  # in pieces: a process begins with our memory
            file.write((b",\n" if place else b"[\n") + line.rstrip(b"\n"))
        file.write(b"\n]\n")
    by_line = use(ours(layout, lines, folder / "lines.csv"))
    by_list = use(ours(layout, whole, table))
    if not filecmp.cmp(table, folder / "lines.csv", shallow=False):
        raise SystemExit("the list and the lines give different tables")
    yield f"\nA list of 100 MB takes {by_list.cpu / by_line.cpu:.2f} times the same as lines"
    survey = use([str(TOOL), "survey", "--all", str(lines)])
    yield f"A survey of all 100 MB: {survey.cpu:.1f} s of CPU, {survey.memory:.0f} MB"


def form(folder: Path) -> Iterator[str]:
    """Fill a form, against the same cells written to a new workbook."""
    import openpyxl

    headings = ["No", "Station", "Part", "Qty", "Price", "Note"]
    book = openpyxl.Workbook()
    book.active.append(headings)
    book.save(folder / "form.xlsx")
    source, layout = folder / "form.jsonl", folder / "form.yaml"
    with source.open("w", encoding="utf-8") as file:
        for no in range(FORM_ROWS):
            values = (no, f"S{no % 40}", f"P-{no % 400}", no % 24, no % 2_000 / 4, f"note {no}")
            file.write(json.dumps(dict(zip(headings, values, strict=True))) + "\n")
    columns = [{heading: heading} for heading in headings]
    layout.write_text(json.dumps({"fit-to": "form.xlsx", "columns": columns}), encoding="utf-8")
    filled = use(ours(layout, source, folder / "filled.xlsx"))
    script = [sys.executable, str(HERE / "bare_workbook.py")]
    bare = use([*script, str(source), str(folder / "bare.xlsx")])
    yield f"A form of {FORM_ROWS:,} rows takes {filled.cpu / bare.cpu:.2f} times the bare cells"


def formats(folder: Path, runs: int) -> Iterator[str]:
    """Text and workbooks against the bare readers and writers, start-up and all."""
    yield "\nText and workbooks, times the bare reader or writer (CPU)"
    script = [sys.executable, str(HERE / "formats.py")]
    for suffix, rows in FORMAT_ROWS.items():
        source = folder / f"formats-{suffix}.jsonl"
        write_records(source, rows)
        table = folder / f"formats.{suffix}"
        jobs = {
            f"write {suffix}": ["write", str(source), str(table)],
            f"bare write {suffix}": [f"bare-write-{suffix}", str(source), str(table) + ".bare"],
            f"read {suffix}": ["read", str(table)],
            f"bare read {suffix}": [f"bare-read-{suffix}", str(table)],
        }
        found: dict[str, list[Used]] = {what: [] for what in jobs}
        for _ in range(runs + 1):
            for what, job in jobs.items():
                found[what].append(use([*script, *job]))
        for way in ("write", "read"):
            mine, bare = least(found[f"{way} {suffix}"]), least(found[f"bare {way} {suffix}"])
            times = f"{mine.cpu / bare.cpu:.2f}"
            seconds = f"({mine.cpu:.2f} s, {bare.cpu:.2f} s bare)"
            yield f"  {way + ' ' + suffix:14}{rows:8,} rows {times:>6}  {seconds}"
    yield from tables(folder, runs)
    yield from elements(folder, runs, script)
    yield from catalogue(folder, runs, script)


def catalogue(folder: Path, runs: int, script: list[str]) -> Iterator[str]:
    """Records of a catalogue against pymarc alone."""
    rows, source = FORMAT_ROWS["csv"] // 10, folder / "formats.mrc"
    write_catalogue(source, rows)
    found: dict[str, list[Used]] = {"read-marc": [], "bare-read-marc": []}
    for _ in range(runs + 1):
        for job, used in found.items():
            used.append(use([*script, job, str(source)]))
    mine, bare = (least(used) for used in found.values())
    seconds = f"({mine.cpu:.2f} s, {bare.cpu:.2f} s bare)"
    yield f"  {'read marc':14}{rows:8,} rows {mine.cpu / bare.cpu:6.2f}  {seconds}"


def tables(folder: Path, runs: int) -> Iterator[str]:
    """Delimited text to delimited text, against the plain script."""
    rows, source, table = FORMAT_ROWS["csv"], folder / "tables.csv", folder / "table.csv"
    write_lines(source, rows)
    script = [sys.executable, str(HERE / "tables.py"), str(source), str(folder / "plain.csv")]
    for way in PRODUCT:
        layout = folder / f"{way}.yaml"
        layout.write_text(json.dumps(table_layout(way)), encoding="utf-8")
        pairs = [(use(ours(layout, source, table)), use(script)) for _ in range(runs + 1)]
        mine, plain = (least(list(one)) for one in zip(*pairs, strict=True))
        seconds = f"({mine.cpu:.2f} s, the script {plain.cpu:.2f} s; {mine.memory:.0f} MB)"
        what = f"csv to csv, {way}"
        times = f"{plain.cpu / mine.cpu:.2f}"
        yield f"  {what:20}{rows:8,} rows, the script takes {times} times {seconds}"


def elements(folder: Path, runs: int, script: list[str]) -> Iterator[str]:
    """Records of ten fields in XML, and a table of them, against lxml's bare `iterparse`."""
    rows, source = FORMAT_ROWS["csv"] // 2, folder / "formats.xml"
    write_elements(source, rows)
    jobs = {
        "read xml": ["read-xml", str(source)],
        "table of xml": ["table-xml", str(source), str(folder / "formats-xml.csv")],
        "bare": ["bare-read-xml", str(source)],
    }
    found: dict[str, list[Used]] = {what: [] for what in jobs}
    for _ in range(runs + 1):
        for what, job in jobs.items():
            found[what].append(use([*script, *job]))
    bare = least(found.pop("bare"))
    for what, used in found.items():
        mine = least(used)
        seconds = f"({mine.cpu:.2f} s, {bare.cpu:.2f} s bare; {mine.memory:.0f} MB)"
        yield f"  {what:14}{rows:8,} rows {mine.cpu / bare.cpu:6.2f}  {seconds}"


def samples(folder: Path, runs: int) -> Iterator[str]:
    """Every sample layout, over its sample data."""
    place = folder / "samples"
    shutil.rmtree(place, ignore_errors=True)
    yield "\nThe samples (their data is small: start-up is most of it)"
    for layout, source in copy_to(place).runs:
        table = place / f"{layout.stem}{'.xlsx' if 'published' in layout.stem else '.csv'}"
        used = least([use(ours(layout, source, table)) for _ in range(runs)])
        yield f"  {layout.stem:28}{used.cpu:6.2f} s of CPU"


def start_up(folder: Path, runs: int) -> Iterator[str]:
    few, whole = folder / "ten.jsonl", source_of("detail", folder, 10)
    few.write_bytes(b"".join(whole.read_bytes().splitlines(keepends=True)[:10]))
    commands = {
        "flatledger --help": [str(TOOL), "--help"],
        "an export of ten records": ours(layout_of("detail", folder), few, folder / "few.csv"),
        "import flatledger": [sys.executable, "-c", "import flatledger"],
        "Python alone": [sys.executable, "-c", "pass"],
    }
    yield "\nStart-up"
    for what, command in commands.items():
        yield f"  {what:28}{least([use(command) for _ in range(runs + 3)]).cpu:6.2f} s of CPU"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*", default=[])
    parser.add_argument("--size", type=int, default=100, help="megabytes of JSON Lines")
    parser.add_argument("--runs", type=int, default=2)
    given = parser.parse_args()
    compileall.compile_dir(HERE.parent / "src", quiet=1)  # as it is where a package is installed
    folder = Path(tempfile.gettempdir()) / "flatledger-bench"
    folder.mkdir(exist_ok=True)
    parts = [shapes(given.names, folder, given.size, given.runs)]
    if given.names == ["formats"]:
        parts = [formats(folder, given.runs)]
    if given.names == ["several"]:
        parts = [several(folder, given.size, given.runs)]
    if not given.names:
        parts += [several(folder, given.size, given.runs)]
        parts += [growth(folder), sorting(folder), lists_and_surveys(folder), form(folder)]
        parts += [formats(folder, given.runs)]
        parts += [samples(folder, given.runs), start_up(folder, given.runs)]
    for part in parts:
        for line in part:
            print(line, flush=True)


if __name__ == "__main__":
    main()
