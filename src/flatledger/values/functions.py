"""The functions of expressions: what they take, what they give, and how they work.

A function is called with values of the kinds it takes, none of them null; it raises
`ValueFaultError` for a value that it cannot take.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal
from typing import Any

import msgspec

from ..bounds import LARGEST_POWER, LONGEST_TEXT
from . import times
from .matching import mentions
from .numbers import EXACT, QUOTIENT, ValueFaultError, plain, read_decimal, round_to, unit_of
from .own_texts import own_value
from .parts import WHOLE, parts
from .periods import period_of

Number = int | Decimal
PARTS_SEPARATOR = ", "  # between all parts, unless another is given


class Function(msgspec.Struct, frozen=True):
    """A function: the kinds of its parameters, how many may be left out, and what it gives.

    A parameter of the kind ``any`` takes the value as it came, null included. The first of a
    function that looks ``within`` may be a path to many values.
    """

    parameters: tuple[str, ...]
    optional: int
    result: str
    call: Callable[..., Any]
    within: bool = False


def round_number(number: Number, digits: Number = 0) -> Number:
    """Round half-even to so many digits after the decimal mark; negative: before it.

    >>> round_number(Decimal("2.345"), 2), round_number(1250, -2)
    (Decimal('2.34'), 1200)
    """
    if not -100 <= digits <= 100:
        raise ValueFaultError("rounds to more than 100 digits")
    if digits > 0:
        return round_to(number, unit_of(int(digits)))
    return int(Decimal(number).quantize(unit_of(int(digits)), context=EXACT))


def floor(number: Number) -> int:
    return int(Decimal(number).to_integral_value(ROUND_FLOOR))


def ceiling(number: Number) -> int:
    return int(Decimal(number).to_integral_value(ROUND_CEILING))


def mod(number: Number, divisor: Number) -> Number:
    """The remainder, with the sign of the number (ISO 9075).

    >>> mod(-7, 3)
    -1
    """
    if divisor == 0:
        raise ValueFaultError("a division by zero")
    remainder = Decimal(number) % Decimal(divisor)
    whole = isinstance(number, int) and isinstance(divisor, int)
    return int(remainder) if whole else plain(remainder)


def power(base: Number, exponent: Number) -> Number:
    """A power: exact for whole exponents, else of 34 digits.

    >>> power(2, 10), power(4, Decimal("0.5"))
    (1024, Decimal('2'))
    """
    if not -LARGEST_POWER <= exponent <= LARGEST_POWER or Decimal(base).adjusted() > 100:
        raise ValueFaultError("a power beyond the range of numbers")
    if base == 0 and exponent < 0:
        raise ValueFaultError("a division by zero")
    if exponent == int(exponent) and exponent >= 0:
        result = base ** int(exponent)
        return plain(result) if isinstance(result, Decimal) else result
    if base < 0 and exponent != int(exponent):
        raise ValueFaultError("a root of a negative number")
    return plain(QUOTIENT.power(Decimal(base), Decimal(exponent)).normalize(QUOTIENT))


def unless_blank(text: str) -> str | None:
    """The text, or null where it is blank: what is cut off to nothing is nothing."""
    return text if text.strip() else None


def substring(text: str, start: Number, length: Number | None = None) -> str | None:
    """Part of a text; positions count from 1 (ISO 9075). What is blank is null.

    >>> substring("Skerry", 2, 3), substring("Skerry", -1, 4)
    ('ker', 'Sk')
    """
    if length is not None and length < 0:
        raise ValueFaultError("a substring of negative length")
    end = len(text) + 1 if length is None else start + length
    return unless_blank(text[max(int(start), 1) - 1 : max(int(end), 1) - 1])


def position(part: str, text: str) -> int:
    return text.find(part) + 1


def replace(text: str, old: str, new: str) -> str | None:
    if not old:
        return text
    if text.count(old) * len(new) > LONGEST_TEXT:
        raise ValueFaultError("a text of more than 10 million characters")
    return unless_blank(text.replace(old, new))


def trim(side: str, characters: str, text: str) -> str | None:
    if len(characters) != 1:
        raise ValueFaultError("trim takes one character")
    strip = {"both": str.strip, "leading": str.lstrip, "trailing": str.rstrip}[side]
    return unless_blank(strip(text, characters))


def extract(field: str, moment: Any) -> Number:
    """A field of a date, time or interval.

    >>> extract("month", dt.date(2026, 3, 31))
    3
    """
    return times.field(field, moment)


IN_LANGUAGE = "in_language"


def in_language(texts: Any, wanted: str) -> Any:
    """The text in a language, from a mapping by BCP 47 tag, by look-up (RFC 4647, 3.4).

    The wanted tag is shortened until something is found, regional forms included; where nothing
    is, the first text there is. Elements that repeat have their tags as attributes (`xml:lang`, as
    XML 1.0 has it in 2.12, or `lang`).

    >>> in_language({"cy": "golau", "en-GB": "light"}, "en")
    'light'
    >>> in_language([{"@lang": "cy", "#text": "golau"}, {"@lang": "en", "#text": "light"}], "en")
    'light'
    """
    texts = _by_language(texts)
    if not isinstance(texts, dict):
        return texts
    present = {str(tag).lower(): text for tag, text in texts.items() if text not in (None, "")}
    tag = wanted.lower()
    while tag:
        if tag in present:
            return present[tag]
        for known, text in present.items():
            if known.startswith(tag + "-"):
                return text
        tag = tag.rpartition("-")[0]
    return next(iter(present.values()), None)


def _by_language(texts: Any) -> Any:
    """Texts that say what language they are in, as a mapping; anything else as it is."""
    entries = texts if isinstance(texts, list) else [texts]
    found: dict[str, Any] = {}
    tagged = False
    for one in entries:
        tags = [one.get(name) for name in LANGUAGE_TAGS] if isinstance(one, dict) else []
        tag = next((tag for tag in tags if isinstance(tag, str) and tag), "")
        tagged = tagged or bool(tag)
        if (text := own_value(one)) is not None:
            found.setdefault(tag, text)
    return found if tagged else own_value(texts)


LANGUAGE_TAGS = ("@xml:lang", "@lang")  # as members


def all_parts(value: Any, separator: Any = PARTS_SEPARATOR) -> str | None:
    """All values within a value as one text, in the order of the document; blank ones are none.

    >>> all_parts({"name": "Ilse", "roles": ["mate", "cook"], "since": None})
    'Ilse, mate, cook'
    """
    texts = (text_of(part) for part in parts(value) if part is not None)
    between = "" if separator is None else text_of(separator)
    return between.join(text for text in texts if text.strip()) or None


_CASTS: dict[str, Callable[[Any], Any]] = {
    "date": times.as_date,
    "timestamp": times.as_timestamp,
    "time": times.as_time,
    "interval": times.as_interval,
}
CAST_KINDS = {
    "integer": "number",
    "int": "number",
    "decimal": "number",
    "numeric": "number",
    "varchar": "text",
    "boolean": "truth",
    "date": "moment",
    "timestamp": "moment",
    "time": "time",
    "interval": "interval",
}


def cast_value(value: Any, name: str, parameters: tuple[int, ...]) -> Any:
    """``cast(value as name(parameters))`` for a value that is not null."""
    if name in ("integer", "int"):
        return round_number(_number(value))
    if name in ("decimal", "numeric"):
        return _decimal(_number(value), parameters)
    if name == "varchar":
        text = text_of(value)
        return text[: parameters[0]] if parameters else text
    if name == "boolean":
        return _truth(value)
    return _CASTS[name](value)


def _number(value: Any) -> Number:
    if isinstance(value, int | Decimal) and not isinstance(value, bool):
        return value
    number = read_decimal(value.strip()) if isinstance(value, str) else None
    if number is None:
        raise ValueFaultError("is not a number")
    return number


def _decimal(number: Number, parameters: tuple[int, ...]) -> Decimal:
    if not parameters:
        return Decimal(number)
    precision, scale = (*parameters, 0)[:2]
    rounded = round_to(number, unit_of(scale))
    if rounded and rounded.adjusted() >= precision - scale:
        raise ValueFaultError(f"has more than {precision - scale} digits before the decimal mark")
    return rounded


def _truth(value: Any) -> bool:
    if isinstance(value, bool):
        return value
    text = str(value).strip().lower()
    if text in ("true", "false"):
        return text == "true"
    raise ValueFaultError("is neither true nor false")


def text_of(value: Any) -> str:
    """A value as text: plain digits, true or false, ISO 8601; of a whole one all its parts.

    >>> text_of(Decimal("1E+2")), text_of({"no": 1, "parts": ["wick", None, "bulb"]})
    ('100', '1, wick, bulb')
    """
    if value.__class__ is str:
        return str(value)
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Decimal):
        return format(value, "f")
    if isinstance(value, dt.datetime | dt.date | dt.time):
        return value.isoformat()
    if isinstance(value, WHOLE):
        return all_parts(value) or ""
    return str(value)


FUNCTIONS = {
    "upper": Function(("text",), 0, "text", str.upper),
    "lower": Function(("text",), 0, "text", str.lower),
    "char_length": Function(("text",), 0, "number", len),
    "replace": Function(("text", "text", "text"), 0, "text", replace),
    "substring": Function(("text", "number", "number"), 1, "text", substring),
    "position": Function(("text", "text"), 0, "number", position),
    "trim": Function(("text", "text", "text"), 0, "text", trim),
    "round": Function(("number", "number"), 1, "number", round_number),
    "floor": Function(("number",), 0, "number", floor),
    "ceiling": Function(("number",), 0, "number", ceiling),
    "abs": Function(("number",), 0, "number", abs),
    "mod": Function(("number", "number"), 0, "number", mod),
    "power": Function(("number", "number"), 0, "number", power),
    "extract": Function(("text", "when"), 0, "number", extract),
    IN_LANGUAGE: Function(("any", "text"), 0, "any", in_language),
    "mentions": Function(("any", "text"), 0, "truth", mentions, within=True),
    "all_parts": Function(("any", "any"), 1, "text", all_parts, within=True),
    "period_of": Function(("moment", "text"), 0, "text", period_of),
    "working_time": Function(
        ("any", "text", "text", "number", "number"), 3, "number", times.working_time
    ),
}
