"""``flatledger export``: one layout over one source."""

from __future__ import annotations

import os
from pathlib import Path
from typing import NamedTuple

from ..engine.balance import Balance
from ..errors import OutputError
from ..exporting import export
from ..layout import Layout
from ..outputs import Target
from .progress import showing_progress

FAULTS_UNDER_STRICT = 3
DOES_NOT_BALANCE = 4


class Ways(NamedTuple):
    """How an export is to go, as it was typed."""

    to: str | None = None
    report_to: str | None = None
    faults_to: str | None = None
    strict: bool = False
    quiet: bool = False
    learn: bool = False


def run_export(layout: Layout, source: str, ways: Ways) -> int:
    """Export, show the balance on standard error, and give the exit code."""
    place = ways.to or layout.model.output.file or "-"
    if place != "-" and source != "-" and _same_file(place, source):
        raise OutputError(f"{place} is the source itself; name another file")
    with showing_progress() as progress:
        balance = export(
            layout,
            source,
            place,
            progress=progress,
            learn=ways.learn,
            strict=ways.strict,
            faults_to=ways.faults_to,
        )
    if ways.report_to:
        with Target(ways.report_to) as target:
            target.write(balance.to_json())
    code = exit_code(balance, ways.strict)
    well = not (code or balance.fault_count or balance.notices) and balance.rows > 0
    if not (ways.quiet and well):
        from ..reports.balance_text import print_balance
        from .terminal import errors

        print_balance(balance, errors())
    return code


def exit_code(balance: Balance, strict: bool) -> int:
    """0, or 4 when it does not balance, or under ``--strict`` 3 when there is something to tell."""
    if not balance.balanced:
        return DOES_NOT_BALANCE
    return FAULTS_UNDER_STRICT if strict and (balance.fault_count or balance.notices) else 0


def _same_file(one: str, other: str) -> bool:
    return Path(one).exists() and Path(other).exists() and os.path.samefile(one, other)
