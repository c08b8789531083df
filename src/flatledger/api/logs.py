"""What runs say to the standard library's logging, under the name `flatledger`. No text of the data
starts a line of its own in a log, or steers who reads it."""

from __future__ import annotations

import sys

from ..reports.words import counted
from ..run.balance import Balance
from ..values.visible import encodable, visible


def begun(layout: str, source: str) -> None:
    """That a layout is run over a source: INFO."""
    _log("INFO", "%s over %s", layout, source)


def ended(layout: str, balance: Balance) -> None:
    """What a run came to: what was read and made, each notice and the number of faults as a
    WARNING, and what does not balance as an ERROR."""
    if not listening():
        return
    read, rows = counted(balance.read, "record"), counted(balance.rows, "row")
    _log("INFO", "%s: %s read, %s", layout, read, rows)
    for file in balance.files:
        _log("INFO", "%s: written to %s", layout, file.name)
    for notice in balance.notices:
        _log("WARNING", "%s: %s", layout, notice)
    if balance.fault_count:
        _log("WARNING", "%s: %s", layout, counted(balance.fault_count, "fault"))
    for wrong in balance.wrong:
        _log("ERROR", "%s does not balance: %s", layout, wrong)


def listening() -> bool:
    """Whether anything in the process uses logging: what nobody imported, nobody listens to."""
    return "logging" in sys.modules


def _log(level: str, message: str, *parts: object) -> None:
    if listening():
        logging = sys.modules["logging"]
        logger = logging.getLogger("flatledger")
        if not logger.handlers:  # else what nobody listens to would go to standard error
            logger.addHandler(logging.NullHandler())
        told = (visible(encodable(one)) if isinstance(one, str) else one for one in parts)
        logger.log(getattr(logging, level), message, *told)
