"""From delimited text to delimited text, against the plain script for it.

    python bench/tables.py SOURCE TABLE

runs the script: `csv.DictReader`, binary floats, `csv.writer`.
"""

from __future__ import annotations

import csv
import random
import sys
from pathlib import Path

HEADINGS = ("no", "station", "part", "title", "qty", "unit_price", "note")
PRODUCT = {
    "fields": "qty * unit_price",
    "casts": "cast(qty as integer) * cast(unit_price as decimal)",
}


def table_layout(way: str) -> dict[str, object]:
    """A layout of four columns, one of them computed: of fields, or of what they are cast to."""
    columns: list[dict[str, object]] = [{"No": "no"}, {"Part": "part"}]
    columns.append({"Qty": {"value": "qty", "datatype": "integer"}})
    columns.append({"Amount": {"value": PRODUCT[way], "decimals": 2}})
    return {"columns": columns}


def write_lines(path: Path, count: int) -> None:
    """So many lines of requisitions."""
    chance = random.Random(4)
    with path.open("w", encoding="utf-8", newline="") as file:
        rows = csv.writer(file)
        rows.writerow(HEADINGS)
        for number in range(count):
            part, price = f"P-{chance.randint(1, 400):04d}", chance.randrange(1, 20_000) / 100
            cells = (f"R-{number:07d}", f"S{number % 40:02d}", part, "Part of the lamp")
            rows.writerow((*cells, chance.randint(1, 24), f"{price:.2f}", "seen"[number % 3 * 2 :]))


def run_plain(source: str, table: str) -> None:
    """The plain script."""
    with open(source, newline="", encoding="utf-8") as lines, open(table, "w", newline="") as file:
        rows = csv.writer(file)
        rows.writerow(("No", "Part", "Qty", "Amount"))
        for line in csv.DictReader(lines):
            qty = int(line["qty"])
            amount = round(qty * float(line["unit_price"]), 2)
            rows.writerow((line["no"], line["part"], qty, amount))


if __name__ == "__main__":
    run_plain(*sys.argv[1:])
