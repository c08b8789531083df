"""Groups with their sums: rows by heading, and what sums them up apart."""

from __future__ import annotations

from decimal import Decimal

import flatledger

layout = {
    "columns": [
        {"Station": "station.name"},
        {"Carriage": {"value": "carriage", "total": "sum"}},
    ],
    "group": ["Station"],
}
by_station: dict[str, Decimal] = {}
for row in flatledger.table(layout, "requisitions.jsonl").dicts():
    by_station[row["Station"]] = by_station.get(row["Station"], Decimal()) + row["Carriage"]
totals = list(flatledger.table(layout, "requisitions.jsonl").totals())
assert [total[1] for total in totals if total.depth] == list(by_station.values())
print(f"{len(by_station)} stations, {totals[-1][1]} SKC")
