"""A preview as a page."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from ..run.preview import PreviewResult
from ..run.protocols import TotalRow
from ..values.functions import text_of
from .balance_notes import notes_of
from .balance_text import asked_lines, drift_lines, notice_lines, remark_on
from .fault_text import fault_lines
from .page import render
from .preview_text import closing, filled
from .table_text import WIDEST_CELL
from .words import short, what_it_is, where_nothing_is


def preview_page(found: PreviewResult) -> str:
    """The columns, the plan, the first rows and the counts."""
    return render("preview.html", title=f"Preview of {found.layout}", **_values(found))


def preview_fragment(found: PreviewResult) -> str:
    """The same for a notebook."""
    return render("preview_fragment.html", **_values(found))


def _values(found: PreviewResult) -> dict[str, Any]:
    balance = found.balance
    columns = [
        {
            "column": one.column,
            "what": what_it_is(one.column),
            "filled": filled(one, found),
            "kinds": " or ".join(one.kinds),
            "examples": one.examples,
            "none": where_nothing_is(one.column),
        }
        for one in found.columns
    ]
    rows = [
        {"total": isinstance(row, TotalRow), "cells": [_cell(value) for value in row]}
        for row in found.first
    ]
    numeric = [any(cell["number"] for cell in column) for column in _across(rows)]
    return {
        "found": found,
        "balance": balance,
        "remark_on": remark_on,
        "columns": columns,
        "rows": rows,
        "numeric": numeric or [False] * len(found.headings),
        "more": found.rows - len(rows),
        "notes": [
            *(*asked_lines(balance), *notes_of(balance)),
            *(*drift_lines(balance.drift), *fault_lines(balance), *notice_lines(balance)),
        ],
        "closing": list(closing(found)),
    }


def _across(rows: list[dict[str, Any]]) -> list[tuple[Any, ...]]:
    return list(zip(*(row["cells"] for row in rows), strict=True))


def _cell(value: Any) -> dict[str, Any]:
    text = "" if value is None else short(text_of(value), WIDEST_CELL)
    return {"text": text, "number": isinstance(value, int | Decimal)}
