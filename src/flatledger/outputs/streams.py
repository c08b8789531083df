"""The standard streams, also where they are closed or named like files."""

from __future__ import annotations

import os
import re
import sys
from pathlib import Path
from typing import BinaryIO

from ..errors import OutputError
from .terminal_bytes import for_terminal

_NUMBERED = re.compile(r"/(?:dev|proc/(?:self|\d+))/fd/(\d+)")
_NAMED = {"/dev/stdout": 1, "/dev/stderr": 2}


def stream_number(path: Path) -> int | None:
    """The number of an open stream that a path names; None of all else.

    >>> stream_number(Path("/dev/stdout")), stream_number(Path("table.csv"))
    (1, None)
    """
    text = os.fspath(path)
    found = _NUMBERED.fullmatch(text)
    return int(found[1]) if found else _NAMED.get(text)


def standard_output() -> BinaryIO:
    """Standard output as bytes; on a terminal, what would steer it is shown instead.

    Raises OutputError where it is closed.
    """
    if sys.stdout is None:
        raise OutputError("standard output is closed; name a file with -o")
    below: BinaryIO = sys.stdout.buffer
    return for_terminal(below) if sys.stdout.isatty() else below
