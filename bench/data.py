"""Movements of stores, as many as are wanted, the same every time."""

from __future__ import annotations

import random
from pathlib import Path

STATIONS = ["GAN", "SKH", "MAS", "COR", "TAR", "HOL", "BRA", "VIG"]


def write_movements(path: Path, count: int) -> None:
    """Write so many small records in no order."""
    chance = random.Random(20261)
    with path.open("w", encoding="utf-8") as file:
        for _ in range(count):
            code, part = chance.choice(STATIONS), f"P-{chance.randrange(900):03d}"
            number, price = chance.randrange(10**9), chance.randrange(1, 9_999) / 100
            file.write(
                f'{{"no": {number}, "station": "{code}", "part": "{part}", '
                f'"qty": {chance.randint(1, 40)}, "price": {price:.2f}}}\n'
            )
