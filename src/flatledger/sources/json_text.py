"""The text of a JSON source, as it is read: where values begin and end, and how to go on after
what is none.

It holds no more than the value it is in. A value that begins on a line and does not end there has
to be valid as a whole; otherwise the line is at fault, with the deeper ones below it, and reading
goes on after them. So what is found never depends on how the bytes come.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from ..bounds import DEEPEST_JSON, LARGEST_RECORD
from ..errors import SourceError
from .json_look import BROKEN, SHORT, WHOLE, is_broken, is_lined, look

_PLAIN = rb'(?:[^"{}\[\]]++|"(?:[^"\\\r\n]++|\\[^\r\n])*+")'
# as far as the next bracket that matters: what holds no further brackets is passed over whole
_TO_BRACKET = re.compile(rb"(?:" + _PLAIN + rb"|\{" + _PLAIN + rb"*+\}|\[" + _PLAIN + rb"*+\])*+")
_IN_TEXT = re.compile(rb'(?:[^"\\\r\n]++|\\[^\r\n])*+')
_WORD = re.compile(rb"[\w.+-]*+")
_BLANKS = re.compile(rb"[ \t\r\n]*+")
_LINE_END = re.compile(rb"[\r\n]")
_AFTER_VALUE = (re.compile(rb""), b" \t\r\n\f\v,]}{[")  # what may stand after it: blanks, a byte
_AFTER_ALONE = (re.compile(rb"[ \t]*+"), b"{[\r\n")
_AFTER_KEY = (re.compile(rb"[ \t\r\n]*+"), b":")
_INDENT = re.compile(rb"[ \t]*+")
_QUOTE, _BACKSLASH = b'"\\'
_OPENING = b"{["
_SHOWN = 1 << 16  # bytes of a broken line that are kept
_CHECKED = 1 << 16  # bytes of a value after which it is looked at whether it can still be one
_DROPPED = 1 << 20  # bytes that are behind, after which they are let go


class JsonText:
    """A window on the text; ``at`` is where reading goes on.

    Raises SourceError where a value has more than the ``largest`` number of bytes.
    """

    def __init__(
        self, chunks: Iterator[bytes], largest: int = LARGEST_RECORD << 20, name: str = ""
    ) -> None:
        self._chunks = chunks
        self._name = name
        self._largest = largest
        self._lines = 0  # that end before the place as far as which they have been counted
        self._counted = 0
        self._indent_behind: int | None = None  # of the line that the window begins in
        self._bytes_behind = 0
        self.buffer = bytearray()
        self.at = 0

    # ---- the window

    @property
    def passed(self) -> int:
        """How many bytes of the source lie before the place where reading goes on."""
        return self._bytes_behind + self.at

    def fill(self) -> bool:
        """Read on; false at the end."""
        if len(self.buffer) - self.at > self._largest:
            raise SourceError(
                f"{self._name}, line {self.line(self.at):,}: a record of more than "
                f"{self._largest >> 20:,} MB. If records lie within it, say where (`source: "
                "{records: …}`, --records); if it is one, say how many MB it may have (`source: "
                "{largest-record: …}`, --largest-record)"
            )
        chunk = next((chunk for chunk in self._chunks if chunk), b"")
        self.buffer += chunk
        return bool(chunk)

    def drop(self) -> None:
        """Let go of what is behind, if it is much. Places in the buffer are others after that."""
        if self.at < _DROPPED:
            return
        self._indent_behind = self._indent(self.at)
        self.line(self.at)
        self._bytes_behind += self.at
        self._counted -= self.at
        del self.buffer[: self.at]
        self.at = 0

    def line(self, place: int) -> int:
        """The number of the line that a place is in, from 1. Places come in their order."""
        self._lines += self.buffer.count(b"\n", self._counted, place)
        self._counted = max(place, self._counted)
        return self._lines + 1

    def peek(self) -> bytes:
        """The next byte that is not blank; nothing at the end."""
        while True:
            found = _BLANKS.match(self.buffer, self.at)
            assert found is not None
            self.at = found.end()
            if self.at < len(self.buffer):
                return bytes(self.buffer[self.at : self.at + 1])
            self.drop()
            if not self.fill():
                return b""

    def ahead(self, count: int) -> bytes:
        """The next bytes, or as many as there are; they are not taken."""
        while len(self.buffer) - self.at < count and self.fill():
            pass
        return bytes(self.buffer[self.at : self.at + count])

    def whole_lines(self, most: int) -> bytes:
        """The lines that are whole in the window; nothing where one takes more than ``most``."""
        while True:
            cut = self.buffer.rfind(b"\n", self.at) + 1
            if cut > self.at:
                with memoryview(self.buffer) as window:
                    return bytes(window[self.at : cut])
            if len(self.buffer) - self.at > most:
                return b""
            if not self.fill():
                return bytes(self.buffer[self.at :])

    def until_last(self, mark: bytes, size: int) -> bytes:
        """What comes before the last mark in the window, which is filled to some size."""
        while len(self.buffer) - self.at < size and self.fill():
            pass
        end = self.buffer.rfind(mark, self.at)
        with memoryview(self.buffer) as window:
            return bytes(window[self.at : end]) if end > self.at else b""

    # ---- values

    def value(self, alone: bool = False) -> bytes | None:
        """Take the value that begins here; None where there is none, and nothing is taken.

        ``alone``: a plain value is one only if it is no part of other text.
        """
        start = self.at
        brackets = self.buffer[start] in b"{["
        after = _AFTER_ALONE if alone else _AFTER_VALUE
        end = self._end_of_brackets() if brackets else self._end_of_plain(after)
        if end is None:
            return None
        text = bytes(self.buffer[start:end])
        if is_lined(text) and is_broken(text) is not False:
            return None
        self.at = end
        return text

    def skip_value(self) -> bool:
        """Pass over the value that begins here, without holding it; false where it has no end."""
        if self.buffer[self.at] not in b"{[":
            return self._skip_plain()
        depth = 1
        self.at += 1
        while True:
            place = self._to_bracket(self.at)
            if place is None:
                return False
            depth += 1 if self.buffer[place] in _OPENING else -1
            self.at = place + 1
            if depth == 0:
                return True
            self.drop()

    def skip_line(self) -> bytes:
        """Pass over the rest of the line, and the deeper ones below it; give its beginning."""
        indent = self._indent(self.at)
        start = self._to_line_end()
        while self.peek():
            closes = self.buffer[self.at] in b"}" and self._indent(self.at) == indent
            if not closes and self._indent(self.at) <= indent:
                break
            self._to_line_end()
        return start

    def _to_line_end(self) -> bytes:
        start = b""
        while True:
            found = _LINE_END.search(self.buffer, self.at)
            end = found.start() if found else len(self.buffer)
            start += bytes(self.buffer[self.at : min(end, self.at + _SHOWN - len(start))])
            self.at = end
            self.drop()
            if found or not self.fill():
                return start

    def _indent(self, place: int) -> int:
        """How far in the line of a place begins."""
        begin = max(self.buffer.rfind(b"\n", 0, place), self.buffer.rfind(b"\r", 0, place)) + 1
        if not begin and self._indent_behind is not None:
            return self._indent_behind
        found = _INDENT.match(self.buffer, begin)
        assert found is not None
        return found.end() - begin

    def key(self) -> bytes | None:
        """Take a name with its colon; None where there is none, and nothing is taken."""
        end = self._end_of_plain(_AFTER_KEY)
        if end is None or end == len(self.buffer):
            return None
        text = bytes(self.buffer[self.at : end])
        self.at = self.buffer.index(b":", end) + 1
        return text

    def _end_of_plain(self, after: tuple[re.Pattern[bytes], bytes]) -> int | None:
        """Where a text or word ends that begins here; None if what follows is not as it has to be.

        At the end of the source nothing has to follow.
        """
        quoted = self.buffer[self.at] == _QUOTE
        end = self._end_of_text(self.at + 1) if quoted else self._end_of_word(self.at)
        if end is None or end == self.at:
            return None
        blanks, allowed = after
        while True:
            found = blanks.match(self.buffer, end)
            assert found is not None
            if found.end() < len(self.buffer):
                return end if self.buffer[found.end()] in allowed else None
            if found.end() - end > _CHECKED:
                return None
            if not self.fill():
                return end

    def _end_of_word(self, place: int) -> int:
        """Where letters and digits end that may go on in the next chunk."""
        while True:
            found = _WORD.match(self.buffer, place)
            assert found is not None
            place = found.end()
            if place < len(self.buffer) or not self.fill():
                return place

    def _skip_plain(self) -> bool:
        """Pass over a text or word, of which no more is held than a chunk."""
        quoted = self.buffer[self.at] == _QUOTE
        part = _IN_TEXT if quoted else _WORD
        self.at += quoted
        begun = self.passed
        while True:
            found = part.match(self.buffer, self.at)
            assert found is not None
            self.at = found.end()
            self.drop()
            escaped = self.buffer[self.at : self.at + 1] == b"\\"  # by the chunk after this
            if len(self.buffer) - self.at > escaped or not self.fill():
                break
        if not quoted:
            return self.passed > begun
        closed = self.buffer[self.at : self.at + 1] == b'"'
        self.at += closed
        return closed

    def _end_of_brackets(self) -> int | None:
        """Where the bracket that opens here is closed; None where it can't be."""
        buffer, match = self.buffer, _TO_BRACKET.match
        start, checked, depth = self.at, _CHECKED, 1
        place = searched = start + 1
        lined = False
        while True:
            place = match(buffer, place).end()  # type: ignore[union-attr]
            if place == len(buffer):
                if not self.fill():
                    return None
                continue
            byte = buffer[place]
            if byte == _QUOTE:
                end = self._end_of_text(place + 1)
                if end is None:
                    return None
                place = end
                continue
            place += 1
            depth += 1 if byte in _OPENING else -1
            if depth == 0:
                return place
            if depth > DEEPEST_JSON and not lined:
                lined, searched = _LINE_END.search(buffer, searched, place) is not None, place
            if depth > DEEPEST_JSON and lined:
                return None  # nothing goes so deep over several lines
            if place - start > checked:
                end, checked = self._end_by_decoder(start)
                if end is None or end:
                    return end

    def _end_by_decoder(self, start: int) -> tuple[int | None, int]:
        """Where a long value ends that begins at a place; None where it can't be one.

        0: the decoder can't tell, since it is broken within its line, or nested too deeply; the
        second number says when to ask again.
        """
        while True:
            text = bytes(self.buffer[start:])
            state, place = look(text)
            if state == WHOLE:
                return start + place, 0
            if state == BROKEN and is_lined(text[:place]):
                return None, 0
            if state != SHORT:
                return 0, 2 * len(text)
            while len(self.buffer) - start < 2 * len(text) and self.fill():
                pass
            if len(self.buffer) - start == len(text):
                return None, 0

    def _to_bracket(self, place: int) -> int | None:
        """The next bracket that is in no text; None at the end, or where a text has none."""
        while True:
            found = _TO_BRACKET.match(self.buffer, place)
            assert found is not None
            place = found.end()
            if place < len(self.buffer) and self.buffer[place] != _QUOTE:
                return place
            if place == len(self.buffer):
                if not self.fill():
                    return None
                continue
            end = self._end_of_text(place + 1)
            if end is None:
                return None
            place = end

    def _end_of_text(self, place: int) -> int | None:
        """Where a text ends that goes on in the next chunk; None where the line ends before."""
        while True:
            found = _IN_TEXT.match(self.buffer, place)
            assert found is not None
            place = found.end()
            if place < len(self.buffer) and self.buffer[place] == _QUOTE:
                return place + 1
            if place < len(self.buffer) - 1 or (
                place < len(self.buffer) and self.buffer[place] != _BACKSLASH
            ):
                return None
            if not self.fill():
                return None
