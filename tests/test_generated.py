"""The generated text of some twenty layouts, kept as files in `generated/`.

It is that for loose types, and for exact ones where the file is called so. Run as a program this
module writes them anew; read the difference before you commit it.
"""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest

from flatledger import Layout
from flatledger.compile.program import generate
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
    },
    {"no": "R-2", "lines": [], "payments": []},
]


def generated(text: str, exact: bool = False) -> str:
    """The text that is generated for a layout."""
    plan = make_plan(settled(Layout.from_text(text)), observe(RECORDS), dt.date(2026, 3, 31))
    if exact:
        assert plan.exactly is not None
        return generate(plan.exactly).source
    source = generate(plan).source
    return source if plan.over is None else f"{source}\n\n{generate(plan.over.plan).source}"


@pytest.mark.parametrize("file", sorted(FOLDER.glob("*.txt")), ids=lambda file: file.stem)
def test_the_generated_text_of_a_layout(file: Path) -> None:
    layout, _, expected = file.read_text(encoding="utf-8").partition(MARK)
    assert generated(layout, file.stem.startswith("exact")) == expected


def test_there_are_some_twenty() -> None:
    assert len(list(FOLDER.glob("*.txt"))) >= 20


if __name__ == "__main__":
    for file in FOLDER.glob("*.txt"):
        layout = file.read_text(encoding="utf-8").partition(MARK)[0]
        text = generated(layout, file.stem.startswith("exact"))
        file.write_text(f"{layout}{MARK}{text}", encoding="utf-8")
