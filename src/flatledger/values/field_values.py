"""What the values of a field are, as its declaration has it: read once, and never rounded.

A value that the source types itself is taken as it is where that can be the declared one: a number
for a number. Texts are read by ISO 8601, as plain numbers or in the stated patterns.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any

import msgspec

from . import times
from .amounts import Amount, ColumnReader, amount_reader
from .cleaning import cleaned
from .factors import Factor
from .functions import text_of
from .literals import Interval
from .numbers import Unreadable, ValueFaultError, read_decimal
from .parts import BLANKS
from .reading_texts import DateReader, TimeReader
from .text_values import Many, TextValues, integers_in, numbers_in

NUMBERS = ("decimal", "integer")
DATES = ("date", "dateTime")
TIMED = (*DATES, "time", "duration")
NUMERAL, AMOUNT = "numeral", "amount"
KINDS = {
    "string": "text",
    "boolean": "truth",
    "decimal": "number",
    "integer": "number",
    "date": "moment",
    "dateTime": "moment",
    "time": "time",
    "duration": "interval",
}
_AS_WRITTEN = re.compile(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?")
_MINUS_NOTHING = re.compile(r"-0(?:\.0*)?$")
_ISO = re.compile(r"\s*(?:\d{4}-\d\d-\d\d(?:T|\s*$)|\d\d:\d\d:\d\d|-?P)")
_SHORT = 60


class AmbiguousValueError(ValueFaultError):
    """Raised for a text that two patterns read as different values."""


class FieldDeclaration(msgspec.Struct, frozen=True):
    """How the values of a field are read: its ``datatype`` (of CSVW), the patterns of ``reads``,
    the ``unit`` that bare numbers are in with ``factors`` for others, what stands for no value
    (``nulls``), and what is cleaned away. Where the source has ``typed`` its dates and times, these
    are by ISO 8601, whatever the patterns.

    >>> reader = FieldDeclaration("date", ("yyyy-MM-dd", "dd/MM/yyyy")).reader()
    >>> reader.read("31/03/2026"), reader.quick["2026-03-31"], reader.quick["n/a"]
    (datetime.date(2026, 3, 31), datetime.date(2026, 3, 31), None)
    """

    datatype: str = ""
    reads: tuple[str, ...] = ()
    locale: str = "en"
    unit: str = ""
    factors: dict[str, Factor] = {}
    nulls: tuple[str, ...] = ()
    clean: tuple[str, ...] = ()
    typed: bool = False

    @property
    def kind(self) -> str:
        """The kind of its values; ``any`` where no datatype is declared."""
        return KINDS.get(self.datatype, "any")

    def as_text(self) -> FieldDeclaration:
        """The same, of which the texts are wanted as they were written."""
        return FieldDeclaration("string", nulls=self.nulls, clean=self.clean)

    def reader(self) -> FieldReader:
        """What reads a value. Raises ValueError for a pattern that is none."""
        return FieldReader(self)


class FieldReader:
    """Reads the values of one field. ``quick`` has what texts are, without a word of what is wrong.

    ``notes_units``: amounts can stand in any unit, which is to be noted.
    """

    def __init__(self, declared: FieldDeclaration) -> None:
        self.declared = declared
        self.kind = declared.kind
        self._nulls = frozenset(text.strip() for text in declared.nulls)
        self._amounts: ColumnReader | None = None
        if AMOUNT in declared.reads:
            reader = amount_reader(declared.locale)
            factors = {declared.unit: Factor(), **declared.factors} if declared.factors else None
            self._amounts = ColumnReader(reader, "" if factors else declared.unit, factors)
        self.notes_units = self._amounts is not None and not declared.unit
        self._patterns = self._pattern_readers()
        self._from_text = self._text_reader()
        self.quick = TextValues(self._quietly, self._many())

    def read(self, value: Any) -> Any:
        """A value as the declared one; None for null. Raises ValueFaultError."""
        if isinstance(value, str):
            return self._read_text(value)
        if isinstance(value, Unreadable):
            raise ValueFaultError(value.reason)
        if isinstance(value, dict | list | msgspec.Struct):
            if self.kind == "any":
                return value
            raise ValueFaultError("is no single value, and is declared as one")
        if self._nulls and text_of(value) in self._nulls:
            return None
        return self._typed(value)

    def _quietly(self, text: str) -> Any:
        """The value of a text; None for null, and for what has to be told."""
        try:
            return self._read_text(text)
        except ValueFaultError:
            return None

    def _many(self) -> Many | None:
        """What reads many texts at once, where a usual number is what it looks like."""
        declared = self.declared
        if self._amounts is not None or declared.nulls or declared.clean:
            return None
        return {"decimal": numbers_in, "integer": integers_in}.get(declared.datatype)

    def amount(self, text: str) -> Amount:
        """The amount in a text, with its unit where that is to be noted. Raises ValueFaultError."""
        assert self._amounts is not None
        return self._amounts(text)

    def _read_text(self, text: str) -> Any:
        if not text.strip(BLANKS) or text.strip() in self._nulls:
            return None
        if self.declared.clean:
            kept = cleaned(text, self.declared.clean)
            if kept is None or kept.strip() in self._nulls:
                return None
            text = kept
        return self._from_text(text)

    def _typed(self, value: Any) -> Any:
        """A value that the source typed itself: a number, a truth value, a moment."""
        datatype = self.declared.datatype
        if datatype in ("", *NUMBERS) and isinstance(value, float):
            value = read_decimal(repr(value))
        if not datatype:
            return value
        if datatype == "string":
            return text_of(value)
        if datatype == "boolean" and isinstance(value, bool):
            return value
        is_number = isinstance(value, int | Decimal) and not isinstance(value, bool)
        if datatype in NUMBERS and is_number:
            return self._whole(value)
        if datatype in TIMED and isinstance(value, dt.date | dt.time | Interval):
            return self._moment(value)
        if datatype in TIMED and self.declared.reads and is_number:
            return self._from_text(text_of(value))
        raise ValueFaultError(f"is {_called(value)}, and is declared as {_an(datatype)}")

    def _whole(self, number: int | Decimal) -> int | Decimal:
        if self.declared.datatype == "decimal" or isinstance(number, int):
            return number
        if number != number.to_integral_value():
            raise ValueFaultError("is no whole number")
        if NUMERAL not in self.declared.reads and int(number.as_tuple().exponent) < 0:
            raise ValueFaultError("is a whole number with a point; `reads: numeral` takes it")
        return int(number)

    def _moment(self, value: Any) -> Any:
        as_declared: dict[str, Callable[[Any], Any]] = {
            "date": times.as_date,
            "dateTime": times.as_timestamp,
            "time": times.as_time,
            "duration": times.as_interval,
        }
        return as_declared[self.declared.datatype](value)

    def _pattern_readers(self) -> list[tuple[str, Callable[[str], Any]]]:
        """What reads by each pattern of dates or times."""
        datatype, patterns = self.declared.datatype, self.declared.reads
        if datatype in DATES:
            return [(one, DateReader(one, self.declared.locale)) for one in patterns]
        if datatype in TIMED:
            return [(one, TimeReader(one, whole_day=datatype == "time")) for one in patterns]
        return []

    def _text_reader(self) -> Callable[[str], Any]:
        """What reads a text that is neither blank nor null."""
        datatype, patterns = self.declared.datatype, self.declared.reads
        if datatype in NUMBERS:
            return self._amount if self._amounts is not None else self._numeral
        if datatype == "boolean":
            return _truth
        if datatype in TIMED and patterns:
            return self._in_patterns
        if datatype in TIMED:
            return self._moment
        return lambda text: text

    def _in_patterns(self, text: str) -> Any:
        """A date or time in one of the patterns, or typed by the source itself."""
        if self.declared.typed and _ISO.match(text):
            return self._moment(text.strip())
        return self._moment(_agreed(text, self._patterns))

    def _amount(self, text: str) -> int | Decimal:
        assert self._amounts is not None
        return self._whole(self._amounts(text).number)

    def _numeral(self, text: str) -> int | Decimal:
        bare = text.strip()
        number = read_decimal(bare)
        if number is None:
            raise ValueFaultError("is not a number")
        whole = self.declared.datatype == "integer"
        if NUMERAL not in self.declared.reads and not is_written_so(text, whole=whole):
            if whole and is_written_so(text):
                return self._whole(number)
            raise ValueFaultError(
                "is not as a number is written: it has a plus, a blank, or zeros too many, and may "
                "be a code; `reads: numeral` takes it for a number, `datatype: string` for a text"
            )
        if bare.lstrip("+-").isdigit():
            return int(bare) if len(bare) < _SHORT else self._whole(number)
        return self._whole(number)


def is_written_so(text: str, *, whole: bool = False) -> bool:
    """Whether a plain number, or a whole one, that is read from a text is written as that again.

    >>> is_written_so("4.50"), is_written_so("007"), is_written_so("+2"), is_written_so(".5")
    (True, False, False, False)
    """
    found = _AS_WRITTEN.fullmatch(text)
    return found is not None and not (whole and "." in text) and not _MINUS_NOTHING.match(text)


def _agreed(text: str, readers: Sequence[tuple[str, Callable[[str], Any]]]) -> Any:
    """What a text is by each pattern that fits, which must be one. Raises ValueFaultError."""
    found: dict[str, Any] = {}
    why = ""
    for pattern, read in readers:
        try:
            found[pattern] = read(text)
        except ValueFaultError as error:
            why = why or str(error)
    if not found:
        alone = len(readers) == 1
        raise ValueFaultError(why if alone else "is not in any of the patterns that are read")
    if len({*found.values()}) > 1:
        ways = " and ".join(f"{value} ({pattern})" for pattern, value in found.items())
        raise AmbiguousValueError(f"can be read as {ways}")
    return next(iter(found.values()))


def _truth(text: str) -> bool:
    known = {"true": True, "false": False}.get(text.strip().lower())
    if known is None:
        raise ValueFaultError("is neither true nor false")
    return known


def _called(value: Any) -> str:
    if isinstance(value, bool):
        return "true or false"
    return "a number" if isinstance(value, int | float | Decimal) else "a date or a time"


def _an(datatype: str) -> str:
    return f"{'an' if datatype[0] in 'aeiou' else 'a'} {datatype}"
