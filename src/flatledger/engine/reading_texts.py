"""Reading what senders write: numbers with units and marks, dates in a pattern of their own."""

from __future__ import annotations

import datetime as dt
import re
import unicodedata
from collections.abc import Callable, Mapping
from decimal import Decimal
from functools import lru_cache
from typing import Any

from ..layout.column import Factor
from .converting import scaled
from .numbers import ValueFaultError, plain

_BLANKS = " \u00a0\u202f\u2009'’"  # they part thousands wherever people write
_MINUS = "-−–"
_FIELD = re.compile(r"'([^']*)'|(y+|M+|d+|H+|h+|m+|s+|a)|(.)", re.DOTALL)
_FIELDS = {
    "yyyy": r"(?P<year>\d{4})", "y": r"(?P<year>\d{1,4})", "yy": r"(?P<short>\d{2})",
    "M": r"(?P<month>\d{1,2})", "MM": r"(?P<month>\d{2})",
    "d": r"(?P<day>\d{1,2})", "dd": r"(?P<day>\d{2})",
    "H": r"(?P<hour>\d{1,2})", "HH": r"(?P<hour>\d{2})",
    "m": r"(?P<minute>\d{1,2})", "mm": r"(?P<minute>\d{2})",
    "s": r"(?P<second>\d{1,2})", "ss": r"(?P<second>\d{2})",
}  # fmt: skip
_NAMES = {"MMM": "abbreviated", "MMMM": "wide"}


class AmountReader:
    """Reads a number out of a text by a locale's marks.

    Brackets or a minus make it negative, and a percent sign divides it by a hundred. A unit or
    currency is passed over, and has to be the same in all that have one: five kilograms and five
    grams are not ten of anything. With ``factors`` it says what to multiply by. A text with two
    numbers is none.

    >>> read = AmountReader(decimal_mark=".", group_mark=",")
    >>> read("£1,200.00"), read("(12.5)"), read("7 %")
    (Decimal('1200.00'), Decimal('-12.5'), Decimal('0.07'))
    >>> read("5 kg")
    Traceback (most recent call last):
    flatledger.engine.numbers.ValueFaultError: is in kg, and another is in £
    """

    def __init__(
        self, decimal_mark: str, group_mark: str, factors: Mapping[str, Factor] | None = None
    ) -> None:
        groups = re.escape(group_mark + _BLANKS)
        self._groups = re.compile(f"[{groups}]")
        mark = re.escape(decimal_mark)
        grouped = rf"\d{{1,3}}(?:[{groups}]\d{{3}})+"
        self._number = re.compile(rf"(?:{grouped}|\d+)(?:{mark}\d+)?")
        self._mark = decimal_mark
        self._unit = ""
        self._factors = factors or {}

    def __call__(self, text: str) -> int | Decimal:
        """Raises ValueFaultError where there is no number, or more than one."""
        found = list(self._number.finditer(text))
        if len(found) != 1:
            raise ValueFaultError("holds no single number")
        before, after = text[: found[0].start()], text[found[0].end() :]
        if any(letter.isdigit() for letter in before + after):
            raise ValueFaultError("holds no single number")
        factor = self._factor(unit_of(before, after))
        digits = self._groups.sub("", found[0][0]).replace(self._mark, ".")
        number: int | Decimal = Decimal(digits) if "." in digits else int(digits)
        if "%" in before + after:
            number = plain(Decimal(number).scaleb(-2))
        bracketed = "(" in before and ")" in after
        minus = before.strip()[-1:] in _MINUS and bool(before.strip())
        trailing = bool(after.strip()) and after.strip()[0] in _MINUS
        negative = bracketed or minus or trailing
        if isinstance(number, int):
            number = -number if negative else number
        else:
            number = number.copy_negate() if negative else number
        return scaled(number, factor) if factor else number

    def _factor(self, unit: str) -> Factor | None:
        """What the unit is multiplied by. Without factors the first that is met is that of all."""
        if self._factors:
            known = unit.casefold().rstrip(".")
            if unit and known not in self._factors:
                raise ValueFaultError(f"is in {unit}, for which there is no factor")
            return self._factors.get(known)
        self._unit = self._unit or unit
        if unit and unit.casefold() != self._unit.casefold():
            raise ValueFaultError(f"is in {unit}, and another is in {self._unit}")
        return None


def unit_of(before: str, after: str) -> str:
    """The unit or currency around a number: what follows it, or a currency sign before it.

    >>> unit_of("", " kg net"), unit_of("ca. £", ""), unit_of("(", " %)")
    ('kg', '£', '')
    """
    following = re.match(r"\s*([^\W\d_][^\s()%]*|[°µ]\S+)", after)
    if following:
        return following[1]
    return next((sign for sign in before + after if unicodedata.category(sign) == "Sc"), "")


class DateReader:
    """Reads dates and times in a pattern of UTS #35: y, M, d, H, m, s, and names of months.

    >>> DateReader("dd/MM/yyyy", "en")("31/03/2026")
    datetime.date(2026, 3, 31)
    """

    def __init__(self, pattern: str, locale: str) -> None:
        self._months: dict[str, int] = {}
        parts = []
        for quoted, field, other in _FIELD.findall(pattern):
            if other.isalpha():
                raise ValueError(f"`{other}` can't be read; the fields are {', '.join(_FIELDS)}")
            if not field:
                parts.append(re.escape(quoted or other))
            elif field in _NAMES:
                self._months = _month_names(_NAMES[field], locale)
                parts.append(rf"(?P<name>{'|'.join(map(re.escape, self._months))})")
            elif field in _FIELDS:
                parts.append(_FIELDS[field])
            else:
                raise ValueError(f"`{field}` can't be read; the fields are {', '.join(_FIELDS)}")
        self._regex = re.compile("".join(parts), re.IGNORECASE)
        self._read = lru_cache(20_000)(self._parsed)

    def __call__(self, text: str) -> dt.date:
        """A date, or with an hour a date and time. Raises ValueFaultError."""
        return self._read(text.strip())

    def _parsed(self, text: str) -> dt.date:
        found = self._regex.fullmatch(text)
        parts = found.groupdict() if found else {}
        try:
            year = int(parts["year"]) if parts.get("year") else _century(int(parts["short"]))
            name = parts.get("name")
            month = self._months[name.casefold()] if name else int(parts["month"])
            day = dt.date(year, month, int(parts.get("day") or 1))
        except (KeyError, ValueError, TypeError):
            raise ValueFaultError("is not a date in the pattern that is read") from None
        if parts.get("hour") is None:
            return day
        hour, minute, second = (int(parts.get(n) or 0) for n in ("hour", "minute", "second"))
        try:
            return dt.datetime(day.year, day.month, day.day, hour, minute, second)
        except ValueError:
            raise ValueFaultError("is not a time in the pattern that is read") from None


def _century(short: int) -> int:
    """A year of two digits lies from 1970 to 2069."""
    return short + (2000 if short < 70 else 1900)


def _month_names(width: str, locale: str) -> dict[str, int]:
    from babel.dates import get_month_names

    names = get_month_names(width, locale=locale)  # type: ignore[arg-type]
    return {name.casefold(): number for number, name in names.items()}


def amount_reader(
    locale: str, factors: Mapping[str, Factor] | None = None
) -> Callable[[str], int | Decimal]:
    """A reader by a locale's marks."""
    from babel.numbers import get_decimal_symbol, get_group_symbol

    return AmountReader(get_decimal_symbol(locale), get_group_symbol(locale), factors)


def read_text(value: Any, reader: Callable[[str], Any]) -> Any:
    """A value by a reader of texts; a number that is one already stays, for numbers."""
    if isinstance(value, str):
        return reader(value)
    number = isinstance(value, int | Decimal) and not isinstance(value, bool)
    if number and isinstance(reader, AmountReader):
        return value
    raise ValueFaultError("is no text that can be read")
