"""The jobs in `examples/jobs`: their commands give the tables that a person would make by hand."""

from __future__ import annotations

import re
import shlex
import shutil
from pathlib import Path

import openpyxl
import pytest

from tests.conftest import Tool

JOBS = Path(__file__).parents[1] / "examples" / "jobs"


@pytest.mark.parametrize("job", sorted(JOBS.iterdir()), ids=lambda job: job.name)
def test_a_job_gives_the_table_that_is_wanted(tool: Tool, tmp_path: Path, job: Path) -> None:
    shutil.copytree(job, tmp_path, dirs_exist_ok=True)
    commands = re.findall(r"^\$ flatledger (.*)$", (job / "job.md").read_text(), re.MULTILINE)
    assert commands
    for command in commands:
        done = tool(*shlex.split(command))
        assert done.returncode == 0, done.stderr
    wanted = sorted((job / "wanted").iterdir())
    assert wanted
    for file in wanted:
        made = (tmp_path / file.name).read_bytes().replace(b"\r\n", b"\n")
        assert made == file.read_bytes()


def test_dates_and_numbers_are_real_in_the_workbook(tool: Tool, tmp_path: Path) -> None:
    shutil.copytree(JOBS / "14-activities-in-a-workbook", tmp_path, dirs_exist_ok=True)
    assert tool("export", "activities.yaml", "plan.json").returncode == 0
    rows = list(openpyxl.load_workbook(tmp_path / "activities.xlsx").active.values)  # type: ignore[union-attr]
    assert [type(cell).__name__ for cell in rows[2]] == [
        *("str", "str", "datetime", "datetime", "float", "int")
    ]
    assert rows[-1][4] == 96.5
