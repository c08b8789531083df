"""What was parsed before is found again, nothing hangs on it, and nobody else can change it."""

from __future__ import annotations

import json
import os
import random
import subprocess
import sys
from pathlib import Path

import pytest
from fuzz.expressions import expression

from flatledger.api.kept import Kept
from flatledger.api.parsed_before import ParsedBefore, parsed_before
from flatledger.errors import ExpressionError
from flatledger.language import nodes as n
from flatledger.language.parser import parse_expression, parse_sort_key
from flatledger.language.plain_nodes import from_plain, to_plain

TEXTS = ["a * 2 + b", "raised >= date '2026-03-01'", "lines[?@.k=='v'].x", "case when a then 1 end"]
VALUES = ["interval '30' hour", "interval '1' day", "timestamp '2026-03-01T10:00:00.5+02:00'"]


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    with parsed_before():
        parse_expression("a * 3")
    return tmp_path / "flatledger"


def is_found(folder: Path) -> bool:
    return ParsedBefore(Kept(folder)).find("expression", "a * 3") is not None


def file_in(folder: Path) -> Path:
    (file,) = folder.glob("expressions-*.json")
    return file


def test_what_was_parsed_before_is_the_same(folder: Path) -> None:
    first = [parse_expression(text) for text in TEXTS]
    for _ in range(2):
        with parsed_before():
            assert [parse_expression(text) for text in TEXTS] == first
            assert isinstance(parse_sort_key("a * 2 + b desc"), n.SortKey)
            with pytest.raises(ExpressionError):
                parse_expression("a *")
    kept = ParsedBefore(Kept(folder))
    assert [kept.find("expression", text) for text in TEXTS] == first
    assert kept.find("expression", "a *") is None


@pytest.mark.parametrize("seed", range(20))
def test_nodes_are_the_same_after_they_were_plain(seed: int) -> None:
    chance = random.Random(seed)
    texts = [expression(chance) for _ in range(100)]
    for text in [*texts, *TEXTS, *VALUES]:
        try:
            node = parse_expression(text)
        except ExpressionError:
            continue
        again = from_plain(json.loads(json.dumps(to_plain(node))))
        assert repr(again) == repr(node)  # with the classes of its values
        assert again == node
        for one, other in zip(node.walk(), again.walk(), strict=True):
            days = [getattr(getattr(part, "value", None), "days", None) for part in (one, other)]
            assert days[0] == days[1]


def test_a_second_run_does_not_wake_the_grammar(tmp_path: Path) -> None:
    (tmp_path / "s.jsonl").write_text('{"a": 2}\n')
    (tmp_path / "l.yaml").write_text("columns: [{A: a * 2}]\n")
    (tmp_path / "run.py").write_text(
        "import sys\nfrom flatledger.cli import main\n"
        "sys.argv = ['flatledger', 'export', '-q', 'l.yaml', 's.jsonl', '-o', '-']\n"
        "try:\n    main()\nfinally:\n    print('lark' in sys.modules, file=sys.stderr)\n"
    )

    def run() -> tuple[str, str]:
        done = subprocess.run(
            [sys.executable, "run.py"],
            cwd=tmp_path,
            env={**os.environ, "XDG_CACHE_HOME": str(tmp_path / "cache")},
            capture_output=True,
            text=True,
            check=True,
        )
        return done.stdout, done.stderr.split()[-1]

    assert run() == ("A\n4\n", "True")
    assert run() == ("A\n4\n", "False")
    file = file_in(tmp_path / "cache" / "flatledger")
    good = file.read_bytes()
    minus = good.replace(b'"*"', b'"-"')  # which would make another table of it
    assert minus != good
    for damaged in (b"", b"nonsense\n{}", b"[1]", minus):
        file.write_bytes(damaged)
        assert run()[0] == "A\n4\n"


def test_a_grammar_that_was_built_before_parses_the_same(folder: Path) -> None:
    code = (
        "import sys, flatledger.api\nfrom flatledger.language import parser\nimport lark\n"
        "from flatledger.language.notations import notation_of\n"
        "made = []\nbuild = lark.Lark.__init__\n"
        "lark.Lark.__init__ = lambda self, *a, **k: (made.append(1), build(self, *a, **k))[1]\n"
        f"for text in {TEXTS!r}: print(repr(parser.parse_expression(text)))\n"
        "print(repr(parser.parse_expression('245$a || LDR/06', notation_of('marc'))), len(made))"
    )

    def run() -> list[str]:
        done = subprocess.run(
            [sys.executable, "-c", code],
            env={**os.environ, "XDG_CACHE_HOME": str(folder.parent / "new")},
            capture_output=True,
            text=True,
            check=True,
        )
        return done.stdout.splitlines()

    first, second = run(), run()
    assert first[-1].endswith(" 2")
    assert second[-1].endswith(" 0")
    assert first[:-1] == second[:-1] == [repr(parse_expression(text)) for text in TEXTS]
    assert first[-1][:-1] == second[-1][:-1]


@pytest.mark.parametrize("mode", [0o777, 0o770, 0o750, 0o705])
def test_a_folder_that_others_may_look_into_is_not_used(folder: Path, mode: int) -> None:
    assert is_found(folder)
    file_in(folder).unlink()
    folder.chmod(mode)
    with parsed_before():
        parse_expression("a * 3")
    assert [*folder.glob("expressions-*.json")] == []
    folder.chmod(0o700)
    assert not is_found(folder)


def test_nothing_is_read_or_written_through_a_link(folder: Path) -> None:
    file, other = file_in(folder), folder.parent / "other"
    file.rename(other)
    file.symlink_to(other)
    assert not is_found(folder)
    before = other.read_bytes()
    with parsed_before():
        parse_expression("a * 4")
    assert other.read_bytes() == before
    assert not file.is_symlink()  # the link has gone, not what it led to
    real = folder.rename(folder.parent / "real")
    folder.symlink_to(real)
    assert not is_found(folder)


def test_a_file_of_another_user_is_not_read(folder: Path) -> None:
    if os.geteuid() != 0:
        pytest.skip("only root gives files away")
    os.chown(file_in(folder), 12345, -1)
    assert not is_found(folder)
    os.chown(file_in(folder), 0, -1)
    assert is_found(folder)
    os.chown(folder, 12345, -1)
    assert not is_found(folder)


def test_each_byte_of_it_counts(folder: Path) -> None:
    file = file_in(folder)
    whole = file.read_bytes()
    for at in range(len(whole)):
        file.write_bytes(whole[:at] + bytes([whole[at] ^ 1]) + whole[at + 1 :])
        assert not is_found(folder)
        file.write_bytes(whole[:at])
        assert not is_found(folder)
