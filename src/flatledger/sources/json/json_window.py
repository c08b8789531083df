"""A window on the text of a JSON source: what has been read of it and is not behind yet."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...bounds import LARGEST_RECORD
from ...errors import SourceError

_BLANKS = re.compile(rb"[ \t\r\n]*+")
LINE_END = re.compile(rb"[\r\n]")
_INDENT = re.compile(rb"[ \t]*+")
_SHOWN = 1 << 16  # bytes of a broken line that are kept
_DROPPED = 1 << 20  # bytes that are behind, after which they are let go


class Window:
    """The window; ``at`` is where reading goes on.

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
        self._begin = self._begin_known = 0  # of the last line, as far as it was looked for
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
            raise self.too_large(f"a record of more than {self._largest >> 20:,} MB")
        chunk = next((chunk for chunk in self._chunks if chunk), b"")
        self.buffer += chunk
        return bool(chunk)

    def too_large(self, what: str) -> SourceError:
        """What to say of a record that goes beyond what is held of one."""
        return SourceError(
            f"{self._name}, line {self.line(self.at):,}: {what}. If records lie within it, say "
            "where (`source: {records: …}`); if it is one, say how many MB it may have (`source: "
            "{largest-record: …}`)"
        ).typing("--records, --largest-record")

    def drop(self) -> None:
        """Let go of what is behind, if it is much. Places in the buffer are others after that."""
        if self.at < _DROPPED:
            return
        self._indent_behind = self._indent(self.at)
        self.line(self.at)
        self._bytes_behind += self.at
        self._counted -= self.at
        self._begin, self._begin_known = max(self._begin - self.at, 0), 0
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

    # ---- lines

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
            found = LINE_END.search(self.buffer, self.at)
            end = found.start() if found else len(self.buffer)
            start += bytes(self.buffer[self.at : min(end, self.at + _SHOWN - len(start))])
            self.at = end
            self.drop()
            if found or not self.fill():
                return start

    def _indent(self, place: int) -> int:
        """How far in the line of a place begins."""
        known = self._begin_known if place >= self._begin_known else 0
        ends = [self.buffer.rfind(mark, known, place) for mark in (b"\n", b"\r")]
        begin = max(ends) + 1 or (self._begin if known else 0)
        self._begin, self._begin_known = begin, place
        if not begin and self._indent_behind is not None:
            return self._indent_behind
        found = _INDENT.match(self.buffer, begin)
        assert found is not None
        return found.end() - begin
