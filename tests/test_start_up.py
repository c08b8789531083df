"""What is imported before a small export is written: half of its time."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

# of other formats, of the network, of drawing
NOT_NEEDED = {
    *("lxml", "ssl", "email", "http", "urllib.request", "xml", "sqlite3", "asyncio"),
    *("openpyxl", "xlsxwriter", "odf", "python_calamine", "pymarc", "PIL", "babel", "ruamel"),
    *("sqlalchemy", "pyarrow", "pandas", "matplotlib", "httpx", "platformdirs.android"),
    *(
        "flatledger.outputs.checking.verifying",
        "flatledger.sources.tables.tables",
        "flatledger.drafting",
    ),
}
PROGRAM = """
import sys
from flatledger.cli import main
try:
    main()
except SystemExit as end:
    assert not end.code, end.code
print(*sys.modules)
"""


def modules(*arguments: str) -> list[str]:
    """What the tool imports for some arguments."""
    command = [sys.executable, "-c", PROGRAM, *arguments]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    return done.stdout.splitlines()[-1].split()


def test_a_plain_export_imports_nothing_that_it_does_not_need(tmp_path: Path) -> None:
    layout, source = tmp_path / "lines.yaml", tmp_path / "lines.jsonl"
    layout.write_text("columns:\n  - No: no\n  - Fee: {value: fee, total: sum}\n", encoding="utf-8")
    source.write_text('{"no": 1, "fee": 2.50}\n', encoding="utf-8")
    export = ("export", str(layout), str(source), "-q", "-o", str(tmp_path / "lines.csv"))
    modules(*export)  # which keeps what it has read
    found = modules(*export, "--if-there", "replace")
    assert not NOT_NEEDED.intersection(found)
    assert len(found) < 540


@pytest.mark.parametrize("arguments", [["--help"], ["--version"]])
def test_help_imports_next_to_nothing(arguments: list[str]) -> None:
    found = modules(*arguments)
    assert not {"msgspec", "decimal", *NOT_NEEDED}.intersection(found)
    assert len(found) < 130
