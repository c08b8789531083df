"""Streams and ends: real processes that are killed, stopped, and cut off from their output."""

from __future__ import annotations

import random
import signal
import subprocess
import sys
import time
from pathlib import Path

LAYOUT = "row-per: l\nlevels: [l]\ncolumns: [{No: no}, {Q: {value: l.q, total: sum}}]\n"
COMMAND = (sys.executable, "-m", "flatledger")
_SHELL = (
    "{run} export l.yaml s.jsonl -o t.csv",
    "{run} export l.yaml s.jsonl -o - | head -c {cut} > /dev/null",
    "{run} export l.yaml s.jsonl -o - > /dev/full",
    "head -c {cut} s.jsonl | {run} export l.yaml - -o t.csv",
    "{run} export l.yaml s.jsonl -o t.csv 2>&-",
    "{run} export l.yaml s.jsonl -o t.csv --report-to r.json --faults-to f.csv",
    "{run} survey s.jsonl >&-",
    "{run} preview l.yaml s.jsonl | head -1 > /dev/null",
)


def run(seed: int, folder: Path) -> str:
    """Run a command that may be stopped at any moment; what was there stays, or is whole."""
    chance = random.Random(seed)
    lines = [f'{{"no": {n}, "l": [{{"q": {n}}}, {{"q": 1}}]}}\n' for n in range(20_000)]
    (folder / "l.yaml").write_text(LAYOUT)
    (folder / "s.jsonl").write_text("".join(lines))
    old = "old\n"
    (folder / "t.csv").write_text(old)
    line = chance.choice(_SHELL).format(run=" ".join(COMMAND), cut=chance.randrange(200_000))
    with subprocess.Popen(
        ["bash", "-c", f"exec 3>&2; {line}"],
        cwd=folder,
        stderr=subprocess.PIPE,
        stdin=subprocess.DEVNULL,
        start_new_session=True,
    ) as process:
        if chance.random() < 0.6:
            time.sleep(chance.uniform(0.0, 0.8))
            stop = chance.choice((signal.SIGKILL, signal.SIGTERM, signal.SIGHUP))
            subprocess.run(["pkill", f"-{stop.value}", "-s", str(process.pid), "-f", "flatledger"])
        _, said = process.communicate(timeout=60)
    assert b"should not happen" not in said, said
    assert b"Traceback" not in said or process.returncode in (-1, -9, -15), said
    table = (folder / "t.csv").read_text()
    whole = table.startswith("No,Q\n") and table.rstrip().rsplit("\n", 1)[-1].startswith(
        "Grand total"
    )
    assert table == old or whole, f"half a table: {table[-200:]!r}"
    for left in folder.glob(".*-unfinished"):
        left.unlink()
    for former in folder.glob("t.former*"):
        assert former.read_text() == old or "Grand total" in former.read_text()
        former.unlink()
    return "whole" if whole else "as it was"
