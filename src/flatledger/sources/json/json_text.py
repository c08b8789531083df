"""The text of a JSON source, as it is read: where values begin and end, and how to go on after
what is none.

It holds no more than the value it is in. A value that begins on a line and does not end there has
to be valid as a whole; otherwise the line is at fault, with the deeper ones below it, and reading
goes on after them. So what is found never depends on how the bytes come.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

import msgspec

from ...bounds import DEEPEST_JSON, LARGEST_RECORD, TIMES_MADE
from .deep_json import decode_deep
from .json_window import LINE_END, Window

_PLAIN = rb'(?:[^"{}\[\]]++|"(?:[^"\\\r\n]++|\\[^\r\n])*+")'
# as far as the next bracket that matters: what holds no further brackets is passed over whole
_TO_BRACKET = re.compile(rb"(?:" + _PLAIN + rb"|\{" + _PLAIN + rb"*+\}|\[" + _PLAIN + rb"*+\])*+")
_IN_TEXT = re.compile(rb'(?:[^"\\\r\n]++|\\[^\r\n])*+')
_WORD = re.compile(rb"[\w.+-]*+")
_AFTER_VALUE = (re.compile(rb""), b" \t\r\n\f\v,]}{[")  # what may stand after it: blanks, a byte
_AFTER_ALONE = (re.compile(rb"[ \t]*+"), b"{[\r\n")
_AFTER_KEY = (re.compile(rb"[ \t\r\n]*+"), b":")
_QUOTE, _BACKSLASH = b'"\\'
_OPENING = b"{["
_LEAST_CHECKED = 64
_SMALL = 1 << 20  # bytes of a value, of which not too much can be made
_MADE_OF = {b"{": 64, b"[": 56, b",": 40, b":": 72}  # bytes that each stands for in memory
_CHECKED = 1 << 16  # bytes of a value after which it is looked at whether it can still be one


class JsonText(Window):
    """The values of the text, taken one after another.

    What a value that has no end was found out about its brackets is remembered, so that no line is
    gone through again for each that begins before it.
    """

    def __init__(
        self, chunks: Iterator[bytes], largest: int = LARGEST_RECORD << 20, name: str = ""
    ) -> None:
        super().__init__(chunks, largest, name)
        self._unclosed = frozenset[int]()  # places of brackets that nothing closes
        self._trusted = _CHECKED  # bytes of a value after which the decoder is asked first

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
            state, broken = look(text)
            self._fails_at(start + broken + 1 if state == BROKEN else end)
            return None
        if len(text) > _SMALL:
            self._check_made(text)
        self._trusted = min(_CHECKED, self._trusted + len(text))
        self.at = end
        return text

    def _check_made(self, text: bytes) -> None:
        """Raise SourceError where more would be made of a value than of the largest record."""
        made = len(text) + sum(text.count(mark) * size for mark, size in _MADE_OF.items())
        most = TIMES_MADE * self._largest
        if made > most:
            most_mb = f"{most >> 20:,} are the most"
            raise self.too_large(f"a record of which {made >> 20:,} MB would be made; {most_mb}")

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
        start, checked, depth = self.at, self._trusted, 1
        if self._bytes_behind + start in self._unclosed:
            return None
        place = searched = start + 1
        lined = False
        while True:
            place = match(buffer, place).end()  # type: ignore[union-attr]
            if place == len(buffer):
                if not self.fill():
                    self._fails_at(place)
                    return None
                continue
            byte = buffer[place]
            if byte == _QUOTE:
                end = self._end_of_text(place + 1)
                if end is None:
                    self._fails_at(place)
                    return None
                place = end
                continue
            place += 1
            depth += 1 if byte in _OPENING else -1
            if depth == 0:
                return place
            if depth > DEEPEST_JSON and not lined:
                lined, searched = LINE_END.search(buffer, searched, place) is not None, place
            if depth > DEEPEST_JSON and lined:
                self._fails_at(place)  # nothing goes so deep over several lines
                return None
            if place - start > checked:
                end, checked = self._end_by_decoder(start, place)
                if end is None or end:
                    return end

    def _fails_at(self, wrong: int) -> None:
        """There is no value here, since it can't go on at a place: nor are those that begin before
        that and are not closed there."""
        opened, place, match = [self.at], self.at + 1, _TO_BRACKET.match
        while (place := match(self.buffer, place, wrong).end()) < wrong:  # type: ignore[union-attr]
            byte = self.buffer[place]
            if byte == _QUOTE:  # a text is broken here
                break
            place += 1
            if byte in _OPENING:
                opened.append(place - 1)
            elif opened:
                opened.pop()
        line = max(self.buffer.rfind(mark, self.at, wrong) for mark in (b"\n", b"\r"))
        # one that begins on this very line may be closed on it, as what is broken within its line
        self._unclosed = frozenset(self._bytes_behind + one for one in opened if one < line)
        self._trusted = min(self._trusted, max(2 * (wrong - self.at), _LEAST_CHECKED))

    def _end_by_decoder(self, start: int, place: int) -> tuple[int | None, int]:
        """Where a long value ends that begins at ``start``; None where it can't be one.

        0: the decoder can't tell; the second number says when to ask again. It can't where the
        value is broken within its line, which may still end, or where it is nested too deeply.
        """
        if place - start <= _CHECKED:
            text = bytes(self.buffer[start:place])
            state, wrong = look(text)
            if state == BROKEN and is_lined(text):
                self._fails_at(start + wrong + 1)
                return None, 0
            return 0, 2 * (place - start)
        while True:
            text = bytes(self.buffer[start:])
            state, wrong = look(text)
            if state == WHOLE:
                return start + wrong, 0
            if state == BROKEN and is_lined(text[:wrong]):
                self._fails_at(start + wrong + 1)
                return None, 0
            if state != SHORT:
                return 0, 2 * len(text)
            while len(self.buffer) - start < 2 * len(text) and self.fill():
                pass
            if len(self.buffer) - start == len(text):
                self._fails_at(len(self.buffer))
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


# ---- asking the decoder what a text begins with: a JSON value, whole, broken or cut off


_RAW = msgspec.json.Decoder(msgspec.Raw)
_AT = re.compile(r"malformed: (.*) \(byte (\d+)\)")
_TRAILING = "trailing characters"
WHOLE, BROKEN, SHORT, UNKNOWN = range(4)


def look(text: bytes) -> tuple[int, int]:
    """What the JSON value is that a text begins with, and where it ends or is broken."""
    try:
        _RAW.decode(text)
    except msgspec.DecodeError as error:
        if _may_go_on(text, error):
            return SHORT, 0
        found = _AT.search(str(error))
        place = int(found[2]) - 1 if found else 0
        trailing = found is not None and found[1] == _TRAILING
        return (WHOLE, len(text[:place].rstrip())) if trailing else (BROKEN, place)
    except RecursionError:
        return UNKNOWN, 0
    return WHOLE, len(text.rstrip())


def _may_go_on(text: bytes, error: msgspec.DecodeError) -> bool:
    """Whether a value is only too short: it ends too early, or is wrong in its last byte alone,
    which a number that is cut off may be."""
    found = _AT.search(str(error))
    return found is None or (int(found[2]) >= len(text) and found[1] != _TRAILING)


def is_lined(text: bytes) -> bool:
    return b"\n" in text or b"\r" in text


def is_broken(text: bytes) -> bool | None:
    """Whether a text can't be the beginning of a JSON value; None where it is only too short."""
    try:
        _decode(text)
    except msgspec.DecodeError as error:
        return None if _may_go_on(text, error) else True
    except RecursionError:
        return None
    return False


def _decode(text: bytes) -> None:
    try:
        _RAW.decode(text)
    except RecursionError:
        decode_deep(text, _RAW)
