"""What is read, cleaned and written ends in time, whatever it is: within 10 s in a child process.

`make hostile` measures that twice the size takes about twice as long, over all that can be made of
each format's letters.
"""

from __future__ import annotations

import os
import resource
import sys
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest
from fuzz.hostile import cases, read

import flatledger
from flatledger import FlatLedgerError
from flatledger.outputs.formats import format_of
from tests.test_memory import names, zipped

SECONDS = 10
EACH, SIZE = 520, 24 << 10  # one of so many of the cases that are made, and how large
MATERIAL: dict[str, tuple[int, Callable[[int], bytes]]] = {
    "comments.xml": (5_000, lambda n: b"<!-- a -->\n" * n + b"<!DOCTYPE r>\n<r><a>1</a></r>"),
    "open-comments.xml": (50_000, lambda n: b"<!-- a" * n + b"<r/>"),
    "attributes.xml": (20_000, lambda n: names(n, "<r><a ", "/></r>", 'b{0}="c" ')),
    "brackets.jsonl": (50_000, lambda n: b"[1,\n" * n),
    "unclosed.json": (20_000, lambda n: b'{"r": [' + b'[{"a":1}\n' * n),
    "closed.json": (900, lambda n: b"[\n" * n + b"x\n" + b"]\n" * n),
    "carriage.jsonl": (20_000, lambda n: b"{\n\r" * n),
    "one-name.json": (900, lambda n: b'{"a":' * n + b"1" + b"}" * n),
    "first-names.json": (1_000, lambda n: names(n, "[", "{}]", '{{"k{0}":1}},')),
    "quotes.csv": (20_000, lambda n: b'",' * n),
    "quotes-in-lines.csv": (60_000, lambda n: b"a,b\n1,2\n" + b'",\n' * n),
    "headings.csv": (20_000, lambda n: b"a," * n + b"a\n" + b"1," * n + b"1\n"),
    "members.zip": (1_000, lambda n: zipped({f"{k}.json": '{"a":1}' for k in range(n)})),
}
LONG = 200_000
TEXTS = {
    "blanks": " " * LONG + "x",
    "digits": "1" * LONG,
    "marks": "1." * LONG,
    "groups": "1,111" * LONG,
    "letters": "a" * LONG + " 5",
    "hyphens": "-" * LONG + "5",
    "tags": "<a \"'" * LONG,
    "comments": "<!--" * LONG,
    "references": "&#" + "1" * LONG,
    "declarations": "<![" * LONG,
    "lines": " \n" * LONG,
    "brackets": "(" * LONG + "5",
}
EXPRESSIONS = (
    *("mentions(a, 'lamp oil')", "mentions(a, '- -')", "trim(a)", "a like '%x%y%'"),
    *("a like_regex '(a|aa)+b'", "cast(a as decimal)", "cast(a as date)", "cast(a as interval)"),
    *("all_parts(a, ',')", "upper(a) || a", "a in period '2026'", "substring(a from 3)"),
)
CLEANED = {
    "value": "a",
    "clean": ["strip-markup", "single-line", "collapse", "trim", "nfc"],
}
AMOUNT = {"value": "a", "reads": "amount"}


def ends(work: Callable[[], object]) -> int:
    """How a child process ends that does some work; it has no longer than it may take."""
    child = os.fork()
    if child == 0:
        code = 1
        try:
            resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
            work()
            code = 0
        except BaseException as error:
            print(f"{error!r:.300}", file=sys.stderr)
        finally:
            os._exit(code)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])


def steps(work: Callable[[], object]) -> int:
    """How many functions are called by some work."""
    count = 0

    def look(*_: Any) -> None:
        nonlocal count
        count += 1

    before = sys.getprofile()
    sys.setprofile(look)
    try:
        work()
    finally:
        sys.setprofile(before)
    return count


@pytest.mark.parametrize("name", MATERIAL)
def test_a_hostile_file_is_read_in_time(tmp_path: Path, name: str) -> None:
    path = tmp_path / name
    size, make = MATERIAL[name]
    path.write_bytes(make(size))
    assert ends(lambda: read(path)) == 0


# what is as wide as it is long: each record has a column of its own, which all others lack
SQUARE = {"first-names.json"}
WIDE = {"headings.csv", "attributes.xml"}  # of which each column takes long


@pytest.mark.parametrize("name", [one for one in MATERIAL if one not in SQUARE])
def test_twice_the_size_takes_about_twice_the_steps(tmp_path: Path, name: str) -> None:
    """Calls of functions, ours and the system's, are counted: no clock is asked."""
    path = tmp_path / name
    size, make = MATERIAL[name]
    counts = []
    size //= 128 if name in WIDE else 32
    for part in (size, size // 2, size):  # the first loads what is loaded once
        path.write_bytes(make(part))
        counts.append(steps(lambda: read(path)))
    assert counts[2] < 2.5 * counts[1]


def test_what_is_made_of_a_format_s_own_letters_is_read_in_time(tmp_path: Path) -> None:
    for case in [*cases()][::EACH]:
        path = tmp_path / f"material.{case.format}"
        path.write_bytes(case.made(SIZE))
        assert ends(lambda path=path: read(path)) == 0, case  # type: ignore[misc]


@pytest.mark.parametrize("name", TEXTS)
def test_a_long_text_is_cleaned_calculated_and_written_in_time(tmp_path: Path, name: str) -> None:
    columns: list[Any] = [{f"C{n}": one} for n, one in enumerate(EXPRESSIONS)]
    layout = {"columns": [*columns, {"Cleaned": CLEANED}, {"Amount": AMOUNT}]}

    def work() -> None:
        with suppress(FlatLedgerError):
            list(flatledger.table(layout, [{"a": TEXTS[name]}]))
        for suffix in ("csv", "xlsx", "ods", "json", "html", "md"):
            place = tmp_path / f"t.{suffix}"
            assert format_of(place.name, "").name
            with suppress(FlatLedgerError):
                flatledger.export({"columns": [{"A": "a"}]}, [{"a": TEXTS[name]}], place)

    assert ends(work) == 0
