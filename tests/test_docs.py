"""What the documents show runs as it stands there, and answers what people ask."""

from __future__ import annotations

import doctest
import re
import shlex
from importlib.metadata import version
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
FIRST_TABLE = (ROOT / "docs" / "first-table.md").read_text(encoding="utf-8")


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
    (first,) = re.findall(r"```yaml\n(# first-layout.yaml.*?)```", FIRST_TABLE, re.DOTALL)
    (tmp_path / "first-layout.yaml").write_text(first, encoding="utf-8")
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
    assert len(README.splitlines()) < 75
    pages = [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]
    for page in pages:
        for place in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", page.read_text("utf-8")):
            assert (page.parent / place).exists(), (page.name, place)
    pictures = {file.name for file in (ROOT / "docs" / "screenshots").iterdir()}
    shown = (ROOT / "docs" / "pictures.md").read_text("utf-8")
    assert "docs/pictures.md" in README
    assert pictures == set(re.findall(r"screenshots/([\w-]+\.png)", shown))
    assert len(pictures) < 20


HOW_TO = (ROOT / "docs" / "how-to.md").read_text(encoding="utf-8")
UNDERSTANDING = (ROOT / "docs" / "understanding.md").read_text(encoding="utf-8")
ANSWERS = {
    title: re.findall(r"```([^\n]*)\n(.*?)```", body, re.DOTALL)
    for page in (HOW_TO, UNDERSTANDING)
    for title, _, body in (one.partition("\n") for one in re.split(r"^## ", page, flags=re.M)[1:])
}
RUN = {title: blocks for title, blocks in ANSWERS.items() if any(b[0] == "yaml" for b in blocks)}


@pytest.mark.parametrize("title", RUN)
def test_each_answer_gives_what_it_shows(title: str, tmp_path: Path, tool: Tool) -> None:
    sources, commands, expected = [], [], ""
    for info, text in RUN[title]:
        language, _, name = info.partition(" ")
        if language in ("csv", "json"):
            sources.append(name or f"source.{language}")
            (tmp_path / sources[-1]).write_text(text, encoding="utf-8")
        elif language == "yaml":
            (tmp_path / (name or "layout.yaml")).write_text(text, encoding="utf-8")
        elif language == "console":
            commands = re.findall(r"^\$ flatledger (.*)", text, re.MULTILINE)
        elif language == "text":
            expected = text
    for command in commands or [f"export layout.yaml {sources[0]} -o -"]:
        done = tool(*shlex.split(command))
        assert done.returncode == 0, done.stderr
    assert done.stdout.splitlines() == expected.splitlines()


# questions of a records administrator, and how the index puts each
ASKED = {
    "decimal commas in and out": "decimal comma",
    "dates in two forms": "several forms",
    "thousands marks": "Thousands",
    "leading zeros": "leading zeros",
    "only last month": "only last month",
    "asked each month": "another one each time",
    "another station": "another station",
    "a list of numbers": "list of numbers",
    "totals only": "totals only",
    "no total rows": "without any total rows",
    "mean and sum": "mean and the sum",
    "sort A2 before A10": "A2 before A10",
    "a record above its lines": "its lines below it",
    "two columns from one list": "two columns from one list",
    "a column for each key": "column for each key",
    "look up a name": "look up a name",
    "two look-ups in a row": "what another lookup has found",
    "several sheets": "certain sheets",
    "several files": "several files as one",
    "the receiver's form": "has a form",
    "semicolons and no heading": "semicolons, no heading",
    "share a layout": "share a layout",
    "run it every night": "every night",
    "undo a replaced table": "replaced a table by mistake",
    "compare with last month": "compare this month",
    "why more rows than lines": "more rows than lines",
    "why the sum differs": "add up more than the table",
    "a blank cell": "cell blank",
}


def anchor(heading: str) -> str:
    """What a heading is linked by."""
    return re.sub(r"[^\w\- ]", "", heading.lower()).replace(" ", "-")


@pytest.mark.parametrize("question", ASKED)
def test_each_question_is_answered_in_three_steps(question: str) -> None:
    """From the index to a heading, and there to a layout that runs or to words."""
    entries = dict(re.findall(r"^- \[(.*?)\]\((.*?)\)$", HOW_TO, re.MULTILINE))
    (entry,) = [one for one in entries if ASKED[question] in one]
    page, _, place = entries[entry].partition("#")
    text = (ROOT / "docs" / page).read_text("utf-8") if page else HOW_TO
    headings = {anchor(one): one for one in re.findall(r"^##+ (.*)$", text, re.MULTILINE)}
    assert not place or place in headings, place
    assert page or headings[place] in RUN


def test_every_layout_of_the_documents_can_be_read(tmp_path: Path) -> None:
    """Those that run are run elsewhere; the others are whole but for their columns."""
    copy_to(tmp_path)
    for name in ("base.yaml", "form.csv", "wanted.csv", "last-month.csv", "districts.csv"):
        (tmp_path / name).write_text(
            "columns: [No: no]\n" if ".yaml" in name else "No,District\nA,N\n"
        )
    count = 0
    for page in (ROOT / "docs").glob("*.md"):
        for block in re.findall(r"```yaml[^\n]*\n(.*?)```", page.read_text("utf-8"), re.DOTALL):
            if "{use:" not in block:  # what is on nobody's shelf
                whole = block if "columns:" in block else f"{block}columns: [No: no]\n"
                flatledger.Layout.from_text(whole, folder=tmp_path)
                count += 1
    assert count > 50


def test_links_lead_to_headings_that_are_there() -> None:
    for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
        for place, heading in re.findall(r"\]\(([^)#:]*)#([^)]+)\)", page.read_text("utf-8")):
            text = (page.parent / place if place else page).read_text("utf-8")
            headings = re.findall(r"^##+ (.*)$", text, re.MULTILINE)
            assert heading in {*map(anchor, headings)}, (page.name, place, heading)


@pytest.mark.parametrize("name", ["messages", "keys", "commands"])
def test_what_is_read_off_the_code_is_as_the_code_has_it(
    name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    tested = re.search(r"^click==(\S+)$", (ROOT / "constraints.txt").read_text(), re.MULTILINE)
    if name == "commands" and (tested is None or tested[1] != version("click")):
        pytest.skip("another version of click sets the help otherwise")
    monkeypatch.setenv("NO_COLOR", "1")
    listed = (ROOT / "docs" / f"{name}.md").read_text("utf-8")
    assert listed == lister(name).page(), "`make messages` writes it anew: read it through"


def lister(name: str) -> Any:
    """The script that lists some of the code."""
    spec = spec_from_file_location(f"list_{name}", ROOT / "docs" / f"list_{name}.py")
    assert spec is not None
    assert spec.loader is not None
    made = module_from_spec(spec)
    spec.loader.exec_module(made)
    return made


OF_KEYS = "columns-from: a, named-by: a.k, value: a.v"
BESIDE = {  # what an example of a key goes with, by its section
    "column": {
        "value": "",
        "text": "",
        "columns-from": "named-by: lines.options.key, value: lines.options.value",
        "named-by": "columns-from: lines.options, value: lines.options.value",
        "values": "columns-from: payments, named-by: ordinal(payments)",
        **dict.fromkeys(("keys", "labels", "at-most"), OF_KEYS),
        "rounding": "value: no, decimals: 2",
        **dict.fromkeys(("reads", "format"), "value: no, datatype: date"),
        **dict.fromkeys(("aligned", "separator-in-value"), "value: no, separator: pipe"),
    },
    "group key": {
        **dict.fromkeys(("heading", "subtotals", "label", "detail"), "by: No"),
        "page-break": "by: No, heading: row",
    },
    "group": {"order": "by: [No]", "reopened": "by: [No], order: as-met"},
    "take": {"first": "of: records", "every": "of: records", "of": "first: 2"},
}


def test_every_key_is_listed_and_its_example_is_a_layout(tmp_path: Path) -> None:
    made = lister("keys")
    assert {name: {*keys} for name, keys in made.declared().items()} == {
        name: {*keys} for name, keys in made.KEYS.items()
    }
    (tmp_path / "base.yaml").write_text("columns: [No: no, Remark: r]")
    (tmp_path / "bays.csv").write_text("Code\nA\n")
    (tmp_path / "form.csv").write_text("No\n")
    for section, keys in made.KEYS.items():
        for key, (_, example) in keys.items():
            usual = "value: no" if section == "column" else ""
            beside = BESIDE.get(section, {}).get(key, usual)
            inside = ", ".join(filter(None, (beside, example)))
            column = f"{{{inside}}}" if section == "column" else "no"
            lines = [f"columns: [No: {column}]"]
            if section == "":
                lines = [example, *(lines if key != "columns" else [])]
                lines += ["from: base.yaml"] if key == "leave-out" else []
            elif section == "group key":
                lines += [f"group: [{{{inside}}}]"]
            elif section != "column":
                lines += [f"{section}: {{{inside}}}"]
                lines += ["group: [No]"] if section == "totals" else []
                lines[0] = lines[0].replace("]", ", Q: {value: q, total: avg}]")
            flatledger.Layout.from_text("\n".join(lines), folder=tmp_path)


def test_messages_that_are_explained_are_those_of_the_code() -> None:
    page = (ROOT / "docs" / "when-something-is-wrong.md").read_text("utf-8")
    plain = re.compile(r"`?…`?")
    there = plain.sub("…", (ROOT / "docs" / "messages.md").read_text("utf-8")).replace("`", "")
    explained = re.findall(r"^\| `(.+?)` \|", page, re.MULTILINE)
    assert len(explained) >= 30
    for message in explained:
        parts = map(re.escape, plain.sub("…", message).replace("`", "").split("…"))
        assert re.search(".*?".join(parts), there), message


def test_each_rule_does_what_its_example_shows() -> None:
    page = ROOT / "docs" / "rules.md"
    found = doctest.testfile(str(page), module_relative=False, encoding="utf-8")
    assert found.failed == 0
    assert found.attempted > 20
    numbers = [int(one) for one in re.findall(r"\*\*(\d+)", page.read_text("utf-8"))]
    assert numbers == list(range(1, 33))


def test_every_answer_is_tried() -> None:
    assert {title for title in RUN if title in HOW_TO} >= {*re.findall(r"^## (.*)$", HOW_TO, re.M)}
    assert len(RUN) > 25


def test_rules_that_are_cited_are_there() -> None:
    """What code cites stands in docs/rules.md, and nothing else is cited by numbers."""
    page = (ROOT / "docs" / "rules.md").read_text("utf-8")
    there = {*re.findall(r"^\*\*(\d+)\. ", page, re.MULTILINE)}
    assert len(there) == 29
    cited = set[str]()
    for file in [*(ROOT / "src").rglob("*.py"), *(ROOT / "tests").rglob("*.py")]:
        text = file.read_text("utf-8")
        for found in re.findall(r"\brules? (\d+(?:(?:, | and | to )\d+)*)|rules\.md, (\d+)", text):
            cited |= {*re.findall(r"\d+", " ".join(found))}
    assert len(cited) > 15
    assert cited <= there
