"""Text from data, layouts and file names steers no terminal, no page and no report."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

from tests.conftest import Tool

# markup of several kinds; ESC, C1, BEL, BS, a return, a feigned last line, bidi overrides
NASTY = (
    "[/]\x1b[31m<b>\x9b2J\x07\x08\r\nWrote 9 rows. Totals agree.\u202egnp\u2066\u200b[bold]{{7*7}}"
)
RAW = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u2028-\u202e\u2066-\u2069]")
STEERED = "Wrote 9 rows. Totals agree."


def yaml(text: str) -> str:
    return json.dumps(text)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    records = [
        {
            "no": 1,
            NASTY: NASTY,
            "kind": "a",
            "lines": [{"k": NASTY, "v": 2}, {"k": "b", "v": NASTY}],
        },
        {"no": NASTY, NASTY: {"x": NASTY}, "kind": NASTY, "lines": {"k": NASTY, "v": NASTY}},
        {"no": 3, "kind": NASTY, "lines": [{NASTY: [NASTY, NASTY]}]},
    ]
    lines = [json.dumps(record, ensure_ascii=number == 1) for number, record in enumerate(records)]
    (tmp_path / "s.jsonl").write_text("\n".join([*lines, f"{{{NASTY}"]), "utf-8")
    (tmp_path / "wanted.txt").write_text(f"a\n{NASTY[:20]}\n", "utf-8")
    (tmp_path / "side.csv").write_text(f'code,name\na,"{NASTY}"\nzz,x\n"{NASTY}",y\n', "utf-8")
    (tmp_path / "form.csv").write_text(f'Line,"{NASTY}",Kind\n', "utf-8")
    (tmp_path / "l.yaml").write_text(
        f"""
layout: {yaml(NASTY)}
about: {yaml(NASTY)}
row-per: lines
lookup: {{place: {{file: side.csv, matched-by: kind, key: code}}}}
columns:
  - Line: {{value: lines.v, total: sum, unit: {yaml(NASTY)}}}
  - {yaml(NASTY)}: no
  - Kind: {{value: kind, translate: {{{yaml(NASTY)}: {yaml(NASTY)}}}}}
  - Text: {{text: {yaml(NASTY)}}}
  - Own: {yaml("no || '" + NASTY.replace("'", "''") + "'")}
only:
  - {{when: no is not null, name: {yaml(NASTY)}, because: {yaml(NASTY)}}}
  - kind in list('wanted.txt') or true
ask: {{mark: {{datatype: string, says: {yaml(NASTY)}, default: {yaml(NASTY)}}}}}
group: [Kind]
""",
        "utf-8",
    )
    (tmp_path / f"{NASTY.replace('/', '')[:40]}.jsonl").write_text('{"no": 1}\n')
    return tmp_path


COMMANDS = (
    ("survey", "s.jsonl"),
    ("survey", "s.jsonl", "--all"),
    ("survey", "s.jsonl", "--json"),
    ("survey", "s.jsonl", "--kinds", "kind"),
    ("survey", "s.jsonl", "--html", "page.html"),
    ("preview", "l.yaml", "s.jsonl"),
    ("preview", "l.yaml", "s.jsonl", "--html", "page.html"),
    ("preview", "l.yaml", "s.jsonl", "--fit-to", "form.csv"),
    ("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--report-to", "r.json", "--faults-to", "f.csv"),
    ("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--fit-to", "form.csv"),
    ("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--only", NASTY),
    ("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--column", f"X: {NASTY}"),
    ("export", "l.yaml", "s.jsonl", "-o", f"no/{NASTY}.csv"),
    ("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--ask", f"mark={NASTY}"),
    ("export", "l.yaml", "s.jsonl", "-o", "t.csv", "--ask", f"{NASTY}=1"),
    ("export", "l.yaml", NASTY),
    ("export", NASTY, "s.jsonl"),
    ("draft", "s.jsonl"),
    ("draft", "s.jsonl", "--row-per", NASTY),
    ("draft", "s.jsonl", "--records", NASTY),
    ("try", "lines.k", "s.jsonl", "--row-per", "lines"),
    ("try", f"no || '{NASTY}", "s.jsonl"),
    ("try", "lines", "s.jsonl"),
    ("shelf", "put", "l.yaml", "--as", NASTY),
    ("shelf", "put", "l.yaml", "--as", "kept"),
    ("shelf", "get", NASTY),
    ("shelf", "remove", NASTY),
    ("shelf",),
    ("shelf", "--json"),
    ("demo", "--to", f"no/such/{NASTY}\x00"[:-1]),
    (NASTY,),
    ("export", f"--{NASTY}"),
)


@pytest.mark.parametrize("arguments", COMMANDS, ids=[str(n) for n in range(len(COMMANDS))])
def test_no_text_steers_what_shows_it(tool: Tool, folder: Path, arguments: tuple[str, ...]) -> None:
    if arguments[0] == "shelf":
        tool("shelf", "put", "wanted.txt", "--as", "w")
        tool("shelf", "put", "l.yaml", "--as", "l")
    done = tool(*arguments)
    shown = {"stdout": done.stdout, "stderr": done.stderr}
    for name in ("page.html", "r.json"):
        if (folder / name).exists():
            shown[name] = (folder / name).read_text("utf-8")
    for where, text in shown.items():
        assert not RAW.search(text), where
        assert not any(line.startswith(STEERED) for line in text.splitlines()), where
    if "page.html" in shown:
        assert "<b>\\x9b" not in shown["page.html"]
        assert "49" not in re.findall(r"\[bold\](..)", shown["page.html"])
    assert done.returncode in (0, 1, 2)


def test_markup_is_shown_as_it_stands(tool: Tool, folder: Path) -> None:
    (folder / "m.jsonl").write_text('{"a": "[bold]x[/bold] [/] :smile: https://x.y"}\n')
    assert "[bold]x[/bold] [/] :smile: https://x.y" in tool("try", "a", "m.jsonl").stdout
    survey = tool("survey", "m.jsonl").stdout
    assert "[bold]x[/bold] [/] :smile: https://" in survey


def test_the_data_itself_is_written_as_it_is(tool: Tool, folder: Path) -> None:
    (folder / "d.jsonl").write_text(json.dumps({"a": NASTY}) + "\n")
    (folder / "d.yaml").write_text("columns: [{A: a}]\n")
    done = tool("export", "d.yaml", "d.jsonl", "-o", "-", "-q")
    assert "\x1b[31m<b>\x9b2J\x07\x08" in done.stdout
