"""Material that is hostile by what it repeats, made from each format's own letters.

python -m fuzz.hostile [--largest KB] [--part N/M] [NAME …]

What takes twice the size may take two and a half times as long, and no more. Each case runs in a
process of its own, which is ended after a minute of CPU time or at two gigabytes.
"""

from __future__ import annotations

import argparse
import itertools
import json
import multiprocessing
import os
import random
import resource
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

import flatledger
from flatledger import FlatLedgerError

MOST_TIMES = 2.5  # as long for twice the size
TELLING = 0.05  # seconds below which a time tells nothing
MOST_SECONDS, MOST_BYTES = 60, 2 << 30
LARGEST = 1 << 20

LETTERS: dict[str, tuple[str, ...]] = {
    "json": (
        *("{", "}", "[", "]", ":", ",", '"', "\\", "a", "1", "-", "null", " ", "\n", "\r"),
        *('"a":', '{"a":', "[[", '{"a":{"b":', "{},", "1e9", "é", "\\u00", '{"a":1}\n', '"a\n'),
    ),
    "jsonl": (
        *("{", "}", "[", "]", ",", '"', "\\", "a", "1", "\n", "\r", "{\n", '{"a":1}\n', '{"a":'),
        *('"\n', "[\n", "[]\n", "null\n", '{"a":"\n', " "),
    ),
    "csv": (
        *(",", '"', '""', "\n", "\r", ";", "a", "'", " ", "\t", '",', ',"', "\\", "#", '="', "|"),
        *('"\n', "\r\n", "a,", '"a', "1,", "-", "2026-01-02,", "Total,"),
    ),
    "xml": (
        *("<", ">", "<a>", "</a>", "<a ", 'b="c" ', "&", "&amp;", "&#1;", "<!--", "-->", "<?p "),
        *("?>", "<![CDATA[", "]]>", "<!DOCTYPE a", '<!ENTITY x "y">', " ", "\n", 'xmlns:p="u" '),
        *("<a/>", "]", "-", "<!-- a -->", "<?p q?>", "<b><a>1</a></b>", "<a>\n"),
    ),
    "mrc": (
        *("\x1d", "\x1e", "\x1f", "\x1fa", "0", "9", "a", " ", "245", "|", "\x1b(N", "00026"),
        *("00045nam a2200037   4500", "001000900000", "245001000000"),
    ),
    "txt": ("a", " ", "\t", "\n", "\r", "|", "1", ";", "é", "- "),
}
STARTS: dict[str, tuple[str, ...]] = {
    "json": ("", '{"r": [', "[", '{"a": "x"}\n'),
    "jsonl": ("", '{"a": 1}\n'),
    "csv": ("", "a,b\n1,2\n", 'a,"b\n'),
    "xml": ("", "<r>", "<r><a>1</a>", "<?xml version='1.0'?>"),
    "mrc": ("", "00045nam a2200037   4500001000900000\x1eocm00001\x1e\x1d"),
    "txt": ("", "a b\n1 2\n"),
}


class Case(NamedTuple):
    """Something hostile: a file of a format that begins in some way and goes on as it does."""

    format: str
    start: str
    parts: tuple[str, ...]
    shape: str

    @property
    def name(self) -> str:
        return f"{self.format} {self.shape} {self.start!r} {self.parts!r}"

    def made(self, size: int) -> bytes:
        """The material, of about so many bytes."""
        count = max(1, size // sum(len(part) for part in self.parts))
        if self.shape == "repeated":
            text = "".join(self.parts) * count
        elif self.shape == "one after another":
            text = "".join(part * count for part in self.parts)
        else:
            chance = random.Random(self.name)
            text = "".join(chance.choices(self.parts, k=count * len(self.parts)))
        return (self.start + text).encode()


def cases() -> Iterator[Case]:
    """All of them: every letter and every two, after every start."""
    for format, letters in LETTERS.items():
        for start in STARTS[format]:
            for letter in letters:
                yield Case(format, start, (letter,), "repeated")
            for pair in itertools.permutations(letters, 2):
                yield Case(format, start, pair, "repeated")
                yield Case(format, start, pair, "one after another")
            for seed in range(10):
                some = tuple(random.Random(seed).sample(letters, 5))
                yield Case(format, start, some, "mixed")


def read(path: Path) -> None:
    """Take a file through all that reads: the survey of a draft, and its table as text."""
    with suppress(FlatLedgerError):
        layout = flatledger.Layout.from_text(str(flatledger.draft(path)))
        flatledger.export(layout, path, path.with_suffix(".table.csv"), if_there="replace")


def _warm() -> None:
    """Load whatever is loaded once."""
    with tempfile.TemporaryDirectory() as folder:
        for format in LETTERS:
            path = Path(folder) / f"material.{format}"
            for text in ('[{"a": 1}, {"a": "2026-01-02"}]', "a,b\n1,2\n", "<r><a><b>1</b></a></r>"):
                path.write_text(text)
                read(path)


class Measured(NamedTuple):
    """What came of a case: the CPU times of its sizes, the largest memory, and how it ended."""

    case: Case
    times: dict[int, float]
    memory: int
    ended: str

    def is_wrong(self) -> str:
        """What is wrong with it; blank where nothing is."""
        if self.ended:
            return self.ended
        for size, seconds in self.times.items():
            before = self.times.get(size // 2)
            if before is not None and seconds > max(before, TELLING / 2) * MOST_TIMES:
                return f"{seconds / before:.1f} times as long for twice the size"
        return ""


def measured(
    case: Case, largest: int = LARGEST, best_of: int = 1, seconds: int = MOST_SECONDS
) -> Measured:
    """Measure a case in a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        told = Path(folder) / "told.json"
        child = os.fork()
        if child == 0:
            _measure(case, largest, best_of, seconds, told)
        _, status, usage = os.wait4(child, 0)
        times = (
            [json.loads(line) for line in told.read_text().splitlines()] if told.exists() else []
        )
    ended = "" if status == 0 else f"ended with {os.waitstatus_to_exitcode(status)}"
    return Measured(case, dict(times), usage.ru_maxrss, ended)


def _measured(work: tuple[Case, int, int, int]) -> Measured:
    return measured(*work)


def _measure(case: Case, largest: int, best_of: int, seconds: int, told: Path) -> None:
    code = 1
    try:
        resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
        resource.setrlimit(resource.RLIMIT_AS, (MOST_BYTES, MOST_BYTES))
        path = told.parent / f"material.{case.format}"
        with told.open("a", buffering=1) as file:
            size = largest >> 3
            while size <= largest:
                path.write_bytes(case.made(size))
                seconds = min(_timed(path) for _ in range(best_of))
                file.write(f"{json.dumps([size, seconds])}\n")
                size *= 2
        code = 0
    except BaseException as error:
        print(case.name, repr(error)[:300], file=sys.stderr)
    finally:
        os._exit(code)


def _timed(path: Path) -> float:
    start = time.process_time()
    read(path)
    return time.process_time() - start


def main() -> int:
    """Measure what is named, or all; print what is wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*", metavar="NAME", help=", ".join(LETTERS))
    parser.add_argument("--largest", type=int, default=LARGEST >> 10, metavar="KB")
    parser.add_argument("--part", default="1/1", metavar="N/M", help="each M-th, from the N-th on")
    parser.add_argument("--best-of", type=int, default=1)
    parser.add_argument("--seconds", type=int, default=MOST_SECONDS, help="of CPU time, for a case")
    given = parser.parse_args()
    first, every = map(int, given.part.split("/"))
    chosen = [one for one in cases() if one.format in (given.names or LETTERS)][first - 1 :: every]
    largest = given.largest << 10
    _warm()
    wrong, slowest, most = 0, 0.0, 0
    start = time.monotonic()
    with multiprocessing.Pool(maxtasksperchild=50) as pool:
        work = [(case, largest, given.best_of, given.seconds) for case in chosen]
        for found in pool.imap_unordered(_measured, work, chunksize=2):
            slowest = max([slowest, *found.times.values()])
            most = max(most, found.memory)
            reason = found.is_wrong()
            if reason:
                wrong += 1
                told = ", ".join(f"{s >> 10} KB {t:.2f} s" for s, t in found.times.items())
                print(f"{found.case.name}: {reason} ({told}; {found.memory >> 10} MB)", flush=True)
    print(
        f"{len(chosen):,} cases up to {given.largest:,} KB in {time.monotonic() - start:.0f} s: "
        f"{wrong:,} wrong; the slowest took {slowest:.2f} s, the largest {most >> 10:,} MB"
    )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
