"""``flatledger draft``: a layout to begin with."""

from __future__ import annotations

from pathlib import Path

from ..drafting import draft
from ..errors import OutputError
from ..outputs import Target
from ..surveying import SAMPLE
from .terminal import errors


def run_draft(
    source: str, row_per: str | None, records: str | None, everything: bool, to: str | None
) -> int:
    """Write the drafted layout; a file that is there already is not replaced."""
    text = draft(source, row_per=row_per, records=records, sample=None if everything else SAMPLE)
    if to and to != "-" and Path(to).exists():
        raise OutputError(f"{to} is there already; name another file, or remove it first")
    with Target(to or "-") as target:
        target.write(text.encode())
    if to and to != "-":
        errors().print(f"{to} is written; now: flatledger export {to} {source}", highlight=False)
    return 0
