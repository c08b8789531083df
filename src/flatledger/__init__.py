"""Flat Ledger: records that hold other records become flat tables that add up.

>>> import flatledger
>>> layout = flatledger.Layout.from_data({
...     "row-per": "lines",
...     "columns": [{"Requisition": "no"}, {"Part": "lines.part"}],
... })
>>> list(flatledger.rows(layout, [{"no": "R1", "lines": [{"part": "wick"}, {"part": "lens"}]}]))
[('R1', 'wick'), ('R1', 'lens')]
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .drafting import DraftedLayout, draft
    from .errors import (
        AnswerError,
        ExpressionError,
        FlatLedgerError,
        LayoutError,
        LevelsError,
        OutputError,
        Problem,
        SamePlaceError,
        ShelfError,
        SlowPatternError,
        SourceError,
        TableNotReadError,
    )
    from .exporting import Rows, export, rows
    from .layout import Layout
    from .layout.shelf import Shelf
    from .previewing import Preview, preview
    from .run.balance import Balance
    from .surveying import Survey, distinct_values, survey, survey_kinds
    from .trying import Trial, try_expression
    from .values.faults import Fault
    from .values.literals import Interval

__version__ = "0.1.0"

__all__ = [
    "AnswerError",
    "Balance",
    "DraftedLayout",
    "ExpressionError",
    "Fault",
    "FlatLedgerError",
    "Interval",
    "Layout",
    "LayoutError",
    "LevelsError",
    "OutputError",
    "Preview",
    "Problem",
    "Rows",
    "SamePlaceError",
    "Shelf",
    "ShelfError",
    "SlowPatternError",
    "SourceError",
    "Survey",
    "TableNotReadError",
    "Trial",
    "distinct_values",
    "draft",
    "export",
    "preview",
    "rows",
    "survey",
    "survey_kinds",
    "try_expression",
]

_MODULES = {
    "Balance": "run.balance",
    **dict.fromkeys(("DraftedLayout", "draft"), "drafting"),
    **dict.fromkeys(("Preview", "preview"), "previewing"),
    "Fault": "values.faults",
    "Interval": "values.literals",
    "Layout": "layout",
    "Shelf": "layout.shelf",
    **dict.fromkeys(("Rows", "export", "rows"), "exporting"),
    **dict.fromkeys(("Trial", "try_expression"), "trying"),
    **dict.fromkeys(("Survey", "distinct_values", "survey", "survey_kinds"), "surveying"),
}


def __getattr__(name: str) -> Any:
    """Load what is asked for when it is first asked for, so that the tool answers at once."""
    if name not in __all__:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    value = getattr(import_module(f".{_MODULES.get(name, 'errors')}", __name__), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted({*globals(), *__all__})
