"""A web page: one file with the table in it, which its own script sorts, filters and folds without
a network, and which can be printed."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from decimal import Decimal
from functools import cache
from html import escape
from typing import Any

from ...language import nodes as n
from ...layout.model.model import LayoutParts, SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.protocols import GroupHeading, Row, StackedRow, TotalRow
from ...values.functions import text_of
from ..cells.arranging import Arrangement
from ..cells.page_breaks import PageBreaks
from ..cells.rendering import Rendering
from ..places.files import Target
from ..sheets.sheet_shape import Folding
from .streamed import StreamedWriter

_PARTS = ("<!--section-->\n", "<!--rows-->\n", "<!--script-->\n")


def check_table(layout: LayoutParts, name: str) -> None:
    """Every table can be written so."""


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> WebPage:
    """A writer for a target."""
    return WebPage(layout, target, columns, source)


class WebPage(StreamedWriter):
    """Writes rows of a table in a page, or of several tables (a TablesWriter). Cells that are
    sorted otherwise than they read have their value beside."""

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
    ) -> None:
        super().__init__(layout, target, columns, source)
        self._several, self._told = "", list[str]()
        self._take(layout, columns)

    def _take(self, layout: SettledLayout, columns: Sequence[ColumnPlan]) -> None:
        """Rows are those of a table from now on."""
        self.layout, self.columns = layout, columns
        self._rendering = Rendering(columns, layout.locale, layout.output)
        self._folding = Folding(layout)
        self._numeric = [one.numeric or one.kind == "number" for one in columns]
        self._patterned = [  # truth values are the words of their pattern, also to a reader
            one.column.format is not None
            and one.column.translate is None
            and one.column.datatype != "boolean"
            for one in columns
        ]
        self._arrangement, self._breaks = Arrangement(layout), PageBreaks(layout)
        self._tree = _Standing(columns if not layout.sort else ())
        self._parts = self._page()

    def _page(self) -> list[str]:
        """What stands before the table, above its rows, below them, and after it."""
        layout = self.layout
        page: str = _template().render(
            several=self.fit(self._several),
            title=self.fit(layout.name),
            about=self.fit(layout.about),
            preamble=list(map(self.fit, layout.output.preamble)),
            source=self.fit(self.source),
            headings=list(map(self.fit, layout.headings)),
            further=[list(map(self.fit, row)) for row in self._further()],
            by_level=[list(map(self.fit, row)) for row in self._by_level()],
            in_order=layout.reads_in_order,
            numeric=self._numeric,
            foot="above" if self._folding.above else "below",
        )
        before, rest = page.split(_PARTS[0])
        above, rest = rest.split(_PARTS[1])
        return [before, above, *rest.split(_PARTS[2])]

    def begin_several(self, title: str) -> None:
        self._several = title
        self._parts = self._page()

    def next_table(self, layout: SettledLayout, columns: Sequence[ColumnPlan]) -> None:
        self.put(self._parts[2])
        self._told += self._rendering.notes()
        self._take(layout, columns)
        self.put(self._parts[1])

    def _by_level(self) -> Sequence[Sequence[str]]:
        """The rows of headings of columns by level, if there are such."""
        return self.layout.header_rows if self._arrangement.active else ()

    def _further(self) -> Sequence[Sequence[str]]:
        """The rows below the headings, where these are those of all rows."""
        return () if self._arrangement.active else self.layout.header_rows[1:]

    def begin(self) -> None:
        self.put("".join(self._parts[:2]))

    def end(self) -> None:
        self.put("".join(self._parts[2:]))

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        return [*super().notes(), *dict.fromkeys([*self._told, *self._rendering.notes()])]

    def write(self, rows: list[Row]) -> None:
        """Write some rows."""
        shown = self._rendering.careful(self._rendering.rows(rows))
        self.put("".join(self._row(row, texts) for row, texts in zip(rows, shown, strict=True)))
        self.rows += len(rows)

    def _row(self, row: Row, texts: Row) -> str:
        level = self._folding.level(row)
        kind = _kind(row)
        depth = "" if isinstance(row, TotalRow) else self._tree.depth(row)
        if self._breaks.before(row):
            depth += ' data-page="new"'
        if isinstance(row, StackedRow):
            depth += f' data-stack="{row.place}"'
        above = self._headings_again() if self._arrangement.headed(row) else ""
        start, cells = f'<tr data-level="{level}"{depth}{kind}>', [*self._cells(row, texts)]
        if not self._arrangement.active:
            return f"{start}{''.join(cells)}</tr>\n"
        written = self._arrangement.rows(row, cells)
        return above + "".join(f"{start}{''.join(map(_or_blank, one))}</tr>\n" for one in written)

    def _headings_again(self) -> str:
        """The rows of headings, above a family."""
        found = []
        for slots, texts in zip(self._arrangement.slots, self._by_level(), strict=True):
            figures = {self._arrangement.places[at] for at in slots if self._numeric[at]}
            kinds = [' class="n"' if place in figures else "" for place in range(len(texts))]
            pairs = zip(kinds, texts, strict=True)
            cells = "".join(f"<th{kind}>{self._escaped(text)}</th>" for kind, text in pairs)
            found.append(f'<tr class="of-level">{cells}</tr>\n')
        return "".join(found)

    def _cells(self, row: Row, texts: Row) -> Iterator[str]:
        kinds = zip(self._numeric, self._patterned, strict=True)
        places = zip(row, texts, kinds, strict=True)
        for at, (cell, shown, (numeric, patterned)) in enumerate(places):
            text = "" if shown is None else text_of(shown)
            value = ""
            if patterned and cell is not None:
                value = f' data-value="{self._escaped(text_of(cell))}"'
            kind = "tree" if at == self._tree.shown_at else ""
            if numeric or (isinstance(cell, _NUMBERS) and cell.__class__ is not bool):
                kind = "n"
            elif not kind and _UNBROKEN.fullmatch(text):
                kind = "w"
            of_kind = f' class="{kind}"' if kind else ""
            yield f"<td{of_kind}{value}>{self._escaped(text)}</td>"

    def _escaped(self, text: str) -> str:
        return escape(self.fit(text)).replace("\r", "&#13;")


def _kind(row: Row) -> str:
    """The class of a row, which is none of the detail."""
    if isinstance(row, GroupHeading):
        return ' class="heading"'
    return f' class="{"total" if row.depth else "whole"}"' if isinstance(row, TotalRow) else ""


def _or_blank(cell: str | None) -> str:
    return "<td></td>" if cell is None else cell


_NUMBERS = int | Decimal  # also in a column of which it is not known beforehand
_UNBROKEN = re.compile(r"(?=.*[-/])\S{1,30}")  # an identifier or a date, which is not broken


class _Standing:
    """Where the rows of a table stand in a tree, if a column tells that, so that it can be folded:
    by their depths, or by their numbers. ``shown_at`` is the column that it is folded in."""

    def __init__(self, columns: Sequence[ColumnPlan]) -> None:
        calls = [(at, one.value) for at, one in enumerate(columns) if isinstance(one.value, n.Call)]
        named = {call.name: at for at, call in reversed(calls)}
        self._depths, self._numbers = named.get("depth"), named.get("numbering")
        known = self._depths is not None or self._numbers is not None
        texts = (at for at, one in enumerate(columns) if not one.numeric and one.kind != "number")
        self.shown_at = named.get("indented", named.get("numbering", next(texts, None)))
        self.shown_at = self.shown_at if known else None

    def depth(self, row: Row) -> str:
        """The depth of a row as an attribute; blank where it has none."""
        if self._depths is not None:
            depth = row[self._depths]
        elif self._numbers is not None and row[self._numbers] is not None:
            depth = text_of(row[self._numbers]).count(".") + 1
        else:
            depth = None
        return "" if depth is None else f' data-depth="{depth}"'


@cache
def _template() -> Any:
    import jinja2

    loader = jinja2.PackageLoader("flatledger.outputs.documents")
    ways = {"autoescape": True, "trim_blocks": True, "lstrip_blocks": True}
    return jinja2.Environment(loader=loader, **ways).get_template("table.html")  # type: ignore[arg-type]
