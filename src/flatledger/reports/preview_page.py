"""A preview as a page."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from markupsafe import Markup

from ..run.preview import PreviewResult
from ..run.protocols import TotalRow
from .balance_notes import notes_of
from .balance_text import asked_lines, drift_lines, notice_lines, remark_on, taken_off
from .fault_text import fault_lines
from .page import render
from .preview_text import closing, filled, rows_left
from .table_text import WIDEST_CELL
from .words import cell_text, if_empty, short, what_it_is


def preview_page(name: str, found: Sequence[PreviewResult]) -> str:
    """The columns, the plan, the first rows and the counts of the tables of a layout."""
    parts = [(one.layout, Markup(render("preview_body.html", **_values(one)))) for one in found]
    source = found[0].balance.source
    return render("preview.html", title=f"Preview of {name}", source=source, parts=parts)


def preview_fragment(found: PreviewResult) -> str:
    """The same for a notebook."""
    return render("preview_fragment.html", **_values(found))


def _values(found: PreviewResult) -> dict[str, Any]:
    balance = found.balance
    empty = if_empty(one.column for one in found.columns)
    columns = [
        {
            "column": one.column,
            "what": what_it_is(one.column),
            "filled": filled(one, found),
            "kinds": " or ".join(one.kinds),
            "examples": one.examples,
            "none": empty.get(one.column.heading, "blank"),
        }
        for one in found.columns
    ]
    rows = [
        {
            "total": isinstance(row, TotalRow),
            "cells": [_cell(value, found.decimal_char) for value in row],
        }
        for row in found.first
    ]
    numeric = [any(cell["number"] for cell in column) for column in _across(rows)]
    return {
        "found": found,
        "some_empty": bool(empty),
        "balance": balance,
        "taken_off": taken_off(balance),
        "remark_on": remark_on,
        "columns": columns,
        "rows": rows,
        "numeric": numeric or [False] * len(found.headings),
        "more": rows_left(found),
        "notes": [
            *(*asked_lines(balance), *notes_of(balance)),
            *(*drift_lines(balance), *fault_lines(balance), *notice_lines(balance)),
        ],
        "closing": list(closing(found)),
    }


def _across(rows: list[dict[str, Any]]) -> list[tuple[Any, ...]]:
    return list(zip(*(row["cells"] for row in rows), strict=True))


def _cell(value: Any, decimal_char: str) -> dict[str, Any]:
    text = short(cell_text(value, decimal_char), WIDEST_CELL)
    return {"text": text, "number": isinstance(value, int | Decimal)}
