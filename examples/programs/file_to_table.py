"""A file by a layout that is written here: its rows, and the proof that nothing was lost."""

from __future__ import annotations

import flatledger

layout = flatledger.Layout(
    {
        "row-per": "lines",
        "columns": [
            {"Requisition": "no"},
            {
                "Amount, SKC": {
                    "value": "lines.qty * lines.unit_price",
                    "decimals": 2,
                    "total": "sum",
                }
            },
        ],
    }
)
with flatledger.table(layout, "requisitions.jsonl") as table:
    amounts = [row[1] for row in table if row[1] is not None]
print(f"{len(amounts)} amounts, {sum(amounts)} SKC")
assert table.balance.balanced
assert sum(amounts) == table.balance.columns[0].total
