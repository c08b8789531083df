"""JSON Lines: one record on each line (UTF-8). A line that is no record is a fault."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import Any

from ..engine.faults import Fault
from ..engine.protocols import Batch
from .json_values import DECODE_ERRORS, LOOK_AHEAD, decoder, record_fault, specimens
from .reading import Bytes


class JsonLines:
    """Reads a file of JSON Lines in chunks of whole lines."""

    def __init__(self, data: Bytes) -> None:
        self.name = data.name
        self._blocks = _whole_lines(data.chunks())
        self._ahead: list[bytes] = []
        self._first: list[Any] = []

    def look_ahead(self) -> list[Any]:
        decode = decoder(Any)
        while len(self._first) < LOOK_AHEAD and (block := next(self._blocks, b"")):
            self._ahead.append(block)
            self._first += _decode(block, decode, 1, 1).records
        return self._first

    def batches(self, shape: Any) -> Iterator[Batch]:
        number, line = 1, 1
        decode = decoder(shape)
        for block in self._all_blocks():
            batch = _decode(block, decode, number, line)
            yield batch
            number += len(batch.records) + len(batch.faults)
            line += block.count(b"\n")

    def _all_blocks(self) -> Iterator[bytes]:
        while self._ahead:
            yield self._ahead.pop(0)
        yield from self._blocks


def _whole_lines(chunks: Iterator[bytes]) -> Iterator[bytes]:
    """Cut chunks at line ends; a line longer than a chunk is put together."""
    parts: list[bytes] = []
    for chunk in chunks:
        cut = chunk.rfind(b"\n") + 1
        if cut:
            yield b"".join((*parts, chunk[:cut]))
            parts = [chunk[cut:]]
        else:
            parts.append(chunk)
    last = b"".join(parts)
    if last:
        yield last


def _decode(block: bytes, decode: Any, number: int, line: int) -> Batch:
    """Decode a block at once; if that fails, line by line, to tell which lines are at fault."""
    try:
        records = decode.decode_lines(block)
        return Batch(records, range(number, number + len(records)), [], partial(_last, block))
    except DECODE_ERRORS:
        return _decode_each(block, decode, number, line)


def _decode_each(block: bytes, decode: Any, number: int, first_line: int) -> Batch:
    records: list[Any] = []
    numbers: list[int] = []
    faults: list[Fault] = []
    for line, text in enumerate(block.split(b"\n"), first_line):
        if not text.strip():
            continue
        try:
            records.append(decode.decode(text))
            numbers.append(number)
        except DECODE_ERRORS as error:
            faults.append(record_fault(number, text, error, f"line {line:,}"))
        number += 1
    return Batch(records, numbers, faults, partial(_last, block))


def _last(block: bytes) -> list[Any]:
    """The record on the last line, whole."""
    return specimens(block.rstrip().rpartition(b"\n")[2])
