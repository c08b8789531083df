"""Texts that a spreadsheet would calculate, and the apostrophe that guards them.

A text is taken for a formula where it begins with ``=``, a tab or a carriage return; and where it
begins with a sign (``+``, ``-`` or ``@``) that is followed by anything but these:

=========  =========================================================================================
nothing    a sign alone, or a row of one sign
words      letters, blanks, and marks that calculate nothing: no digit, bracket, operator, quote,
           ``!``, ``&``, ``|``, ``:``, ``#``, ``$``, ``\\``; and not ``true`` or ``false`` alone
number     digits with points, commas, apostrophes and blanks between them, an exponent, ``%``
amount     a number with a currency before it (a name and a blank, or a currency's sign), or with
           words or a unit behind it, which may have one ``/``: ``-5 m/s``
date       days, months and years with points between them, or with the month's name
telephone  after ``+``, digits and blanks with one pair of brackets around some (ITU-T E.123)
=========  =========================================================================================

Signs of full width count as signs. A text that begins with apostrophes before such a form gets one
more, so that it can be told which was added.
"""

from __future__ import annotations

import re

SIGNS = "-+@\uff0b\uff0d\uff20"
_FORMULA_STARTS = ("=", "\t", "\r", "\uff1d")
_LETTERS = r"[^\W\d_]"
_WORDS = r"(?:[^\W\d]|[\s.,;?'’‘“”…·°²³–—\u0300-\u036f])"
_NUMBER = r"(?:\d|[.,](?=\d))[\d.,'’\u00a0\u202f\u2009 ]*+(?:(?<=[\d.])[eE][-+]?\d++)?"
_UNIT = rf"(?:{_LETTERS}|[°µ²³'′″])"
_CURRENCY = rf"(?:{_LETTERS}++\.?\s++|[$£€¥¤₣₤₦₩₪₫₭₮₱₲₴₵₸₹₺₽₾₿]\s*+)"
_FOLLOWING = re.compile(
    rf"""
      {_WORDS}*+
    | \s*+ \d{{1,2}}+ \.? \s++ {_LETTERS}++ [.,]? \s++ \d{{2,4}}+
    | \s*+ {_CURRENCY}?+ {_NUMBER} \s*+ [%‰$£€¥]?+
      (?: {_WORDS}*+ | \s*+ {_UNIT}*+ (?: / {_UNIT}++ )?+ )
    """,
    re.VERBOSE,
)
_TELEPHONE = re.compile(r"\d[\d ]*+(?:\([\d ]++\)[\d ]*+)?+")
_TRUTH = re.compile(r"\s*+(?:true|false)\s*+", re.IGNORECASE)


def looks_like_formula(text: str) -> bool:
    """Whether a spreadsheet might calculate a text.

    >>> [looks_like_formula(text) for text in ("=A1", "+1+1", "-cmd|'x'!A0", "'=A1", "@n(A1)")]
    [True, True, True, True, True]
    >>> harmless = "-20 °C", "+44 (0)20 7946", "- wick", "@keeper", "-1,234.50", "-5 m/s", "--"
    >>> any(map(looks_like_formula, harmless))
    False
    """
    start = text.lstrip("'")
    if start.startswith(_FORMULA_STARTS):
        return True
    if not start or start[0] not in SIGNS:
        return False
    rest = start[1:]
    if _TRUTH.fullmatch(rest):
        return True
    harmless = _FOLLOWING.fullmatch(rest) or (start[0] == "+" and _TELEPHONE.fullmatch(rest))
    return not harmless and start.strip(start[0]) != ""


def without_guard(text: str) -> str:
    """A text without the apostrophe that guards it.

    >>> without_guard("'=A1"), without_guard("''=A1"), without_guard("'tis")
    ('=A1', "'=A1", "'tis")
    """
    return text[1:] if text.startswith("'") and looks_like_formula(text) else text
