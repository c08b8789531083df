"""Records of a block of JSON once more, one at a time, as plain data."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any

import msgspec

from .deep_json import decode_deep
from .json_values import decode_long, decoder

_RAW = msgspec.json.Decoder(msgspec.Raw)


class OfTexts:
    """The records of some texts, by their places.

    >>> OfTexts([b'{"no": 1}', b'{"no": 2}'])(1)
    {'no': 2}
    """

    def __init__(self, texts: Sequence[bytes]) -> None:
        self._texts = texts

    def __call__(self, place: int) -> Any:
        text = self._texts[place]
        decode = decoder(dict[str, Any])
        try:
            return decode.decode(text)
        except msgspec.ValidationError:  # an integer of many digits
            return decode_long(text, dict[str, Any])
        except RecursionError:
            return decode_deep(text, decode)


class OfLines:
    """The same of values that follow one another, each with a line end after it."""

    def __init__(self, text: bytes) -> None:
        self._text = text

    @cached_property
    def _texts(self) -> OfTexts:
        return OfTexts([bytes(one) for one in _RAW.decode_lines(self._text)])

    def __call__(self, place: int) -> Any:
        return self._texts(place)


class OfElements:
    """The same of the elements of a list."""

    def __init__(self, text: bytes) -> None:
        self._text = text

    @cached_property
    def _texts(self) -> OfTexts:
        return OfTexts(
            [bytes(one) for one in msgspec.json.decode(self._text, type=list[msgspec.Raw])]
        )

    def __call__(self, place: int) -> Any:
        return self._texts(place)
