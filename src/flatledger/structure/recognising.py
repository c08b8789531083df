"""Recognising what a place holds, and pointing out where layouts go wrong."""

from __future__ import annotations

import re
from collections.abc import Callable
from itertools import islice

import msgspec

from ..values import times
from ..values.amounts import amount_reader, folded_unit
from ..values.numbers import ValueFaultError, read_decimal
from .spots import MOST_COUNTED, Spot

ENOUGH = 0.9  # this share of the values makes a kind
LOOKED_AT = 200
_SHOWN, _EXAMPLES = 30, 3
_LAST_WORD = re.compile(r"[\W_]+|(?<=[a-z0-9])(?=[A-Z])")
_IDENTIFIERS = frozenset(
    "id identifier no nr number code key ref reference barcode uuid".split()  # noqa: SIM905
)
MOST_DEPTHS = 8  # that are told one by one
DEEPER = "nested deeper than is looked at here"
_LANGUAGE = re.compile(r"[a-z]{2,3}(?:-[A-Za-z0-9]{2,8})*")
_ANY_LANGUAGE = "x-default"  # of XMP (ISO 16684-1, 8.2.2.4)
_COMMON_LANGUAGES = frozenset(
    "cy da de en es fi fr ga gd is it ja nl nb nn pl pt ru sv uk zh".split()  # noqa: SIM905
)
_OTHER_DATE = re.compile(r"(\d{1,2})([./-])(\d{1,2})\2(\d{4}|\d{2})")
_CODE = re.compile(r"0\d")
_WHOLE = re.compile(r"[+-]?\d+")
_NUMERIC = {True: "integer", False: "decimal"}
_PACKED_DATE = re.compile(r"(?:19|20)\d{6}")
_AMOUNT = re.compile(
    r"(\(?[-−]?(?:[£$€¥]|[A-Z]{3}\b|kr\.?)?\s?)"
    r"(\d{1,3}(?:[.,' \u00a0]\d{3})+(?:[.,]\d+)?|\d+(?:[.,]\d+)?|[.,]\d+)"
    r"(\s?(?:%|[£$€¥]|[A-Za-zµ°/²³]{1,5})?\)?)"
)
_DELIMITERS = {"; ": "'; '", ";": "semicolon", "|": "pipe", ", ": "', '"}


class Recognised(msgspec.Struct):
    """What was recognised. ``members``: what its keys are, where they are data."""

    members: str = ""
    holds: list[str] = []
    mixed: list[str] = []
    identifies: bool = False

    def texts(self, parents: int, filled: int) -> list[str]:
        """The remarks, the most important first; what is blank in some is no identifier."""
        whole = filled >= parents > 1
        identifies = self.identifies and whole and not (self.holds or self.mixed)
        identifier = ["all different and never blank: an identifier"] if identifies else []
        return [*self.mixed, *identifier, *self.holds]


def recognise(spot: Spot, path: str) -> Recognised:
    """What a place holds, with the path or key of a layout that suits it."""
    found = Recognised(mixed=_mixed(spot), holds=_holds(spot, path))
    found.members = _members(spot)
    if found.members == "language tags":
        found.holds.append(
            f"its keys are language tags: in_language({path}, 'en'), or {path}.* for all"
        )
    elif found.members and spot.members is not None:
        found.holds.append(f"its keys are data ({key_words(spot)}): {path}.* is each value")
    if spot.of_elements and not {"@xml:lang", "@lang"}.isdisjoint(spot.children):
        found.holds.append(f"texts with their language: in_language({path}, 'en')")
    if spot.depths:
        counts = [f"{spot.depths[at]:,}" for at in sorted(spot.depths)[:MOST_DEPTHS]]
        deepest = max(spot.depths)
        more = ", …" if deepest > MOST_DEPTHS else ""
        itself = f"{spot.name} holds {spot.name}, to {deepest:,} levels"
        found.holds.insert(0, f"{itself} ({', '.join(counts)}{more})")
    if spot.deeper:
        found.mixed.append(DEEPER)
    single = not spot.lists and spot.kinds.total() == spot.filled
    found.identifies = (
        single
        and spot.filled > 1
        and len(spot.values) == spot.filled
        and not spot.overflow
        and _may_identify(spot)
    )
    return found


def is_identifier(name: str) -> bool:
    """Whether a field is called like an identifier, by the last word of its name.

    >>> is_identifier("no"), is_identifier("orderId"), is_identifier("amount")
    (True, True, False)
    """
    return _LAST_WORD.split(name)[-1].casefold() in _IDENTIFIERS


def _may_identify(spot: Spot) -> bool:
    """Whether values that are all different are names of something: texts without blanks, or whole
    numbers of a field that is called like one. Other numbers are measurements."""
    if set(spot.kinds) == {"integer"}:
        return is_identifier(spot.name)
    return set(spot.kinds) == {"text"} and not any(" " in text for text in spot.values)


def _mixed(spot: Spot) -> list[str]:
    """Shapes and kinds that differ from entry to entry."""
    remarks: list[str] = []
    if spot.of_elements:  # elements repeat as they come, and have a text or not
        return remarks
    if spot.lists and spot.lone and spot.kinds["object"]:
        remarks.append(
            f"a list {_times(spot.lists)} and a lone object {_times(spot.lone)}: "
            "a layout takes both alike"
        )
    elif spot.lists and spot.lone:
        remarks.append(f"a list {_times(spot.lists)} and one value {_times(spot.lone)}")
    numbers = spot.kinds["integer"] + spot.kinds["decimal"]
    groups = {
        "number": numbers,
        "text": spot.kinds["text"],
        "object": spot.kinds["object"],
        "truth value": spot.kinds["truth"],
    }
    present = {name: count for name, count in groups.items() if count}
    if len(present) > 1:
        parts = sorted(present.items(), key=lambda item: -item[1])
        counts = (f"{count:,} {name}{'s' * (count > 1)}" for name, count in parts)
        remarks.append("mixed: " + ", ".join(counts))
        odd = next((text for text in spot.values if read_decimal(text) is None), "")
        if numbers > spot.kinds["text"] > 0 and odd:
            remarks[-1] += f" (such as {odd[:30]!r})"
    return remarks


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count:,} times"


def _holds(spot: Spot, path: str) -> list[str]:
    """Texts that are more than texts: dates, durations, numbers, lists in one text."""
    texts = list(spot.values)[:LOOKED_AT]
    if not texts or spot.kinds["text"] < spot.kinds.total() * ENOUGH:
        return []
    if _most(texts, _is_date):
        return ["dates (ISO 8601)"]
    dates = _other_dates(texts)
    if dates:
        return [dates]
    if _most(texts, _is_duration):
        return [f"durations: working_time({path}, 'hours')"]
    if numerals := _numerals(texts):
        return [numerals]
    amounts = _amounts(texts)
    if amounts:
        return [amounts]
    for delimiter, name in _DELIMITERS.items():
        if sum(delimiter in text for text in texts) > len(texts) / 2 and len(texts) > 1:
            return [f"lists in one text, parted by {name}"]
    return []


def _numerals(texts: list[str]) -> str:
    """What is said of texts that are numbers; braces hold what a draft takes over.

    Digits after a zero are a code, and no number.
    """
    numerals = [text.strip() for text in texts if read_decimal(text.strip()) is not None]
    if len(numerals) < len(texts) * ENOUGH:
        return ""
    if any(_CODE.match(text) for text in numerals):
        return "codes with leading zeros, which stay texts: {datatype: string}"
    if len(numerals) < len(texts):
        odd = next(text for text in texts if read_decimal(text.strip()) is None)
        return f"numbers kept as texts, but not {odd[:_SHOWN]!r}"
    whole = all(map(_WHOLE.fullmatch, numerals))
    return f"{'whole' if whole else 'decimal'} numbers: {{datatype: {_NUMERIC[whole]}}}"


def _other_dates(texts: list[str]) -> str:
    """What is said of dates that are not written as ISO 8601; braces hold what a draft takes over.

    Where no day is beyond the 12th, nobody can tell whether the day or the month comes first.
    """
    if _most(texts, _is_packed_date):
        return "dates: {datatype: date, reads: yyyyMMdd}"
    found = [match for text in texts if (match := _OTHER_DATE.fullmatch(text.strip()))]
    if len(found) < len(texts) * ENOUGH or not found:
        return ""
    padded = all(len(match[1]) == 2 and len(match[3]) == 2 for match in found)
    day, month = ("dd", "MM") if padded else ("d", "M")
    year = "yyyy" if len(found[0][4]) == 4 else "yy"
    day_first = found[0][2].join((day, month, year))
    month_first = found[0][2].join((month, day, year))
    first, second = (any(int(match[place]) > 12 for match in found) for place in (1, 3))
    if first == second:
        return f"dates, but which is the day? datatype: date, reads: {day_first} or {month_first}"
    return f"dates: {{datatype: date, reads: {day_first if first else month_first}}}"


def _is_packed_date(text: str) -> bool:
    return _PACKED_DATE.fullmatch(text.strip()) is not None and _is_date(
        f"{text.strip()[:4]}-{text.strip()[4:6]}-{text.strip()[6:]}"
    )


def _amounts(texts: list[str]) -> str:
    """What is said of numbers with units or marks; braces hold what a draft takes over.

    It does so where all have one unit, and where the marks can be read in one way only.
    """
    found = [match for text in texts if (match := _AMOUNT.fullmatch(text.strip()))]
    if len(found) < len(texts) * ENOUGH or not found:
        return ""
    read = amount_reader("en")
    met = [unit for match in found if (unit := read.unit_around(match[1], match[3]))]
    units = {folded_unit(unit): unit for unit in met}
    if len(units) > 1:
        return f"numbers in different units: {', '.join(sorted(units.values())[:4])}"
    marks = {match[2][place] for match in found for place in _last_mark(match[2])}
    if not marks and any(set(match[2]) & set(".,") for match in found):
        return "numbers with marks or units, but is it 1.200 or 1200? reads: amount, and a locale"
    if len(marks) > 1:
        return ""
    locale = ", locale: de" if marks == {","} else ""
    return f"numbers with marks or units: {{datatype: decimal, reads: amount{locale}}}"


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
    return sum(map(test, texts)) >= len(texts) * ENOUGH


def _is_date(text: str) -> bool:
    try:
        times.as_moment(text)
    except ValueFaultError:
        return False
    return "-" in text


def _is_duration(text: str) -> bool:
    if not text.strip() or read_decimal(text.strip()) is not None:
        return False
    try:
        times.working_time(text, "hours")
    except ValueFaultError:
        return False
    return True


def _members(spot: Spot) -> str:
    """What the keys of an object are, where they are data rather than names of fields."""
    keys = list(spot.keys if spot.members is not None else spot.children)
    below = [spot.members] if spot.members is not None else list(spot.children.values())
    tags = all(key == _ANY_LANGUAGE or _LANGUAGE.fullmatch(key) for key in keys) and all(
        set(one.kinds) <= {"text"} for one in below
    )
    common = sum(key.split("-")[0] in _COMMON_LANGUAGES or key == _ANY_LANGUAGE for key in keys)
    if tags and common * 2 > len(keys) and not spot.top:
        return "language tags"
    return "data" if spot.members is not None or spot.other_keys else ""


def key_words(spot: Spot) -> str:
    """How many different keys a place has that are data, and a few of them."""
    bound = "or more " if len(spot.keys) >= MOST_COUNTED else ""
    shown = ", ".join(key if len(key) <= _SHOWN else f"{key[:_SHOWN]}…" for key in _first(spot))
    return f"{len(spot.keys):,} {bound}different, such as {shown}"


def _first(spot: Spot) -> list[str]:
    return list(islice(spot.keys, _EXAMPLES))
