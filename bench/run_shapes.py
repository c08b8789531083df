"""Every shape, ours against the plain script with binary floats and with exact decimals.

    python bench/run_shapes.py [--size MB] [--runs N] [NAME …]

Tables must be equal to those of the exact script. Figures are CPU seconds (user and system) of
whole processes, the least of some runs.
"""

from __future__ import annotations

import argparse
import compileall
import filecmp
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

from shapes import SHAPES, write_source

HERE = Path(__file__).parent
TOOL = Path(sys.executable).with_name("flatledger")


def cpu(command: list[str]) -> tuple[float, float]:
    """CPU seconds and megabytes of a process."""
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    process.returncode = os.waitstatus_to_exitcode(status)
    if process.returncode:
        raise SystemExit(f"{' '.join(command)} ended with {process.returncode}")
    return usage.ru_utime + usage.ru_stime, usage.ru_maxrss / 1000


def compare(name: str, folder: Path, size: int, runs: int) -> str:
    """A line of figures for a shape."""
    stem = name.replace(" ", "-").replace(",", "")
    source, layout = folder / f"{stem}-{size}.jsonl", folder / f"{stem}.yaml"
    if not source.exists():
        write_source(name, source, size * 1_000_000)
    layout.write_text(json.dumps(SHAPES[name].layout), encoding="utf-8")
    table, exact = folder / f"{stem}.csv", folder / f"{stem}-exact.csv"
    script = [sys.executable, str(HERE / "shapes.py"), name, str(source)]
    commands = {
        "ours": [
            str(TOOL),
            "export",
            "-q",
            "--if-there",
            "replace",
            str(layout),
            str(source),
            "-o",
            str(table),
        ],
        "exact": [*script, str(exact), "--exact"],
        "floats": [*script, str(folder / "floats.csv")],
    }
    found = {way: [cpu(command) for _ in range(runs)] for way, command in commands.items()}
    least = {way: min(one[0] for one in figures) for way, figures in found.items()}
    same = "" if filecmp.cmp(table, exact, shallow=False) else "   THE TABLES DIFFER"
    memory = max(one[1] for one in found["ours"])
    ours = least["ours"]
    return (
        f"{name:20}{ours:7.2f}{least['exact']:9.2f}{least['floats']:9.2f}"
        f"{least['exact'] / ours:9.2f}{least['floats'] / ours:9.2f}{memory:8.0f}{same}"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*", default=[])
    parser.add_argument("--size", type=int, default=25, help="megabytes of JSON Lines")
    parser.add_argument("--runs", type=int, default=3)
    given = parser.parse_args()
    compileall.compile_dir(HERE.parent / "src", quiet=1)  # as it is where a package is installed
    folder = Path(tempfile.gettempdir()) / "flatledger-bench"
    folder.mkdir(exist_ok=True)
    ways = f"{'ours':>7}{'exact':>9}{'floats':>9}{'exact/ours':>11}{'floats/ours':>12}"
    print(f"{'CPU seconds':20}{ways}  MB")
    for name in given.names or SHAPES:
        print(compare(name, folder, given.size, given.runs), flush=True)


if __name__ == "__main__":
    main()
