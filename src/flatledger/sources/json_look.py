"""Asking the decoder what a text begins with: a whole JSON value, a broken one, or part of one."""

from __future__ import annotations

import re

import msgspec

from .deep_json import decode_deep

_RAW = msgspec.json.Decoder(msgspec.Raw)
_AT = re.compile(r"malformed: (.*) \(byte (\d+)\)")
_TRAILING = "trailing characters"
WHOLE, BROKEN, SHORT, UNKNOWN = range(4)


def look(text: bytes) -> tuple[int, int]:
    """What the JSON value is that a text begins with, and where it ends or is broken."""
    try:
        _RAW.decode(text)
    except msgspec.DecodeError as error:
        if _may_go_on(text, error):
            return SHORT, 0
        found = _AT.search(str(error))
        place = int(found[2]) - 1 if found else 0
        trailing = found is not None and found[1] == _TRAILING
        return (WHOLE, len(text[:place].rstrip())) if trailing else (BROKEN, place)
    except RecursionError:
        return UNKNOWN, 0
    return WHOLE, len(text.rstrip())


def _may_go_on(text: bytes, error: msgspec.DecodeError) -> bool:
    """Whether a value is only too short: it ends too early, or is wrong in its last byte alone,
    which a number that is cut off may be."""
    found = _AT.search(str(error))
    return found is None or (int(found[2]) >= len(text) and found[1] != _TRAILING)


def is_lined(text: bytes) -> bool:
    return b"\n" in text or b"\r" in text


def is_broken(text: bytes) -> bool | None:
    """Whether a text can't be the beginning of a JSON value; None where it is only too short."""
    try:
        _decode(text)
    except msgspec.DecodeError as error:
        return None if _may_go_on(text, error) else True
    except RecursionError:
        return None
    return False


def _decode(text: bytes) -> None:
    try:
        _RAW.decode(text)
    except RecursionError:
        decode_deep(text, _RAW)
