"""What the columns of a table are, as data."""

from __future__ import annotations

import msgspec

from ..plan.explaining import home_name
from ..plan.kinds import SQL_TYPES
from ..plan.plan import Plan
from ..plan.row_type import ColumnPlan

_DATATYPES = {"date": "DATE", "integer": "INTEGER"}  # narrower than the kind of value tells


class TableColumn(msgspec.Struct, frozen=True):
    """A column of a table.

    ``type`` is SQL's name for the type of its values; blank where only the data can tell. ``level``
    is what a value belongs to: ``record``, a level such as ``lines``, ``group``, or blank. Its
    values are those of an ``expression`` (of a ``key``, where columns are made for keys), or the
    same ``text`` on every row, or nothing. ``total`` is the aggregate in total rows. The rest is as
    the layout says it; ``default`` stands where there is no value.

    >>> import flatledger
    >>> layout = {"columns": [{"Fee": {"value": "fee * 2", "total": "sum"}}]}
    >>> (fee,) = flatledger.table(layout, [{"fee": 2}]).columns
    >>> fee.type, fee.level, fee.expression, fee.total
    ('NUMERIC', 'record', 'fee * 2', 'sum')
    """

    heading: str
    type: str = ""
    level: str = ""
    expression: str = ""
    key: str = ""
    text: str | None = None
    datatype: str = ""
    unit: str = ""
    converted: bool = False
    converted_from: str = ""
    decimals: int | None = None
    total: str = ""
    translated: bool = False
    format: str = ""
    default: str = ""


def described(plan: Plan) -> tuple[TableColumn, ...]:
    """The columns of the table that a plan makes, in their order."""
    table = plan if plan.over is None else plan.over.plan
    return tuple(_described(one, home_name(plan, one.column)) for one in table.written)


def _described(plan: ColumnPlan, level: str) -> TableColumn:
    column = plan.column
    how = column.conversion
    kind = "number" if plan.numeric else plan.kind
    return TableColumn(
        heading=column.title,
        type="CHARACTER VARYING" if column.text is not None else _type(kind, column.datatype),
        level=level,
        expression=" ".join(column.value.text.split()) if column.value else "",
        key=column.key,
        text=column.text,
        datatype=column.datatype or "",
        unit=column.unit,
        converted=how is not None,
        converted_from=how.given if how else "",
        decimals=column.decimals,
        total=column.total.name if column.total else "",
        translated=column.translate is not None,
        format=column.format or "",
        default=column.default or column.null,
    )


def _type(kind: str, datatype: str | None) -> str:
    return _DATATYPES.get(datatype or "", SQL_TYPES.get(kind, ""))
