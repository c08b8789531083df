"""Decoding JSON with exact numbers, and saying in plain words what is wrong with it."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from typing import Any

import msgspec

from ...bounds import DEEPEST_JSON, MOST_DIGITS
from ...run.decoding import no_fit
from ...values.faults import shown
from ...values.numbers import Unreadable, read_fraction

_SHOWN = 40
_DIGITS_SEEN = 300
_NO_NUMBERS = re.compile(rb"-?Infinity|NaN")
LOOK_AHEAD = 300
_LITTLE = 1 << 18  # bytes, for which code of their own is not worth while
DECODE_ERRORS = (msgspec.MsgspecError, UnicodeDecodeError, RecursionError)


def is_little(looked_at: Sequence[Any], read: int) -> bool:
    """Whether the records that were looked at are all of a source, and of few bytes."""
    return len(looked_at) < LOOK_AHEAD and read < _LITTLE


def decoder(shape: Any) -> msgspec.json.Decoder[Any]:
    """A decoder of JSON into a shape; numbers with a fraction become exact decimals."""
    return msgspec.json.Decoder(shape, float_hook=read_fraction)


def is_plain(text: bytes) -> bool:
    """Whether a text is UTF-8, and holds no number of so many digits that the decoder takes none.

    Such a number would cover one of the places looked at, and what follows there.

    >>> is_plain(b'{"no": 1}'), is_plain(b'"' + bytes([255]) + b'"'), is_plain(b"7" * 4_400)
    (True, False, False)
    """
    if not text.isascii():
        try:
            text.decode()
        except UnicodeDecodeError:
            return False
    step = MOST_DIGITS - _DIGITS_SEEN
    return not any(text[at : at + _DIGITS_SEEN].isdigit() for at in range(0, len(text), step))


def reason(text: bytes, error: Exception) -> str:
    """Why a text is no record, in plain words and whatever the decoder says.

    >>> reason(b'{"no": }', msgspec.DecodeError("JSON is malformed: no value (byte 7)"))
    'not valid JSON at byte 8: }'
    >>> reason(b'{"no": 1', msgspec.DecodeError("Input data was truncated"))
    'the record ends too early'
    """
    if isinstance(error, RecursionError):
        return f"nested too deeply: {DEEPEST_JSON:,} brackets within each other are the most"
    try:
        text.decode()
    except UnicodeDecodeError as wrong:
        return f"byte 0x{text[wrong.start]:02x} is not UTF-8"
    if isinstance(error, msgspec.ValidationError) and (found := specimens(text)):
        return no_fit(found[0])
    at = _broken_at(text)
    if at is None:
        return "not valid JSON: a character that is written as \\u… is half of one only"
    if at >= len(text.rstrip()):
        return "the record ends too early"
    there = shown(text[at : at + _SHOWN].decode(errors="replace"))
    return f"not valid JSON at byte {at + 1:,}: {there}"


def _broken_at(text: bytes) -> int | None:
    """The first byte of a text where it is no JSON; None where a reader of another kind takes it.

    >>> _broken_at(b'{"no": nope}'), _broken_at(b'{"no": 1}')
    (7, None)
    """
    try:
        json.loads(text, parse_constant=_refused)
    except json.JSONDecodeError as error:
        if error.msg.startswith("Unterminated"):
            return len(text)
        return len(error.doc[: error.pos].encode())
    except ValueError:  # NaN and Infinity, which are no JSON
        found = _NO_NUMBERS.search(text)
        return found.start() if found else 0
    return None


def decode_long(text: bytes, shape: Any) -> Any:
    """A record in a shape, of which an integer has more digits than the decoder takes.

    Such an integer is read exactly up to 4,300 digits; beyond them it stands as what can't be read.
    Raises what decoding raises.

    >>> decode_long(b'{"no": 12}', dict)
    {'no': 12}
    """
    try:
        record = json.loads(
            text, parse_int=_long_integer, parse_float=read_fraction, parse_constant=_refused
        )
    except ValueError as error:
        raise msgspec.DecodeError(str(error)) from None
    return msgspec.convert(record, shape)


def _long_integer(text: str) -> Any:
    digits = len(text.lstrip("-"))
    if digits <= MOST_DIGITS:
        return int(text)
    return Unreadable(f"{text[:_SHOWN]}…", f"has {digits:,} digits; {MOST_DIGITS:,} are the most")


def _refused(text: str) -> Any:
    raise ValueError(f"invalid literal {text}")


def specimens(text: bytes) -> list[Any]:
    """A record whole, as plain data, in a list; none where it can't be read."""
    try:
        return [decoder(Any).decode(text)]
    except DECODE_ERRORS:
        return []
