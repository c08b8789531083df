"""What the README shows runs as it stands there."""

from __future__ import annotations

import doctest
import re
import shlex
from importlib.util import module_from_spec, spec_from_file_location
from pathlib import Path
from typing import Any

import pytest

import flatledger
from flatledger.demo import copy_to
from tests.conftest import Tool

ROOT = Path(__file__).parents[1]
README = (ROOT / "README.md").read_text(encoding="utf-8")
PAGES = [
    README,
    *((ROOT / "docs" / f"{name}.md").read_text("utf-8") for name in ("running", "python")),
]


def blocks(language: str) -> list[str]:
    """The blocks of code in a language, of the README and of the pages that go on from it."""
    return [
        block
        for page in PAGES
        for block in re.findall(rf"```{language}\n(.*?)```", page, re.DOTALL)
    ]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A folder as the README has it: the samples, and the first layout."""
    copy_to(tmp_path / "demo-files")
    (tmp_path / "first-layout.yaml").write_text(blocks("yaml")[0], encoding="utf-8")
    return tmp_path


def test_the_python_examples_run(
    folder: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(folder)
    names: dict[str, Any] = {}
    for block in blocks("python"):
        exec(compile(block, "README.md", "exec"), names)
    assert "'R-0012', 'Hollow Isle'" in capsys.readouterr().out
    assert names["lines"].num_rows == names["balance"].rows


def test_the_commands_run(folder: Path, tool: Tool) -> None:
    (folder / "conditions").mkdir()
    for block in blocks("console"):
        for command in re.findall(r"^\$ (flatledger (?:\\\n|.)*)", block, re.MULTILINE):
            line = command.replace("\\\n", " ")
            done = tool(*shlex.split(line)[1:])
            assert done.returncode == 0, (command, done.stderr)


def test_the_version_is_that_of_the_changelog() -> None:
    changelog = (ROOT / "CHANGELOG.md").read_text(encoding="utf-8")
    assert re.findall(r"^## (\S+)", changelog, re.MULTILINE)[0] == flatledger.__version__


def test_the_readme_is_short_and_what_it_links_to_is_there() -> None:
    assert len(README.splitlines()) < 150
    pages = [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]
    for page in pages:
        for place in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", page.read_text("utf-8")):
            assert (page.parent / place).exists(), (page.name, place)
    pictures = {file.name for file in (ROOT / "docs" / "screenshots").iterdir()}
    assert pictures == set(re.findall(r"docs/screenshots/([\w-]+\.png)", README))
    assert len(pictures) < 20


def test_the_list_of_messages_is_the_one_of_the_code() -> None:
    spec = spec_from_file_location("list_messages", ROOT / "docs" / "list_messages.py")
    assert spec is not None
    assert spec.loader is not None
    made = module_from_spec(spec)
    spec.loader.exec_module(made)
    listed = (ROOT / "docs" / "messages.md").read_text("utf-8")
    assert listed == made.page(), "`make messages` writes it anew: read it through"


HOW_TO = (ROOT / "docs" / "how-to.md").read_text(encoding="utf-8")
QUESTIONS = re.findall(
    r"^## (.*?)\n.*?```csv\n(.*?)```.*?```yaml\n(.*?)```.*?```text\n(.*?)```", HOW_TO, re.M | re.S
)


@pytest.mark.parametrize(("question", "source", "layout", "table"), QUESTIONS)
def test_each_answer_gives_what_it_shows(
    question: str, source: str, layout: str, table: str, tmp_path: Path
) -> None:
    (tmp_path / "source.csv").write_text(source, encoding="utf-8")
    made = flatledger.Layout.from_text(layout)
    balance = flatledger.export(made, tmp_path / "source.csv", tmp_path / "table.csv")
    assert (tmp_path / "table.csv").read_bytes().decode().splitlines() == table.splitlines()
    assert (balance.balanced, balance.fault_count) == (True, 0), question


def test_each_rule_does_what_its_example_shows() -> None:
    page = ROOT / "docs" / "rules.md"
    found = doctest.testfile(str(page), module_relative=False, encoding="utf-8")
    assert found.failed == 0
    assert found.attempted > 20
    numbers = [int(one) for one in re.findall(r"\*\*(\d+)", page.read_text("utf-8"))]
    assert numbers == list(range(1, 33))


def test_every_question_is_tried() -> None:
    assert len(QUESTIONS) == HOW_TO.count("\n## ") >= 6


def test_rules_that_are_cited_are_there() -> None:
    """What code cites stands in docs/rules.md, and nothing else is cited by numbers."""
    page = (ROOT / "docs" / "rules.md").read_text("utf-8")
    there = {*re.findall(r"^\*\*(\d+)\. ", page, re.MULTILINE)}
    assert len(there) == 28
    cited = set[str]()
    for file in [*(ROOT / "src").rglob("*.py"), *(ROOT / "tests").rglob("*.py")]:
        text = file.read_text("utf-8")
        for found in re.findall(r"\brules? (\d+(?:(?:, | and | to )\d+)*)|rules\.md, (\d+)", text):
            cited |= {*re.findall(r"\d+", " ".join(found))}
    assert len(cited) > 15
    assert cited <= there
