"""Flat Ledger: records that hold other records become flat tables that add up.

>>> import flatledger
>>> layout = {"row-per": "lines", "columns": [{"Requisition": "no"}, {"Part": "lines.part"}]}
>>> records = [{"no": "R1", "lines": [{"part": "wick"}, {"part": "lens"}]}]
>>> with flatledger.table(layout, records) as table:
...     list(table)
[('R1', 'wick'), ('R1', 'lens')]
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .api.code import generated_code
    from .api.draft import DraftedLayout, draft
    from .api.evaluate import Evaluated, evaluate
    from .api.export import export
    from .api.layout import AnyLayout, Layout
    from .api.preview import Preview, preview, previews
    from .api.shelf import Shelf
    from .api.specimen import specimen
    from .api.survey import Survey, distinct_values, survey, survey_kinds, survey_positions
    from .api.table import Table, table
    from .api.tables import Tables, tables
    from .api.trace import Trace, trace
    from .errors import (
        AnswerError,
        ArgumentError,
        ExpressionError,
        FaultsFoundError,
        FlatLedgerError,
        LayoutError,
        LevelsError,
        MissingExtraError,
        MissingLayoutError,
        MissingSourceError,
        OutputError,
        Problem,
        SamePlaceError,
        ShelfError,
        SlowPatternError,
        SourceError,
        TableClosedError,
        TableNotReadError,
        TableReadError,
    )
    from .language.notations import Notation
    from .layout.model.output_options import IfThere
    from .layout.reading.schema import layout_schema
    from .outputs import Destination
    from .run.balance import Balance
    from .run.describing import TableColumn
    from .run.protocols import GroupHeading, Progress, Row, RunProgress, StackedRow, TotalRow
    from .sources import AnySource
    from .sources.further_formats import SourceFormat
    from .sources.objects.records import UnreadableRecord
    from .values.faults import Fault
    from .values.literals import Interval

__version__ = "0.2.0"

_MODULES = {
    **dict.fromkeys(("DraftedLayout", "draft"), "api.draft"),
    **dict.fromkeys(("Evaluated", "evaluate"), "api.evaluate"),
    **dict.fromkeys(("Trace", "trace"), "api.trace"),
    "export": "api.export",
    "generated_code": "api.code",
    **dict.fromkeys(("AnyLayout", "Layout"), "api.layout"),
    **dict.fromkeys(("Preview", "preview", "previews"), "api.preview"),
    "Shelf": "api.shelf",
    "specimen": "api.specimen",
    **dict.fromkeys(
        ("Survey", "distinct_values", "survey", "survey_kinds", "survey_positions"), "api.survey"
    ),
    **dict.fromkeys(("Table", "table"), "api.table"),
    **dict.fromkeys(("Tables", "tables"), "api.tables"),
    "Notation": "language.notations",
    "layout_schema": "layout.reading.schema",
    "Balance": "run.balance",
    "TableColumn": "run.describing",
    **dict.fromkeys(
        ("GroupHeading", "Progress", "Row", "RunProgress", "StackedRow", "TotalRow"),
        "run.protocols",
    ),
    "AnySource": "sources",
    "Destination": "outputs",
    "IfThere": "layout.model.output_options",
    "SourceFormat": "sources.further_formats",
    "UnreadableRecord": "sources.objects.records",
    "Fault": "values.faults",
    "Interval": "values.literals",
}

__all__ = [
    "AnswerError",
    "AnyLayout",
    "AnySource",
    "ArgumentError",
    "Balance",
    "Destination",
    "DraftedLayout",
    "Evaluated",
    "ExpressionError",
    "Fault",
    "FaultsFoundError",
    "FlatLedgerError",
    "GroupHeading",
    "IfThere",
    "Interval",
    "Layout",
    "LayoutError",
    "LevelsError",
    "MissingExtraError",
    "MissingLayoutError",
    "MissingSourceError",
    "Notation",
    "OutputError",
    "Preview",
    "Problem",
    "Progress",
    "Row",
    "RunProgress",
    "SamePlaceError",
    "Shelf",
    "ShelfError",
    "SlowPatternError",
    "SourceError",
    "SourceFormat",
    "StackedRow",
    "Survey",
    "Table",
    "TableClosedError",
    "TableColumn",
    "TableNotReadError",
    "TableReadError",
    "Tables",
    "TotalRow",
    "Trace",
    "UnreadableRecord",
    "distinct_values",
    "draft",
    "evaluate",
    "export",
    "generated_code",
    "layout_schema",
    "preview",
    "previews",
    "specimen",
    "survey",
    "survey_kinds",
    "survey_positions",
    "table",
    "tables",
    "trace",
]


if not TYPE_CHECKING:  # a name that there is not is found by who checks types

    def __getattr__(name: str) -> Any:
        """Load what is asked for when it is first asked for, so that the tool answers at once."""
        if name not in __all__:
            now = "; it is now `table`" if name == "rows" else ""
            raise AttributeError(f"module {__name__!r} has no attribute {name!r}{now}")
        value = getattr(import_module(f".{_MODULES.get(name, 'errors')}", __name__), name)
        globals()[name] = value
        return value


def __dir__() -> list[str]:
    return sorted({*globals(), *__all__})
