"""From Arrow to Arrow: whatever gives a stream is a source, and a table gives one itself."""

from __future__ import annotations

import datetime as dt

import pyarrow as pa

import flatledger

bays = pa.table(
    {
        "bay": ["A1", "A2"],
        "counted": [dt.date(2026, 3, 1), None],
        "parts": [["wick"], ["oil", "lens"]],
    }
)
layout = {
    "row-per": "parts",
    "columns": [{"Bay": "bay"}, {"Counted": "counted"}, {"Part": "parts"}],
}
table = flatledger.table(layout, bays)
found = pa.table(table)
assert found.equals(table.to_arrow())  # as often as it is asked for
assert found["Counted"].to_pylist() == [dt.date(2026, 3, 1), None, None]
print(found["Part"].to_pylist())
