"""Requisitions in the shape of the sample data, as many as are wanted, the same every time."""

from __future__ import annotations

import json
import random
from pathlib import Path

STATIONS = [
    ("GAN", "Gannet Rock"),
    ("SKH", "Skerrow Head"),
    ("MAS", "Maiden Stack"),
    ("COR", "Corran Point"),
    ("TAR", "Tarn Ness"),
    ("HOL", "Hollow Isle"),
    ("BRA", "Brae Sound"),
    ("VIG", "Vigil Reef"),
]
KEEPERS = ["Ilse Marrow", "Tobias Fenn", "Ольга Чайка", "Rua Oban", "Hedda Quill", "Piet Sandoz"]


def write_requisitions(path: Path, size: int) -> int:
    """Write JSON Lines of about ``size`` bytes; give the number of records."""
    chance = random.Random(20260)
    written = records = 0
    with path.open("w", encoding="utf-8") as file:
        while written < size:
            records += 1
            line = _json(_requisition(chance, records)) + "\n"
            file.write(line)
            written += len(line)
    return records


def write_movements(path: Path, count: int) -> None:
    """Write so many small records in no order."""
    chance = random.Random(20261)
    with path.open("w", encoding="utf-8") as file:
        for _ in range(count):
            code, part = chance.choice(STATIONS)[0], f"P-{chance.randrange(900):03d}"
            number, price = chance.randrange(10**9), chance.randrange(1, 9_999) / 100
            file.write(
                f'{{"no": {number}, "station": "{code}", "part": "{part}", '
                f'"qty": {chance.randint(1, 40)}, "price": {price:.2f}}}\n'
            )


def _json(record: object) -> str:
    # prices keep their trailing zeros: they go in as marked texts and come out as numbers
    text = json.dumps(record, ensure_ascii=False)
    return text.replace('"§', "").replace('§"', "")


def _price(chance: random.Random, most: int) -> str:
    return f"§{chance.randrange(1, most) / 100:.2f}§"


def _requisition(chance: random.Random, number: int) -> dict[str, object]:
    code, name = chance.choice(STATIONS)
    return {
        "no": f"R-{number:07d}",
        "raised": f"2026-{chance.randint(1, 12):02d}-{chance.randint(1, 28):02d}",
        "status": chance.choice(["received", "sent", "draft", "cancelled"]),
        "station": {"code": code, "name": name, "island": "Skerry", "light": "white, 3 flashes"},
        "keeper": chance.choice(KEEPERS),
        "remarks": "To be landed at the lower steps; " * chance.randint(1, 4),
        "carriage": _price(chance, 2_000),
        "tags": chance.sample(
            ["lamp", "urgent", "paint", "summer", "stores"], chance.randint(0, 3)
        ),
        "payments": [
            {"date": "2026-05-02", "method": "transfer", "amount": _price(chance, 90_000)}
            for _ in range(chance.randint(0, 2))
        ],
        "lines": [_line(chance, place) for place in range(1, chance.randint(2, 8))],
    }


def _line(chance: random.Random, place: int) -> dict[str, object]:
    part = chance.randint(1, 400)
    return {
        "no": place,
        "part": {
            "code": f"P-{part:04d}",
            "name": f"Part of the lamp no {part}",
            "maker": "Trust works",
        },
        "qty": chance.randint(1, 24),
        "unit_price": _price(chance, 25_000),
        "options": [
            {"key": "voltage", "value": chance.choice(["12 V", "24 V"])},
            {"key": "finish", "value": chance.choice(["matt", "gloss", "bare"])},
        ][: chance.randint(0, 2)],
        "lots": [
            {"no": f"L{place}{lot}", "qty": chance.randint(1, 12), "weight": _price(chance, 400)}
            for lot in range(chance.randint(1, 2))
        ],
    }
