"""Texts that a spreadsheet would take for formulas, and the apostrophe that guards them.

A text is taken for one where it begins with ``=``, a tab or a carriage return; or where it begins
with ``+``, ``-`` or ``@`` and holds ``|``, a name directly before ``(``, or ``!`` between two
names. One that begins with apostrophes before such a form gets one more, so that it can be told
which was added.
"""

from __future__ import annotations

import re

_FORMULA = re.compile(r"'*+(?:[=\t\r]|[-+@].*?(?:\||[\w.]\(|[\w']!\$?\w))", re.DOTALL)


def looks_like_formula(text: str) -> bool:
    """Whether a spreadsheet might take a text for a formula.

    >>> [looks_like_formula(text) for text in ("=A1", "-cmd|' /C x'!A0", "'=A1", "@sum(A1)")]
    [True, True, True, True]
    >>> [looks_like_formula(text) for text in ("-20 °C", "+44 20 (home)", "- wick", "@keeper")]
    [False, False, False, False]
    """
    return _FORMULA.match(text) is not None


def without_guard(text: str) -> str:
    """A text without the apostrophe that guards it.

    >>> without_guard("'=A1"), without_guard("''=A1"), without_guard("'tis")
    ('=A1', "'=A1", "'tis")
    """
    return text[1:] if text.startswith("'") and looks_like_formula(text) else text
