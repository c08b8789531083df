"""JSON Lines: each row as an object on a line of its own."""

from __future__ import annotations

from collections.abc import Sequence

from ...layout.model.model import SettledLayout
from ...plan.row_type import ColumnPlan
from ..places.files import Target
from .json_rows import JsonRows
from .json_rows import check_table as check_table


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> JsonRows:
    """A writer for a target."""
    return JsonRows(layout, target, columns, source)
