"""What a real spreadsheet program calculates is among what is guarded (`make test-spreadsheet`)."""

from __future__ import annotations

import json
import os
import random
import subprocess
import sys
import xml.etree.ElementTree as ET
from collections.abc import Sequence
from pathlib import Path

import pytest

import flatledger
from flatledger.values.formulas import looks_like_formula
from tests.test_formulas import DANGEROUS, HARMLESS

PROGRAM = os.environ.get("FLATLEDGER_SPREADSHEET", "")
PYTHON = os.environ.get("FLATLEDGER_SPREADSHEET_PYTHON", sys.executable)
pytestmark = pytest.mark.skipif(not PROGRAM, reason="FLATLEDGER_SPREADSHEET names no program")

SIGNS = ["+", "-", "@", "=", "+ ", "- ", "--", "-+", "\uff0b", "\uff0d", "\uff1d", "'", "'="]
PARTS = (
    *("A1", "$B$2", "A", "XFD1", "a1", "R1C1", "RC", "Sheet1!A1", "1", "2", ".5", "1e3", "1,5"),
    *(
        '"x"',
        "'x'",
        "TRUE",
        "false",
        "PI()",
        "SUM(A1:A2)",
        "HYPERLINK (1)",
        "#N/A",
        "{1;2}",
        "note",
    ),
    *(
        "wick",
        "é",
        "x y",
        "C5",
        "A:A",
        "1:1",
        "$",
        "%",
        "°C",
        "(0)",
        "()",
        "pi",
        "not",
        "SKC",
        "m/s",
    ),
)
JOINS = [
    "",
    "",
    "+",
    "-",
    "*",
    "/",
    "^",
    "&",
    ":",
    ";",
    ",",
    "~",
    "!",
    "|",
    "=",
    "<",
    ">",
    " ",
    "\t",
]
ODF = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
KINDS = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}value-type"


def made_up(seed: int, count: int) -> list[str]:
    chance = random.Random(seed)
    texts = list[str]()
    for _ in range(count):
        text = chance.choice(SIGNS) + chance.choice(PARTS)
        for _ in range(chance.randrange(3)):
            text += chance.choice(JOINS) + chance.choice(PARTS)
        texts.append(text)
    return texts


def typed(texts: Sequence[str]) -> list[str]:
    done = subprocess.run(
        [PYTHON, str(Path(__file__).with_name("spreadsheet_typing.py")), PROGRAM],
        input=json.dumps(texts),
        capture_output=True,
        text=True,
        timeout=300,
    )
    assert done.returncode == 0, done.stderr
    found: list[str] = json.loads(done.stdout)
    return found


def test_what_is_calculated_when_it_is_typed_is_guarded() -> None:
    texts = [*HARMLESS, *DANGEROUS, *made_up(1, 1_000)]
    kinds = typed(texts)
    calculated = [text for text, kind in zip(texts, kinds, strict=True) if kind == "FORMULA"]
    assert len(calculated) > 150
    assert [text for text in calculated if not looks_like_formula(text)] == []


def test_what_we_guard_is_not_calculated_when_it_is_typed() -> None:
    texts = [f"'{text}" for text in [*DANGEROUS, *made_up(2, 300)] if looks_like_formula(text)]
    assert "FORMULA" not in typed(texts)


@pytest.mark.parametrize("guard", ["yes", "no"])
def test_a_table_that_is_imported_with_formulas_evaluated_has_none(
    tmp_path: Path, guard: str
) -> None:
    texts = [text for text in [*HARMLESS, *DANGEROUS, *made_up(3, 500)] if text.strip()]
    layout = {"columns": [{"A": "a"}], "output": {"formula-guard": guard}}
    flatledger.export(layout, [{"a": text} for text in texts], tmp_path / "t.csv")
    evaluated = "CSV:44,34,76,1,,0,false,true,false,false,false,-1,true"
    subprocess.run(
        [
            *(PROGRAM, "--headless", f"-env:UserInstallation=file://{tmp_path}/home"),
            *("--convert-to", "fods", f"--infilter={evaluated}", "--outdir", str(tmp_path)),
            str(tmp_path / "t.csv"),
        ],
        check=True,
        capture_output=True,
        timeout=300,
    )
    cells = ET.parse(tmp_path / "t.fods").iter(f"{ODF}table-cell")
    formulas = [cell.get(f"{ODF}formula") for cell in cells if cell.get(f"{ODF}formula")]
    assert bool(formulas) is (guard == "no")
