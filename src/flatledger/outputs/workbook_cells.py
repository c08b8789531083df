"""Cells of a sheet: values as SpreadsheetML (ECMA-376, part 1, 18.3.1.4) and their formats."""

from __future__ import annotations

import datetime as dt
import re
from decimal import Decimal
from fractions import Fraction
from math import inf, nextafter
from typing import Any
from xml.sax.saxutils import escape

from ..errors import OutputError
from ..layout.column import Column
from ..values.functions import text_of
from ..values.numbers import read_decimal

LONGEST = 32_767  # letters in a cell
_DIGITS = 15  # a workbook's numbers are binary64, which keep so many
_DAY, _MICROSECOND = dt.timedelta(days=1), dt.timedelta(microseconds=1)
_EPOCH, _EPOCH_1904 = dt.datetime(1899, 12, 30), dt.datetime(1904, 1, 1)
_FIRST_DAY = dt.datetime(1900, 3, 1)  # before it the days of workbooks are off by one
_CONTROL = re.compile(
    r"[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)"
)
_ISO = {"date": "yyyy-mm-dd", "dateTime": "yyyy-mm-dd hh:mm:ss", "time": "hh:mm:ss"}
_NUMBER_PATTERN = re.compile(r"[#0,.%; ()+-]+")
_DATE_FIELD = re.compile(r"'([^']*)'|([yMdEHhms])\2*|a|[^A-Za-z]")
_DATE_FIELDS = {
    "y": "yyyy", "yyyy": "yyyy", "yy": "yy", "M": "m", "MM": "mm", "MMM": "mmm", "MMMM": "mmmm",
    "d": "d", "dd": "dd", "E": "ddd", "EEE": "ddd", "EEEE": "dddd", "a": "AM/PM",
    "H": "h", "HH": "hh", "h": "h", "hh": "hh", "m": "m", "mm": "mm", "s": "s", "ss": "ss",
}  # fmt: skip


class CellWriter:
    """Writes the cells of one column; ``from_1904`` is the epoch of the workbook's days.

    ``as_text`` counts numbers that have more digits than a workbook keeps: they become texts.
    """

    def __init__(self, column: Column, from_1904: bool = False) -> None:
        self.format = number_format(column)
        self.heading = column.title
        self.as_text = 0
        default = column.default if column.numeric else None
        self._default = default if default and read_decimal(default) is not None else None
        self._epoch = _EPOCH_1904 if from_1904 else _EPOCH

    def cell(self, value: Any, place: str, style: int) -> str:
        """One cell as XML, at a place such as B5."""
        start = f'<c r="{place}" s="{style}"' if style else f'<c r="{place}"'
        if value is None:
            return f"{start}/>" if style else ""
        moment = isinstance(value, dt.date | dt.time)
        if moment or value.__class__ is str:
            value = self._typed(value)
        if isinstance(value, bool):
            return f'{start} t="b"><v>{int(value)}</v></c>'
        if isinstance(value, int | Decimal):
            number = format(value, "f") if isinstance(value, Decimal) else str(value)
            if moment or len(number.strip("-0.").replace(".", "")) <= _DIGITS:
                return f"{start}><v>{number}</v></c>"
            self.as_text += 1
            value = number
        return (
            f'{start} t="inlineStr"><is><t xml:space="preserve">{_text(value, place)}</t></is></c>'
        )

    def _typed(self, value: Any) -> Any:
        """A moment as the days since the epoch; where a workbook can't have it, its text.

        A workbook's moments have no zone.
        """
        if isinstance(value, str):
            return read_decimal(value) if value == self._default else value
        moment = value
        if isinstance(value, dt.time):
            moment = dt.datetime.combine(self._epoch, value)
        elif not isinstance(value, dt.datetime):
            moment = dt.datetime(value.year, value.month, value.day)
        early = moment.tzinfo is None and moment < max(_FIRST_DAY, self._epoch)
        if moment.tzinfo is not None or (early and not isinstance(value, dt.time)):
            return text_of(value)
        return _days(moment - self._epoch)


def _days(span: dt.timedelta) -> int | Decimal:
    """A span in days, as the binary64 that is no less: a reader that cuts off seconds has all."""
    if not span % _DAY:
        return span.days
    days = span / _DAY
    if Fraction(days) < Fraction(span // _MICROSECOND, _DAY // _MICROSECOND):
        days = nextafter(days, inf)
    return Decimal(repr(days))


def _text(value: Any, place: str) -> str:
    """A text with what XML does not allow as `_x0001_`, the way ECMA-376 has it (22.9.2.19)."""
    text = text_of(value)
    if len(text) > LONGEST:
        raise OutputError(f"{place}: a cell holds {LONGEST:,} letters, and this is {len(text):,}")
    text = escape(_CONTROL.sub(lambda found: f"_x{ord(found[0]):04X}_", text))
    return text.replace("\r", "&#13;")  # which XML would take for a line feed


def number_format(column: Column) -> str | None:
    """What a workbook calls the format of a column; None where it has none of its own.

    >>> number_format(Column("A", decimals=2)), number_format(Column("B", datatype="date"))
    ('0.00', 'yyyy-mm-dd')
    >>> number_format(Column("C", datatype="date", format="d MMM yyyy"))
    'd mmm yyyy'
    """
    if column.datatype in _ISO:
        own = _date_format(column.format or "")
        return own or _ISO[column.datatype]
    if column.format and column.datatype != "boolean" and _NUMBER_PATTERN.fullmatch(column.format):
        return column.format
    if column.decimals is None:
        return None
    return f"0.{'0' * column.decimals}" if column.decimals else "0"


def _date_format(pattern: str) -> str:
    """A pattern of UTS #35 as a workbook writes it; blank where it has no such thing."""
    parts = []
    place = 0
    while place < len(pattern):
        found = _DATE_FIELD.match(pattern, place)
        if found is None or (found[2] and found[0] not in _DATE_FIELDS):
            return ""
        quoted = found[1]
        parts.append(f'"{quoted}"' if quoted is not None else _DATE_FIELDS.get(found[0], found[0]))
        place = found.end()
    return "".join(parts)
