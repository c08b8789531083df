"""Markdown: a table of pipes and dashes, for documents and tickets."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any

from ...layout.model.model import LayoutParts, SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.protocols import Row, TotalRow
from ...values.functions import text_of
from ..cells.rendering import Rendering
from ..places.files import Target
from .streamed import StreamedWriter

_MARKUP = re.compile(r"[\\`*_\[\]|~]|^[#>+-]")
_TAGS = {"&": "&amp;", "<": "&lt;", ">": "&gt;"}
_LINE_BREAK = re.compile(r"\r\n|[\r\n]")


def check_table(layout: LayoutParts, name: str) -> None:
    """Every table can be written so."""


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> Markdown:
    """A writer for a target."""
    return Markdown(layout, target, columns, source)


class Markdown(StreamedWriter):
    """Writes rows between pipes. Numbers stand to the right, total rows are strong."""

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
    ) -> None:
        super().__init__(layout, target, columns, source)
        self._rendering = Rendering(columns, layout.locale, layout.output)

    def begin(self) -> None:
        for line in self.layout.output.preamble:
            self.put(f"{self._escaped(line)}\n\n")
        heads = self.layout.header_rows or (("",) * len(self.columns),)
        right = (one.numeric or one.kind == "number" for one in self.columns)
        self.put(_line(map(self._escaped, heads[0])))
        self.put(_line("---:" if one else "---" for one in right))
        for head in heads[1:]:
            self.put(_line(map(self._escaped, head)))

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        return [*super().notes(), *self._rendering.notes()]

    def write(self, rows: list[Row]) -> None:
        """Write some rows."""
        rendered = self._rendering.careful(self._rendering.rows(rows))
        self.put("".join(_line(self._cells(row)) for row in rendered))
        self.rows += len(rows)

    def _cells(self, row: Row) -> Iterable[str]:
        if not isinstance(row, TotalRow):
            return map(self._cell, row)
        return (f"**{self._cell(cell)}**" if cell not in (None, "") else "" for cell in row)

    def _cell(self, cell: Any) -> str:
        if cell is None:
            return ""
        return self._escaped(cell) if isinstance(cell, str) else text_of(cell)

    def _escaped(self, text: str) -> str:
        text = "".join(_TAGS.get(letter, letter) for letter in self.fit(text))
        text = _MARKUP.sub(lambda found: f"\\{found[0]}", text)
        inner = text.strip()
        if len(inner) < len(text):
            before = len(text) - len(text.lstrip()) if inner else len(text)
            after = text[before + len(inner) :]
            text = f"{_as_entities(text[:before])}{inner}{_as_entities(after)}"
        return _LINE_BREAK.sub("<br>", text)


def _as_entities(blanks: str) -> str:
    """Blanks that a table would drop, so that they stay."""
    return "".join(f"&#{ord(letter)};" for letter in blanks)


def _line(cells: Iterable[str]) -> str:
    return f"| {' | '.join(cells)} |\n"
