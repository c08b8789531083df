"""Finishing cells as they are written: code lists, patterns, and what stands for nothing.

None of this enters a calculation, an order or a total (docs/rules.md, 14).
"""

from __future__ import annotations

import datetime as dt
import decimal
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any

import msgspec

from ...layout.model.column import Column
from ...plan.plan import Plan
from ...plan.row_type import ColumnPlan
from ...run.protocols import PartialRow, Row, TotalRow, has_marked_rows
from ...values.functions import text_of
from ...values.numbers import EXACT
from .row_code import row_maker

Step = Callable[[Any], Any]
_REMEMBERED = 20_000


class Finisher:
    """Finishes the rows of one layout. ``active``: whether there is anything to do."""

    def __init__(self, plans: Sequence[ColumnPlan], locale: str) -> None:
        columns = _columns(plans, locale)
        self._rows = [_steps(column) for column in columns]
        self._totals = [formatting(column) for column in columns]
        self.active = any(self._rows)
        if self.active:
            self._finish = row_maker([_Remembered(one) if one else None for one in self._rows])

    def of_row(self, place: int) -> Step | None:
        """What finishes the cells of a column, but those of total rows."""
        return _Remembered(self._rows[place]) if self._rows[place] else None

    def finished(self, rows: list[Row]) -> list[Row]:
        """The rows as they are written; of total rows only the figures are formatted."""
        if not has_marked_rows(rows):
            return self._finish(rows)
        return [self._finished(row) for row in rows]

    def _finished(self, row: Row) -> Row:
        if isinstance(row, TotalRow):
            return row.with_cells(map(_formatted_figure, row, self._totals))
        if not isinstance(row, PartialRow):
            return tuple(map(_applied, row, self._rows))
        pairs = enumerate(zip(row, self._rows, strict=True))
        cells = (_applied(cell, steps) if at in row.own else cell for at, (cell, steps) in pairs)
        return row.with_cells(cells)


def group_wording(plan: Plan) -> Callable[[int, Any], Any]:
    """A function from the place of a column and its value to what that is called in a total row."""

    def finisher(column: Column) -> Step:
        steps = _steps(msgspec.structs.replace(column, default=None, null=""))
        return lambda cell: _applied(cell, steps)

    columns = _columns(plan.written, plan.layout.locale)
    places = (key.slot for key in plan.group if key.slot < len(columns))
    finishers = {place: finisher(columns[place]) for place in places}
    return lambda place, value: finishers[place](value) if place in finishers else value


def _columns(plans: Sequence[ColumnPlan], locale: str) -> list[Column]:
    """The written columns, the layout's locale in those that have none."""
    return [
        msgspec.structs.replace(one.column, locale=one.column.locale or locale) for one in plans
    ]


class _Remembered(dict[Any, Any]):
    """What steps make of a cell; of texts and days it is kept for those that come again."""

    def __init__(self, steps: list[Step]) -> None:
        self._steps = steps

    def __missing__(self, cell: Any) -> Any:
        if len(self) >= _REMEMBERED:
            self.clear()
        self[cell] = done = _applied(cell, self._steps)
        return done

    def __call__(self, cell: Any) -> Any:
        usual = cell.__class__ is str or cell.__class__ is dt.date
        return self[cell] if usual else _applied(cell, self._steps)


def _applied(cell: Any, steps: list[Step]) -> Any:
    for step in steps:
        cell = step(cell)
    return cell


def _formatted_figure(cell: Any, step: Step | None) -> Any:
    return step(cell) if step and cell is not None and not isinstance(cell, str) else cell


def _steps(column: Column) -> list[Step]:
    """What is done to a cell, in this order: code list, pattern, default, null."""
    steps: list[Step] = []
    if column.translate is not None:
        steps.append(_translating(column))
    pattern = formatting(column)
    if pattern is not None:
        steps.append(pattern)
    instead = column.default if column.default is not None else column.null
    if instead:
        steps.append(lambda cell: instead if cell is None else cell)
    return steps


def _translating(column: Column) -> Step:
    translation = column.translate
    assert translation is not None
    find = translation.in_language(column.locale or "en").finder(column.separator)
    keep = translation.otherwise == "keep"

    def translate(cell: Any) -> Any:
        if cell is None:
            return None
        wording = find(text_of(cell))
        return wording if wording is not None else cell if keep else None

    return translate


def formatting(column: Column) -> Step | None:
    """A cell by a pattern of UTS #35; what is no value of its kind is left as it is."""
    if column.format is None:
        return None
    form = _FORMS.get(column.datatype or "decimal", _as_number)
    pattern, locale = column.format, column.locale or "en"
    known: dict[tuple[type, str], Any] = {}

    def formatted(cell: Any) -> Any:
        key = cell.__class__, text_of(cell)
        if key not in known:
            if len(known) > _REMEMBERED:
                known.clear()
            known[key] = form(cell, pattern, locale)
        return known[key]

    return lambda cell: None if cell is None else formatted(cell)


def _as_number(cell: Any, pattern: str, locale: str) -> Any:
    from babel.numbers import format_decimal

    if not isinstance(cell, int | Decimal) or isinstance(cell, bool):
        return cell
    with decimal.localcontext(EXACT):
        return format_decimal(cell, pattern, locale, decimal_quantization=False)


def _as_date(cell: Any, pattern: str, locale: str) -> Any:
    from babel.dates import format_date

    return format_date(cell, pattern, locale) if isinstance(cell, dt.date) else cell


def _as_timestamp(cell: Any, pattern: str, locale: str) -> Any:
    from babel.dates import format_datetime

    return format_datetime(cell, pattern, locale=locale) if isinstance(cell, dt.datetime) else cell


def _as_time(cell: Any, pattern: str, locale: str) -> Any:
    from babel.dates import format_time

    return format_time(cell, pattern, locale=locale) if isinstance(cell, dt.time) else cell


def _as_truth(cell: Any, pattern: str, _: str) -> Any:
    """CSVW's form of a truth value: what stands for true and for false, as `Y|N`."""
    yes, _, no = pattern.partition("|")
    return (yes if cell else no) if isinstance(cell, bool) else cell


_FORMS: dict[str, Callable[[Any, str, str], Any]] = {
    "date": _as_date,
    "dateTime": _as_timestamp,
    "time": _as_time,
    "boolean": _as_truth,
}


def without_pattern(plan: ColumnPlan) -> ColumnPlan:
    """A column whose cells are values: a workbook has formats of its own."""
    if plan.column.datatype == "boolean":
        return plan
    return msgspec.structs.replace(plan, column=msgspec.structs.replace(plan.column, format=None))
