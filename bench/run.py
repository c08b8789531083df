"""``make bench``: Flat Ledger against the plain script, the same job in the same run.

The tables must be equal before anything is timed. Each figure is the median of several runs of the
whole process, the two in turn. Requisitions are generated into the system's temporary folder.
"""

from __future__ import annotations

import compileall
import csv
import filecmp
import os
import statistics
import subprocess
import sys
import tempfile
import time
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

from data import write_movements, write_requisitions

HERE = Path(__file__).parent
TOOL = Path(sys.executable).with_name("flatledger")
RUNS = 5
MEGABYTE = 1_000_000
SORTED_ROWS = 5_000_000


class Measured(NamedTuple):
    """One run of a process: seconds by the clock, and its largest memory in megabytes."""

    seconds: float
    memory: float


def measure(command: list[str]) -> Measured:
    started = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    seconds = time.perf_counter() - started
    process.returncode = os.waitstatus_to_exitcode(status)
    if process.returncode:
        raise SystemExit(f"{' '.join(command)} ended with {process.returncode}")
    return Measured(seconds, usage.ru_maxrss * 1024 / MEGABYTE)


def median(runs: list[Measured]) -> Measured:
    return Measured(*(statistics.median(figures) for figures in zip(*runs, strict=True)))


def ours(name: str, source: Path, to: Path) -> list[str]:
    return [str(TOOL), "export", "-q", str(HERE / f"{name}.yaml"), str(source), "-o", str(to)]


def plain(name: str, source: Path, to: Path, *options: str) -> list[str]:
    return [sys.executable, str(HERE / f"plain_{name}.py"), str(source), str(to), *options]


def compare(name: str, source: Path, folder: Path) -> None:
    """Check that both tables are equal, then time the three ways in turn."""
    table, script = folder / f"{name}.csv", folder / f"{name}-plain.csv"
    commands = {
        "Flat Ledger": ours(name, source, table),
        "plain script, exact decimals": plain(name, source, script, "--exact"),
        "plain script, binary floats": plain(name, source, folder / "floats.csv"),
    }
    for command in commands.values():
        measure(command)
    if not filecmp.cmp(table, script, shallow=False):
        raise SystemExit(f"{name}: the tables differ: {table} and {script}")
    runs: dict[str, list[Measured]] = {label: [] for label in commands}
    for _ in range(RUNS):
        for label, command in commands.items():
            runs[label].append(measure(command))
    print(f"\n{name}: the tables are equal")
    for label, figures in runs.items():
        one = median(figures)
        pairs = zip(figures, runs["Flat Ledger"], strict=True)
        ratio = statistics.median(theirs.seconds / mine.seconds for theirs, mine in pairs)
        times = "" if label == "Flat Ledger" else f"   {ratio:.2f} times our time"
        print(f"  {label:30}{one.seconds:7.2f} s {one.memory:6.0f} MB{times}")


def sort_large(folder: Path) -> None:
    """Sort more rows than are held in memory, and look whether they came out in order."""
    source, table = folder / "movements.jsonl", folder / "sorted.csv"
    if not source.exists():
        write_movements(source, SORTED_ROWS)
    used = measure(ours("sorted", source, table))
    with table.open(encoding="utf-8", newline="") as file:
        rows = csv.reader(file)
        next(rows)
        keys = ((row[0], row[1], -int(row[2])) for row in rows if row[2])
        if not all(before <= after for before, after in pairwise(keys)):
            raise SystemExit(f"{table} is not in order")
    print(f"\nsorting {SORTED_ROWS:,} rows: {used.seconds:.0f} s, {used.memory:.0f} MB")


def main() -> None:
    compileall.compile_dir(HERE.parent / "src", quiet=1)  # as it is where a package is installed
    folder = Path(tempfile.gettempdir()) / "flatledger-bench"
    folder.mkdir(exist_ok=True)
    sources = {size: folder / f"requisitions-{size}.jsonl" for size in (10, 100)}
    for size, path in sources.items():
        if not path.exists():
            write_requisitions(path, size * MEGABYTE)
        print(f"{path}: {path.stat().st_size / MEGABYTE:.0f} MB")
    for name in ("detail", "summary"):
        compare(name, sources[100], folder)
    print("\nmemory as the input grows")
    for size, path in sources.items():
        used = measure(ours("detail", path, folder / "memory.csv")).memory
        print(f"  {size:4} MB of JSON Lines       {used:6.0f} MB")
    sort_large(folder)
    helps = [measure([str(TOOL), "--help"]) for _ in range(RUNS)]
    print(f"\nflatledger --help: {median(helps).seconds:.2f} s")


if __name__ == "__main__":
    main()
