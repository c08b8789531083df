"""A web page: one file with the table in it, which its own script sorts, filters and folds without
a network, and which can be printed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cache
from html import escape
from typing import Any

from ..layout.model import LayoutParts, SettledLayout
from ..plan.plan import ColumnPlan
from ..run.protocols import Row, TotalRow
from ..values.functions import text_of
from .files import Target
from .rendering import Rendering
from .sheet_shape import Folding
from .streamed import StreamedWriter

_ROWS = "<!--rows-->"


def check_table(layout: LayoutParts, name: str) -> None:
    """Every table can be written so."""


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> WebPage:
    """A writer for a target."""
    return WebPage(layout, target, columns, source)


class WebPage(StreamedWriter):
    """Writes rows of a table in a page. Cells that are sorted otherwise than they read have their
    value beside."""

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
    ) -> None:
        super().__init__(layout, target, columns, source)
        self._rendering = Rendering(columns, layout.locale, layout.output)
        self._folding = Folding(layout)
        self._numeric = [one.numeric or one.kind == "number" for one in columns]
        self._patterned = [
            one.column.format is not None and one.column.translate is None for one in columns
        ]
        self._before, _, self._after = self._page().partition(_ROWS)

    def _page(self) -> str:
        layout = self.layout
        page: str = _template().render(
            title=self.fit(layout.name),
            about=self.fit(layout.about),
            preamble=list(map(self.fit, layout.output.preamble)),
            source=self.fit(self.source),
            headings=list(map(self.fit, layout.headings)),
            further=[list(map(self.fit, row)) for row in layout.header_rows[1:]],
            numeric=self._numeric,
            foot="above" if self._folding.above else "below",
        )
        return page

    def begin(self) -> None:
        self.put(self._before)

    def end(self) -> None:
        self.put(self._after)

    def write(self, rows: list[Row]) -> None:
        """Write some rows."""
        shown = self._rendering.careful(self._rendering.rows(rows))
        self.put("".join(self._row(row, texts) for row, texts in zip(rows, shown, strict=True)))
        self.rows += len(rows)

    def _row(self, row: Row, texts: Row) -> str:
        level = self._folding.level(row)
        kind = f' class="{"total" if row.depth else "whole"}"' if isinstance(row, TotalRow) else ""
        return f'<tr data-level="{level}"{kind}>{"".join(self._cells(row, texts))}</tr>\n'

    def _cells(self, row: Row, texts: Row) -> Iterator[str]:
        kinds = zip(self._numeric, self._patterned, strict=True)
        for cell, shown, (numeric, patterned) in zip(row, texts, kinds, strict=True):
            text = "" if shown is None else text_of(shown)
            value = ""
            if patterned and cell is not None:
                value = f' data-value="{self._escaped(text_of(cell))}"'
            right = ' class="n"' if numeric else ""
            yield f"<td{right}{value}>{self._escaped(text)}</td>"

    def _escaped(self, text: str) -> str:
        return escape(self.fit(text)).replace("\r", "&#13;")


@cache
def _template() -> Any:
    import jinja2

    loader = jinja2.PackageLoader("flatledger.outputs")
    ways = {"autoescape": True, "trim_blocks": True, "lstrip_blocks": True}
    return jinja2.Environment(loader=loader, **ways).get_template("table.html")  # type: ignore[arg-type]
