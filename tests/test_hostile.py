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
MATERIAL: dict[str, Callable[[], bytes]] = {
    "comments.xml": lambda: b"<!-- a -->\n" * 5_000 + b"<!DOCTYPE r>\n<r><a>1</a><a>2</a></r>",
    "open-comments.xml": lambda: b"<!-- a" * 50_000 + b"<r/>",
    "attributes.xml": lambda: names(20_000, "<r><a ", "/></r>", 'b{0}="c" '),
    "brackets.jsonl": lambda: b"[1,\n" * 50_000,
    "unclosed.json": lambda: b'{"r": [' + b'[{"a":1}\n' * 20_000,
    "closed.json": lambda: b"[\n" * 900 + b"x\n" + b"]\n" * 900,
    "carriage.jsonl": lambda: b"{\n\r" * 20_000,
    "one-name.json": lambda: b'{"a":' * 900 + b"1" + b"}" * 900,
    "first-names.json": lambda: names(1_000, "[", "{}]", '{{"k{0}":1}},'),
    "quotes.csv": lambda: b'",' * 20_000,
    "quotes-in-lines.csv": lambda: b"a,b\n1,2\n" + b'",\n' * 60_000,
    "headings.csv": lambda: b"a," * 20_000 + b"a\n" + b"1," * 20_000 + b"1\n",
    "members.zip": lambda: zipped({f"{n}.json": '{"a":1}' for n in range(1_000)}),
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


@pytest.mark.parametrize("name", MATERIAL)
def test_a_hostile_file_is_read_in_time(tmp_path: Path, name: str) -> None:
    path = tmp_path / name
    path.write_bytes(MATERIAL[name]())
    assert ends(lambda: read(path)) == 0


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
