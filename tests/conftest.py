"""What the tests share: layouts in a line or two, and the tool as a process."""

from __future__ import annotations

import datetime as dt
import gc
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

import flatledger
from flatledger import Layout
from flatledger.api.layout import AnyLayout
from flatledger.demo import copy_to
from flatledger.layout.model.model import SettledLayout
from flatledger.layout.settling.settling import Given, settle
from tests.forked_tool import ForkedTool

os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()  # what was last written is not the user's
settings.register_profile("untimed", deadline=None)  # speed is measured by `make bench`
settings.load_profile("untimed")

collect_ignore = ["spreadsheet_typing.py"]  # which another Python runs
FORKED = ForkedTool()


def pytest_collection_finish() -> None:
    """What is loaded by now stays: it need not be looked through for garbage again and again."""
    gc.collect()
    gc.freeze()


TODAY = dt.date(2026, 3, 31)
Tool = Callable[..., subprocess.CompletedProcess[str]]


def table(layout: dict[str, Any], records: list[Any]) -> tuple[list[tuple[Any, ...]], Any]:
    """The rows of a layout over records, and the balance."""
    rows = flatledger.table(layout, records)
    return list(rows.rows(totals=True)), rows.balance


def settled(layout: AnyLayout) -> SettledLayout:
    """A layout with nothing open, on a certain day."""
    return settle(Layout.of(layout).request, Given({}, dt.datetime.combine(TODAY, dt.time())))


def until(there: Callable[[], object], seconds: int = 120) -> None:
    """Wait until something is so, however slow the machine is."""
    for _ in range(seconds * 100):
        if there():
            return
        time.sleep(0.01)
    raise TimeoutError(f"it was not so within {seconds} s")


@pytest.fixture
def tool(tmp_path: Path) -> Tool:
    """Run the command-line tool in a folder of its own."""

    def run(
        *arguments: str, stdin: bytes = b"", **variables: str
    ) -> subprocess.CompletedProcess[str]:
        places = {
            f"XDG_{one}_HOME": str(tmp_path / "home" / one) for one in ("DATA", "CONFIG", "STATE")
        }
        environment = {**os.environ, **places, **variables}
        if any(name.startswith("PYTHON") for name in variables):  # for Python itself
            command = [sys.executable, "-m", "flatledger", *arguments]
            done = subprocess.run(
                command, cwd=tmp_path, env=environment, input=stdin, capture_output=True
            )
            code, out, err = done.returncode, done.stdout, done.stderr
        else:
            code, out, err = FORKED.run(arguments, tmp_path, environment, stdin)
        said = err.decode()
        assert "Traceback" not in said, said
        assert "should not happen" not in said, said
        return subprocess.CompletedProcess(arguments, code, out.decode("utf-8", "replace"), said)

    return run


@pytest.fixture
def demo(tmp_path: Path) -> Path:
    """A folder with the sample data and layouts."""
    copy_to(tmp_path)
    return tmp_path
