"""A table as Arrow holds it: columns of one type each, decimals as decimals.

A column has the type of its values, or is of texts where they are of several; what could not be
read is null there.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any

import pyarrow as pa
from msgspec.structs import replace

from ...errors import OutputError
from ...plan.row_type import ColumnPlan
from ...run.describing import TableColumn
from ...run.protocols import Row
from ...values.faults import FaultText
from ...values.functions import text_of
from ..cells.finishing import Finisher

_LARGEST = 1 << 63
_MOST_DIGITS, _MOST_IN_128 = 76, 38
_EMPTY: dict[str, pa.DataType] = {  # the types of columns without a value, by SQL's names
    "INTEGER": pa.int64(),
    "BOOLEAN": pa.bool_(),
    "DATE": pa.date32(),
    "TIMESTAMP": pa.timestamp("us"),
    "TIME": pa.time64("us"),
}


def finisher(plans: Sequence[ColumnPlan], locale: str) -> Callable[[list[Row]], list[Row]]:
    """What finishes rows: code lists, but no patterns and nothing for what is not there."""
    columns = [
        replace(one, column=replace(one.column, format=None, default=None, null=""))
        for one in plans
    ]
    made = Finisher(columns, locale)
    return made.finished if made.active else list


def arrow_table(columns: Sequence[TableColumn], rows: list[Row]) -> pa.Table:
    """The rows as an Arrow table. Raises OutputError for a number that no decimal of Arrow holds.

    >>> columns = [TableColumn("No"), TableColumn("Amount")]
    >>> arrow_table(columns, [("R1", Decimal("2.50")), ("R2", 3)]).schema.types
    [DataType(string), Decimal128Type(decimal128(38, 2))]
    """
    cells = list(zip(*rows, strict=True)) if rows else [()] * len(columns)
    arrays = [_array(one, cell) for one, cell in zip(columns, cells, strict=True)]
    return pa.Table.from_arrays(arrays, names=[column.heading for column in columns])


def _array(column: TableColumn, cells: Sequence[Any]) -> pa.Array[Any]:
    values = [None if cell.__class__ is FaultText else cell for cell in cells]
    kind = _type(column, [value for value in values if value is not None])
    if kind == pa.string():
        values = [None if value is None else text_of(value) for value in values]
    elif pa.types.is_decimal(kind):
        values = [None if value is None else Decimal(value) for value in values]
    try:
        return pa.array(values, kind)
    except UnicodeEncodeError:
        raise OutputError(
            f"column `{column.heading}` has a text with half a character, which Arrow can't hold"
        ) from None


def _type(column: TableColumn, values: list[Any]) -> pa.DataType:
    """The type that all values of a column have; texts where they are of several kinds."""
    kinds = {value.__class__ for value in values}
    if not kinds:
        return _EMPTY.get(column.type, pa.string())
    if kinds == {bool}:
        return pa.bool_()
    if all(issubclass(kind, int | Decimal) and kind is not bool for kind in kinds):
        return _number_type(column, values)
    if kinds == {dt.date}:
        return pa.date32()
    if kinds == {dt.datetime}:
        zoned = {value.tzinfo is not None for value in values}
        if len(zoned) == 1:
            return pa.timestamp("us", "UTC" if zoned.pop() else None)
    if kinds == {dt.time} and not any(value.tzinfo for value in values):
        return pa.time64("us")
    return pa.string()


def _number_type(column: TableColumn, values: list[Any]) -> pa.DataType:
    """Whole numbers where all are; else a decimal with as many digits as are needed."""
    whole = all(isinstance(value, int) for value in values) and not column.decimals
    if whole and all(-_LARGEST <= value < _LARGEST for value in values):
        return pa.int64()
    after, before = column.decimals or 0, 0
    for value in values:
        _, digits, exponent = Decimal(value).as_tuple()
        assert isinstance(exponent, int)
        after = max(after, -exponent)
        before = max(before, len(digits) + exponent, 1)
    if after + before > _MOST_DIGITS:
        raise OutputError(
            f"column `{column.heading}` has numbers of {after + before} digits, and Arrow's "
            f"decimals have {_MOST_DIGITS}; round it with `decimals`"
        )
    if after + before <= _MOST_IN_128:
        return pa.decimal128(_MOST_IN_128, after)
    return pa.decimal256(_MOST_DIGITS, after)
