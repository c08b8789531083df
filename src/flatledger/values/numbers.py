"""Exact numbers: integers of any size, decimals that keep the digits they came with.

A number never passes through a binary float. Sums, differences and products are exact; a quotient
has 34 digits, the precision of IEEE 754 decimal128. Rounding is half-even.
"""

from __future__ import annotations

import decimal
import re
from collections.abc import Iterator
from contextlib import suppress
from decimal import Decimal
from functools import lru_cache
from typing import TypeVar

from ..bounds import LARGEST_EXPONENT, MOST_DIGITS

EXACT = decimal.Context(
    prec=decimal.MAX_PREC,
    rounding=decimal.ROUND_HALF_EVEN,
    Emin=decimal.MIN_EMIN,
    Emax=decimal.MAX_EMAX,
    traps=[decimal.InvalidOperation, decimal.DivisionByZero, decimal.Overflow],
)
QUOTIENT = decimal.Context(prec=34, rounding=decimal.ROUND_HALF_EVEN)

Item = TypeVar("Item")

_NUMBER = re.compile(r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,9})?")


# what takes numbers whose own text is plain digits, and raises an error for all others but noughts
_usual = decimal.Context(
    prec=30,
    Emin=-6,
    Emax=29,
    clamp=1,
    traps=[
        *(decimal.Clamped, decimal.Inexact, decimal.InvalidOperation),
        *(decimal.Overflow, decimal.Rounded, decimal.Subnormal, decimal.Underflow),
    ],
).create_decimal


class ValueFaultError(Exception):
    """Raised by a function for a value that it cannot take; it becomes a fault and null."""


class PlainDecimal(Decimal):
    """A decimal whose text never has an exponent: 1E-7 is written 0.0000001."""

    __slots__ = ()

    def __str__(self) -> str:
        return format(self, "f")


class Unreadable:
    """Stands in a record for a number that cannot be taken; shows as it was typed."""

    __slots__ = ("reason", "text")

    def __init__(self, text: str, reason: str) -> None:
        self.text = text
        self.reason = reason

    def __str__(self) -> str:
        return self.text

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Unreadable) and other.text == self.text

    def __hash__(self) -> int:
        return hash(self.text)


def read_decimal(text: str) -> Decimal | None:
    """The decimal that a text is, or None where it is none or its exponent is out of bounds.

    >>> read_decimal("10.00"), read_decimal("1e400"), read_decimal("ten")
    (Decimal('10.00'), None, None)
    """
    if not _NUMBER.fullmatch(text):
        return None
    with suppress(decimal.DecimalException):
        if usual := _usual(text):
            return usual
    if len(text.lstrip("+-")) > MOST_DIGITS:
        return None
    number = Decimal(text)
    if ("e" in text or "E" in text) and number and abs(number.adjusted()) > LARGEST_EXPONENT:
        return None
    return plain(number)


def plain(number: Decimal) -> Decimal:
    """The same number, made so that its text is plain digits and zero has no sign.

    >>> str(plain(Decimal("1E+3"))), str(plain(Decimal("-0.00")))
    ('1000', '0.00')
    """
    if not number:
        number = abs(number)
    _, digits, exponent = number.as_tuple()
    if not isinstance(exponent, int) or exponent > 0 or len(digits) + exponent < -5:
        return PlainDecimal(number)
    return number


def digits_of(number: int | Decimal) -> str:
    """A number in plain digits, of any length: Python writes out no integer of more than 4,300.

    >>> digits_of(12), len(digits_of(10**5000))
    ('12', 5001)
    """
    return format(number if isinstance(number, Decimal) else Decimal(number), "f")


class _Unusual(dict[str, Decimal | Unreadable]):
    """Reads numbers that are no plain digits, and keeps the latest."""

    _most = 50_000

    def __missing__(self, text: str) -> Decimal | Unreadable:
        if len(self) >= self._most:
            self.clear()
        number = read_decimal(text)
        value = number if number is not None else Unreadable(text, "is beyond the range of numbers")
        self[text] = value
        return value


_unusual = _Unusual()


def read_fraction(text: str) -> Decimal | Unreadable:
    """The number that a text of JSON is, which has a fraction or an exponent.

    It is read anew each time, which takes no longer than looking up one of very many.

    >>> read_fraction("10.00"), str(read_fraction("1e-7")), str(read_fraction("-0.0"))
    (Decimal('10.00'), '0.0000001', '0.0')
    """
    try:
        return _usual(text) or _unusual[text]
    except decimal.DecimalException:
        return _unusual[text]


def exactly(steps: Iterator[Item]) -> Iterator[Item]:
    """The items of an iterator, each of them made in exact arithmetic, which whoever takes them
    does not see.

    >>> [*exactly(Decimal(number) + 10**30 for number in (1, 2))][1]
    Decimal('1000000000000000000000000000002')
    """
    while True:
        with decimal.localcontext(EXACT):
            try:
                item = next(steps)
            except StopIteration:
                return
        yield item


@lru_cache(256)
def unit_of(decimals: int) -> Decimal:
    """The unit of a number's last digit, of so many after the point; before it where that is less
    than none.

    >>> unit_of(2), unit_of(-1)
    (Decimal('0.01'), Decimal('1E+1'))
    """
    return Decimal(1).scaleb(-decimals, EXACT)


def round_to(
    number: int | Decimal, unit: Decimal, rounding: str = decimal.ROUND_HALF_EVEN
) -> Decimal:
    """Round to the digits of ``unit`` (0.01: two), half-even unless told otherwise.

    Zero loses its sign.

    >>> round_to(Decimal("2.345"), Decimal("0.01")), round_to(Decimal("-0.001"), Decimal("0.01"))
    (Decimal('2.34'), Decimal('0.00'))
    """
    rounded = Decimal(number).quantize(unit, rounding, context=EXACT)
    return rounded if rounded else abs(rounded)
