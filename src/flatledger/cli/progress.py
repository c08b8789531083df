"""Progress on standard error, when it is a terminal and the run takes more than a second."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

PATIENCE = 1.0  # seconds before anything is shown
INTERVAL = 0.2


@contextmanager
def showing_progress() -> Iterator[Callable[[int], None] | None]:
    """Give a function that takes the number of records read, or None where nobody would see it."""
    if sys.stderr is None or not sys.stderr.isatty():
        yield None
        return
    started = shown = time.monotonic()
    drawn = False

    def progress(records: int) -> None:
        nonlocal shown, drawn
        now = time.monotonic()
        if now - started > PATIENCE and now - shown > INTERVAL:
            sys.stderr.write(f"\r{records:,} records read, {now - started:.0f} s ")
            sys.stderr.flush()
            shown, drawn = now, True

    try:
        yield progress
    finally:
        if drawn:
            sys.stderr.write("\r\033[K")
            sys.stderr.flush()
