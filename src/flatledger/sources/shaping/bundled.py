"""Rows of a source bundled into records: one that holds all of them, or one for each value."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import msgspec

from ...errors import SourceError
from ...layout.model.tree_options import Nest
from ...run.protocols import Batch, Reader, Source
from ...values.faults import Fault
from ...values.ordering import told_apart
from ...values.own_texts import own_value
from ..files.reader import BaseReader

SPECIMENS = 50  # rows of a record that are looked at for fields that are new


class BundledSource:
    """A source whose rows are the entries of one level of its records. All are held in memory."""

    def __init__(self, source: Source, nest: Nest) -> None:
        self.name, self.again = source.name, source.again
        self._source, self._nest = source, nest

    def open(self) -> BundledReader:
        """A reading from the start. Raises SourceError."""
        return BundledReader(self._source.open(), self._nest)

    def parts(self, most: int) -> Sequence[Source]:
        """Itself: a record is made of all rows."""
        return [self]


class BundledReader(BaseReader):
    """Reads rows, and gives records that hold them."""

    def __init__(self, reader: Reader, nest: Nest) -> None:
        self._reader, self._nest = reader, nest
        self.tell_as(reader)

    def tell_as(self, reader: Reader) -> None:
        """Tell the same of the records, and how they are made of rows."""
        super().tell_as(reader)
        nest = self._nest
        each = f"a record for each {nest.per}" if nest.per else "one record"
        found = f"{each}, made of all rows as its {nest.into}"
        self.manner = "; ".join(filter(None, (reader.manner, found)))

    def close(self) -> None:
        self._reader.close()

    def peek(self) -> list[Any]:
        return self._bundled(self._reader.peek())

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        rows: list[Any] = []
        remarks: list[Fault] = []
        for batch in self._reader.batches():
            rows += batch.records
            remarks += [*batch.remarks, *map(_of_a_row, batch.faults)]
        self.tell_as(self._reader)
        if not rows and remarks:
            raise SourceError(f"{self.name}: none of its rows can be read; {remarks[0].reason}")
        if not rows:
            return
        records, into = self._bundled(rows), self._nest.into
        few = [{**record, into: record[into][:SPECIMENS]} for record in records[:SPECIMENS]]
        yield Batch(records, range(1, len(records) + 1), [], lambda: few, remarks)

    def _bundled(self, rows: list[Any]) -> list[dict[str, Any]]:
        """The records, in the order of their first rows."""
        per, into = self._nest.per, self._nest.into
        if not per:
            return [{into: rows}] if rows else []
        records: dict[Any, dict[str, Any]] = {}
        for row in rows:
            value = own_value(row.get(per)) if isinstance(row, dict) else None
            value = None if value == "" else value
            key = told_apart(value) if not isinstance(value, dict | list) else str(value)
            records.setdefault(key, {per: value, into: []})[into].append(row)
        return list(records.values())


def _of_a_row(fault: Fault) -> Fault:
    """A row that could not be read, as a fault of the record that all rows make."""
    reason = f"row {fault.record:,} of the source: {fault.reason}"
    return msgspec.structs.replace(fault, record=1, reason=reason)
