"""What was parsed before is found again, and nothing hangs on it."""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
from pathlib import Path

import pytest

from flatledger.api.parsed_before import ParsedBefore, parsed_before
from flatledger.errors import ExpressionError
from flatledger.language import nodes as n
from flatledger.language.parser import parse_expression, parse_sort_key

TEXTS = ["a * 2 + b", "raised >= date '2026-03-01'", "lines[?@.k=='v'].x", "case when a then 1 end"]


def test_what_was_parsed_before_is_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    first = [parse_expression(text) for text in TEXTS]
    for _ in range(2):
        with parsed_before():
            assert [parse_expression(text) for text in TEXTS] == first
            assert isinstance(parse_sort_key("a * 2 + b desc"), n.SortKey)
            with pytest.raises(ExpressionError):
                parse_expression("a *")
    (file,) = (tmp_path / "flatledger").glob("expressions-*.pickle")
    kept = ParsedBefore(file.parent)
    assert all(
        kept.find(("expression", text)) == node for text, node in zip(TEXTS, first, strict=True)
    )
    assert kept.find(("expression", "a *")) is None


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
    (file,) = (tmp_path / "cache" / "flatledger").glob("expressions-*.pickle")
    for damaged in (b"", b"\x80\x05nonsense", pickle.dumps([1]), pickle.dumps({1: 2})):
        file.write_bytes(damaged)
        assert run()[0] == "A\n4\n"


def test_what_others_can_write_is_not_read(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    with parsed_before():
        parse_expression("a * 3")
    folder = tmp_path / "flatledger"
    (file,) = folder.glob("expressions-*.pickle")
    assert ParsedBefore(folder).find(("expression", "a * 3")) is not None
    for lax in (folder, file):
        mode = lax.stat().st_mode
        lax.chmod(0o777)
        assert ParsedBefore(folder).find(("expression", "a * 3")) is None
        lax.chmod(mode)
