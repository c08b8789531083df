"""Dates as their senders write them, in a pattern of their own."""

from __future__ import annotations

import datetime as dt
import re
import unicodedata
from collections.abc import Sequence
from functools import lru_cache

from .literals import Interval
from .numbers import ValueFaultError

_FIELD = re.compile(r"'([^']*)'|(y+|M+|d+|H+|h+|m+|s+|a)|(.)", re.DOTALL)
_FIELDS = {
    "yyyy": r"(?P<year>\d{4})", "y": r"(?P<year>[1-9]\d{0,3})", "yy": r"(?P<short>\d{2})",
    "M": r"(?P<month>[1-9]\d?)", "MM": r"(?P<month>\d{2})",
    "d": r"(?P<day>[1-9]\d?)", "dd": r"(?P<day>\d{2})",
    "H": r"(?P<hour>0|[1-9]\d?)", "HH": r"(?P<hour>\d{2})",
    "m": r"(?P<minute>0|[1-9]\d?)", "mm": r"(?P<minute>\d{2})",
    "s": r"(?P<second>0|[1-9]\d?)", "ss": r"(?P<second>\d{2})",
}  # fmt: skip
_HOURS = {"H": r"(?P<hour>0|[1-9]\d{0,8})", "HH": r"(?P<hour>\d{2}|[1-9]\d{2,8})"}
_OTHERWISE = "is not written as the pattern would write it: with a zero or a blank too many"
_SAID = {"short": "year", "name": "month"}
_NAMES = {"MMM": "abbreviated", "MMMM": "wide"}


class DateReader:
    """Reads dates and times in a pattern of UTS #35: y, M, d, H, m, s, and names of months.

    A pattern of digits and signs takes only what it would write itself, so that nothing that is
    read and written again is another text; with names, case and blanks around do not count.

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
                parts.append(re.escape(_folded(quoted or other)))
            elif field in _NAMES:
                self._months = _month_names(_NAMES[field], locale)
                longest_first = sorted(self._months, key=len, reverse=True)
                parts.append(rf"(?P<name>{'|'.join(map(re.escape, longest_first))})")
            elif field in _FIELDS:
                parts.append(_FIELDS[field])
            else:
                raise ValueError(f"`{field}` can't be read; the fields are {', '.join(_FIELDS)}")
        whole = _each_once(parts)
        self._lenient = re.compile(_leniently(whole), re.ASCII)
        self._regex = self._lenient if self._months else re.compile(whole, re.ASCII)
        self._read = lru_cache(20_000)(self._parsed)

    def __call__(self, text: str) -> dt.date:
        """A date, or with an hour a date and time. Raises ValueFaultError."""
        return self._read(_folded(text.strip()) if self._months else text)

    def _parsed(self, text: str) -> dt.date:
        text = text if self._months else _folded(text)
        found = self._regex.fullmatch(text)
        if found is None and self._lenient.fullmatch(text):
            raise ValueFaultError(_OTHERWISE)
        parts = found.groupdict() if found else {}
        try:
            year = int(parts["year"]) if parts.get("year") else _century(int(parts["short"]))
            name = parts.get("name")
            month = self._months[name] if name else int(parts["month"])
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


class TimeReader:
    """Reads times of day or, where it is no ``whole_day``, durations in a pattern of H, m and s.

    >>> TimeReader("HH:mm")("07:30"), str(TimeReader("H:mm", whole_day=False)("26:05"))
    (datetime.time(7, 30), 'PT26H5M')
    """

    def __init__(self, pattern: str, *, whole_day: bool = True) -> None:
        parts = []
        for quoted, field, other in _FIELD.findall(pattern):
            hours = field[:1] == "H" and not whole_day
            known = hours or (field in _FIELDS and field[0] in "Hms")
            if other.isalpha() or (field and not known):
                what = field or other
                raise ValueError(f"`{what}` is no part of a time; these are HH, mm and ss")
            if hours:
                parts.append(_HOURS.get(field) or rf"(?P<hour>\d{{{len(field)},9}})")
            else:
                parts.append(_FIELDS[field] if field else re.escape(quoted or other))
        whole = _each_once(parts)
        if "(?P<" not in whole:
            raise ValueError(f"`{pattern}` is no pattern for times, such as HH:mm")
        self._regex = re.compile(whole, re.ASCII)
        self._lenient = re.compile(_leniently(whole), re.ASCII)
        self._whole_day = whole_day

    def __call__(self, text: str) -> dt.time | Interval:
        """A time of day, or a duration. Raises ValueFaultError."""
        found = self._regex.fullmatch(text)
        if found is None and self._lenient.fullmatch(text):
            raise ValueFaultError(_OTHERWISE)
        if found is None:
            raise ValueFaultError("is not a time in the pattern that is read")
        hour, minute, second = (
            int(found.groupdict().get(name) or 0) for name in ("hour", "minute", "second")
        )
        try:
            whole = dt.time(hour if self._whole_day else 0, minute, second)
        except ValueError:
            raise ValueFaultError("is not a time in the pattern that is read") from None
        if self._whole_day:
            return whole
        return Interval(0, dt.timedelta(hours=hour, minutes=minute, seconds=second), 0)


def _each_once(parts: Sequence[str]) -> str:
    """The expression of a pattern's parts. Raises ValueError where one is read twice."""
    whole = "".join(parts)
    names = re.findall(r"\(\?P<(\w+)>", whole)
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice:
        raise ValueError(f"the {_SAID.get(twice, twice)} is read twice; keep one")
    return whole


def _leniently(strict: str) -> str:
    """The expression for what can be read too, and would be written otherwise."""
    lenient = strict.replace(r"0|[1-9]\d", r"\d\d").replace(r"[1-9]\d", r"\d\d")
    return rf"\s*{lenient}\s*"


def _century(short: int) -> int:
    """A year of two digits lies from 1970 to 2069."""
    return short + (2000 if short < 70 else 1900)


def _folded(text: str) -> str:
    """A text whose case does not count, in the same form of Unicode as others.

    The Turkish i without a dot and the one that keeps it as a capital are an i.
    """
    text = unicodedata.normalize("NFC", text).replace("ı", "i").replace("İ", "i")
    return unicodedata.normalize("NFC", text.casefold())


def _month_names(width: str, locale: str) -> dict[str, int]:
    """The months by their names, as in a date and standing alone, with their full stop or not."""
    from babel.dates import get_month_names

    names: dict[str, int] = {}
    for context in ("stand-alone", "format"):
        found = get_month_names(width, context, locale)  # type: ignore[arg-type]
        for number, name in found.items():
            names |= {_folded(name): number, _folded(name.removesuffix(".")): number}
    return names
