"""The pieces of a JSON source: records, and what is none; in lists, in documents, one by one."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

import msgspec

from ...errors import SourceError
from ...layout.model.names import proposal
from ...structure.levels import Names, level_name
from .json_text import JsonText
from .json_values import DECODE_ERRORS, reason

_SHOWN_NAMES = 12
_SHOWN_BYTES = 40
_STRETCH = 1 << 19  # bytes
_LONGEST_BETWEEN = 400
_BETWEEN = re.compile(rb"\s*,\s*\{\s*\"[^\"\\]*\"")  # as far as the next one's first name


class Piece(NamedTuple):
    """A part of the source. ``element`` counts the elements of a list from 1.

    ``wrong`` says why it can't be read; ``stray``: it takes the place of no record.
    """

    text: bytes
    line: int
    element: int = 0
    wrong: str = ""
    stray: bool = False

    @property
    def where(self) -> str:
        """Its place in words."""
        element = f"element {self.element:,} of the list, " if self.element else ""
        return f"{element}line {self.line:,}"


class Stretch:
    """A stretch of a list that is probably some whole elements. Whoever can decode it takes it, and
    says how many they were; else they come one by one.

    It ends where the text looks as it did between two elements before. Were it cut within an
    element, it would be no JSON.
    """

    def __init__(self, text: bytes, between: bytes) -> None:
        self.text = text
        self.taken = 0
        self._between = between

    @property
    def last(self) -> bytes:
        """The last element, most likely."""
        start = self.text.rfind(self._between)
        return self.text[start + 1 :].lstrip(b", \t\r\n") if start >= 0 else self.text


class Pieces:
    """Cuts the text of a source into pieces. Values may follow each other in any way.

    A list stands for its elements. With ``paths`` each value is a document, and the records are
    at those paths in it.
    """

    def __init__(self, text: JsonText, paths: tuple[Names, ...], source: str) -> None:
        self._text, self._paths, self._source = text, paths, source
        self._found: set[Names] = set()  # the paths that a document had
        self._between = b""  # how an element ends and the next one begins, as it was last met
        self._missed: dict[Names | None, str] = {}  # what was said of a path first

    def next_value(self) -> Iterator[Piece | Stretch]:
        """The pieces of the next value at the top, or of what stands in its place."""
        byte = self._text.peek()
        if self._paths:
            yield from self._document(byte)
        elif byte == b"[":
            yield from self._list()
        elif byte:
            yield self._piece(0, alone=True)

    def check(self) -> None:
        """Raise SourceError where a path to records led nowhere in the whole source."""
        missed = next((path for path in self._paths if path not in self._found), None)
        if missed in self._missed:
            raise SourceError(f"{self._source}: {self._missed[missed]}")

    # ---- values and lists

    def _piece(self, element: int, alone: bool = False) -> Piece:
        text = self._text
        text.drop()
        place = text.line(text.at)
        value = text.value(alone)
        if value is not None:
            return Piece(value, place, element)
        broken = text.skip_line()
        return Piece(broken, place, element, wrong=_why(broken))

    def _list(self) -> Iterator[Piece | Stretch]:
        text = self._text
        begun, element, due = text.line(text.at), 0, True  # a value is due, or else a comma
        one_by_one = 0  # as far as this place in the source
        text.at += 1
        while byte := text.peek():
            if byte == b"]":
                if due and element:
                    yield self._stray("a comma stands before the end of the list")
                text.at += 1
                return
            if byte == b",":
                if due:
                    yield self._stray("a comma too many")
                due = True
                text.at += 1
                continue
            if not due:
                yield self._stray("a comma is missing before this")
            stretch = None
            if due and self._between and text.passed >= one_by_one:
                stretch = self._stretch()
                one_by_one = text.passed + (0 if stretch else _STRETCH)
            if stretch is not None:
                yield stretch
                if stretch.taken:
                    text.at += len(stretch.text)
                    text.drop()
                    element, due = element + stretch.taken, False
                    continue
                one_by_one = text.passed + len(stretch.text)
            element += 1
            piece = self._piece(element)
            due = bool(piece.wrong)  # nobody knows whether a comma was among it
            yield piece
            self._look_between()
        yield self._stray(f"the list that begins on line {begun:,} has no end: `]` is missing")

    def _look_between(self) -> None:
        """Note how the element that has just been read is parted from the next one."""
        found = _BETWEEN.match(self._text.ahead(_LONGEST_BETWEEN))
        self._between = b"}" + found[0] if found else b""

    def _stretch(self) -> Stretch | None:
        """What is in the window of elements that are parted as those before."""
        found = self._text.until_last(self._between, _STRETCH)
        return Stretch(found + b"}", self._between) if found else None

    def _stray(self, wrong: str) -> Piece:
        text = self._text
        return Piece(text.ahead(_SHOWN_BYTES), text.line(text.at), 0, wrong, stray=True)

    # ---- documents

    def _document(self, byte: bytes) -> Iterator[Piece | Stretch]:
        text = self._text
        if byte == b"{":
            found, self._found = self._found, set()
            yield from self._members(self._paths, 0)
            if not self._found:
                first = self._paths[0]
                yield self._stray(self._missed.get(first) or f"no records at `{level_name(first)}`")
            self._found |= found
            return
        line = text.line(text.at)
        for path in self._paths:
            self._miss(path, 1, [])
        start = text.value(alone=True) or text.skip_line()
        yield Piece(start, line, wrong=_none_at(self._paths[0], 1, []))

    def _members(self, paths: tuple[Names, ...], depth: int) -> Iterator[Piece | Stretch]:
        """Go through the object that begins here; members on the way to the records are read."""
        text, ways = self._text, {path[depth] for path in paths}
        begun, seen = text.line(text.at), list[str]()
        text.at += 1
        while (byte := text.peek()) != b"}":
            if byte == b"," and seen:
                text.at += 1
                byte = text.peek()
            key = self._key() if byte == b'"' else None
            if key is None:
                wrong = f"the object that begins on line {begun:,} has no end: `}}` is missing"
                yield self._stray(wrong)
                self._lose()
                return
            seen.append(key)
            if key in ways:
                yield from self._member(tuple(p for p in paths if p[depth] == key), depth)
            else:
                text.peek()
                endless = self._stray(f"the value of `{key}` has no end")
                if not endless.text or not text.skip_value():
                    yield endless
                    self._lose()
                    return
        text.at += 1
        for path in paths:
            if path[depth] not in seen:
                self._miss(path, depth + 1, seen)

    def _member(self, paths: tuple[Names, ...], depth: int) -> Iterator[Piece | Stretch]:
        """The value of a member on the way to the records."""
        text, last = self._text, next((p for p in paths if depth == len(p) - 1), None)
        byte = text.peek()
        if byte == b"{" and last is None:
            yield from self._members(paths, depth + 1)
        elif byte == b"[" and last is not None:
            self._found.add(last)
            yield from self._list()
        elif last is not None and byte:
            self._found.add(last)
            piece = self._piece(0)
            if piece.text != b"null":
                yield piece
        else:
            for path in paths:
                self._miss(path, depth + 2, [])
            if byte:
                text.skip_value()

    def _miss(self, path: Names, depth: int, seen: list[str]) -> None:
        self._missed.setdefault(path, _none_at(path, depth, seen))

    def _key(self) -> str | None:
        """A name with its colon; None where it is none."""
        try:
            return msgspec.json.decode(self._text.key() or b"", type=str)
        except DECODE_ERRORS:
            return None

    def _lose(self) -> None:
        """What follows in a broken document can't be told apart any more."""
        while self._text.peek():
            self._text.skip_line()


def _none_at(path: Names, depth: int, seen: list[str]) -> str:
    names = path[:depth]
    known = ", ".join(seen[:_SHOWN_NAMES])
    hint = proposal(names[-1], seen) or (f"; there are {known}" if seen else "")
    return f"no records at `{level_name(names)}`{hint}"


def _why(text: bytes) -> str:
    """Why a text is no JSON value."""
    try:
        msgspec.json.decode(text)
    except DECODE_ERRORS as error:
        return reason(text, error)
    return "the record ends too early"
