"""What an aggregate makes of the values it has found; nulls are passed over (ISO 9075)."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from .functions import text_of
from .literals import Interval
from .numbers import QUOTIENT, ValueFaultError, plain
from .ordering import distinct_key, order_key

Found = list[Any]


def _present(found: Found, distinct: bool) -> Found:
    present = [value for value in found if value is not None]
    if not distinct:
        return present
    first: dict[Any, Any] = {}
    try:
        for value in present:
            first.setdefault(distinct_key(value), value)
    except RecursionError:
        raise ValueFaultError("is nested too deeply to be told apart") from None
    return list(first.values())


def total(found: Found, distinct: bool) -> Any:
    """The sum; of nothing, null."""
    present = _present(found, distinct)
    return sum(present) if present else None


def mean(found: Found, distinct: bool) -> Any:
    """The mean, of 34 digits; of nothing, null."""
    present = _present(found, distinct)
    return plain(QUOTIENT.divide(sum(present), len(present))) if present else None


def count(found: Found, distinct: bool) -> int:
    return len(_present(found, distinct))


def join(found: Found, distinct: bool, separator: str | None) -> str | None:
    """The values as texts, joined; of nothing, null."""
    texts = [text_of(value) for value in _present(found, distinct)]
    return (separator or "").join(texts) if texts else None


def least(found: Found, distinct: bool) -> Any:
    present = _comparable(_present(found, distinct))
    return min(present, default=None, key=_by_value(present))


def greatest(found: Found, distinct: bool) -> Any:
    present = _comparable(_present(found, distinct))
    return max(present, default=None, key=_by_value(present))


def _comparable(present: Found) -> Found:
    """Values of one kind; a mixture of kinds has no extremes."""
    numbers = [value for value in present if isinstance(value, int | Decimal)]
    if 0 < len(numbers) < len(present) or len({isinstance(v, str) for v in present}) > 1:
        raise ValueFaultError("a mixture of numbers and texts has no least or greatest")
    if any(isinstance(value, dict | list) for value in present):
        raise ValueFaultError("whole values have no least or greatest")
    return present


def _by_value(present: Found) -> Callable[[Any], Any] | None:
    """The key by which moments, times and intervals are ordered; others are by themselves."""
    times = any(isinstance(value, dt.date | dt.time | Interval) for value in present)
    return order_key if times else None


def first(found: Found, distinct: bool) -> Any:
    return next((value for value in found if value is not None), None)


def last(found: Found, distinct: bool) -> Any:
    return next((value for value in reversed(found) if value is not None), None)


def any_of(found: Found, distinct: bool) -> bool | None:
    """True if one is; else unknown if one is unknown; over nothing false."""
    return True if True in found else None if None in found else False


def every(found: Found, distinct: bool) -> bool | None:
    """False if one is; else unknown if one is unknown; over nothing true."""
    return False if False in found else None if None in found else True


def collect(found: Found, distinct: bool) -> Found | None:
    """The values themselves, for an aggregate over a group."""
    return [value for value in found if value is not None] or None


AGGREGATES: dict[str, Callable[..., Any]] = {
    "sum": total,
    "avg": mean,
    "count": count,
    "listagg": join,
    "min": least,
    "max": greatest,
    "first": first,
    "last": last,
    "any": any_of,
    "every": every,
    "collect": collect,
}
