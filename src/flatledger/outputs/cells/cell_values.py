"""What the cells of a workbook can hold: values that they keep as they are, and texts."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from typing import Any

from ...layout.model.column import Column
from ...values.functions import text_of
from ...values.literals import Interval
from ...values.numbers import read_decimal

LONGEST = 32_767  # UTF-16 units in a cell
DIGITS = 15  # a workbook's numbers are binary64, which keep so many
_LARGEST = 307  # the exponent of ten that binary64 reaches
EPOCH = dt.datetime(1899, 12, 30)
FIRST_DAY = dt.datetime(1900, 3, 1)  # before it the days of workbooks are off by one


def too_long(text: str) -> bool:
    """Whether no cell holds a text.

    >>> too_long("x" * 32_767), too_long("\U0001f6a2" * 20_000)
    (False, True)
    """
    return 2 * len(text) > LONGEST and units(text) > LONGEST


def units(text: str) -> int:
    """How many UTF-16 units a text has."""
    return len(text.encode("utf-16-le", "surrogatepass")) // 2


class CellValues:
    """The values of one column as the cells of a workbook hold them.

    ``default`` is a number that stands, as a text, where there is none; ``earliest`` is the first
    moment that they can have. ``as_text`` counts numbers that have more digits than a workbook
    keeps: they become texts, so that none is cut.

    >>> cells = CellValues(Column("No"))
    >>> cells.of(12), cells.of("007"), cells.of(1234567890123456789)
    (12, '007', '1234567890123456789')
    """

    def __init__(self, column: Column, earliest: dt.datetime = FIRST_DAY) -> None:
        self.heading = column.title
        self.as_text = 0
        default = column.default if column.numeric else None
        self.default = default if default and read_decimal(default) is not None else None
        self._earliest = earliest

    def of(self, value: Any) -> Any:
        """A number, truth value, moment or duration that a cell keeps as it is; else a text."""
        kind = value.__class__
        if kind is str:
            return read_decimal(value) if value == self.default else value
        if kind is bool or value is None:
            return value
        if isinstance(value, int | Decimal):
            return self._number(value)
        if isinstance(value, dt.date | dt.time | Interval) and self._keeps(value):
            return value
        return text_of(value)

    def _number(self, value: int | Decimal) -> Any:
        text = str(value)
        if len(text) <= DIGITS:
            return value
        text = format(value, "f") if isinstance(value, Decimal) else text
        few = len(text.strip("-0.").replace(".", "")) <= DIGITS
        if few and (len(text) <= _LARGEST or Decimal(value).adjusted() <= _LARGEST):
            return value
        self.as_text += 1
        return text

    def _keeps(self, value: dt.date | dt.time | Interval) -> bool:
        if isinstance(value, Interval):
            return not value.months and value.time >= dt.timedelta(0)
        if isinstance(value, dt.time):
            return value.tzinfo is None
        if isinstance(value, dt.datetime):
            return value.tzinfo is None and value >= self._earliest
        return dt.datetime(value.year, value.month, value.day) >= self._earliest

    def notes(self) -> list[str]:
        """What a reader of the workbook should know."""
        if not self.as_text:
            return []
        return [
            f"{self.heading}: numbers of more than {DIGITS} digits, which a workbook would cut, "
            f"stand as texts ({self.as_text:,})"
        ]
