"""Collations: the order in which texts are compared and sorted, other than by code point."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, lru_cache
from typing import Any

NATURAL = "natural"
_REMEMBERED = 50_000


@cache
def collation_key(name: str) -> Callable[[str], Any]:
    """The sort key of texts in a collation: ``natural``, or a locale by its BCP 47 tag.

    In natural order the numbers in a text count as numbers (A2 before A10, 531.2 before 531.11),
    and case does not count. A locale's order is that of Unicode LDML (UTS #35). Raises ValueError.

    >>> sorted(["A10", "a2", "A1"], key=collation_key("natural"))
    ['A1', 'a2', 'A10']
    """
    return lru_cache(_REMEMBERED)(_natural() if name == NATURAL else _of_locale(name))


def _natural() -> Callable[[str], Any]:
    from natsort import natsort_keygen

    key = natsort_keygen()
    return lambda text: key(text.casefold())


def _of_locale(tag: str) -> Callable[[str], Any]:
    try:
        import icu
    except ImportError:
        raise ValueError(
            f"`{tag}` is ordered by the library ICU, which is not there; install "
            "flatledger[locale], or use `natural`"
        ) from None
    try:
        locale = icu.Locale.forLanguageTag(tag)
    except icu.ICUError:  # it is no tag at all
        locale = icu.Locale("")
    if not locale.getLanguage() or locale.getLanguage() not in icu.Collator.getAvailableLocales():
        raise ValueError(f"no collation `{tag}`: it is `natural`, or a locale such as sv or de-AT")
    key: Callable[[str], Any] = icu.Collator.createInstance(locale).getSortKey
    return key
