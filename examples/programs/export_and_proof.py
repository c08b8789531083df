"""A table into a file, with its faults apart: nothing takes a file's place before it is whole."""

from __future__ import annotations

import json
from pathlib import Path

import flatledger

layout = {
    "columns": [{"No": "no"}, {"Carriage": {"value": "carriage", "decimals": 2, "total": "sum"}}],
    "only": ["status = 'sent'"],
}
balance = flatledger.export(
    layout,
    "requisitions.jsonl",
    ["carriage.csv", "carriage.xlsx"],
    faults_to="faults.csv",
    report_to="balance.json",
    verify=True,
    if_there="replace",
)
assert balance.balanced
assert balance.read == balance.remaining + balance.not_passed
report = json.loads(Path("balance.json").read_text(encoding="utf-8"))
assert report["rows"] == balance.rows
print(f"{balance.rows} of {balance.read} requisitions, {balance.fault_count} faults")
