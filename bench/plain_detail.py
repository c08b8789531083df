"""The script that a programmer would write for the detail table: json, nested loops, csv."""

import csv
import json
import sys
from decimal import Decimal

CENT = Decimal("0.01")
read_float = Decimal if "--exact" in sys.argv else float
with (
    open(sys.argv[1], encoding="utf-8") as source,
    open(sys.argv[2], "w", encoding="utf-8", newline="") as table,
):
    writer = csv.writer(table)
    writer.writerow(
        [
            *("Requisition", "Raised", "Status", "Station code", "Station", "Keeper"),
            *("Part", "Description", "Quantity", "Unit price", "Amount"),
        ]
    )
    for text in source:
        record = json.loads(text, parse_float=read_float)
        for line in record["lines"]:
            amount = line["qty"] * line["unit_price"]
            writer.writerow(
                [
                    record["no"],
                    record["raised"],
                    record["status"],
                    record["station"]["code"],
                    record["station"]["name"],
                    record["keeper"],
                    line["part"]["code"],
                    line["part"]["name"],
                    line["qty"],
                    line["unit_price"],
                    amount.quantize(CENT) if read_float is Decimal else round(amount, 2),
                ]
            )
