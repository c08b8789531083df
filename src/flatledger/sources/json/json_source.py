"""JSON: one value after another (lines, text sequences, as they come), lists, documents."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property, partial
from itertools import chain, islice
from operator import eq
from typing import Any, NamedTuple, TypeVar

import msgspec

from ...errors import SourceError
from ...run.protocols import Batch, Repeats
from ...structure.levels import level_name
from ...values.faults import Fault, shown
from ..files.naming import nothing_read
from ..files.options import Options
from ..files.reader import BaseReader
from ..files.reading import Bytes, noting
from .deep_json import decode_deep
from .double_keys import DoubleKeys
from .json_pieces import Piece, Pieces, Stretch
from .json_text import JsonText
from .json_values import (
    DECODE_ERRORS,
    LOOK_AHEAD,
    decode_long,
    decoder,
    is_little,
    is_plain,
    reason,
    specimens,
)
from .neighbours import Neighbours

Found = TypeVar("Found")
_LONGEST_LINE = 1 << 18  # bytes of a line that is decoded together with others
_BATCH_BYTES = 1 << 18
_MANY_ODD = 20  # one record in so many that does not fit is too many to part them
_MOST_PASSED_OVER = 63  # blocks, after many that did not fit


def open_reader(data: Bytes, options: Options) -> JsonReader:
    """A reading of some bytes. Raises SourceError."""
    return JsonReader(data, options)


class JsonReader(BaseReader):
    """Reads the records of a JSON source, some at a time; it decodes into any type."""

    decodes = True

    def __init__(self, data: Bytes, options: Options) -> None:
        self.name = data.name
        self._data = data
        self._names = options.records
        places = [level_name(path) for path in options.records if path]
        self.manner = f"JSON, each entry of {' and of '.join(places)} a record" if places else ""
        self._double_keys = options.double_keys
        self._largest = options.largest
        self._chunks: Iterator[bytes] = map(_as_lines, data.chunks())
        self._first: list[Any] | None = None
        self._little = False

    def close(self) -> None:
        self._data.close()

    def peek(self) -> list[Any]:
        if self._first is None:
            self._first, seen = [], list[bytes]()
            batches = self._read(noting(self._chunks, seen), dict[str, Any])
            while len(self._first) < LOOK_AHEAD and (batch := next(batches, None)):
                self._first += batch.records
            self._first = self._first[:LOOK_AHEAD]
            self._little = is_little(self._first, sum(map(len, seen)))
            self._chunks = chain(seen, self._chunks)
        return self._first

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        shape = record_type or dict[str, Any]
        return self._read(self._chunks, shape, None if self._little else exact)

    def _read(self, chunks: Iterator[bytes], shape: Any, exact: Any = None) -> Iterator[Batch]:
        """Whole lines are decoded together; where that fails, the values in them one by one."""
        text = JsonText(chunks, self._largest, self.name)
        pieces = Pieces(text, self._names, self.name)
        decode = _Decoding(shape, exact, self._double_keys)
        while byte := text.peek():
            lines = b"" if self._names or byte == b"[" else text.whole_lines(_LONGEST_LINE)
            batches = decode.lines(lines) if lines else None
            if batches is not None:
                text.at += len(lines)
                text.drop()
                yield from batches
                continue
            end = text.passed + len(lines)
            yield from decode.pieces(_until(text, pieces, end))
        pieces.check()
        if decode.first_fault and not decode.readable:
            raise SourceError(nothing_read(self.name, decode.first_text, decode.first_fault))


def _as_lines(chunk: bytes) -> bytes:
    """The record separators of a text sequence (RFC 7464) as line ends that are not counted.

    No JSON text holds that character, so where it stands reading can go on after a broken one.
    """
    return chunk.replace(b"\x1e", b"\r") if b"\x1e" in chunk else chunk


def _until(text: JsonText, pieces: Pieces, end: int) -> Iterator[Piece | Stretch]:
    """The pieces of a value, and of those that follow as far as a place in the source."""
    yield from pieces.next_value()
    while text.passed < end and text.peek():
        yield from pieces.next_value()


class Portion(NamedTuple):
    """Records that follow one another, decoded in exact types or in loose ones, and their text."""

    exact: bool
    records: list[Any]
    text: bytes


class _Decoding:
    """Turns lines and pieces into batches of a shape, and numbers the records. What fits an
    ``exact`` shape comes in that."""

    def __init__(self, shape: Any, exact: Any, double_keys: bool) -> None:
        self._double_keys = DoubleKeys() if double_keys else None
        self._shape = shape
        self._one, self._many = decoder(shape), decoder(list[shape])
        self._exact = _ExactDecoding(exact) if exact is not None else None
        self._number = 1
        self._neighbours = Neighbours()
        self.readable = False  # whether there was a record
        self.first_fault, self.first_text = "", b""

    def lines(self, text: bytes) -> list[Batch] | None:
        """The records on some lines; None where not all can be decoded so."""
        first = self._number
        portions = self._exact.lines(text, self._one) if self._exact else None
        if portions is None:
            try:
                portions = [Portion(False, self._one.decode_lines(text), text)]
            except DECODE_ERRORS:
                return None
        found = [
            self._whole(one.records, partial(_last, one.text), one.text)._replace(
                exact=one.exact, plain=OfLines(one.text)
            )
            for one in portions
        ]
        if found:
            found[0] = found[0]._replace(repeats=self._repeats(found, text, first))
        return found

    def _repeats(self, batches: list[Batch], text: bytes, first: int) -> Repeats:
        """How many records on some lines repeat the one before: their texts are looked at one by
        one where what was decoded of two neighbours is equal."""
        body, records = text.rstrip(b"\n"), batches[0].records
        start, end = body.find(b"\n"), body.rfind(b"\n")
        begins, ends = body if start < 0 else body[:start], body[end + 1 :]
        alike = len(batches) > 1 or any(map(eq, records, islice(records, 1, None)))
        if records and not alike and begins.strip() and ends.strip():
            return self._neighbours.beside(begins, ends, first)
        texts = body.split(b"\n")
        if len(texts) != self._number - first:  # blank lines are no records
            texts = [line for line in texts if line.strip()]
        return self._neighbours.repeats(texts, first)

    def _whole(self, records: list[Any], specimens: Callable[[], list[Any]], text: bytes) -> Batch:
        """A batch without faults. ``text`` is that of the records, one after another."""
        twice = self._double_keys.faults(text, self._number) if self._double_keys else []
        numbers = range(self._number, self._number + len(records))
        self._number += len(records)
        self.readable = self.readable or bool(records)
        return Batch(records, numbers, [], specimens, twice)

    def pieces(self, pieces: Iterator[Piece | Stretch]) -> Iterator[Batch]:
        """The records among some pieces; what is none is told."""
        size, held = 0, list[Piece]()
        for piece in pieces:
            if isinstance(piece, Piece):
                held.append(piece)
                size += len(piece.text)
            if held and (size >= _BATCH_BYTES or isinstance(piece, Stretch)):
                yield self._compared(held)
                size, held = 0, []
            if isinstance(piece, Stretch):
                batch = self._stretch(piece)
                if batch is not None:
                    yield batch
        if held:
            yield self._compared(held)

    def _compared(self, pieces: list[Piece]) -> Batch:
        """The records of some pieces, with those that repeat the one before."""
        texts = [piece.text for piece in pieces if not piece.stray]
        repeats = self._neighbours.repeats(texts, self._number)
        return self._batch(pieces)._replace(repeats=repeats)

    def _stretch(self, stretch: Stretch) -> Batch | None:
        """The records of a stretch, which is taken; None where not all can be decoded so."""
        if self._double_keys:
            return None
        text = b"[" + stretch.text + b"]"
        found = self._exact.elements(text) if self._exact else None
        exact = found is not None
        if found is None:
            try:
                found = self._many.decode(text)
            except DECODE_ERRORS:
                return None
        stretch.taken = len(found)
        last = partial(specimens, stretch.last)
        whole = self._whole(found, last, stretch.text)
        return whole._replace(exact=exact, plain=OfElements(text))

    def _decoded(self, text: bytes) -> Any:
        try:
            return self._one.decode(text)
        except msgspec.ValidationError:  # a number of many digits is one, too
            return decode_long(text, self._shape)
        except RecursionError:
            return decode_deep(text, self._one)

    def _batch(self, pieces: list[Piece]) -> Batch:
        if not any(piece.wrong for piece in pieces):
            texts = [piece.text for piece in pieces]
            joined, text = b"[" + b",".join(texts) + b"]", b" ".join(texts)
            found = self._exact.elements(joined) if self._exact else None
            of_texts = OfTexts(texts)
            if found is not None and len(found) == len(texts):
                whole = self._whole(found, partial(specimens, texts[-1]), text)
                return whole._replace(exact=True, plain=of_texts)
            try:
                records = self._many.decode(joined)
            except DECODE_ERRORS:
                records = []
            if len(records) == len(texts):
                whole = self._whole(records, partial(specimens, texts[-1]), text)
                return whole._replace(plain=of_texts)
        return self._each(pieces)

    def _each(self, pieces: list[Piece]) -> Batch:
        records: list[Any] = []
        numbers: list[int] = []
        faults: list[Fault] = []
        remarks: list[Fault] = []
        taken: list[bytes] = []
        for piece in pieces:
            wrong = piece.wrong
            if not wrong:
                try:
                    records.append(self._decoded(piece.text))
                    numbers.append(self._number)
                    taken.append(piece.text)
                    if self._double_keys:
                        remarks += self._double_keys.faults(piece.text, self._number)
                except DECODE_ERRORS as error:
                    wrong = reason(piece.text, error)
            if wrong:
                start = shown(piece.text[:200].decode("utf-8", "replace"))
                left = "" if piece.stray else "; the record is left out"
                fault = Fault(self._number, "", start, f"{wrong} ({piece.where}){left}")
                (remarks if piece.stray else faults).append(fault)
                if not self.first_fault and not piece.stray:
                    self.first_fault, self.first_text = f"{wrong} ({piece.where})", piece.text
            self._number += not piece.stray
        self.readable = self.readable or bool(records)
        last = taken[-1:] or [b""]
        plain = OfTexts(taken)
        return Batch(records, numbers, faults, partial(specimens, last[0]), remarks, plain=plain)


class _ExactDecoding:
    """Decodes into exact types what fits them.

    The decoder passes over what is not asked for without a look at its letters and digits, in exact
    types more than in loose ones. So that both take the same texts, it is given none that is not
    UTF-8 or that may hold a number too long for it. Where blocks are refused again and again it is
    asked only now and then.
    """

    def __init__(self, shape: Any) -> None:
        self._one, self._many = decoder(shape), decoder(list[shape])
        self._refused = self._passed_over = 0

    def lines(self, text: bytes, loose: msgspec.json.Decoder[Any]) -> list[Portion] | None:
        """The records on some lines; a few that do not fit come in their ``loose`` type between
        those that do. None where there are more of them, or a line is no record."""

        def decode(text: bytes) -> list[Portion] | None:
            try:
                return [Portion(True, self._one.decode_lines(text), text)]
            except msgspec.ValidationError:
                return _line_by_line(text, self._one, loose)

        return self._tried(decode, text)

    def elements(self, text: bytes) -> list[Any] | None:
        """The records of a list; None where not all fit."""
        return self._tried(self._many.decode, text)

    def _tried(self, decode: Callable[[bytes], Found | None], text: bytes) -> Found | None:
        if self._passed_over < self._refused:
            self._passed_over += 1
            return None
        self._passed_over = 0
        try:
            found = decode(text) if is_plain(text) else None
        except DECODE_ERRORS:
            found = None
        self._refused = 0 if found is not None else min(2 * self._refused + 1, _MOST_PASSED_OVER)
        return found


def _line_by_line(
    text: bytes, exact: msgspec.json.Decoder[Any], loose: msgspec.json.Decoder[Any]
) -> list[Portion] | None:
    """The records on lines, those that follow one another in one type together."""
    lines = text.split(b"\n")
    runs: list[tuple[bool, list[Any], list[bytes]]] = []
    odd = 0
    for line in lines:
        if not line.strip():
            continue
        fits = True
        try:
            record = exact.decode(line)
        except msgspec.ValidationError:
            fits, odd, record = False, odd + 1, loose.decode(line)
        if odd * _MANY_ODD > len(lines) + _MANY_ODD:
            return None
        if not runs or runs[-1][0] != fits:
            runs.append((fits, [], []))
        runs[-1][1].append(record)
        runs[-1][2].append(line)
    return [Portion(fits, records, b"\n".join(parts)) for fits, records, parts in runs]


def _last(block: bytes) -> list[Any]:
    """The record on the last line, whole."""
    return specimens(block.rstrip().rpartition(b"\n")[2])


# ---- records of a block of JSON once more, one at a time, as plain data


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
