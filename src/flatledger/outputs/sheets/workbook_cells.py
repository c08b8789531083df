"""Cells of a sheet: values as SpreadsheetML (ECMA-376, part 1, 18.3.1.4) and their formats."""

from __future__ import annotations

import datetime as dt
import re
from decimal import ROUND_CEILING, Context, Decimal
from fractions import Fraction
from functools import lru_cache
from math import inf, nextafter
from typing import Any
from xml.sax.saxutils import escape

from ...errors import OutputError
from ...layout.model.column import Column
from ...values.functions import text_of
from ...values.literals import Interval
from ..cells.cell_values import EPOCH, FIRST_DAY, LONGEST, CellValues, too_long

_DAY, _MICROSECOND = dt.timedelta(days=1), dt.timedelta(microseconds=1)
_EPOCH_1904 = dt.datetime(1904, 1, 1)
_UP_16 = Context(prec=16, rounding=ROUND_CEILING)
_CONTROL = re.compile(
    r"[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)"
)
_ISO = {"date": "yyyy-mm-dd", "dateTime": "yyyy-mm-dd hh:mm:ss", "time": "hh:mm:ss"}
_KINDS = {dt.date: "date", dt.time: "time"}
_DURATION = "[h]:mm:ss"
_NUMBER_PATTERN = re.compile(r"[#0,.%; ()+-]+")
_DATE_FIELD = re.compile(r"'([^']*)'|([yMdEHhms])\2*|a|[^A-Za-z]")
_DATE_FIELDS = {
    "y": "yyyy", "yyyy": "yyyy", "yy": "yy", "M": "m", "MM": "mm", "MMM": "mmm", "MMMM": "mmmm",
    "d": "d", "dd": "dd", "E": "ddd", "EEE": "ddd", "EEEE": "dddd", "a": "AM/PM",
    "H": "h", "HH": "hh", "h": "h", "hh": "hh", "m": "m", "mm": "mm", "s": "s", "ss": "ss",
}  # fmt: skip


class CellWriter(CellValues):
    """Writes the cells of one column; ``from_1904`` is the epoch of the workbook's days."""

    def __init__(self, column: Column, from_1904: bool = False) -> None:
        self._epoch = _EPOCH_1904 if from_1904 else EPOCH
        super().__init__(column, max(FIRST_DAY, self._epoch))
        self.format = number_format(column)

    def cell(self, value: Any, place: str, style: int) -> str:
        """One cell as XML, at a place such as B5."""
        start = f'<c r="{place}" s="{style}"' if style else f'<c r="{place}"'
        value = self.of(value)
        if value is None:
            return f"{start}/>" if style else ""
        if isinstance(value, bool):
            return f'{start} t="b"><v>{int(value)}</v></c>'
        if isinstance(value, dt.date | dt.time | Interval):
            value = _days(span_of(value, self._epoch))
        if isinstance(value, int | Decimal):
            number = format(value, "f") if isinstance(value, Decimal) else str(value)
            return f"{start}><v>{number}</v></c>"
        text = cell_text(value, place)
        return f'{start} t="inlineStr"><is><t xml:space="preserve">{text}</t></is></c>'


def span_of(value: dt.date | dt.time | Interval, epoch: dt.datetime = EPOCH) -> dt.timedelta:
    """The time from the epoch of a workbook's days to a moment; a duration itself."""
    if isinstance(value, Interval):
        return value.time
    if isinstance(value, dt.time):
        return dt.datetime.combine(epoch, value) - epoch
    if not isinstance(value, dt.datetime):
        value = dt.datetime(value.year, value.month, value.day)
    return value - epoch


def _days(span: dt.timedelta) -> int | Decimal:
    """A span in days, as the binary64 that is no less: a reader that cuts off seconds has all."""
    if not span % _DAY:
        return span.days
    days = span / _DAY
    if Fraction(days) < Fraction(span // _MICROSECOND, _DAY // _MICROSECOND):
        days = nextafter(days, inf)
    return Decimal(repr(days))


@lru_cache(20_000)
def days_in_16_digits(value: dt.date | dt.time | Interval) -> int | Decimal:
    """A moment in days since the epoch, or a duration in days, of so many digits that as binary64
    it is no less.

    >>> days_in_16_digits(dt.time(12)), days_in_16_digits(dt.time(0, 0, 1))
    (Decimal('0.5'), Decimal('0.00001157407407407408'))
    """
    span = span_of(value)
    if not span % _DAY:
        return span.days
    exact = Fraction(span // _MICROSECOND, _DAY // _MICROSECOND)
    days = _UP_16.divide(Decimal(exact.numerator), Decimal(exact.denominator))
    while Fraction(float(days)) < exact:
        days = _UP_16.next_plus(days)
    return days


def cell_text(value: Any, place: str) -> str:
    """A text with what XML does not allow as `_x0001_`, the way ECMA-376 has it (22.9.2.19)."""
    text = text_of(value)
    if too_long(text):
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


def moment_format(column: Column, value: Any) -> str:
    """The format of a moment or a duration in a column.

    >>> [moment_format(Column("A"), one) for one in (dt.date(2026, 3, 1), Interval(0, _DAY))]
    ['yyyy-mm-dd', '[h]:mm:ss']
    """
    if isinstance(value, Interval):
        return _DURATION
    own = number_format(column) if column.datatype in _ISO else None
    return own or _ISO["dateTime" if isinstance(value, dt.datetime) else _KINDS[type(value)]]


def _date_format(pattern: str) -> str:
    """A pattern of UTS #35 as a workbook writes it; blank where it has no such thing."""
    fields = date_fields(pattern)
    return "".join(_DATE_FIELDS[text] if is_field else _quoted(text) for text, is_field in fields)


def _quoted(text: str) -> str:
    return f'"{text}"' if len(text) != 1 or text.isalpha() else text


def date_fields(pattern: str) -> list[tuple[str, bool]]:
    """The fields of a pattern of UTS #35 and the texts between them, each told apart; none where a
    workbook has no such field.

    >>> date_fields("d 'of' MMM")
    [('d', True), (' ', False), ('of', False), (' ', False), ('MMM', True)]
    """
    found = []
    place = 0
    while place < len(pattern):
        field = _DATE_FIELD.match(pattern, place)
        if field is None or (field[2] and field[0] not in _DATE_FIELDS):
            return []
        quoted = field[1]
        known = quoted is None and field[0] in _DATE_FIELDS
        found.append((quoted if quoted is not None else field[0], known))
        place = field.end()
    return found
