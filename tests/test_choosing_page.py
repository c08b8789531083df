"""docs/choosing.md: its layouts run over the sample data, and its table is in the language."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

import flatledger
from flatledger.language import parse_expression

PAGE = (Path(__file__).parents[1] / "docs" / "choosing.md").read_text(encoding="utf-8")
LAYOUTS = re.findall(r"```yaml\n(.*?)```", PAGE, re.DOTALL)


@pytest.mark.parametrize("number", range(len(LAYOUTS)))
def test_a_layout_of_the_page_runs(demo: Path, number: int) -> None:
    if "sv-SE" in LAYOUTS[number]:
        pytest.importorskip("icu")
    text = f"row-per: lines\ncolumns: [{{No: no}}, {{Part: lines.part.code}}]\n{LAYOUTS[number]}"
    if number in (2, 3):
        text = text.replace("row-per: lines\n", "").replace("lines.part.code", "first(lines.no)")
    layout = flatledger.Layout.from_text(text, folder=demo)
    ask = {"when": "2026"} if ":when" in text else None
    rows = flatledger.table(layout, demo / "requisitions.jsonl", ask=ask)
    list(rows)
    assert rows.balance.balanced
    assert rows.balance.remaining > 0


def test_the_table_of_conditions_is_in_the_language() -> None:
    table = PAGE[PAGE.index("| what is wanted") : PAGE.index("A **period** is")]
    written = [code for line in table.splitlines()[2:] for code in re.findall(r"`([^`]+)`", line)]
    assert len(written) > 10
    for code in written:
        parse_expression(code)
