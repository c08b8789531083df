"""Values as ones of a kind: numbers, texts, truth values, times (rules 12 and 13)."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from ..values import times
from ..values.functions import text_of
from ..values.numbers import Unreadable, ValueFaultError
from ..values.patterns import PatternTooSlowError
from .exact import is_number, number_in
from .faults import Faults, Where
from .plain import each_of, is_null

_READ: dict[str, Callable[[Any], Any]] = {
    "moment": times.as_moment,
    "time": times.as_time,
    "interval": times.as_interval,
    "when": times.as_when,
}


class Converting:
    """Makes values ones of a kind; what can't be made one is told, and null."""

    def __init__(self, faults: Faults) -> None:
        self._faults = faults

    def one(self, value: Any, path: str, where: Where) -> Any:
        """The one value among many, where one is needed; several are a fault (rule 3)."""
        if not isinstance(value, list):
            return value
        present = [one for one in each_of(value) if not is_null(one)]
        if len(present) > 1:
            self._faults.tell(where, path, value, "one value was expected")
            return None
        return present[0] if present else None

    def guarded(self, function: Callable[[], Any], value: Any, path: str, where: Where) -> Any:
        """What a function gives; null, and told, where it can't take a value."""
        try:
            return function()
        except (ValueFaultError, PatternTooSlowError) as error:
            self._faults.tell(where, path, value, str(error))
            return None

    def as_kind(self, kind: str, value: Any, path: str, where: Where) -> Any:
        """A value as one of a kind; null where there is none, or it can't be one."""
        value = self.one(value, path, where)
        if is_null(value):
            return None
        if kind == "number":
            return self._number(value, path, where)
        if kind == "text":
            if isinstance(value, Unreadable):
                self._faults.tell(where, path, value, value.reason)
            return text_of(value)
        if kind == "truth":
            return self._truth(value, path, where)
        return self.guarded(lambda: _READ[kind](value), value, path, where)

    def _number(self, value: Any, path: str, where: Where) -> int | Decimal | None:
        """A number as it is; a text of digits is read."""
        if isinstance(value, float):
            found = number_in(repr(value))
        elif isinstance(value, str):
            found = number_in(value)
        else:
            found = value if is_number(value) else None
        if found is None:
            reason = value.reason if isinstance(value, Unreadable) else "is not a number"
            self._faults.tell(where, path, value, reason)
        return found

    def _truth(self, value: Any, path: str, where: Where) -> bool | None:
        """A truth value; of texts only true and false are one."""
        if isinstance(value, bool):
            return value
        if isinstance(value, str) and value.strip().lower() in ("true", "false"):
            return value.strip().lower() == "true"
        self._faults.tell(where, path, value, "is neither true nor false")
        return None
