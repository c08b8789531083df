"""JSON: the table as a list of objects, a row on each line."""

from __future__ import annotations

import json
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
    """Writes a list of rows; of several tables an object with a list for each (a TablesWriter)."""

    between, first, last = b",\n", b"[\n", b"\n]\n"

    def begin_several(self, title: str) -> None:
        self.first, self.last = b"{\n" + self._member(self.layout), b"\n]\n}\n"

    def next_table(self, layout: SettledLayout, columns: Sequence[ColumnPlan]) -> None:
        self._bytes(b"\n],\n" + self._member(layout))
        self.take(layout, columns)

    def _member(self, layout: SettledLayout) -> bytes:
        return f"{json.dumps(layout.name)}: [\n".encode()
