"""Decoding JSON with exact numbers, and saying in plain words what is wrong with it."""

from __future__ import annotations

import json
import re
from typing import Any

import msgspec

from ..bounds import DEEPEST_JSON, MOST_DIGITS
from ..run.decoding import no_fit
from ..values.numbers import DecimalReader, Unreadable

_SHOWN = 40
_DIGITS_SEEN = 300
TOO_LONG = "out of range"
NUMBERS = DecimalReader()
LOOK_AHEAD = 300
DECODE_ERRORS = (msgspec.MsgspecError, UnicodeDecodeError, RecursionError)


def decoder(shape: Any) -> msgspec.json.Decoder[Any]:
    """A decoder of JSON into a shape; numbers with a fraction become exact decimals."""
    return msgspec.json.Decoder(shape, float_hook=NUMBERS.__getitem__)


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


def reason(error: Exception) -> str:
    """What a decoding error means, in plain words.

    >>> reason(msgspec.DecodeError("Input data was truncated"))
    'the record ends too early'
    """
    text = str(error)
    if isinstance(error, UnicodeDecodeError):
        return f"byte 0x{error.object[error.start]:02x} is not UTF-8"
    if isinstance(error, RecursionError):
        return f"nested too deeply: {DEEPEST_JSON:,} brackets within each other are the most"
    if "truncated" in text:
        return "the record ends too early"
    place = re.search(r"malformed: (.*) \(byte (\d+)\)", text)
    if place:
        return f"not valid JSON at byte {int(place[2]) + 1}: {place[1]}"
    return no_fit(error)


def decode_long(text: bytes, shape: Any) -> Any:
    """A record in a shape, of which an integer has more digits than the decoder takes.

    Such an integer is read exactly up to 4,300 digits; beyond them it stands as what can't be read.
    Raises what decoding raises.

    >>> decode_long(b'{"no": 12}', dict)
    {'no': 12}
    """
    try:
        record = json.loads(
            text, parse_int=_long_integer, parse_float=NUMBERS.__getitem__, parse_constant=_refused
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
