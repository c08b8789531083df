"""Runs the fuzzers: so many cases of each, from a stated seed on; fails if any case does.

python -m fuzz.run [--cases N] [--seed N] [NAME …]
"""

from __future__ import annotations

import argparse
import importlib
import sys
import tempfile
import time
import traceback
from collections import Counter
from pathlib import Path

CASES = {
    "sources": 3_000,
    "layouts": 3_000,
    "definitions": 10_000,
    "expressions": 4_000,
    "forms": 1_500,
    "tables": 2_000,
    "streams": 40,
}


def main() -> int:
    """Run what is named, or all; print what came of the cases, and each that failed."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*", metavar="NAME", help=", ".join(CASES))
    parser.add_argument("--cases", type=int, help="how many of each, if not the usual number")
    parser.add_argument("--seed", type=int, default=1, help="the first seed")
    given = parser.parse_args()
    failed = 0
    for name in given.names or CASES:
        failed += _fuzzed(name, given.seed, given.cases or CASES[name])
    return 1 if failed else 0


def _fuzzed(name: str, first: int, cases: int) -> int:
    run = importlib.import_module(f"fuzz.{name}").run
    found: Counter[str] = Counter()
    failures: dict[str, list[int]] = {}
    start = time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, first + cases):
            try:
                found[run(seed, Path(folder))] += 1
            except Exception as error:
                place = traceback.extract_tb(error.__traceback__)[-1]
                what = f"{type(error).__name__}: {str(error)[:100]!r}"
                what += f" ({place.filename}:{place.lineno})"
                failures.setdefault(what, []).append(seed)
    counts = ", ".join(f"{count:,} {what}" for what, count in found.most_common())
    seconds = time.monotonic() - start
    print(f"{name}: {cases:,} cases from seed {first} in {seconds:.0f} s: {counts}")
    for what, seeds in sorted(failures.items(), key=lambda one: -len(one[1])):
        print(f"  FAILED {len(seeds):,} times, first with seed {seeds[0]}: {what}")
    return sum(map(len, failures.values()))


if __name__ == "__main__":
    sys.exit(main())
