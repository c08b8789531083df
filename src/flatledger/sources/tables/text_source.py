"""The text of a source that is no JSON: its characters, and its first lines."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain

from ...errors import SourceError
from ..files.naming import what_it_is
from ..files.reading import Bytes
from ..files.text_encodings import Encoding, found_encoding, texts

_HEAD = 1 << 16  # bytes that are looked at


class OpenedText:
    """The bytes of a source as ``texts``, the ``beginning`` of which can be looked at.

    A blank ``encoding`` is found. Raises SourceError where they are no such text at all; ``what``
    they are to be is for the message.
    """

    def __init__(self, data: Bytes, encoding: str, what: str) -> None:
        first: list[bytes] = []
        chunks = data.chunks()
        for chunk in chunks:
            first.append(chunk)
            if sum(map(len, first)) >= _HEAD:
                break
        head = b"".join(first)
        if not encoding and (other := what_it_is(head)):
            raise SourceError(f"{data.name} is not {what}, but {other}")
        self.encoding = Encoding(encoding) if encoding else found_encoding(head)
        if data.encoding:  # a byte order mark tells it, and they have been made UTF-8 already
            self.encoding = Encoding("utf-8")
        pieces = texts(iter([head]), self.encoding, data.name, whole=False)
        self.beginning = "".join(pieces)
        self.texts = texts(chain(first, chunks), self.encoding, data.name)


def after_lines(pieces: Iterator[str], count: int, end: str = "") -> Iterator[str]:
    """A text that comes in pieces, without its first lines.

    >>> "".join(after_lines(iter(["Title\\r", "\\nNo,Part"]), 1))
    'No,Part'
    """
    held = ""
    for piece in pieces:
        held += piece
        while count:
            after = _line_end(held, end)
            if not after:
                break
            held, count = held[after:], count - 1
        if not count:
            yield held
            held = ""
    if not count:
        yield held


def _line_end(text: str, end: str) -> int:
    """Where the first line of a text ends for certain; 0 where that can't be told yet."""
    if end:
        return text.find(end) + len(end) if end in text else 0
    found = min((at for mark in "\r\n" if (at := text.find(mark)) >= 0), default=-1)
    if found < 0 or found + 1 == len(text):
        return found + 1 if text[found:] == "\n" else 0
    return found + 1 + (text[found : found + 2] == "\r\n")
