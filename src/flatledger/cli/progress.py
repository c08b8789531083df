"""Progress on standard error, when it is a terminal and the run takes more than a second."""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

from ..run.protocols import Progress, RunProgress

PATIENCE = 1.0  # seconds before anything is shown
INTERVAL = 0.2


@contextmanager
def showing_progress() -> Iterator[Progress | None]:
    """Give a function that shows how far a run has come, or None where nobody would see it."""
    if sys.stderr is None or not sys.stderr.isatty():
        yield None
        return
    started = shown = time.monotonic()
    drawn = False

    def progress(now: RunProgress) -> None:
        nonlocal shown, drawn
        moment = time.monotonic()
        if moment - started > PATIENCE and moment - shown > INTERVAL:
            sys.stderr.write(f"\r{_told(now)}, {moment - started:.0f} s \033[K")
            sys.stderr.flush()
            shown, drawn = moment, True

    try:
        yield progress
    finally:
        if drawn:
            sys.stderr.write("\r\033[K")
            sys.stderr.flush()


def _told(now: RunProgress) -> str:
    """How far a run has come, in a few words."""
    share = f" ({100 * now.bytes // now.of_bytes} %)" if now.of_bytes else ""
    said = {"reading": f"read{share}", "writing": "read, writing", "checking": "read, checking"}
    return f"{now.records:,} records {said[now.phase]}"
