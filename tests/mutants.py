"""Breaks places of the program one by one, and lists those that no test sees.

    python -m tests.mutants [NAME …] [--tests PATH …]

A mutant is described by its effect; the line that it changes is the one with the comment
``# mutant: NAME`` (or the line below, where that stands alone), so that it moves along with it.
Each is tried on a copy of the tree. Not part of `make test`: it takes an hour.
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
TESTS = [
    *("test_reference", "test_totals", "test_run", "test_trees", "test_engine", "test_groups"),
    *("test_levels", "test_table", "test_ordering", "test_expressions", "test_additions"),
    *("test_stacked_rows", "test_group_keys"),
    *("test_columns", "test_columns_from", "test_law_of_levels", "test_exact", "test_misuses"),
]


class Mutant(NamedTuple):
    """A change to one line, and what it does."""

    name: str
    old: str
    new: str
    effect: str


MUTANTS = [
    Mutant("two-groups", "> 1", "> 2", "two groups between two totals are one"),
    Mutant("group-sums", " != ", " is ", "what a group shows is not held against its entries"),
    Mutant("row-names-group", " != ", " is ", "a row may name another group than its own"),
    Mutant(
        "total-cell", "if not ", "if False and not ", "the cell of a total is not worked out again"
    ),
    Mutant("sides-agree", "all(", "any(", "one side of two is enough"),
    Mutant("depths-agree", "agree and ", "agree or ", "what the groups of a depth show may differ"),
    Mutant("rounding-checked", " != ", " is ", "a cell of an exact total need not be rounded"),
    Mutant(
        "marks-in-proof", "<= depth", "< depth", "entries that are new in a group are passed over"
    ),
    Mutant("torn-family", "!= row", "is row", "a row may stand below another parent"),
    Mutant("rows-lost", "!=", ">", "rows may be lost"),
    Mutant("let-through", "!=", "<", "more may remain than passed"),
    Mutant("untold", "<", ">", "what could not be read need not be told"),
    Mutant(
        "levels-agree", " and levels", " or levels", "entries of levels need not be accounted for"
    ),
    Mutant("whole-balance", " and not self.wrong", "", "what is wrong is no reason"),
    Mutant("merge-counts", "later.counts", "{}", "counts of later parts are lost"),
    Mutant(
        "control-posted", "map(add, own, parts)", "own", "control sums of later batches are lost"
    ),
    Mutant("tallies-posted", "+= parts[{place}]", "+= 0", "what later batches add up to is lost"),
    Mutant("merge-waiting", "self.absorb(result)", "pass", "parts that waited are lost"),
    Mutant("overlap-marks", "0 < ", "0 <= ", "overlaps count what is new, too"),
    Mutant(
        "once-each",
        "if not row[mark]]",
        "]",
        "an amount of the record is added for each of its lines",
    ),
    Mutant(
        "split-marks",
        "<= tallies.depth",
        "< tallies.depth + 2",
        "entries are counted again in groups",
    ),
    Mutant(
        "fault-in-total",
        " and cell.__class__ is not FaultText",
        "",
        "texts that could not be read are added",
    ),
    Mutant(
        "total-rounding", "(column.decimals)", "(column.decimals - 1)", "a total has a digit less"
    ),
    Mutant("every-nth", "== 0", "== 1 % self._take.every", "other records are taken"),
    Mutant("first-few", ">=", ">", "one more is taken"),
    Mutant("nulls-last", "if key", "if not key", "nulls come first"),
    Mutant("descending", "reverse=key.descending", "reverse=False", "a key goes upwards only"),
    Mutant("half-even", "({unit}{how})", "({unit}, 'ROUND_HALF_UP')", "halves are rounded up"),
    Mutant("arithmetic", "{right.code}", "{left.code}", "a value is calculated with itself"),
    Mutant("quotient", "divide(left, right)", "divide_int(left, right)", "a quotient is whole"),
    Mutant("several-values", "> 1", "> 9", "of several values the first is taken"),
    Mutant("case-branch", "is True", "is not False", "what is not known is true in a case"),
    Mutant(
        "three-valued",
        "is not {other}",
        "is {settled}",
        "what is not known is as though it were true",
    ),
    Mutant("side-kept", "is True", "is not False", "a side level keeps what is not known"),
    Mutant("kept-verdict", "is True", "is not False", "what is not known passes"),
    Mutant("emptied", "if drops", "if not drops", "what lost all its entries stays"),
    Mutant("leaves", "after > ends[place]", "after >= ends[place]", "inner nodes count as leaves"),
    Mutant("tops", "ends[place]", "place", "nodes below others count as tops"),
    Mutant("branch", "max(end, ends[place])", "place", "a branch is its first node"),
    Mutant(
        "aggregate-base",
        "< max(len(home), 1)",
        "<= len(home)",
        "an aggregate runs under its own entry",
    ),
    Mutant("chosen-home", "if chosen and ", "if False and ", "what a selector chooses has no home"),
    Mutant(
        "anchor", "not (chooses and", "not (False and", "a selector chooses within the row's entry"
    ),
    Mutant(
        "mark-depth",
        "range(len(keys) + 1)",
        "range(1, len(keys) + 1)",
        "an entry is new in no table",
    ),
    Mutant("sum-of-none", "if count else None", "", "the sum of nothing is 0"),
    Mutant("mean", "state, count", "state, count + 1", "a mean is of one value more"),
    Mutant(
        "group-key-null",
        "runs.items()",
        "list(runs.items())[:99]",
        "groups beyond a hundred are lost",
    ),
]


def place_of(mutant: Mutant, source: Path) -> tuple[Path, int]:
    """The file and the line (from 0) that a mutant changes. Raises LookupError where there is
    none."""
    mark = f"# mutant: {mutant.name}"
    for file in source.rglob("*.py"):
        lines = file.read_text(encoding="utf-8").splitlines()
        for at, line in enumerate(lines):
            if line.rstrip().endswith(mark):
                at += line.strip() == mark
                if mutant.old not in lines[at]:
                    raise LookupError(f"{mutant.name}: {mutant.old!r} is not in {lines[at]!r}")
                return file, at
    raise LookupError(f"no line is marked {mark!r}")


def changed(mutant: Mutant, source: Path) -> None:
    """Change the marked line in a copy of the source. Raises LookupError where there is none."""
    file, at = place_of(mutant, source)
    lines = file.read_text(encoding="utf-8").splitlines(keepends=True)
    lines[at] = lines[at].replace(mutant.old, mutant.new, 1)
    file.write_text("".join(lines), encoding="utf-8")


def survives(mutant: Mutant, tests: list[str]) -> bool:
    """Whether all tests pass with a mutant."""
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder)
        for name in ("src", "tests", "examples", "docs", "fuzz"):
            if (ROOT / name).exists():
                shutil.copytree(ROOT / name, tree / name)
        for name in ("pyproject.toml", "README.md", "CHANGELOG.md"):
            shutil.copy(ROOT / name, tree / name)
        changed(mutant, tree / "src" / "flatledger")
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests],
            cwd=tree,
            env={**os.environ, "PYTHONPATH": str(tree / "src")},
            capture_output=True,
            check=False,
        )
    return done.returncode == 0


def main() -> int:
    """Try the mutants that are named, or all; 1 if one survives."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*", metavar="NAME")
    parser.add_argument("--tests", nargs="+", default=[f"tests/{name}.py" for name in TESTS])
    given = parser.parse_args()
    wanted = [one for one in MUTANTS if not given.names or one.name in given.names]
    left = 0
    with ThreadPoolExecutor(2) as together:
        for mutant, alive in together.map(lambda one: (one, survives(one, given.tests)), wanted):
            left += alive
            print(f"{'SURVIVES' if alive else 'seen'}  {mutant.name}: {mutant.effect}", flush=True)
    print(f"{len(wanted)} mutants, {left} survive")
    return 1 if left else 0


if __name__ == "__main__":
    sys.exit(main())
