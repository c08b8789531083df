"""The generated text of some twenty layouts, kept as files in `generated/`.

It is that for loose types, and for exact ones where the file is called so; where it is called
after the way in which rows are made, it is that of the function for that. Run as a program this
module writes them anew; read the difference before you commit it.
"""

from __future__ import annotations

import datetime as dt
import io
import json
from pathlib import Path
from typing import Any

import pytest

from flatledger import Layout, generated_code
from flatledger.compile.functions.program import generate
from flatledger.plan.making import make_plan
from flatledger.structure.structure import observe
from tests.conftest import settled

FOLDER = Path(__file__).parent / "generated"
MARK = "\n# ---- generated ----\n\n"
RECORDS = [
    {
        "no": "R-1",
        "raised": "2026-03-31",
        "status": "sent",
        "fee": 4.5,
        "urgent": True,
        "station": {"code": "SKH", "name": "Skerry Head"},
        "names": {"en": "lamp", "cy": "lamp"},
        "lines": [
            {
                "no": 1,
                "qty": 2,
                "price": 3.25,
                "part": {"code": "W1"},
                "lots": [{"w": 1}, {"w": 2}],
            },
            {"no": 2, "qty": "4", "price": 1, "part": {"code": "W2"}, "lots": [{"w": 3}]},
        ],
        "payments": [{"method": "cash", "amount": 3}, {"method": "card", "amount": 5}],
        "tasks": [{"name": "Tower", "hours": 2, "tasks": [{"name": "Lamp", "hours": 3}]}],
    },
    {"no": "R-2", "lines": [], "payments": []},
]


def generated(text: str, way: str = "") -> str:
    """The text that is generated for a layout: for ``exact`` types, or by which rows are made as
    ``lines``, or added up (``tally``)."""
    if way in ("lines", "tally"):
        lines = b"".join(json.dumps(one).encode() + b"\n" for one in RECORDS)
        code = generated_code(Layout.from_text(text), io.BytesIO(lines))
        _, _, function = code.rpartition("\n\n\ndef")
        assert function.startswith(f" {way}(")
        return f"def{function}"
    plan = make_plan(settled(Layout.from_text(text)), observe(RECORDS), dt.date(2026, 3, 31))
    if way == "exact":
        assert plan.exactly is not None
        return generate(plan.exactly).source
    source = generate(plan).source
    return source if plan.over is None else f"{source}\n\n{generate(plan.over.plan).source}"


def way_of(file: Path) -> str:
    """What a file's name begins with, before a hyphen."""
    way, hyphen, _ = file.stem.partition("-")
    return way if hyphen else ""


@pytest.mark.parametrize("file", sorted(FOLDER.glob("*.txt")), ids=lambda file: file.stem)
def test_the_generated_text_of_a_layout(file: Path) -> None:
    layout, _, expected = file.read_text(encoding="utf-8").partition(MARK)
    assert generated(layout, way_of(file)) == expected


def test_the_tool_shows_the_code(tmp_path: Path, tool: Any) -> None:
    layout, source = tmp_path / "lines.yaml", tmp_path / "lines.jsonl"
    text = "row-per: lines\ncolumns:\n  - No: no\n  - Part: lines.part.code\n"
    layout.write_text(text, encoding="utf-8")
    source.write_text("".join(json.dumps(one) + "\n" for one in RECORDS), encoding="utf-8")
    done = tool("check", str(layout), str(source), "--code")
    assert done.stdout == generated_code(Layout.from_file(layout), str(source)).rstrip() + "\n"
    assert "# column 'Part'" in done.stdout
    assert tool("check", str(layout), "--code").returncode == 2


def test_there_are_some_twenty() -> None:
    assert len(list(FOLDER.glob("*.txt"))) >= 20


if __name__ == "__main__":
    for file in FOLDER.glob("*.txt"):
        layout = file.read_text(encoding="utf-8").partition(MARK)[0]
        text = generated(layout, way_of(file))
        file.write_text(f"{layout}{MARK}{text}", encoding="utf-8")
