"""docs/trees.md: its layouts give the tables that stand below them, and its functions are there."""

from __future__ import annotations

import io
import re
from pathlib import Path

import pytest

import flatledger
from flatledger.language import parse_expression

PAGE = (Path(__file__).parents[1] / "docs" / "trees.md").read_text(encoding="utf-8")
TABLES = re.findall(r"```yaml\n# over (\S+)\n(.*?)```\n\n```csv\n(.*?)```", PAGE, re.DOTALL)


@pytest.mark.parametrize("number", range(PAGE.count("```yaml")))
def test_a_layout_of_the_page_gives_its_table(demo: Path, number: int) -> None:
    source, text, wanted = TABLES[number]
    layout = flatledger.Layout.from_text(text, folder=demo)
    made = io.BytesIO()
    balance = flatledger.export(layout, demo / source, made)
    assert balance.balanced
    assert not balance.faults
    assert made.getvalue().decode().replace("\r\n", "\n") == wanted


def test_the_functions_of_the_page_are_in_the_language() -> None:
    table = PAGE[PAGE.index("| function |") : PAGE.index("They are about the node")]
    written = re.findall(r"^\| `([^`]+)`", table, re.MULTILINE)
    assert len(written) > 10
    for code in written:
        parse_expression(code)
