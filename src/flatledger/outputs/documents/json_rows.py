"""Rows as JSON objects, each cell under its heading, with values as they are (RFC 8259)."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import msgspec

from ...errors import OutputError
from ...layout.model.model import LayoutParts, SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.protocols import GroupHeading, Row, StackedRow, TotalRow
from ...structure.survey import AGGREGATE, GROUP, LEVEL, TOTAL
from ...values.functions import text_of
from ...values.literals import Interval
from ...values.numbers import PlainDecimal
from ..cells.finishing import Finisher, without_pattern
from ..places.files import Target
from .streamed import StreamedWriter

_LARGEST = 1 << 63
_AS_TEXTS = {dt.datetime, dt.time, Interval}


def check_table(layout: LayoutParts, name: str) -> None:
    """Raise OutputError where a heading is taken."""
    if TOTAL in layout.headings:
        raise OutputError(f"{name}: `{TOTAL}` marks total rows in JSON; rename that column")
    if LEVEL in layout.headings and len(layout.row_per) > 1:
        raise OutputError(f"{name}: `{LEVEL}` says the level of a row in JSON; rename that column")


class JsonRows(StreamedWriter):
    """Writes rows as objects, with something between them. Total rows have a further member, and so
    have stacked ones.

    Numbers are exact, moments and durations texts of ISO 8601, nothing is null.
    """

    between = b"\n"
    first = b""  # what stands before the first row, and what after the last
    last = b"\n"

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
    ) -> None:
        super().__init__(layout, target, columns, source)
        self._encoder = msgspec.json.Encoder(enc_hook=text_of, decimal_format="number")
        self.take(layout, columns)

    def take(self, layout: SettledLayout, columns: Sequence[ColumnPlan]) -> None:
        """Rows are those of a table from now on."""
        self._finisher = Finisher([without_pattern(one) for one in columns], layout.locale)
        self._names = layout.headings
        self._among_rows = False

    def begin(self) -> None:
        self._bytes(self.first)

    def end(self) -> None:
        self._bytes(self.last if self._among_rows or self.first else b"")

    def write(self, rows: list[Row]) -> None:
        """Write some rows."""
        if not rows:
            return
        finished = self._finisher.finished(rows) if self._finisher.active else rows
        lines = self.between.join(self._line(self._record(row)) for row in finished)
        self._bytes((self.between if self._among_rows else b"") + lines)
        self._among_rows = True
        self.rows += len(rows)

    def _record(self, row: Row) -> dict[str, Any]:
        cells = (text_of(cell) if cell.__class__ in _AS_TEXTS else cell for cell in row)
        record = dict(zip(self._names, cells, strict=True))
        if isinstance(row, StackedRow):
            return {LEVEL: row.level, **record}
        if isinstance(row, GroupHeading):
            return {GROUP: row.depth, **record}
        if not isinstance(row, TotalRow):
            return record
        kind = {AGGREGATE: row.aggregate} if row.named else {}
        return {TOTAL: row.depth, **kind, **record}

    def _line(self, record: dict[str, Any]) -> bytes:
        try:
            return self._encoder.encode(record)
        except (OverflowError, UnicodeEncodeError):
            return self._carefully(record)

    def _carefully(self, record: dict[str, Any]) -> bytes:
        """The same for integers of any size, and for halves of characters, which are escaped."""
        members = (f"{json.dumps(name)}:{self._cell(cell)}" for name, cell in record.items())
        return f"{{{','.join(members)}}}".encode()

    def _cell(self, cell: Any) -> str:
        if isinstance(cell, str):
            return json.dumps(cell)
        if isinstance(cell, int) and not isinstance(cell, bool) and abs(cell) >= _LARGEST:
            cell = PlainDecimal(Decimal(cell))
            return str(cell)
        return self._encoder.encode(cell).decode()

    def _bytes(self, data: bytes) -> None:
        self._target.write(data)
        self.bytes += len(data)
