"""Layouts: real ones with their texts cut, doubled, swapped and put in each other's places."""

from __future__ import annotations

import random
import re
from pathlib import Path

from flatledger import FlatLedgerError, Layout, export, preview

DEMO = Path(__file__).parents[1] / "src" / "flatledger" / "demo"
LAYOUTS = sorted((DEMO / "layouts").glob("*.yaml"))
_TOKEN = re.compile(r"[\w'.-]+|[^\w\s]|\s+")
_ODD = ("", "*", "&a ", "*a", "no", "~", "[", "{", "}", "- ", ": ", "9" * 50, "1e999", "\\0", "\t")
_ODD_TEXTS = ("lines", "..", "$.*", "sum(", "'", '"', "\x1b", "\u202e", "é", ":from", "yyyy", "%")


def mutant(chance: random.Random) -> str:
    """The text of a layout, damaged."""
    parts = _TOKEN.findall(chance.choice(LAYOUTS).read_text(encoding="utf-8"))
    for _ in range(chance.choice((1, 1, 2, 4, 12))):
        place = chance.randrange(len(parts))
        way = chance.randrange(5)
        if way == 0:
            del parts[place]
        elif way == 1:
            parts.insert(place, chance.choice((*_ODD, *_ODD_TEXTS)))
        elif way == 2:
            parts[place] = chance.choice(parts)
        elif way == 3:
            parts[place : place + 1] = [parts[place]] * chance.choice((2, 2, 40))
        else:
            other = chance.randrange(len(parts))
            parts[place], parts[other] = parts[other], parts[place]
        if not parts:
            parts = [""]
    return "".join(parts)


def run(seed: int, folder: Path) -> str:
    """Export by a damaged layout. Anything but an error of the family raises."""
    chance = random.Random(seed)
    for file in DEMO.iterdir():
        if file.suffix in (".csv", ".txt", ".xlsx", ".json", ".jsonl"):
            place = folder / file.name
            if not place.exists():
                place.write_bytes(file.read_bytes())
    path, table = folder / "layout.yaml", folder / "table.csv"
    path.write_text(mutant(chance), encoding="utf-8", newline="")
    table.unlink(missing_ok=True)
    source = folder / chance.choice(("requisitions.jsonl", "drills.json", "equipment.json"))
    try:
        layout = Layout.from_file(path)
        if chance.random() < 0.2:
            preview(layout, source, sample=True)
            return "previewed"
        balance = export(layout, source, table)
    except FlatLedgerError as error:
        assert str(error).strip(), "an error without words"
        assert not table.exists(), "an error, and a table all the same"
        return "refused"
    assert balance.balanced or balance.reopened, "does not balance"
    return "written"
