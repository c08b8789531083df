"""docs/first-table.md, followed as it is written."""

from __future__ import annotations

import re
import shlex
from pathlib import Path

import pytest

import flatledger
from tests.conftest import Tool

PAGE = (Path(__file__).parents[1] / "docs" / "first-table.md").read_text(encoding="utf-8")


def test_the_first_table_can_be_made_as_it_is_written(tool: Tool, demo: Path) -> None:
    said = {}
    for kind, text in re.findall(r"```(console|yaml)\n(.*?)```", PAGE, re.DOTALL):
        if kind == "yaml":
            name = text.removeprefix("# ").split("\n", 1)[0]
            drafted = name != "first-layout.yaml"  # which is typed as it stands
            assert (demo / name).exists() == drafted, "it was drafted before it is edited"
            (demo / name).write_text(text, encoding="utf-8")
            continue
        for command in re.findall(r"^\$ flatledger (.*)$", text, re.MULTILINE):
            done = tool(*shlex.split(command))
            assert done.returncode == 0, done.stderr
            said[command] = done.stdout + done.stderr
    assert len(said) >= 16
    exported = said["export received.yaml requisitions.jsonl"]
    assert "agree. No faults." in exported
    assert "Drift" not in exported
    rows = (demo / "received.csv").read_text(encoding="utf-8").splitlines()
    assert rows[-1].startswith("Grand total;")
    assert "the 24 of statements" in said["survey drills.json"]
    assert (demo / "april.csv").read_text(encoding="utf-8").count("2026-04") > 5
    for picture in re.findall(r"\]\((screenshots/.*?)\)", PAGE):
        assert (Path(__file__).parents[1] / "docs" / picture).exists()


@pytest.mark.parametrize("name", flatledger.__all__)
def test_every_public_name_is_there(name: str) -> None:
    found = getattr(flatledger, name)
    assert name in ALIASES or found.__name__ == name


ALIASES = {"AnyLayout", "AnySource", "Destination", "IfThere", "Progress", "Row"}
