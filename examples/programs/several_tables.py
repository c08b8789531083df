"""Several tables from one reading: each by its name, and all of them in one workbook."""

from __future__ import annotations

import flatledger

layout = flatledger.Layout(
    {
        "levels": ["lines"],
        "columns": [{"Station": "station.name"}],
        "tables": {
            "lines": {
                "row-per": "lines",
                "columns": [{"Quantity": {"value": "lines.qty", "total": "sum"}}],
            },
            "stations": {
                "row-per-group": ["Station"],
                "columns": [{"Quantity": {"value": "sum(lines.qty)", "total": "sum"}}],
            },
        },
    }
)
with flatledger.tables(layout, "requisitions.jsonl") as tables:
    by_line = sum(row[1] for row in tables["lines"] if row[1] is not None)
    by_station = sum(row[1] for row in tables["stations"] if row[1] is not None)
assert by_line == by_station
assert tables.balance.balanced
assert not tables.balance.sums_apart
balance = flatledger.export(layout, "requisitions.jsonl", "stores.xlsx", if_there="replace")
for part in balance.tables:
    print(f"{part.layout}: {part.rows} rows")
