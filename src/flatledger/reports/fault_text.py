"""Faults in words: those of one path and reason together."""

from __future__ import annotations

from ..run.balance import Balance
from ..values.faults import Fault, FaultKind
from .words import short, times

KINDS_SHOWN = 10
_VALUE = 40


def fault_lines(balance: Balance) -> list[str]:
    """How many faults there are, and each kind of them: its commonest values and first records."""
    if not balance.fault_count:
        return []
    kinds = balance.fault_kinds[:KINDS_SHOWN]
    more = balance.fault_count - sum(one.count for one in kinds)
    return [
        f"Faults: {balance.fault_count:,}; what could not be read is in no total",
        *(f"  {kind_line(one)}" for one in kinds),
        *([f"  and {more:,} more; --faults-to FILE lists them all"] if more else []),
    ]


def kind_line(kind: FaultKind) -> str:
    """Faults of one kind; one alone as it is.

    >>> soon = [Fault(at, "raised", "soon", "is not a date", f"R{at}") for at in (2, 5)]
    >>> print(kind_line(FaultKind("raised", "is not a date", 303, {"soon": 302, "x": 1}, soon)))
    raised: 303 are not a date: soon (302 times), x (once); first R2 (record 2), R5 (record 5)
    """
    if kind.count == 1:
        return str(kind.first[0])
    many, reason = f"{kind.count:,}", kind.reason
    if reason.startswith("is "):
        told = f"{many} are {reason.removeprefix('is ')}"
    else:
        told = f"{many} times: {reason}"
    values = [(short(value, _VALUE), count) for value, count in kind.values.items() if value]
    alone = len(values) == 1 and values[0][1] == kind.count
    told_values = (f"{value} ({times(count)})" for value, count in values)
    shown = values[0][0] if alone else ", ".join(told_values)
    held = f": {shown}" if values else ""
    first = ", ".join(dict.fromkeys(map(_who, kind.first)))
    where = f"{kind.heading} ({kind.path})" if kind.heading else kind.path or "the source"
    return f"{where}: {told}{held}; first {first}"


def _who(fault: Fault) -> str:
    """A record by its primary key and its number, with its file where there are several."""
    where = f"record {fault.record:,}" + (f", {fault.file}" if fault.file else "")
    return f"{short(fault.identifier, _VALUE)} ({where})" if fault.identifier else where
