"""The script that a programmer would write for the grouped summary."""

import csv
import json
import sys
from decimal import Decimal

CENT = Decimal("0.01")
read_float = Decimal if "--exact" in sys.argv else float
groups: dict = {}
with open(sys.argv[1], encoding="utf-8") as source:
    for text in source:
        record = json.loads(text, parse_float=read_float)
        station = record["station"]["name"]
        if station not in groups:
            groups[station] = [0, 0, 0, 0]
        sums = groups[station]
        for line in record["lines"]:
            amount = line["qty"] * line["unit_price"]
            sums[0] += 1
            sums[1] += line["qty"]
            sums[2] += amount.quantize(CENT) if read_float is Decimal else round(amount, 2)
        sums[3] += record["carriage"]
with open(sys.argv[2], "w", encoding="utf-8", newline="") as table:
    writer = csv.writer(table)
    writer.writerow(["Station", "Lines", "Quantity", "Amount", "Carriage"])
    for station in sorted(groups):
        writer.writerow([station, *groups[station]])
    writer.writerow(["Grand total", *map(sum, zip(*groups.values(), strict=True))])
