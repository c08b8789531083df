"""Text in columns of stated widths: a record for each line."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...errors import SourceError
from ..files.options import Options
from ..files.reading import Bytes
from .row_texts import RowBlock, WrongRow
from .tables import TableReader
from .text_source import OpenedText, after_lines

_TOO_LONG = "more text than the stated widths"


def open_reader(data: Bytes, options: Options) -> TableReader:
    """A reading of some bytes. Raises SourceError."""
    stated = options.table
    if not stated.widths:
        raise SourceError(
            f"{data.name}: state the columns under `source` as `widths`, such as "
            "{No: 6, Part: 20}"
        )
    headings = [name for name, _ in stated.widths]
    opened = OpenedText(data, stated.encoding, "text in columns")
    cut = _Cut([width for _, width in stated.widths], stated.comment_prefix)
    skipped = stated.skip_rows or 0
    header = stated.header_row_count
    if header is None:
        lines = "".join(after_lines(iter([opened.beginning]), skipped)).splitlines()
        header = int(bool(lines) and _are_headings(cut.row(lines[0]), headings))
    texts = after_lines(opened.texts, skipped + header)
    return TableReader(
        data.name,
        headings,
        cut.blocks(texts, 1 + skipped + header),
        f"text in columns of {sum(width for _, width in stated.widths)} characters"
        f"{opened.encoding.said()}" + ("; headings in the first line" if header == 1 else ""),
        close=data.close,
        nested=stated.nested,
        stated=stated,
        notices=opened.encoding.notices(),
    )


def _are_headings(row: Sequence[str], headings: Sequence[str]) -> bool:
    return all(name.startswith(cell) and cell for cell, name in zip(row, headings, strict=True))


class _Cut:
    """Cuts lines into cells; blanks around a cell are no part of it."""

    def __init__(self, widths: Sequence[int], comment_prefix: str) -> None:
        self._comment = comment_prefix
        self._spans = []
        self._whole = 0
        for width in widths:
            self._spans.append(slice(self._whole, self._whole + width))
            self._whole += width

    def row(self, line: str) -> list[str]:
        return [line[span].strip() for span in self._spans]

    def blocks(self, texts: Iterator[str], number: int) -> Iterator[RowBlock]:
        """The rows of a text that comes in pieces; the first line has this number."""
        held = ""
        for text in texts:
            held += text
            whole = held.rfind("\n") + 1
            if whole:
                yield self._block(held[:whole], number)
                number += held.count("\n", 0, whole)
                held = held[whole:]
        if held:
            yield self._block(held, number)

    def _block(self, text: str, number: int) -> RowBlock:
        rows: list[list[str]] = []
        places: list[int] = []
        wrong: list[WrongRow] = []
        for at, line in enumerate(text.split("\n"), number):
            line = line.removesuffix("\r")
            if not line.strip() or (self._comment and line.startswith(self._comment)):
                continue
            if line[self._whole :].strip():
                wrong.append(WrongRow(len(rows), at, line, _TOO_LONG))
                continue
            rows.append(self.row(line))
            places.append(at)
        return RowBlock(rows, lambda place: places[place], wrong)
