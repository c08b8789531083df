"""Comparing JSON values, as filters do (RFC 9535, 2.3.5.2.2)."""

from __future__ import annotations

from decimal import Decimal
from math import isfinite
from typing import Any


def _is_number(value: Any) -> bool:
    if isinstance(value, float | Decimal):
        return isfinite(value)
    return isinstance(value, int) and not isinstance(value, bool)


def _exact(number: Any) -> Any:
    """A binary float as the decimal that it shows, so that 1.1 is 1.1."""
    return Decimal(repr(number)) if isinstance(number, float) else number


def equal(left: Any, right: Any) -> bool:
    """Equality of JSON values: true is not 1, 1 is 1.0; nothing equals nothing."""
    if _is_number(left) and _is_number(right):
        return bool(_exact(left) == _exact(right))
    if left.__class__ is not right.__class__:
        return False
    if isinstance(left, list):
        return len(left) == len(right) and all(map(equal, left, right))
    if isinstance(left, dict):
        return left.keys() == right.keys() and all(equal(left[key], right[key]) for key in left)
    return bool(left == right)


def less(left: Any, right: Any) -> bool:
    """Order: numbers among numbers, texts among texts by code points; else false."""
    if _is_number(left) and _is_number(right):
        return bool(_exact(left) < _exact(right))
    return isinstance(left, str) and isinstance(right, str) and left < right
