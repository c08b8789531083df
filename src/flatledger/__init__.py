"""Flat Ledger: records that hold other records become flat tables that add up.

>>> import flatledger
>>> layout = flatledger.Layout.from_data({
...     "row-per": "lines",
...     "columns": [{"Requisition": "no"}, {"Part": "lines.part"}],
... })
>>> list(flatledger.rows(layout, [{"no": "R1", "lines": [{"part": "wick"}, {"part": "lens"}]}]))
[('R1', 'wick'), ('R1', 'lens')]
"""

from .engine.balance import Balance
from .engine.faults import Fault
from .errors import (
    ExpressionError,
    FlatLedgerError,
    LayoutError,
    OutputError,
    Problem,
    SourceError,
)
from .exporting import Rows, export, rows
from .layout import Layout

__version__ = "0.1.0"

__all__ = [
    "Balance",
    "ExpressionError",
    "Fault",
    "FlatLedgerError",
    "Layout",
    "LayoutError",
    "OutputError",
    "Problem",
    "Rows",
    "SourceError",
    "export",
    "rows",
]
