"""Delimited text with tabs between the cells."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from ..errors import OutputError
from ..layout.model import LayoutParts, SettledLayout
from ..plan.plan import ColumnPlan
from . import delimited
from .files import Target


def check_table(layout: LayoutParts, name: str) -> None:
    """Raise OutputError where the layout wants other delimiters."""
    if layout.output.delimiter not in ("", "\t"):
        raise OutputError(
            f"{name}: such a file has tabs between its cells, and the layout has another "
            "`delimiter`; leave that out, or name a file that ends in .csv or .txt"
        )


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> delimited.DelimitedWriter:
    """A writer for a target, the header written."""
    output = replace(layout.output, delimiter="\t")
    return delimited.open_writer(replace(layout, output=output), target, columns, source)
