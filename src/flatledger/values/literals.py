"""The values of literals: texts with escapes, dates and times (ISO 8601), intervals."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from decimal import Decimal

_ESCAPES = {"b": "\b", "f": "\f", "n": "\n", "r": "\r", "t": "\t", "/": "/", "\\": "\\"}
_ESCAPE = re.compile(r"\\(?:u([0-9A-Fa-f]{4})|(.))", re.DOTALL)
_MONTHS = {"year": 12, "month": 1}
_ISO_INTERVAL = re.compile(
    r"(?P<sign>[+-]?)P(?=.)(?:(?P<years>-?\d+)Y)?(?:(?P<months>-?\d+)M)?"
    r"(?:(?P<weeks>-?\d+(?:[.,]\d+)?)W)?(?:(?P<days>-?\d+(?:[.,]\d+)?)D)?"
    r"(?:T(?=.)(?:(?P<hours>-?\d+(?:[.,]\d+)?)H)?"
    r"(?:(?P<minutes>-?\d+(?:[.,]\d+)?)M)?(?:(?P<seconds>-?\d+(?:[.,]\d+)?)S)?)?"
)  # a part of its own sign is ISO 8601-2's: a month less a day is P1M-1D
TIME_UNITS = {
    **dict.fromkeys(("ms", "millisecond", "milliseconds"), "milliseconds"),
    **dict.fromkeys(("s", "sec", "secs", "second", "seconds"), "seconds"),
    **dict.fromkeys(("m", "min", "mins", "minute", "minutes"), "minutes"),
    **dict.fromkeys(("h", "hr", "hrs", "hour", "hours"), "hours"),
    **dict.fromkeys(("d", "day", "days"), "days"),
    **dict.fromkeys(("w", "wk", "wks", "week", "weeks"), "weeks"),
}
_DAY, _NOTHING = dt.timedelta(days=1), dt.timedelta(0)
_SECONDS = {"day": 86_400, "hour": 3_600, "minute": 60, "second": 1}


@dataclass(frozen=True, slots=True)
class Interval:
    """A span of months and a span of time, as SQL keeps them apart. Its text is ISO 8601's.

    ``days`` are those of the time that were counted as such: 30 hours are no day and 6 hours, since
    a working day may be shorter. Where it is not said, all that the time has are.

    >>> interval("3", ["day"])
    Interval(months=0, time=datetime.timedelta(days=3))

    Where its parts have different signs, each has its own (ISO 8601-2).

    >>> str(iso_duration("P1Y2M3DT4H")), str(Interval(1, dt.timedelta(days=-1)))
    ('P14M3DT4H', 'P1M-1D')
    >>> str(iso_duration("PT30H")), str(iso_duration("P1DT6H"))
    ('PT30H', 'P1DT6H')
    """

    months: int
    time: dt.timedelta
    days: int | None = field(default=None, compare=False, repr=False)

    def __post_init__(self) -> None:
        if self.days is None:
            whole = abs(self.time) // _DAY
            object.__setattr__(self, "days", -whole if self.time < _NOTHING else whole)

    def __str__(self) -> str:
        months, time, whole = self.months, self.time, self.days or 0
        both = months <= 0 and time <= _NOTHING and bool(months or time)
        sign, way = ("-", -1) if both else ("", 1)  # else each part has its own sign
        months, time, whole = way * months, way * time, way * whole
        less = "-" if time < _NOTHING else ""
        if (whole < 0) != (time < _NOTHING) or abs(whole) * _DAY > abs(time):
            whole = 0
        time, whole = abs(time), abs(whole)
        left = time - whole * _DAY
        minutes, seconds = divmod(left.days * 86_400 + left.seconds, 60)
        hours, minutes = divmod(minutes, 60)
        fraction = f".{left.microseconds:06d}".rstrip("0") if left.microseconds else ""
        clock = (f"{less}{hours}H" if hours else "") + (f"{less}{minutes}M" if minutes else "")
        clock += f"{less}{seconds}{fraction}S" if seconds or fraction else ""
        days = (f"{months}M" if months else "") + (f"{less}{whole}D" if whole else "")
        return sign + "P" + (days + (f"T{clock}" if clock else "") or "T0S")


def json_text(quoted: str) -> str:
    r"""The text of a quoted name or text in a path (RFC 9535, 2.3.1.1).

    >>> json_text(r"'it\'s \u263A'")
    "it's ☺"
    """
    quote = quoted[0]

    def replace(found: re.Match[str]) -> str:
        if found[1]:
            return chr(int(found[1], 16))
        if found[2] == quote:
            return quote
        if found[2] not in _ESCAPES:
            raise ValueError(f"`\\{found[2]}` is not an escape; a backslash is written \\\\")
        return _ESCAPES[found[2]]

    text = _ESCAPE.sub(replace, quoted[1:-1])
    try:
        return text.encode("utf-16", "surrogatepass").decode("utf-16")
    except UnicodeDecodeError:
        raise ValueError("half of a surrogate pair stands alone") from None


def typed_text(kind: str, text: str) -> dt.date | dt.time:
    """The value of ``date '…'``, ``time '…'`` or ``timestamp '…'``.

    >>> typed_text("date", "2026-03-31")
    datetime.date(2026, 3, 31)
    """
    readers: dict[str, Callable[[str], dt.date | dt.time]] = {
        "date": dt.date.fromisoformat,
        "time": dt.time.fromisoformat,
        "timestamp": dt.datetime.fromisoformat,
    }
    try:
        return readers[kind](text.strip())
    except ValueError:
        shape = {"date": "2026-03-31", "time": "14:30:00", "timestamp": "2026-03-31 14:30:00"}
        raise ValueError(f"no {kind} '{text}'; write it as '{shape[kind]}'") from None


def interval(amount: str, units: list[str]) -> Interval:
    """The value of ``interval '…' unit`` or ``interval '…' unit to unit``."""
    names = [*_MONTHS, *_SECONDS]
    first, last = units[0], units[-1]
    if first not in names or last not in names:
        raise ValueError(f"an interval is counted in {', '.join(names)}")
    span = names[names.index(first) : names.index(last) + 1]
    sign = -1 if amount.strip().startswith("-") else 1
    parts = [part for part in re.split(r"[-: ]", amount.strip().lstrip("+-")) if part]
    if not span or len(parts) != len(span) or (first in _MONTHS) != (last in _MONTHS):
        raise ValueError(f"'{amount}' does not fit `{' '.join(units)}`")
    try:
        months = sum(int(p) * _MONTHS[u] for p, u in zip(parts, span, strict=True) if u in _MONTHS)
        time = sum(
            (_SECONDS[u] * _span(p) for p, u in zip(parts, span, strict=True) if u in _SECONDS),
            dt.timedelta(0),
        )
    except (ValueError, ArithmeticError):
        raise ValueError(f"'{amount}' is not a number of {last}s") from None
    days = sum(int(p) for p, u in zip(parts, span, strict=True) if u == "day")
    return Interval(sign * months, sign * time, sign * days)


def _span(seconds: str) -> dt.timedelta:
    return dt.timedelta(microseconds=int(Decimal(seconds).scaleb(6)))


def duration_parts(text: str) -> dict[str, Decimal] | None:
    """The parts of an ISO 8601 duration with its sign, or None where it is none."""
    found = _ISO_INTERVAL.fullmatch(text.strip())
    if not found:
        return None
    parts = {
        name: Decimal((found[name] or "0").replace(",", "."))
        for name in ("years", "months", "weeks", "days", "hours", "minutes", "seconds")
    }
    return {**parts, "sign": Decimal(-1 if found["sign"] == "-" else 1)}


def iso_duration(text: str) -> Interval:
    """An ISO 8601 duration. Raises ValueError.

    >>> iso_duration("P1DT12H")
    Interval(months=0, time=datetime.timedelta(days=1, seconds=43200))
    """
    parts = duration_parts(text)
    if parts is None:
        raise ValueError("is not a duration (ISO 8601: PT40H)")
    months = int(parts["years"] * 12 + parts["months"])
    days = parts["weeks"] * 7 + parts["days"]
    seconds = (days * 24 + parts["hours"]) * 3_600 + parts["minutes"] * 60 + parts["seconds"]
    sign = int(parts["sign"])
    try:
        time = dt.timedelta(microseconds=round(seconds * 1_000_000))
        return Interval(sign * months, sign * time, sign * int(days))
    except OverflowError:
        raise ValueError("is too long a duration") from None
