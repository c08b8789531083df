"""Delimited text with tabs between the cells."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from ...errors import OutputError
from ...layout.model.model import LayoutParts, SettledLayout
from ...layout.model.output_options import Output
from ...plan.plan import Plan
from ...plan.row_type import ColumnPlan
from ...run.protocols import TextForm
from ..places.files import Target
from . import delimited
from .line_form import form_in


def check_table(layout: LayoutParts, name: str) -> None:
    """Raise OutputError where the layout wants other delimiters."""
    if layout.output.delimiter not in ("", "\t"):
        raise OutputError(
            f"{name}: such a file has tabs between its cells, and the layout has another "
            "`delimiter`; leave that out, or name a file that ends in .csv or .txt"
        )
    delimited.check_table(layout, name)


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> delimited.DelimitedWriter:
    """A writer for a target, the header written."""
    layout = replace(layout, output=_with_tabs(layout.output))
    return delimited.open_writer(layout, target, columns, source)


def line_form(plan: Plan) -> TextForm | None:
    """How a plan's lines are made straight away; None where each cell has to be looked at."""
    return form_in(plan, _with_tabs(plan.layout.output))


def _with_tabs(output: Output) -> Output:
    return replace(output, delimiter="\t")
