"""Names that come twice in one object: the last counts, and no decoder tells."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

import msgspec

from ...bounds import DEEPEST_LAYOUT
from ...values.faults import Fault

REASON = "this name comes twice in one object; the last counts"
_SPACED = re.compile(rb'"[ \t\r\n]+:')
_DECODER = msgspec.json.Decoder(float_hook=str)
_BLANKS = re.compile(r"[ \t\r\n]*")
_AS_TEXT: dict[str, Any] = {"parse_int": str, "parse_float": str, "parse_constant": str}


class _Pairs(list[tuple[str, Any]]):
    """The members of an object, in the order of its text."""


class DoubleKeys:
    """Looks for double names in the text of records."""

    def __init__(self) -> None:
        self._double = False
        self._quick = json.JSONDecoder(object_pairs_hook=self._members, **_AS_TEXT)
        self._whole = json.JSONDecoder(object_pairs_hook=_Pairs, **_AS_TEXT)

    def faults(self, text: bytes, number: int) -> list[Fault]:
        """The faults in one record or several, one after another, which count from ``number``.

        >>> [fault.path for fault in DoubleKeys().faults(b'{"a": {"b": 1, "b": 2}} {}', 1)]
        ['a.b']
        """
        told: list[Fault] = []
        if _has_none(text):
            return told
        try:
            whole = text.decode()
            place = _next(whole, 0)
            while place < len(whole):
                self._double, start = False, place
                _, end = self._quick.raw_decode(whole, start)
                if self._double:
                    record, _ = self._whole.raw_decode(whole, start)
                    told += [Fault(number, path, "", REASON) for path in _doubles(record, "")]
                number, place = number + 1, _next(whole, end)
        except (ValueError, RecursionError):  # what can't be read is told where it is decoded
            pass
        return told

    def _members(self, pairs: list[tuple[str, Any]]) -> None:
        if len(pairs) > 1 and len(dict(pairs)) < len(pairs):
            self._double = True


def _has_none(text: bytes) -> bool:
    """Whether there is no double name for certain, quickly told.

    Decoded and written again, records with double names have fewer names. Each name is followed by
    `":`, which else stands in texts only, written alike both times. Where a blank may stand before
    a colon, or letters are written by their numbers, nothing is certain.
    """
    if b"\\u00" in text or _SPACED.search(text):
        return False
    try:
        again = msgspec.json.encode(_DECODER.decode_lines(text))
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError, OverflowError, ValueError):
        return False
    return text.count(b'":') == again.count(b'":')


def _next(text: str, place: int) -> int:
    found = _BLANKS.match(text, place)
    assert found is not None
    return found.end()


def _doubles(value: Any, path: str, depth: int = 0) -> Iterator[str]:
    """The paths of the names that come twice."""
    if depth > DEEPEST_LAYOUT or not isinstance(value, list):
        return
    names = set()
    for part in value:
        if not isinstance(value, _Pairs):
            yield from _doubles(part, path, depth + 1)
            continue
        name, below = part
        place = f"{path}.{name}" if path else name
        if name in names:
            yield place
        names.add(name)
        yield from _doubles(below, place, depth + 1)
