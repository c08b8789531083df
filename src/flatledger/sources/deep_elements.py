"""Elements that are nested deeper than Python goes unasked."""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import Any

from lxml import etree

DEEPEST = 1_000  # elements within each other
_ROOM = 4 * DEEPEST  # of Python's own stack


def deeply(step: Callable[[], Any], element: Any) -> Any:
    """What a step makes of an element, up to 1,000 within each other.

    Raises RecursionError for what is deeper.
    """
    try:
        return step()
    except RecursionError:
        if goes_deeper(element):
            raise
    before = sys.getrecursionlimit()
    sys.setrecursionlimit(max(before, _ROOM))
    try:
        return step()
    finally:
        sys.setrecursionlimit(before)


def goes_deeper(element: Any) -> bool:
    """Whether more than 1,000 elements stand within each other."""
    depth = 0
    for event, _ in etree.iterwalk(element, events=("start", "end")):
        depth += 1 if event == "start" else -1
        if depth > DEEPEST:
            return True
    return False
