"""Several layouts over one file, a thread each."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import flatledger

LAYOUTS: dict[str, dict[str, Any]] = {
    "lines": {"row-per": "lines", "columns": [{"No": "no"}, {"Quantity": "lines.qty"}]},
    "tags": {"row-per": "tags", "columns": [{"No": "no"}, {"Tag": "tags"}]},
    "requisitions": {"columns": [{"No": "no"}]},
}


def rows_of(name: str) -> int:
    """How many rows a layout gives."""
    with flatledger.table(LAYOUTS[name], "requisitions.jsonl") as table:
        return sum(1 for _ in table)


with ThreadPoolExecutor() as pool:
    counts = dict(zip(LAYOUTS, pool.map(rows_of, LAYOUTS), strict=True))
assert counts["requisitions"] == 48
print(counts)
