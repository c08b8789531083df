"""A JSON document: one list of records, or an object that holds one at a path of names.

The document is never held whole. Each record's text is found by its brackets and decoded by the
same reader as JSON Lines, so that numbers stay exact and unwanted fields are not built; a general
streaming parser would build every value first, and reads numbers its own way.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import partial
from typing import Any

import msgspec

from ..engine.faults import Fault
from ..engine.levels import Names, level_name
from ..engine.protocols import Batch
from ..errors import SourceError
from ..layout.names import proposal
from .json_values import DECODE_ERRORS, LOOK_AHEAD, decoder, reason, record_fault, specimens
from .reading import Bytes

_TO_BRACKET = re.compile(rb'(?:[^"{}\[\]]++|"(?:[^"\\]++|\\.)*+")*+', re.DOTALL)
_SCALAR_END = re.compile(rb"[,\]}\s]")
_BLANK = b" \t\r\n"
_QUOTE = ord('"')
_TEXT = re.compile(rb'"(?:[^"\\]++|\\.)*+"', re.DOTALL)
_BATCH_BYTES = 1 << 18


class JsonDocument:
    """Reads the records of one JSON document, some at a time."""

    def __init__(self, data: Bytes, records: Names) -> None:
        self.name = data.name
        self._elements = _batches(_Scanner(data.name, data.chunks()), records)
        self._ahead: list[list[bytes]] = []
        self._first: list[Any] = []

    def look_ahead(self) -> list[Any]:
        decode = decoder(Any)
        while len(self._first) < LOOK_AHEAD and (elements := next(self._elements, [])):
            self._ahead.append(elements)
            self._first += _decode(elements, decode, decode, 1).records
        return self._first

    def batches(self, shape: Any) -> Iterator[Batch]:
        number = 1
        one, many = decoder(shape), decoder(list[shape])
        for elements in self._all_elements():
            yield _decode(elements, many, one, number)
            number += len(elements)

    def _all_elements(self) -> Iterator[list[bytes]]:
        while self._ahead:
            yield self._ahead.pop(0)
        yield from self._elements


def _decode(elements: list[bytes], many: Any, one: Any, number: int) -> Batch:
    """Decode some records at once; if that fails, one by one."""
    try:
        records = many.decode(b"[" + b",".join(elements) + b"]")
        if len(records) == len(elements):
            numbers = range(number, number + len(records))
            return Batch(records, numbers, [], partial(specimens, elements[-1]))
    except DECODE_ERRORS:
        pass
    kept: list[Any] = []
    places: list[int] = []
    faults: list[Fault] = []
    for place, element in enumerate(elements, number):
        try:
            kept.append(one.decode(element))
            places.append(place)
        except DECODE_ERRORS as error:
            faults.append(record_fault(place, element, error, f"element {place:,} of the list"))
    return Batch(kept, places, faults, partial(specimens, elements[-1]))


def _batches(scanner: _Scanner, names: Names) -> Iterator[list[bytes]]:
    """The texts of the records at a path, some at a time."""
    size, batch = 0, []
    for element in _elements(scanner, names):
        batch.append(element)
        size += len(element)
        if size >= _BATCH_BYTES:
            yield batch
            size, batch = 0, []
    if batch:
        yield batch


def _elements(scanner: _Scanner, names: Names) -> Iterator[bytes]:
    for depth, name in enumerate(names):
        scanner.enter(name, names[: depth + 1])
    if scanner.peek() != b"[":
        yield scanner.value()
        return
    scanner.take(b"[")
    if scanner.peek() == b"]":
        return
    while True:
        yield scanner.value()
        if scanner.peek() != b",":
            break
        scanner.take(b",")
    scanner.take(b"]")


class _Scanner:
    """Finds where JSON values end, holding no more than the value it is in."""

    def __init__(self, name: str, chunks: Iterator[bytes]) -> None:
        self.name = name
        self._chunks = chunks
        self._buffer = b""
        self._at = 0

    def _fill(self) -> bool:
        chunk = next(self._chunks, b"")
        self._buffer = self._buffer[self._at :] + chunk
        self._at = 0
        return bool(chunk)

    def peek(self) -> bytes:
        """The next byte that is not blank; nothing at the end."""
        while True:
            while self._at < len(self._buffer):
                byte = self._buffer[self._at : self._at + 1]
                if byte not in _BLANK:
                    return byte
                self._at += 1
            if not self._fill():
                return b""

    def take(self, wanted: bytes) -> None:
        found = self.peek()
        if found != wanted:
            what = f"`{found.decode('utf-8', 'replace')}`" if found else "the end"
            raise SourceError(
                f"{self.name} is not a whole JSON document: {what} stands where "
                f"`{wanted.decode()}` is expected; was the file cut off?"
            )
        self._at += 1

    def value(self) -> bytes:
        """The text of the next value."""
        first = self.peek()
        end = self._end_of_scalar() if first not in (b"{", b"[") else self._end_of_brackets()
        text = self._buffer[self._at : end]
        self._at = end
        if not text:
            self.take(b"a value")
        return text

    def _end_of_scalar(self) -> int:
        if self._buffer[self._at : self._at + 1] == b'"':
            return self._end_of_text()
        while True:
            found = _SCALAR_END.search(self._buffer, self._at)
            if found:
                return found.start()
            if not self._fill():
                return len(self._buffer)

    def _end_of_text(self) -> int:
        while True:
            found = _TEXT.match(self._buffer, self._at)
            if found:
                return found.end()
            if not self._fill():
                return len(self._buffer)

    def _end_of_brackets(self) -> int:
        """Where the bracket that opens here is closed, or the end of what there is."""
        depth, place = 0, self._at
        while True:
            found = _TO_BRACKET.match(self._buffer, place)
            end = found.end() if found else place
            if end == len(self._buffer) or self._buffer[end] == _QUOTE:  # goes on in the next chunk
                offset = place - self._at
                if not self._fill():
                    return len(self._buffer)
                place = self._at + offset
                continue
            depth += 1 if self._buffer[end] in b"{[" else -1
            place = end + 1
            if depth == 0:
                return place

    def enter(self, name: str, path: Names) -> None:
        """Go to the value of a member of the object that begins here."""
        seen: list[str] = []
        if self.peek() == b"{":
            self.take(b"{")
            while self.peek() == b'"':
                key = self._key()
                self.take(b":")
                if key == name:
                    return
                seen.append(key)
                self.value()
                if self.peek() != b",":
                    break
                self.take(b",")
        hint = proposal(name, seen) or (f"; there are {', '.join(seen[:12])}" if seen else "")
        raise SourceError(f"{self.name}: no records at `{level_name(path)}`{hint}")

    def _key(self) -> str:
        try:
            return msgspec.json.decode(self.value(), type=str)
        except DECODE_ERRORS as error:
            raise SourceError(f"{self.name}: a name is {reason(error)}") from None
