"""How far a long run has come, and what it says to the log of the program."""

from __future__ import annotations

import logging

import flatledger

seen: list[flatledger.RunProgress] = []


class Kept(logging.Handler):
    """Keeps what is said."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.lines.append(f"{record.levelname} {record.getMessage()}")


log = logging.getLogger("flatledger")
log.setLevel("INFO")
log.addHandler(kept := Kept())
layout = {"layout": "few", "columns": [{"No": "no"}, {"Carriage": "carriage + keeper"}]}
flatledger.export(layout, "requisitions.jsonl", "few.csv", progress=seen.append)
last = seen[-1]
assert last.records == 48
assert last.bytes == last.of_bytes
assert kept.lines[0] == "INFO few over requisitions.jsonl"
assert any(line.startswith("WARNING few: 48 faults") for line in kept.lines)
print(f"{last.bytes} of {last.of_bytes} bytes; {len(kept.lines)} lines in the log")
