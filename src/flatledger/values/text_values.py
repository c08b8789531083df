"""What is made of texts, kept: where all values are texts, most come many times."""

from __future__ import annotations

import re
from collections.abc import Callable
from decimal import Decimal
from typing import Any, Generic, TypeVar

from .numbers import read_decimal

Value = TypeVar("Value")
Many = Callable[[list[str]], Any]  # what texts are, in a list; None where one is not usual

# numbers that Python reads just as we do, and writes as they stand here
_FRACTION = r"(?:-?[1-9][0-9]{0,14}|0)\.[0-9]{1,6}"
_INTEGER = r"(?:[1-9][0-9]{0,14}|0)"
_NUMBER = rf"(?:{_FRACTION}|{_INTEGER})"
_FRACTIONS = re.compile(rf"{_FRACTION}(?:\n{_FRACTION})*")  # one on each line
_INTEGERS = re.compile(rf"{_INTEGER}(?:\n{_INTEGER})*")
_NUMBERS = re.compile(rf"{_NUMBER}(?:\n{_NUMBER})*")


class TextValues(dict[str, Value], Generic[Value]):
    """What texts are, as ``make`` has it, keeping the latest.

    Of a `column` with more different texts than are kept, ``many`` makes all at once, if all are
    usual ones.

    >>> NUMERALS[" 10.50 "], NUMERALS["12"], NUMERALS["a few"]
    (Decimal('10.50'), 12, None)
    """

    _most, _longest = 50_000, 60

    def __init__(self, make: Callable[[str], Value], many: Many | None = None) -> None:
        self._make, self._many = make, many
        self._overflowed = False

    def __missing__(self, text: str) -> Value:
        value = self._make(text)
        if len(text) <= self._longest:
            if len(self) >= self._most:
                self.clear()
                self._overflowed = True
            self[text] = value
        return value

    @property
    def takes_columns(self) -> bool:
        """Whether there is a way to make many at once."""
        return self._many is not None

    def column(self, texts: list[str | None]) -> list[Value | None]:
        """What each of some texts is; nothing is nothing.

        >>> NUMERALS.column(["1.25", None, "x"])
        [Decimal('1.25'), None, None]
        """
        found = None
        if self._overflowed and self._many is not None:
            found = self._many([text for text in texts if text])
        if found is not None:
            values = iter(found)
            return [next(values) if text else None for text in texts]
        return [None if text is None else self[text] for text in texts]


def fractions_in(texts: list[str]) -> list[Decimal] | None:
    """The numbers that texts are; None where one is not of plain digits with a point.

    >>> fractions_in(["12.25", "-10.50"]), fractions_in(["10.50", "1.5e3"])
    ([Decimal('12.25'), Decimal('-10.50')], None)
    """
    return list(map(Decimal, texts)) if _all_fit(_FRACTIONS, texts) else None


def integers_in(texts: list[str]) -> list[int] | None:
    """The integers that texts are; None where one is not of plain digits.

    >>> integers_in(["12", "7"]), integers_in(["12", "007"])
    ([12, 7], None)
    """
    return list(map(int, texts)) if _all_fit(_INTEGERS, texts) else None


def _all_fit(pattern: re.Pattern[str], texts: list[str]) -> bool:
    """Whether each of some texts is one of the lines that a pattern takes."""
    lines = "\n".join(texts)
    return lines.count("\n") == len(texts) - 1 and pattern.fullmatch(lines) is not None


def numbers_in(texts: list[str]) -> list[int | Decimal] | None:
    """The numbers that texts are, of one kind or the other.

    >>> numbers_in(["12", "0.50"])
    [12, Decimal('0.50')]
    """
    if not _all_fit(_NUMBERS, texts):
        return None
    return [Decimal(text) if "." in text else int(text) for text in texts]


def number_in(text: str) -> int | Decimal | None:
    """The number in a text: an integer where it has digits only, and none is a nought before
    others."""
    digits = text.isdecimal() and text.isascii() and len(text) < 4_000
    if digits and (text[0] != "0" or text == "0"):
        return int(text)
    return read_decimal(text)


NUMERALS: TextValues[int | Decimal | None] = TextValues(
    lambda text: number_in(text.strip()), numbers_in
)
