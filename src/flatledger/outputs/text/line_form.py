"""How cells stand in the lines of delimited text, for code that makes lines straight away.

Most cells are written as they are, and all lines of a batch are looked at together. Of columns in
which something special was met each cell is written with care; where that would have to be told or
counted, the batch goes by cells (`DelimitedWriter`).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from ...layout.model.model import SettledLayout
from ...layout.model.output_options import Output
from ...plan.plan import Plan
from ...plan.row_type import ColumnPlan
from ...run.protocols import Row
from ...values.formulas import looks_like_formula
from ..cells.formula_guard import FormulaGuard
from ..cells.long_cells import LONGEST
from ..cells.rendering import Rendering
from .line_texts import LineTexts


def form_in(plan: Plan, output: Output) -> DelimitedLines | None:
    """How a plan's lines are made in a dialect; None where each cell has to be looked at."""
    told = output.line_break is not None or any(one.quotients == "added up" for one in plan.written)
    if told or output.quote != "needed" or not output.quote_char or len(plan.written) < 2:
        return None
    return DelimitedLines(plan.layout, output, plan.written)


class DelimitedLines:
    """The lines of delimited text in a dialect (a `TextForm`)."""

    def __init__(
        self, layout: SettledLayout, output: Output, columns: Sequence[ColumnPlan]
    ) -> None:
        self.delimiter, self.end = output.delimiter or ",", output.line_terminator
        self._rendering = Rendering(columns, layout.locale, output)
        self._texts = LineTexts(output)
        self._guard = FormulaGuard(layout.written, output) if output.formula_guard else None
        self._null = output.null
        self._width = len(columns)
        self.careful = {
            place
            for place, one in enumerate(columns)
            if self._rendering.changes(place) or (output.decimal_char != "." and one.kind != "text")
        }
        self.quoted: list[str] = []  # what has been written within quotes
        self.odd = False  # a cell was met that has to go by itself

    def written(self, place: int) -> Callable[[Any], str]:
        render, guards = self._rendering.of_column(place), self._guard is not None
        quoted_if_needed = self._texts.quoted_if_needed

        def write(cell: Any) -> str:
            text = render(cell)
            if text is None:
                return ""
            if text.__class__ is not str:
                text = str(text)
            if guards and looks_like_formula(text):
                self.odd = True
            written = quoted_if_needed(text)
            if written is not text:
                self.quoted.append(written)
            return written

        return write

    def blank(self, place: int) -> str:
        return self._null

    def begin(self) -> None:
        self.quoted, self.odd = [], False

    def joined(self, lines: list[str], truths: bool) -> str | None:
        text, quoted = "".join(lines), "".join(self.quoted)
        if self.odd or (truths and ("True" in text or "False" in text)):
            return None
        fits = not lines or (
            self._texts.are_bare(text, self._width, len(lines), quoted)
            and max(map(len, lines)) <= LONGEST
            and not (self._guard is not None and self._guard.may_matter(text, len(lines)))
        )
        return text if fits else None

    def lines_of(self, rows: list[Row]) -> list[str]:
        rows = self._rendering.careful(self._rendering.rows(rows))
        if self._guard is not None:
            rows = self._guard.guarded(rows, range(1, len(rows) + 1))
        return self._texts.of(rows)

    def look_at(self, rows: list[Row]) -> None:
        for place, cells in enumerate(zip(*rows, strict=True)):
            if place not in self.careful and self._texts.has_special(cells):
                self.careful.add(place)
