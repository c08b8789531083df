"""Decoding JSON that is nested deeper than Python goes unasked."""

from __future__ import annotations

import re
import sys
from typing import Any

import msgspec

from ...bounds import DEEPEST_JSON

_BRACKETS = re.compile(rb'[][{}]|"(?:[^"\\\\]|\\\\.)*"', re.DOTALL)
_ROOM = 2 * (DEEPEST_JSON + 500)  # of Python's own stack, for a value of that depth


def decode_deep(text: bytes, one: msgspec.json.Decoder[Any]) -> Any:
    """A value, up to 1,000 objects within each other, each in a list.

    Raises what decoding raises, and RecursionError for what is deeper.

    >>> deep = b'{"a":[' * 900 + b"]}" * 900
    >>> decode_deep(deep, msgspec.json.Decoder()) is not None
    True
    """
    before = sys.getrecursionlimit()
    if before < _ROOM and goes_too_deep(text):
        raise RecursionError
    sys.setrecursionlimit(max(before, _ROOM))
    try:
        return one.decode(text)
    finally:
        sys.setrecursionlimit(before)


def goes_too_deep(text: bytes) -> bool:
    """Whether the brackets of a text go deeper than a value may."""
    depth = 0
    for found in _BRACKETS.finditer(text):
        depth += (found[0] in b"{[") - (found[0] in b"}]")
        if depth > DEEPEST_JSON:
            return True
    return False
