"""Factors between units."""

from __future__ import annotations

from decimal import Decimal

import msgspec

from .numbers import QUOTIENT, plain


class Factor(msgspec.Struct, frozen=True):
    """What a number is multiplied by, and then divided by where that is not 1."""

    times: Decimal = Decimal(1)
    over: int = 1


def scaled(number: int | Decimal, factor: Factor) -> int | Decimal:
    """A number times a factor, exact; a quotient has 34 digits.

    >>> scaled(1250, Factor(Decimal("0.01"))), scaled(90, Factor(over=60)), scaled(2, Factor())
    (Decimal('12.50'), Decimal('1.5'), 2)
    """
    times = factor.times
    whole = number * (int(times) if times == int(times) else times)
    return whole if factor.over == 1 else plain(QUOTIENT.divide(Decimal(whole), factor.over))
