"""Delimited text: a record for each row, its fields by the headings."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import chain
from typing import NamedTuple

from ...errors import SourceError
from ...layout.model.source_options import TableReading
from ..files.naming import what_it_is
from ..files.options import Options
from ..files.reading import Bytes
from ..files.text_encodings import Encoding
from .csvw_metadata import Described, described_beside, read_cells
from .dialects import Dialect, first_rows, found_delimiter, found_header, found_quote, usual_width
from .row_texts import RowBlock, RowTexts
from .tables import Headings, TableReader, headings_of, unguarded
from .text_source import OpenedText, after_lines

_JSON_LINE = re.compile(r"\s*[\[{]")


def resembles(head: bytes) -> bool:
    """Whether a beginning is likely that of delimited text: its lines have as many cells each.

    >>> resembles(b"No;Part\\n1;wick\\n"), resembles(b'<r a="1">\\n<b/>\\n')
    (True, False)
    """
    text = head.decode("utf-8", "replace")
    if what_it_is(head) or "\n" not in text or any(map(_JSON_LINE.match, text.split("\n"))):
        return False
    rows = first_rows(text, Dialect(found_delimiter(text, Dialect())))
    whole = rows if text.endswith("\n") else rows[:-1]
    start = found_header(rows)
    widths = {len(row.cells) for row in whole if row.line >= start}
    return len(widths) == 1 and widths.pop() > 1


def open_reader(data: Bytes, options: Options) -> TableReader:
    """A reading of some bytes. Raises SourceError."""
    name = data.name
    if options.records:
        raise SourceError(f"{name}: there is no place within a table; leave out `records`")
    described = described_beside(name)
    stated = described.completed(options.table)
    opened = OpenedText(data, stated.encoding, "delimited text")
    found = _found(stated, opened.beginning)
    text = after_lines(opened.texts, found.skipped, found.dialect.line_terminator)
    rows = RowTexts(found.dialect, options.largest, 1 + found.skipped)
    header, blocks = _taken(rows.blocks(text), found.header)
    headings, notes, double = _headings(header, stated, described)
    if not headings:
        headings, blocks = _numbered(blocks)
    rows.width = len(headings)
    if not headings:
        data.close()
        raise SourceError(f"{name} has no headings; name them under `source` with `headings`")
    described.check([*headings])
    readings = described.readings(options.declared)
    if any(readings):
        blocks = read_cells(blocks, readings)
    if stated.formula_guard:
        blocks = unguarded(blocks)
    return TableReader(
        name,
        headings,
        blocks,
        _manner(found, opened.encoding, stated, described, notes),
        close=data.close,
        double=double,
        nested=stated.nested,
        texts=not any(readings),
        stated=stated,
        notices=[*opened.encoding.notices(), *described.notices],
    )


class _Found(NamedTuple):
    """The dialect, how many lines above the headings are passed over, and the rows of headings."""

    dialect: Dialect
    skipped: int
    header: int


def _found(stated: TableReading, text: str) -> _Found:
    """The dialect and the header, as stated and else by looking at the first rows."""
    quote = found_quote(text) if stated.quote_char == "" else stated.quote_char
    ways = stated.escape_char, stated.line_terminator, stated.comment_prefix
    dialect = Dialect(",", quote, *ways)
    dialect = dialect._replace(delimiter=stated.delimiter or found_delimiter(text, dialect))
    header = 1 if stated.header_row_count is None else stated.header_row_count
    if stated.headings and stated.header_row_count is None:
        header = 0
    skipped = stated.skip_rows
    if skipped is None:
        skipped = found_header(first_rows(text, dialect)) if header == 1 else 0
    return _Found(dialect, skipped, header)


def _taken(blocks: Iterator[RowBlock], count: int) -> tuple[list[list[str]], Iterator[RowBlock]]:
    """The first rows, and the blocks of those that follow."""
    header: list[list[str]] = []
    held: list[RowBlock] = []  # lines among them that are no rows
    while len(header) < count:
        block = next(blocks, None)
        if block is None:
            break
        take = min(count - len(header), len(block.rows))
        header += block.rows[:take]
        held.append(block.without(take))
    return header, chain(held, blocks)


def _headings(header: list[list[str]], stated: TableReading, described: Described) -> Headings:
    if stated.headings:
        return Headings(list(stated.headings))
    if header:
        return headings_of(header, "." if stated.nested else " ")
    return Headings(described.headings())


def _numbered(blocks: Iterator[RowBlock]) -> tuple[list[str], Iterator[RowBlock]]:
    """Headings for a table that has none, as many as most of its first rows have cells."""
    first = next(blocks, None)
    if first is None:
        return [], iter(())
    width, _ = usual_width(first.rows)
    return headings_of([[""] * width], "").names, chain([first], blocks)


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
