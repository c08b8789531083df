"""Delimited text: a record for each row, its fields by the headings."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import chain
from typing import NamedTuple

from ..errors import SourceError
from ..layout.source_options import TableReading
from ..values.formulas import without_guard
from .csvw_metadata import Described, described_beside, read_cells
from .dialects import Dialect, first_rows, found_delimiter, found_header
from .naming import what_it_is
from .options import Options
from .reading import Bytes
from .row_texts import RowBlock, RowTexts
from .tables import Headings, TableReader, headings_of
from .text_encodings import Encoding, found_encoding, texts

_JSON_LINE = re.compile(r"\s*[\[{]")
_HEAD = 1 << 16  # bytes that are looked at


def resembles(head: bytes) -> bool:
    """Whether a beginning is likely that of delimited text: its lines have as many cells each.

    >>> resembles(b"No;Part\\n1;wick\\n"), resembles(b'<r a="1">\\n<b/>\\n')
    (True, False)
    """
    text = head.decode("utf-8", "replace")
    if what_it_is(head) or "\n" not in text or any(map(_JSON_LINE.match, text.split("\n"))):
        return False
    rows = first_rows(text, Dialect(found_delimiter(text, Dialect())))
    widths = {len(row.cells) for row in (rows if text.endswith("\n") else rows[:-1])}
    return len(widths) == 1 and widths.pop() > 1


def open_reader(data: Bytes, options: Options) -> TableReader:
    """A reading of some bytes. Raises SourceError."""
    name = data.name
    if options.records:
        raise SourceError(f"{name}: there is no place within a table; leave out `records`")
    described = described_beside(name)
    stated = described.completed(options.table)
    head, chunks = _begun(data.chunks(), _HEAD)
    if not stated.encoding and (other := what_it_is(head)):
        raise SourceError(f"{name} is not delimited text, but {other}")
    encoding = _encoding(data, stated, head)
    looked_at = "".join(texts(iter([head]), encoding, name, whole=False))
    found = _found(stated, looked_at)
    end = found.dialect.line_terminator
    text = _after_lines(texts(chunks, encoding, name), found.skipped, end)
    rows = RowTexts(found.dialect, options.largest, 1 + found.skipped)
    header, blocks = _taken(rows.blocks(text), found.header)
    headings, notes, double = _headings(header, stated, described)
    rows.width = len(headings)
    if not headings:
        data.close()
        raise SourceError(f"{name} has no headings; name them under `source` with `headings`")
    described.check([*headings])
    readings = described.readings()
    if any(readings):
        blocks = read_cells(blocks, readings)
    if stated.formula_guard:
        blocks = _unguarded(blocks)
    return TableReader(
        name,
        headings,
        blocks,
        _manner(found, encoding, stated, described, notes),
        close=data.close,
        double=double,
        nested=stated.nested,
        texts=not any(readings),
    )


class _Found(NamedTuple):
    """The dialect, how many lines above the headings are passed over, and the rows of headings."""

    dialect: Dialect
    skipped: int
    header: int


def _begun(chunks: Iterator[bytes], size: int) -> tuple[bytes, Iterator[bytes]]:
    """The first bytes, and all of them from the start."""
    first: list[bytes] = []
    for chunk in chunks:
        first.append(chunk)
        if sum(map(len, first)) >= size:
            break
    return b"".join(first), chain(first, chunks)


def _encoding(data: Bytes, stated: TableReading, head: bytes) -> Encoding:
    """The encoding of the chunks: what a byte order mark tells has been made UTF-8 already."""
    if data.encoding:
        return Encoding("utf-8")
    return Encoding(stated.encoding) if stated.encoding else found_encoding(head)


def _found(stated: TableReading, text: str) -> _Found:
    """The dialect and the header, as stated and else by looking at the first rows."""
    ways = stated.quote_char, stated.escape_char, stated.line_terminator, stated.comment_prefix
    dialect = Dialect(",", *ways)
    dialect = dialect._replace(delimiter=stated.delimiter or found_delimiter(text, dialect))
    header = 1 if stated.header_row_count is None else stated.header_row_count
    if stated.headings and stated.header_row_count is None:
        header = 0
    skipped = stated.skip_rows
    if skipped is None:
        skipped = found_header(first_rows(text, dialect)) if header == 1 else 0
    return _Found(dialect, skipped, header)


def _after_lines(pieces: Iterator[str], count: int, end: str) -> Iterator[str]:
    """A text that comes in pieces, without its first lines."""
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


def _taken(blocks: Iterator[RowBlock], count: int) -> tuple[list[list[str]], Iterator[RowBlock]]:
    """The first rows, and the blocks of those that follow."""
    header: list[list[str]] = []
    while len(header) < count:
        block = next(blocks, None)
        if block is None:
            return header, iter(())
        take = min(count - len(header), len(block.rows))
        header += block.rows[:take]
        left = block.without(take)
        if left.rows or left.wrong:
            blocks = chain([left], blocks)
    return header, blocks


def _headings(header: list[list[str]], stated: TableReading, described: Described) -> Headings:
    if stated.headings:
        return Headings(list(stated.headings))
    if header:
        return headings_of(header, "." if stated.nested else " ")
    return Headings(described.headings())


def _unguarded(blocks: Iterator[RowBlock]) -> Iterator[RowBlock]:
    for block in blocks:
        for row in block.rows:
            for place, cell in enumerate(row):
                if cell.__class__ is str and cell[:1] == "'":
                    row[place] = without_guard(cell)
        yield block


def _manner(
    found: _Found,
    encoding: Encoding,
    stated: TableReading,
    described: Described,
    notes: Sequence[str],
) -> str:
    """How the text is read, in words."""
    by = f", as {described.file} says" if described.file else ""
    said = [f"{found.dialect.named()}{by}{encoding.said()}"]
    if found.skipped:
        lines = "1 line above is" if found.skipped == 1 else f"{found.skipped} lines above are"
        said.append(f"headings in line {found.skipped + 1}; {lines} passed over")
    elif found.header > 1:
        said.append(f"headings in {found.header} rows")
    return "; ".join([*said, *notes])
