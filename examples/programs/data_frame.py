"""A data frame in, a data frame out: decimals and days stay what they are."""

from __future__ import annotations

import datetime as dt

import pandas as pd

import flatledger

drills = pd.DataFrame(
    {
        "station": ["Holm", "Holm", "Siart"],
        "held": pd.to_datetime(["2026-03-02", "2026-03-30", "2026-04-01"]),
        "present": [4, 5, 3],
    }
)
layout = {
    "columns": [
        {"Station": "station"},
        {"Held": {"value": "held", "datatype": "date"}},
        {"Present": {"value": "present", "total": "sum"}},
    ],
    "only": ["held < date '2026-04-01'"],
}
frame = flatledger.table(layout, drills).to_pandas()
assert frame["Held"].tolist() == [dt.date(2026, 3, 2), dt.date(2026, 3, 30)]
print(f"{len(frame)} drills in March, {frame['Present'].sum()} present")
