"""A specimen of a layout's table: blank, for people who will fill it in."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from decimal import Decimal
from itertools import islice
from typing import Any

from ..errors import OutputError
from ..layout.model.column import Column
from ..layout.model.model import LayoutParts, SettledLayout
from ..layout.model.output_options import IF_THERE, IfThere
from ..layout.settling.fitting import fitted
from ..outputs import Destination, Target, check_apart, check_suffix
from ..outputs.forms.specimen import SUFFIXES, SpecimenColumn, write_specimen
from ..outputs.places.names import name_of
from ..run.protocols import TotalRow
from ..sources import AnySource
from ..sources.sets.found_files import inputs_of
from ..values.literals import Interval
from .arguments import check_choice, check_given
from .layout import AnyLayout, Layout
from .table import table

_TYPES = {
    "string": "text", "integer": "whole number", "decimal": "number", "date": "date",
    "dateTime": "date and time", "time": "time", "boolean": "true or false", "duration": "duration",
}  # fmt: skip
_DAY = dt.date(2026, 3, 31)
_EXAMPLES: dict[str, Any] = {
    "text": "text", "whole number": 12, "number": Decimal("12.50"), "date": _DAY,
    "date and time": dt.datetime(2026, 3, 31, 14, 30), "time": dt.time(14, 30),
    "true or false": True, "duration": Interval(0, dt.timedelta(hours=2, minutes=30)),
}  # fmt: skip


def specimen(
    layout: AnyLayout,
    to: Destination,
    source: AnySource | None = None,
    *,
    ask: Mapping[str, Any] | None = None,
    if_there: IfThere = "refuse",
    fields: Mapping[str, Any] | None = None,
    reading: Mapping[str, Any] | None = None,
) -> tuple[SpecimenColumn, ...]:
    """Write a blank table with the headings of a layout and one example row; return its columns.

    In a workbook (XLSX) each column has the type of its values, whether it may be empty, and a list
    to choose from where only some values are `allowed`, or a code list translates them; in
    delimited text there are the headings and the example. That is the first row of the table that
    ``source`` gives, or else made up by the types. Raises ArgumentError, LayoutError,
    OutputError and SourceError.

    >>> import io
    >>> qty = {"value": "n", "decimals": 0}
    >>> layout = {"columns": [{"No": {"value": "no", "required": True}}, {"Qty": qty}]}
    >>> blank = io.BytesIO()
    >>> [(one.heading, one.type, one.required) for one in specimen(layout, blank)]
    [('No', 'text', True), ('Qty', 'whole number', False)]
    >>> blank.getvalue()
    b'No,Qty\\r\\ntext,12\\r\\n'
    """
    check_given(ask=ask, fields=fields, reading=reading)
    check_choice("if_there", if_there, IF_THERE)
    stated = Layout.of(layout).declaring(fields, reading)
    check_suffix(name_of(to), SUFFIXES, "a specimen")
    check_apart([*inputs_of(source), *stated.taking_part()], [("the specimen", to)])
    written = _columns(stated)
    found = _first_row(stated, source, ask)
    keys = {*stated.request.primary_key}
    columns = tuple(_described(one, one.heading in keys, found) for one in written)
    with Target(to, if_there, "or have it replaced") as target:
        write_specimen(columns, target, stated.name)
    return columns


def _columns(layout: Layout) -> tuple[Column, ...]:
    """The columns of a layout, or of the form that it fits. Raises OutputError."""
    parts = {name: getattr(layout.request, name) for name in LayoutParts.__struct_fields__}
    if layout.request.by_level:
        raise OutputError("a specimen has one list of columns, and the layout has some by level")
    columns = fitted(SettledLayout(**parts)).written
    open_ones = [one.heading for one in columns if one.spread is not None]
    if open_ones:
        raise OutputError(
            f"the columns of `{', '.join(open_ones)}` are made for the keys that records have, and "
            "a specimen has no records; list their `keys`"
        )
    return columns


def _first_row(
    layout: Layout, source: AnySource | None, ask: Mapping[str, Any] | None
) -> dict[str, Any]:
    """The cells of the first row of the table by their headings; none without a source."""
    if source is None:
        return {}
    with table(layout, source, ask=ask) as rows:
        first = next(islice((row for row in rows if not isinstance(row, TotalRow)), 1), ())
        return dict(zip(rows.headings, first, strict=False))


def _described(column: Column, is_key: bool, found: Mapping[str, Any]) -> SpecimenColumn:
    allowed = column.allowed
    if allowed is None and column.translate is not None:
        allowed = tuple(column.translate.codes)
    example = found.get(column.title)
    kind = _type(column, example)
    if allowed:
        example = allowed[0]
    elif example is None and not found:
        example = _made_up(column, kind)
    return SpecimenColumn(
        column.title,
        kind,
        column.required or is_key,
        column.unit,
        allowed,
        example,
        column.decimals,
    )


def _type(column: Column, example: Any) -> str:
    if column.datatype is not None:
        return _TYPES[column.datatype]
    if column.numeric:
        return "whole number" if column.decimals == 0 else "number"
    kinds = {bool: "true or false", int: "number", Decimal: "number"}
    return kinds.get(type(example), "text")


def _made_up(column: Column, kind: str) -> Any:
    if column.text is not None:
        return column.text
    if kind == "number" and column.decimals is not None:
        return Decimal(125).scaleb(-column.decimals)
    return None if column.value is None and not column.required else _EXAMPLES[kind]
