"""Quotients and means that nothing rounds: what is shown of their 34 digits (docs/rules.md, 11)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any

from ...plan.row_type import ColumnPlan
from ...run.protocols import MarkedRow, Row, TotalRow, has_marked_rows
from ...values.numbers import plain, round_to, unit_of
from .cell_values import DIGITS
from .row_code import row_maker

_DECIMALS = 6
_LEAST = 3  # digits that a small number keeps, so that it does not become nought


class Digits:
    """Shows fewer digits where the plans of columns speak of quotients.

    In texts these are six decimals, or as many as a column's pattern has; what is added up keeps
    all. The cells of ``sheets`` get as many digits as a workbook's number has.
    """

    def __init__(self, columns: Sequence[ColumnPlan], *, sheets: bool = False) -> None:
        places = {place: one for place, one in enumerate(columns) if one.quotients}
        added = [place for place, one in places.items() if one.quotients == "added up"]
        self._of_totals = {
            place: with_digits_of_sheets if sheets else _for_texts(one)
            for place, one in places.items()
            if sheets or place not in added
        }
        self._of_rows = {
            place: shorten
            for place, shorten in self._of_totals.items()
            if places[place].quotients != "total rows"
        }
        if self._of_rows:
            self._make = row_maker([self._of_rows.get(place) for place in range(len(columns))])
        self._whole = {} if sheets else {place: columns[place].column.heading for place in added}
        self._long: list[str] = []  # headings of those that are added up with more digits

    def of_row(self, place: int) -> Callable[[Any], Any] | None:
        """What shortens the cells of a column, but those of total rows."""
        return self._of_rows.get(place)

    def fewer(self, rows: list[Row]) -> list[Row]:
        """The rows as they are shown."""
        for place, heading in [*self._whole.items()]:
            if any(with_six_decimals(row[place]) is not row[place] for row in rows):
                self._long.append(heading)
                del self._whole[place]
        if not self._of_totals:
            return rows
        if not has_marked_rows(rows):
            return self._make(rows) if self._of_rows else rows
        return [self._shortened(row) for row in rows]

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        return [
            f"{heading}: quotients are added up with all their digits (34); with `decimals: 2` "
            "each is rounded first"
            for heading in self._long
        ]

    def shown(self, place: int, value: Any, row: Row) -> Any:
        """What is shown of the value in one place of a row."""
        shorten = (self._of_totals if isinstance(row, TotalRow) else self._of_rows).get(place)
        return value if shorten is None else shorten(value)

    def _shortened(self, row: Row) -> Row:
        is_total = isinstance(row, TotalRow)
        cells = list(row)
        for place, shorten in (self._of_totals if is_total else self._of_rows).items():
            cells[place] = shorten(cells[place])
        return row.with_cells(cells) if isinstance(row, MarkedRow) else tuple(cells)


def _for_texts(column: ColumnPlan) -> Callable[[Any], Any]:
    """What shortens a column's values in texts."""
    pattern = column.column.format
    if pattern is None or column.kind != "number":
        return with_six_decimals
    from babel.numbers import parse_pattern

    parsed = parse_pattern(pattern)
    if parsed.exp_prec is not None or "@" in pattern:
        return with_six_decimals
    decimals = parsed.frac_prec[1] + parsed.scale  # a percent sign stands for two of them
    return lambda value: _rounded(value, decimals) if isinstance(value, Decimal) else value


def with_six_decimals(value: Any) -> Any:
    """A number with six digits after the decimal mark at most; with three that count, if it is
    smaller than that.

    >>> with_six_decimals(Decimal("0.3333333333")), with_six_decimals(Decimal("0.25"))
    (Decimal('0.333333'), Decimal('0.25'))
    >>> str(with_six_decimals(Decimal("0.00000033333333")))
    '0.000000333'
    """
    if not isinstance(value, Decimal):
        return value
    return _rounded(value, max(_DECIMALS, _LEAST - 1 - value.adjusted()) if value else _DECIMALS)


def with_digits_of_sheets(value: Any) -> Any:
    """A number with as many digits as a workbook keeps.

    >>> with_digits_of_sheets(Decimal("66.6666666666666666666667"))
    Decimal('66.6666666666667')
    """
    return _rounded(value, DIGITS - 1 - value.adjusted()) if isinstance(value, Decimal) else value


def _rounded(value: Decimal, decimals: int) -> Decimal:
    if -int(value.as_tuple().exponent) <= decimals:
        return value
    return plain(round_to(value, unit_of(decimals)))
