"""What texts are: a type that gives all of them back as they are, or one that only may be meant."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import msgspec

from ..values import times
from ..values.amounts import amount_reader, folded_unit
from ..values.field_values import FieldDeclaration, is_written_so
from ..values.functions import text_of
from ..values.numbers import ValueFaultError, read_decimal
from .typings import Typing

ENOUGH = 0.9  # this share of the values makes a kind
LOOKED_AT = 200
_SHOWN = 30
_EITHER = re.compile(r"-?[1-9]\d{0,2}\.\d{3}")  # with a decimal mark, or with thousands
_PADDED = re.compile(r"0\d")
_INTEGER, _DECIMAL = Typing("integer"), Typing("decimal")
_NAMES = {"date": "dates", "dateTime": "dates with a time", "time": "times of day"}
_AMOUNT = re.compile(
    r"(\(?[-−]?(?:[£$€¥]|[A-Z]{3}\b|kr\.?)?\s?)"
    r"(\d{1,3}(?:[.,' \u00a0]\d{3})+(?:[.,]\d+)?|\d+(?:[.,]\d+)?|[.,]\d+)"
    r"(\s?(?:%|[£$€¥]|[A-Za-zµ°/²³]{1,7})?\)?)"
)
_UNITS = frozenset(
    "t kg g mg lb oz l ml cl dl hl km m cm mm ft yd ha m² m³ cm² cm³ km² s ms min h hr hrs d w a "  # noqa: SIM905
    "kw mw w v kv ma ah kwh hz khz mhz °c °f k pa kpa hpa bar lm cd lx nm kn n pc pcs hour hours "
    "day days week weeks month months year years minute minutes second seconds metre metres meter "
    "meters litre litres liter liters piece pieces gram grams".split()
)


class Proposal(msgspec.Struct, frozen=True):
    """A declaration that changes texts, or leaves some out: for whoever knows that it is meant.
    ``why`` says what it would do."""

    keys: dict[str, str]
    why: str


class TextType(msgspec.Struct, frozen=True):
    """What the texts of a place are: ``said`` in words, with the ``typing`` that gives all of them
    back, or a ``proposal`` that does not."""

    said: str = ""
    typing: Typing | None = None
    proposal: Proposal | None = None


def text_type(
    texts: list[str], typings: tuple[Typing, ...], *, all_texts: bool, identifier: bool
) -> TextType:
    """What the first different ``texts`` of a place are, of which ``typings`` give all back that
    were read if they are ``all_texts``; of an ``identifier`` digits with points stay texts.

    >>> text_type(["0071", "12"], (), all_texts=True, identifier=False).typing
    Typing(datatype='string', reads='')
    """
    texts = texts[:LOOKED_AT]
    left = typings if all_texts else ()
    for found in (_dates_of(left, identifier), _numbers_of(texts, left, identifier)):
        if found is not None:
            return found if all_texts else TextType(found.said)
    return _proposed(texts, all_texts)


def _dates_of(left: tuple[Typing, ...], identifier: bool) -> TextType | None:
    """Dates or times by a pattern that gives all of them back. Where no day is beyond the 12th,
    nobody can tell whether the day or the month comes first."""
    found = [one for one in left if one.reads]
    if not found or (identifier and _INTEGER in left):
        return None
    first, what = found[0], _NAMES[found[0].datatype]
    orders = {one.reads.replace("dd", "d").replace("MM", "M"): one for one in reversed(found)}
    if len(orders) == 1:
        return TextType(f"{what}, all of them: {shown_keys(first.keys)}", first)
    either = " or ".join(one.reads for one in reversed(orders.values()))
    keys = {"datatype": first.datatype, "reads": either}
    said = f"{what}, but which is the day? reads: {either}"
    return TextType(said, None, Proposal(keys, "which is the day?"))


def _numbers_of(texts: list[str], left: tuple[Typing, ...], identifier: bool) -> TextType | None:
    """Plain numbers, or codes that look like some and stay texts."""
    numerals = [text for text in texts if read_decimal(text.strip()) is not None]
    if len(numerals) < len(texts) * ENOUGH or not texts:
        return None
    if any(_PADDED.match(text.strip()) for text in numerals):
        return _codes("codes with leading zeros, which stay texts")
    if _DECIMAL not in left:
        return None
    if _INTEGER in left:
        return TextType("whole numbers, all of them: {datatype: integer}", _INTEGER)
    pointed = [text for text in texts if "." in text]
    if pointed and all(map(_EITHER.fullmatch, pointed)):
        either = Proposal({"datatype": "decimal"}, "is it 1.200 or 1200?")
        return TextType("numbers, but is it 1.200 or 1200?", None, either)
    if identifier:
        return _codes("codes with points, which stay texts")
    return TextType("decimal numbers, all of them: {datatype: decimal}", _DECIMAL)


def _codes(said: str) -> TextType:
    return TextType(f"{said}: {{datatype: string}}", Typing("string"))


def shown_keys(keys: dict[str, str]) -> str:
    """Keys of a layout in one line.

    >>> shown_keys({"datatype": "date", "reads": "yyyy-MM-dd"})
    '{datatype: date, reads: yyyy-MM-dd}'
    """
    return "{" + ", ".join(f"{key}: {text}" for key, text in keys.items()) + "}"


# ---- what may be meant -----------------------------------------------------------------------


def _proposed(texts: list[str], all_texts: bool) -> TextType:
    """What most of some texts look like, with a declaration that takes them so."""
    for look in (_like_dates, _like_numerals, _like_amounts):
        said, keys = look(texts)
        if keys:
            why = what_it_does(keys, texts) or "it is not sure to give every value back"
            return TextType(said, None, Proposal(keys, why))
        if said:
            return TextType(said)
    return TextType()


def what_it_does(keys: dict[str, str], texts: list[str]) -> str:
    """What a declaration makes of the first text that it does not give back.

    >>> what_it_does({"datatype": "decimal", "reads": "numeral"}, ["2", "+3"])
    "'+3' would be written as 3"
    """
    values: dict[str, Any] = {**keys, "reads": (keys["reads"],) if "reads" in keys else ()}
    values.pop("unit", None)
    reader = FieldDeclaration(**values).reader()
    for text in texts:
        short = f"'{text[:_SHOWN]}'"
        try:
            written = text_of(reader.read(text))
        except ValueFaultError as error:
            return f"{short} {error}"
        if written != text:
            return f"{short} would be written as {written}"
    return ""


def _like_dates(texts: list[str]) -> tuple[str, dict[str, str]]:
    if not _most(texts, _is_moment):
        return "", {}
    days = all(len(text.strip()) <= len("2026-03-31") for text in texts)
    keys = {"datatype": "date" if days else "dateTime"}
    return f"{_NAMES[keys['datatype']]} (ISO 8601): {shown_keys(keys)}", keys


def _like_numerals(texts: list[str]) -> tuple[str, dict[str, str]]:
    numerals = [text for text in texts if read_decimal(text.strip()) is not None]
    if len(numerals) < len(texts) * ENOUGH or not numerals:
        return "", {}
    datatype = "decimal" if any(set(text) & set(".eE") for text in numerals) else "integer"
    plain = all(map(is_written_so, numerals))
    keys = {"datatype": datatype} if plain else {"datatype": datatype, "reads": "numeral"}
    odd = next((text for text in texts if read_decimal(text.strip()) is None), "")
    but = f", but not '{odd[:_SHOWN]}'" if odd else ""
    return f"numbers kept as texts{but}: {shown_keys(keys)}", keys


def _like_amounts(texts: list[str]) -> tuple[str, dict[str, str]]:
    """Numbers with units or marks, where all have one known unit, and the marks can be read in one
    way only."""
    read = amount_reader("en")
    found = [match for text in texts if (match := _AMOUNT.fullmatch(text.strip()))]
    if len(found) < len(texts) * ENOUGH or not found:
        return "", {}
    met = [unit for match in found if (unit := read.unit_around(match[1], match[3]))]
    units = {folded_unit(unit): unit for unit in met}
    if not all(name in _UNITS or read.is_currency(unit) for name, unit in units.items()):
        return "", {}
    if len(units) > 1:
        return f"numbers in different units: {', '.join(sorted(units.values())[:4])}", {}
    marks = {match[2][place] for match in found for place in _last_mark(match[2])}
    if not marks and any(set(match[2]) & set(".,") for match in found):
        return (
            "numbers with marks or units, but is it 1.200 or 1200? reads: amount, and a locale"
        ), {}
    if len(marks) > 1:
        return "", {}
    keys = {"datatype": "decimal", "reads": "amount"}
    keys |= {"locale": "de"} if marks == {","} else {}
    keys |= {"unit": next(iter(units.values()))} if units else {}
    return f"numbers with marks or units: {shown_keys(keys)}", keys


def _last_mark(number: str) -> list[int]:
    """Where the decimal mark is, as far as the number tells: before other than three digits, or
    after a mark of the other kind."""
    places = [place for place, letter in enumerate(number) if letter in ".,"]
    if not places:
        return []
    last = places[-1]
    others = {number[place] for place in places[:-1]}
    tells = len(number) - last - 1 != 3 or (others and number[last] not in others)
    return [last] if tells else []


def _most(texts: list[str], test: Callable[[str], bool]) -> bool:
    return bool(texts) and sum(map(test, texts)) >= len(texts) * ENOUGH


def _is_moment(text: str) -> bool:
    try:
        times.as_moment(text)
    except ValueFaultError:
        return False
    return "-" in text
