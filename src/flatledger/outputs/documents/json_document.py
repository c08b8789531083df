"""JSON: the table as a list of objects, a row on each line."""

from __future__ import annotations

from collections.abc import Sequence

from ...layout.model.model import SettledLayout
from ...plan.row_type import ColumnPlan
from ..places.files import Target
from .json_rows import JsonRows
from .json_rows import check_table as check_table


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> JsonDocument:
    """A writer for a target."""
    return JsonDocument(layout, target, columns, source)


class JsonDocument(JsonRows):
    """Writes a list of rows."""

    between, first, last = b",\n", b"[\n", b"\n]\n"
