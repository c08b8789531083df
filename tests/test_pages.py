"""Pages of the documents: layouts give the tables that stand below them, and the rest runs."""

from __future__ import annotations

import io
import re
import shlex
import zipfile
from pathlib import Path
from typing import Any

import pytest

import flatledger
from flatledger.language import parse_expression
from tests.conftest import Tool

DOCS = Path(__file__).parents[1] / "docs"
PAGES = {
    name: (DOCS / f"{name}.md").read_text(encoding="utf-8")
    for name in ("trees", "sources", "catalogues", "photographs")
}
TABLES = [
    (name, *found)
    for name, page in PAGES.items()
    for found in re.findall(r"```yaml\n# over (\S+)\n(.*?)```\n\n```csv\n(.*?)```", page, re.DOTALL)
]


def test_each_layout_of_the_pages_has_a_table() -> None:
    assert len(TABLES) == sum(page.count("```yaml") for page in PAGES.values()) > 8


@pytest.mark.parametrize(("page", "source", "text", "wanted"), TABLES)
def test_a_layout_of_a_page_gives_its_table(
    demo: Path, page: str, source: str, text: str, wanted: str
) -> None:
    layout = flatledger.Layout.from_text(text, folder=demo)
    made = io.BytesIO()
    balance = flatledger.export(layout, demo / source, made)
    assert balance.balanced
    assert not balance.faults
    assert made.getvalue().decode().replace("\r\n", "\n") == wanted


def test_the_functions_of_the_page_are_in_the_language() -> None:
    page = PAGES["trees"]
    table = page[page.index("| function |") : page.index("They are about the node")]
    written = re.findall(r"^\| `([^`]+)`", table, re.MULTILINE)
    assert len(written) > 10
    for code in written:
        parse_expression(code)


def test_the_commands_of_the_page_on_sources_give_one_table(demo: Path, tool: Tool) -> None:
    with zipfile.ZipFile(demo / "requisitions-by-month.zip") as packed:
        for month, name in (("2026-01", "january"), ("2026-02", "february")):
            for called in (month, name):
                (demo / f"{called}.jsonl").write_bytes(packed.read(f"{month}.jsonl"))
    commands = re.findall(r"^\$ flatledger (.*)", PAGES["sources"], re.MULTILINE)
    tables = []
    for command in commands:
        done = tool(*shlex.split(command))
        assert done.returncode == 0, (command, done.stderr)
        tables.append((demo / "lines.csv").read_text("utf-8"))
    two_months, pattern, whole, of_the_zip = tables
    assert two_months == pattern == of_the_zip
    flatledger.export(
        demo / "requisition-lines.yaml", demo / "requisitions.jsonl", demo / "plain.csv"
    )
    assert whole == (demo / "plain.csv").read_text("utf-8")


def test_the_programs_of_the_page_on_sources_run(demo: Path, monkeypatch: Any) -> None:
    monkeypatch.chdir(demo)
    import sqlite3

    with sqlite3.connect("orders.db") as orders:
        orders.execute("create table lines (no, qty, price)")
        orders.execute("insert into lines values ('R-1', 2, 10)")
    orders.close()
    Path("layout.yaml").write_text("columns: [{No: no}, {Qty: qty}]", encoding="utf-8")
    names: dict[str, Any] = {}
    for block in re.findall(r"```python\n(.*?)```", PAGES["sources"], re.DOTALL):
        exec(compile(block, "sources.md", "exec"), names)
    assert Path("lines.csv").read_text("utf-8").splitlines() == ["No,Qty", "R-1,2"]
    names["orders"].connection.close()
    found = list(names["TideTable"]().records(io.BytesIO(b"TIDES\nHolm 12\nGull high\n")))
    assert found[0] == {"place": "Holm", "height": "12"}
    assert found[1].reason == "has no height"
