"""``flatledger export``: one layout over one source."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, NamedTuple

from ..api.export import export
from ..api.layout import Layout
from ..errors import FaultsFoundError, SamePlaceError
from ..layout.model.output_options import IfThere
from ..run.balance import Balance
from .progress import showing_progress
from .typed import Source

WRONG_COMMAND = 2
FAULTS_UNDER_STRICT = 3
DOES_NOT_BALANCE = 4


class ExportWays(NamedTuple):
    """How an export is to go, as it was typed."""

    to: tuple[str, ...] = ()
    report_to: str | None = None
    faults_to: str | None = None
    if_there: IfThere | None = None
    strict: bool = False
    quiet: bool = False
    learn: bool = False
    verify: bool | Literal["all"] = False


def run_export(layout: Layout, source: Source, ask: Mapping[str, Any], ways: ExportWays) -> int:
    """Export, show the balance on standard error, and give the exit code."""
    own = all(one.request.output.files for one in layout.of_tables())
    try:
        with showing_progress() as progress:
            balance = export(
                layout,
                source,
                ways.to or (None if own else "-"),
                ask=ask,
                progress=progress,
                learn=ways.learn,
                strict=ways.strict,
                faults_to=ways.faults_to,
                report_to=ways.report_to,
                if_there=ways.if_there,
                verify=ways.verify,
            )
    except FaultsFoundError as error:
        balance = error.balance
    except SamePlaceError as error:
        if error.place in (*ways.to, ways.report_to, ways.faults_to):
            error.exit_code = WRONG_COMMAND
        raise
    code = exit_code(balance, ways.strict)
    well = not (code or balance.fault_count or balance.notices) and balance.rows > 0
    if not (ways.quiet and well):
        from ..reports.balance_text import print_balance
        from ..reports.screen import reports

        print_balance(balance, reports())
    return code


def exit_code(balance: Balance, strict: bool) -> int:
    """0, or 4 when it does not balance, or under ``--strict`` 3 when there is something to tell."""
    if not balance.balanced:
        return DOES_NOT_BALANCE
    return FAULTS_UNDER_STRICT if strict and (balance.fault_count or balance.notices) else 0
