"""Exact numbers by whole numbers alone: arithmetic, rounding, and what text is a number (rule 11).

A decimal is its digits and an exponent, so that what is worked out here shares nothing with the
arithmetic that it is held against.
"""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Any

from ..bounds import LARGEST_EXPONENT, MOST_DIGITS

Number = int | Decimal

QUOTIENT_DIGITS = 34  # of IEEE 754 decimal128
_NUMBER = re.compile(r"([+-]?)([0-9]*)(?:\.([0-9]*))?(?:[eE]([+-]?[0-9]{1,9}))?")


def is_number(value: Any) -> bool:
    """Whether a value is a number; a truth value is none."""
    return isinstance(value, int | Decimal) and not isinstance(value, bool)


def parts(number: Number) -> tuple[int, int]:
    """The digits of a number, with its sign, and the power of ten that they count.

    >>> parts(Decimal("-4.50")), parts(7)
    ((-450, -2), (7, 0))
    """
    if isinstance(number, int):
        return number, 0
    sign, digits, exponent = number.as_tuple()
    whole = int(Decimal((0, digits, 0)))
    return (-whole if sign else whole), int(exponent)


def number_of(digits: int, exponent: int) -> Decimal:
    """The decimal of so many digits at a power of ten.

    >>> number_of(-450, -2)
    Decimal('-4.50')
    """
    shown = Decimal(abs(digits)).as_tuple().digits
    return Decimal((1 if digits < 0 else 0, shown, exponent))


def _alike(one: Number, other: Number) -> tuple[int, int, int]:
    """The digits of two numbers at the lower of their powers of ten, and that."""
    (a, e), (b, f) = parts(one), parts(other)
    low = min(e, f)
    return a * 10 ** (e - low), b * 10 ** (f - low), low


def added(one: Number, other: Number, sign: int = 1) -> Number:
    """The sum, or with ``sign`` -1 the difference: exact, with the digits of both.

    >>> added(Decimal("1.50"), 2), added(3, 4)
    (Decimal('3.50'), 7)
    """
    if isinstance(one, int) and isinstance(other, int):
        return one + sign * other
    a, b, low = _alike(one, other)
    return number_of(a + sign * b, low)


def multiplied(one: Number, other: Number) -> Number:
    """The product: exact.

    >>> multiplied(Decimal("1.5"), Decimal("0.20"))
    Decimal('0.300')
    """
    if isinstance(one, int) and isinstance(other, int):
        return one * other
    (a, e), (b, f) = parts(one), parts(other)
    return number_of(a * b, e + f)


def divided(one: Number, other: Number) -> Decimal:
    """The quotient, of 34 digits at most, half-even; of no more digits than it takes.

    >>> divided(1, 4), divided(2, 3)
    (Decimal('0.25'), Decimal('0.6666666666666666666666666666666667'))
    """
    (a, e), (b, f) = parts(one), parts(other)
    ideal = e - f
    negative, a, b = (a < 0) != (b < 0), abs(a), abs(b)
    if not a:
        return number_of(0, ideal)
    more = max(QUOTIENT_DIGITS + len(_digits(b)) - len(_digits(a)) + 1, 0)
    whole, rest = divmod(a * 10**more, b)
    exponent = ideal - more
    over = len(_digits(whole)) - QUOTIENT_DIGITS
    if over > 0:
        whole, exact = _half_even(whole, 10**over, bool(rest)), not rest and not whole % 10**over
        exponent += over
        if len(_digits(whole)) > QUOTIENT_DIGITS:
            whole, exponent = whole // 10, exponent + 1
    else:
        exact = not rest
    while exact and exponent < ideal and not whole % 10:
        whole, exponent = whole // 10, exponent + 1
    return number_of(-whole if negative else whole, exponent)


def _digits(whole: int) -> tuple[int, ...]:
    return Decimal(whole).as_tuple().digits


def _half_even(whole: int, unit: int, more: bool) -> int:
    """A whole number in units, the rest rounded half to even; ``more`` was cut off before."""
    quotient, rest = divmod(whole, unit)
    twice = 2 * rest
    up = twice > unit or (twice == unit and (more or quotient % 2 == 1))
    return quotient + up


def rounded(number: Number, decimals: int, rounding: str = "ROUND_HALF_EVEN") -> Decimal:
    """A number with so many digits after the decimal mark (rule 16); zero has no sign.

    >>> rounded(Decimal("2.345"), 2), rounded(Decimal("-2.5"), 0, "ROUND_HALF_UP")
    (Decimal('2.34'), Decimal('-3'))
    """
    digits, exponent = parts(number)
    shift = exponent + decimals
    if shift >= 0:
        return number_of(digits * 10**shift, -decimals)
    unit = 10**-shift
    quotient, rest = divmod(abs(digits), unit)
    negative, twice = digits < 0, 2 * rest
    up = {
        "ROUND_HALF_EVEN": twice > unit or (twice == unit and quotient % 2 == 1),
        "ROUND_HALF_UP": twice >= unit,
        "ROUND_HALF_DOWN": twice > unit,
        "ROUND_UP": rest > 0,
        "ROUND_DOWN": False,
        "ROUND_CEILING": rest > 0 and not negative,
        "ROUND_FLOOR": rest > 0 and negative,
        "ROUND_05UP": rest > 0 and quotient % 10 in (0, 5),
    }[rounding]
    quotient += up
    return number_of(-quotient if negative and quotient else quotient, -decimals)


def compared(one: Number, other: Number) -> int:
    """-1, 0 or 1: whether a number is less than another, equal, or greater.

    >>> compared(Decimal("1.0"), 1), compared(2, Decimal("2.01"))
    (0, -1)
    """
    a, b, _ = _alike(one, other)
    return (a > b) - (a < b)


def number_in(text: str) -> Number | None:
    """The number that a text is: a plain one of JSON, be it with a plus or zeros before; a whole
    one where it has digits only. None where it is none, or beyond the bounds of numbers.

    >>> number_in(" 12 "), number_in("1.50"), number_in("007"), number_in("1e2"), number_in("x")
    (12, Decimal('1.50'), Decimal('7'), Decimal('1E+2'), None)
    """
    bare = text.strip()
    found = _NUMBER.fullmatch(bare) if bare.isascii() else None
    if found is None or len(bare.lstrip("+-")) > MOST_DIGITS:
        return None
    sign, whole, part, power = found[1], found[2], found[3] or "", int(found[4] or 0)
    if not whole + part:
        return None
    digits = number_of(0, 0) if not (whole + part).strip("0") else Decimal(whole + part)
    if digits and power and abs(digits.adjusted() - len(part) + power) > LARGEST_EXPONENT:
        return None
    if whole == bare and whole[0] != "0" and len(whole) < 4_000:
        return int(whole)
    value = number_of(parts(digits)[0], power - len(part))
    return number_of(-parts(value)[0], power - len(part)) if sign == "-" else value
