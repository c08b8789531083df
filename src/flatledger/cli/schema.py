"""``flatledger schema``: what an editor checks a layout by."""

from __future__ import annotations

import json

from ..layout.reading.schema import layout_schema
from ..outputs import Target, check_suffix
from .terminal import reports


def run_schema(to: str | None) -> int:
    """Write the JSON Schema of a layout to a file or to standard output."""
    if to:
        check_suffix(to, (".json",), "the schema")
    with Target(to or "-") as target:
        target.write(f"{json.dumps(layout_schema(), indent=1)}\n".encode())
    if to and target.replaces:
        reports().line(f"Wrote {to}", whole=True)
    return 0
