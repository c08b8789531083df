"""`ask`: the values that a layout asks for at each run, and how their texts are read.

Datatypes are called as CSVW calls them; ``period`` and ``list`` are our own.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Mapping
from decimal import Decimal
from typing import Any

import msgspec

from ...values.literals import iso_duration
from ...values.periods import parse_period
from .text import TextPlace

_TRUTHS = {"true": True, "yes": True, "false": False, "no": False}
_WHOLE = re.compile(r"[+-]?[0-9]+")
_PLAIN = re.compile(r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)")
_DAYS = {"yesterday": -1, "today": 0, "tomorrow": 1}
_PLACEHOLDER = re.compile(r"\{([A-Za-z_][A-Za-z0-9_]*)\}")
_UNFIT_FOR_FILES = re.compile(r'[\\/:*?"<>|\x00-\x1f]+')


class Question(msgspec.Struct, frozen=True):
    """A value that is asked for: its name and kind, the wording, the default, what is allowed.

    ``heading`` is the column to take where a list is given as a CSV file.
    """

    name: str
    datatype: str = "string"
    says: str = ""
    default: str | None = None
    allowed: tuple[str, ...] = ()
    heading: str | None = None
    place: TextPlace = (0, 0, "")


class Answer(msgspec.Struct, frozen=True):
    """What was answered: the value, its text in full (a date for `today`), and what was given."""

    name: str
    text: str
    value: Any
    given: str = ""


def read_answer(question: Question, given: Any, today: dt.date) -> Answer:
    """Read what was given for a question, a text or a value of its kind. Raises ValueError.

    >>> read_answer(Question("to", "date"), "2026-03-31", dt.date(2026, 4, 1)).value
    datetime.date(2026, 3, 31)
    """
    if question.datatype == "list":
        values = _listed(given)
        text = f"{len(values):,} values" if len(values) != 1 else "1 value"
        return Answer(question.name, text, values)
    text = given if isinstance(given, str) else _as_text(given)
    text = text.strip()
    if question.allowed and text not in question.allowed:
        raise ValueError(f"`{text}` is not allowed; it takes {', '.join(question.allowed)}")
    try:
        value = READERS[question.datatype](text, today)
    except ValueError as error:
        message = str(error) if question.datatype in _SPEAKING else _WANTED[question.datatype]
        raise ValueError(f"`{text}`: {message}") from None
    full = value.isoformat() if isinstance(value, dt.date | dt.time) else text
    if question.datatype == "period":
        full = parse_period(value, today).name
    return Answer(question.name, full, value, text)


def _listed(given: Any) -> tuple[str, ...]:
    """Texts separated by commas or blanks, or an iterable of values; each once."""
    parts = re.split(r"[,;\s]+", given) if isinstance(given, str) else map(str, given)
    values = dict.fromkeys(map(str.strip, parts))
    values.pop("", None)
    return tuple(values)


def _as_text(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return value.isoformat() if isinstance(value, dt.date | dt.time) else str(value)


def _date(text: str, today: dt.date) -> dt.date:
    if text.lower() in _DAYS:
        return today + dt.timedelta(days=_DAYS[text.lower()])
    return dt.date.fromisoformat(text)


def _period(text: str, today: dt.date) -> str:
    parse_period(text, today)
    return text


def _integer(text: str, _: dt.date) -> int:
    if not _WHOLE.fullmatch(text):
        raise ValueError
    return int(text)


def _decimal(text: str, _: dt.date) -> int | Decimal:
    if not _PLAIN.fullmatch(text):
        raise ValueError
    return int(text) if _WHOLE.fullmatch(text) else Decimal(text)


def _truth(text: str, _: dt.date) -> bool:
    if text.lower() not in _TRUTHS:
        raise ValueError
    return _TRUTHS[text.lower()]


READERS: Mapping[str, Callable[[str, dt.date], Any]] = {
    "string": lambda text, _: text,
    "integer": _integer,
    "decimal": _decimal,
    "boolean": _truth,
    "date": _date,
    "dateTime": lambda text, _: dt.datetime.fromisoformat(text),
    "time": lambda text, _: dt.time.fromisoformat(text),
    "duration": lambda text, _: iso_duration(text),
    "period": _period,
}
DATATYPES = (*READERS, "list")
_SPEAKING = ("period", "duration")  # their readers say what is wrong
_WANTED = {
    "integer": "a whole number is wanted",
    "decimal": "a number is wanted, such as 12.50",
    "boolean": "yes or no is wanted",
    "date": "a date is wanted, such as 2026-03-31, today or yesterday",
    "dateTime": "a date with a time is wanted, such as 2026-03-31T14:30",
    "time": "a time is wanted, such as 14:30",
    "string": "a text is wanted",
}


# ---- answers in names and titles -------------------------------------------------------------


COUNTS = ("rows", "entries")  # of what a total row sums up, which its label may have
OF_THE_RUN = ("run_date", "run_time")  # what names may have in braces without asking


def placeholders(text: str) -> list[str]:
    """The names in braces in a file's name or a title.

    >>> placeholders("lines-{from}-{to}.csv")
    ['from', 'to']
    """
    return _PLACEHOLDER.findall(text)


def filled(text: str, answers: Mapping[str, Answer]) -> str:
    """A text with the answers in the places of their names."""

    def answer(found: re.Match[str]) -> str:
        return answers[found[1]].text if found[1] in answers else found[0]

    return _PLACEHOLDER.sub(answer, text)


def fit_for_file(text: str) -> str:
    """An answer without what a file's name can't have.

    >>> fit_for_file("2026/03: all")
    '2026-03- all'
    """
    return _UNFIT_FOR_FILES.sub("-", text)
