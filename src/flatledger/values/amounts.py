"""Numbers as their senders write them: with marks, a sign, a percentage, a unit or a currency."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from decimal import Decimal
from functools import lru_cache
from typing import NamedTuple

from ..bounds import MOST_DIGITS
from .factors import Factor, scaled
from .numbers import ValueFaultError, plain

_BLANKS = " \u00a0\u202f\u2009'’"  # they part thousands wherever people write
_MINUS = "-−–"
_MARKS = frozenset(".,")
_TWO_SIGNS = re.compile(rf"[{re.escape(_MINUS)}+]\s*[{re.escape(_MINUS)}+]")
_SHARES = {"%": -2, "‰": -3}
_ABOUT = {"ca", "c", "circa", "approx", "about", "abt", "around", "etwa", "rund", "env", "environ"}
_WORD = r"[^\W\d_][^\s()%‰\d/]*"
_AFTER = re.compile(rf"\s*((?!per\b){_WORD}|[°µ]\S+)?\s*((?:/|per\b)\s*{_WORD})?")
_WHITE = "".join(chr(number) for number in range(0x3001) if chr(number).isspace())
_LETTERS = re.compile(r"[^\W\d_]+")
_PARTS_WORDS = re.compile(r"[\s()%‰\d/]")
_CASE_COUNTS = re.compile(r"[mM](?:W|V|A|Hz|J|N|Pa|Wh|VA|Ω|B|b|bit)")  # milli or mega


class Amount(NamedTuple):
    """A number with the unit that stands with it, blank where none does."""

    number: int | Decimal
    unit: str


class AmountReader:
    """Reads an amount out of a text by a locale's marks.

    Brackets or a minus make it negative; a percent sign divides it by a hundred, ``‰`` by a
    thousand. The unit is the word or currency that stands with the number; a currency's sign and
    its code of ISO 4217 are one unit. A text with two numbers, or with a number within a word, is
    none, nor is one whose mark can be read in two ways.

    >>> read = AmountReader(".", ",", {"£": "GBP"})
    >>> read("£1,200.00"), read("(.25)"), read("5 kg"), read("7 %").number
    (Amount(number=Decimal('1200.00'), unit='GBP'), Amount(number=Decimal('-0.25'), unit=''), \
Amount(number=5, unit='kg'), Decimal('0.07'))
    >>> read("H2O")
    Traceback (most recent call last):
    flatledger.values.numbers.ValueFaultError: has its number within a word
    """

    def __init__(
        self, decimal_mark: str, group_mark: str, currencies: Mapping[str, str] | None = None
    ) -> None:
        self._mark = decimal_mark
        self._currencies = {sign.casefold(): code for sign, code in (currencies or {}).items()}
        groups = re.escape(group_mark + _BLANKS)
        self._groups = re.compile(f"[{groups}]")
        mark = re.escape(decimal_mark)
        grouped = rf"\d{{1,3}}(?:[{groups}]\d{{3}})+"
        self._number = re.compile(rf"(?:{grouped}|\d+)(?:{mark}\d+)?", re.ASCII)

    def __call__(self, text: str) -> Amount:
        """Raises ValueFaultError where there is no number, or more than one."""
        found = list(self._number.finditer(text))
        if len(found) != 1:
            raise ValueFaultError("holds no single number")
        before, digits, after = text[: found[0].start()], found[0][0], text[found[0].end() :]
        if any(letter.isdigit() for letter in before + after):
            raise ValueFaultError("holds no single number")
        if _TWO_SIGNS.search(before):
            raise ValueFaultError("has two signs")
        if before[-1:] in _MARKS and before[-1:] != self._mark and not before[-2:-1].isalpha():
            raise ValueFaultError(f"begins with {before[-1]}, which is no decimal mark here")
        if before.endswith(self._mark):
            before, digits = self._led(before, digits)
        else:
            self._stop_within_word(before)
        digits = self._groups.sub("", digits).replace(self._mark, ".")
        if len(digits) > MOST_DIGITS:
            raise ValueFaultError(f"has {len(digits):,} digits; {MOST_DIGITS:,} are the most")
        number: int | Decimal = Decimal(digits)
        number = number if "." in digits else int(number)
        share = sum(_SHARES.get(letter, 0) for letter in before + after)
        if share:
            number = plain(Decimal(number).scaleb(share))
        if _is_negative(before, after):
            number = -number if isinstance(number, int) else number.copy_negate()
        return Amount(number, self.unit_around(before, after))

    def _led(self, before: str, digits: str) -> tuple[str, str]:
        """The digits after a mark that stands alone: `.5` is half, `Rs.5.00` has a full stop."""
        before = before[: -len(self._mark)]
        if not before[-1:].isalpha():
            if before.endswith(self._mark) or self._mark in digits or not digits.isdigit():
                raise ValueFaultError("holds no single number")
            return before, f"0{self._mark}{digits}"
        if self._mark not in digits:
            raise ValueFaultError(f"can be read as 0{self._mark}{digits} and as {digits}")
        return before, digits

    def _stop_within_word(self, before: str) -> None:
        """A number right after letters is one only where these are a currency's: `EUR5`."""
        end = before[:-1] if before[-1:] in (*_MINUS,) else before
        *_, word = ("", *_LETTERS.findall(end))
        if word and end.endswith(word) and word.casefold() not in self._currencies:
            raise ValueFaultError("has its number within a word")

    def unit_around(self, before: str, after: str) -> str:
        """The currency before the number, else what follows it, else the word before it."""
        following = _AFTER.match(after)
        unit = (following[1] or "") if following else ""
        per = " ".join((following[2] or "").replace("/", "per ").split()) if following else ""
        signs = [sign for sign in before + after if unicodedata.category(sign) == "Sc"]
        ahead = _word_before(before)
        if ahead.casefold() in _ABOUT:
            ahead = ""
        known = [one for one in (unit, ahead) if one.casefold() in self._currencies]
        named = known or signs or [one for one in (unit, ahead) if one]
        codes = dict.fromkeys(self.unit_of(one) for one in named)
        if known + signs and (len(codes) > 1 or not self._can_be(next(iter(codes)), signs)):
            codes |= dict.fromkeys(signs)
            raise ValueFaultError(f"names two currencies, {' and '.join(codes)}")
        return f"{next(iter(codes), '')} {per}".strip()

    def is_currency(self, unit: str) -> bool:
        """Whether a unit is a currency, by its sign or its code of ISO 4217."""
        return unit.casefold() in self._currencies

    def _can_be(self, code: str, signs: list[str]) -> bool:
        """Whether a currency can be meant by signs: CAD by `$`, EUR only by its own."""
        own = [sign for sign, known in self._currencies.items() if known == code]
        own = [sign for sign in own if sign != code.casefold()]
        return all(any(sign in one for one in own) or not own for sign in signs)

    def unit_of(self, name: str) -> str:
        """How a unit is called, whichever way it is written: `£` and `gbp` are GBP.

        >>> AmountReader(".", ",", {"£": "GBP"}).unit_of("£")
        'GBP'
        """
        name = name.rstrip(".,;:")
        return self._currencies.get(name.casefold(), name)


def _word_before(before: str) -> str:
    """The word right before a number, without the marks at its end."""
    *_, last = _PARTS_WORDS.split(before.rstrip(f"{_WHITE}({_MINUS}"))
    letter = _LETTERS.search(last)
    return last[letter.start() :].rstrip(f".:{_MINUS}") if letter else ""


def _is_negative(before: str, after: str) -> bool:
    bracketed = "(" in before and ")" in after
    signed = before.replace("(", " ").strip()[-1:] or "+"
    trailing = after.strip()[:1] or "+"
    ahead = next((letter for letter in before if not letter.isspace()), "+")
    return bracketed or any(sign in _MINUS for sign in (signed, trailing, ahead))


def folded_unit(unit: str) -> str:
    """A unit as it is compared with others: case does not count, but for milli and mega.

    >>> folded_unit("KG"), folded_unit("mW"), folded_unit("MW")
    ('kg', 'mW', 'MW')
    """
    return unit if _CASE_COUNTS.match(unit) else unit.casefold()


class UnitWatch:
    """The units that amounts stand in, each with its count and first record; ``what`` they are
    amounts of. Those without a unit are counted.

    >>> watch = UnitWatch("column `Weight`")
    >>> watch.note("kg", 1), watch.note("KG", 2), watch.note("g", 3), watch.mixed
    (None, None, None, True)
    """

    def __init__(self, what: str) -> None:
        self.what = what
        self.met: dict[str, tuple[str, int, int]] = {}
        self.bare = 0

    def note(self, unit: str, number: int) -> None:
        """Take note of a value's unit, and of its record."""
        if not unit:
            self.bare += 1
            return
        key = folded_unit(unit)
        name, count, first = self.met.get(key, (unit, 0, number))
        self.met[key] = name, count + 1, min(first, number)

    def taken(self) -> UnitWatch:
        """What was noted since this was last asked."""
        found = UnitWatch(self.what)
        found.met, self.met = self.met, {}
        found.bare, self.bare = self.bare, 0
        return found

    def merge(self, later: UnitWatch) -> None:
        """Take in what was noted elsewhere."""
        self.bare += later.bare
        for key, (unit, count, first) in later.met.items():
            name, own, own_first = self.met.get(key, (unit, 0, first))
            self.met[key] = name, own + count, min(own_first, first)

    @property
    def mixed(self) -> bool:
        """Whether there are several, so that the values can't be added up."""
        return len(self.met) > 1

    def notice(self) -> str:
        """What to point out where some amounts have a unit and others none."""
        if not self.bare or len(self.met) != 1:
            return ""
        ((unit, count, _),) = self.met.values()
        return (
            f"{self.what}: {count:,} amounts are in {unit}, and {self.bare:,} have no unit; "
            f"`unit: {unit}` says that these are in {unit} too"
        )

    def message(self) -> str:
        """What is wrong, and what to write into the layout."""
        units = sorted(self.met.values(), key=lambda met: (-met[1], met[2]))
        told = ", ".join(f"{name} ({count:,}, first in record {n:,})" for name, count, n in units)
        most, other = units[0][0], units[1][0]
        return (
            f"{self.what} holds amounts in {len(units):,} units: {told}. Write "
            f"`unit: {most}` if the others are mistakes, or what each is worth: "
            f"`unit: {{to: {most}, factors: {{{other}: …}}}}`"
        )


@lru_cache(64)
def amount_reader(locale: str) -> AmountReader:
    """A reader by a locale's marks and currencies."""
    from babel import Locale
    from babel.numbers import get_decimal_symbol, get_group_symbol, list_currencies

    codes = {code: code for code in list_currencies()}
    signs: dict[str, str] = {}
    for name in ("en", locale):  # those of the locale itself come last and win
        symbols = Locale.parse(name).currency_symbols
        signs |= {sign: code for code, sign in symbols.items() if sign != code}
    return AmountReader(get_decimal_symbol(locale), get_group_symbol(locale), signs | codes)


class ColumnReader:
    """How one column reads its amounts: which unit counts, or what each is worth.

    ``unit`` is the one that the layout states; blank where any is taken, as long as it is one.
    """

    def __init__(
        self, reader: AmountReader, unit: str = "", factors: Mapping[str, Factor] | None = None
    ) -> None:
        self._reader = reader
        self._unit = reader.unit_of(unit)
        self._factors = {
            folded_unit(reader.unit_of(name)): f for name, f in (factors or {}).items()
        }

    def __call__(self, text: str) -> Amount:
        """The amount; the unit is blank where the layout settles it. Raises ValueFaultError."""
        number, unit = self._reader(text)
        if not unit or not (self._factors or self._unit):
            return Amount(number, unit)
        if self._factors:
            factor = self._factors.get(folded_unit(unit))
            if factor is None:
                raise ValueFaultError(f"is in {unit}, for which there is no factor")
            return Amount(scaled(number, factor), "")
        if folded_unit(unit) != folded_unit(self._unit):
            raise ValueFaultError(f"is in {unit}, and not in {self._unit}")
        return Amount(number, "")
