"""Plain values: what is null, and what many values are (rules 3 and 12)."""

from __future__ import annotations

from typing import Any

from ..values.parts import flattened

BLANKS = " \t\r\n\f\v"


def is_null(value: Any) -> bool:
    """Missing, null and blank text are null everywhere, and so is a list of nothing else.

    >>> is_null(None), is_null(" "), is_null([None, ["", None]]), is_null(0), is_null({})
    (True, True, True, False, False)
    """
    if isinstance(value, list):
        return all(is_null(one) for one in flattened(value))
    return value is None or (isinstance(value, str) and not value.strip(BLANKS))


def each_of(value: Any) -> list[Any]:
    """The values that one stands for: itself, or those of a list and the lists within it.

    >>> each_of([1, [2, None]]), each_of(3)
    ([1, 2, None], [3])
    """
    return list(flattened(value)) if isinstance(value, list) else [value]
