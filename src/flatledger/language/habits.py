"""What people type who know spreadsheets, and how it is written here."""

from __future__ import annotations

import re

_WORDS = re.compile(r"[^\W\d][\w-]*(?: +[\w-]+)+")
_CELLS = re.compile(r"\$?[A-Z]{1,3}\$?\d+")
_CHOICE = re.compile(r"\b(?:if|iif|wenn|si)\s*\(", re.IGNORECASE)


def habit_in(text: str, position: int) -> str:
    """A hint for a text that stops making sense at a position; blank where there is none.

    >>> habit_in("=SUM(qty)", 0)
    'an expression begins without `=`: sum(qty)'
    >>> habit_in("qty x price", 4)
    'to multiply write *: qty * price'
    """
    found = text[position:].lstrip()
    if position == 0 and found.startswith("="):
        return _without_equals_sign(found.lstrip("= "))
    if found.startswith(";"):
        if _CHOICE.search(text):
            return "a choice is written `case when a then b else c end`"
        return "what a function takes is separated by commas"
    before = text[:position].strip()
    sign = re.match(r"[xX×](?=\s|\()", found)
    if sign and before and found[1:].strip():
        return f"to multiply write *: {before} * {found[1:].strip()}"
    if found.startswith(",") and before:
        return "several sort keys are items of a list: `--sort A --sort B`, or `sort: [A, B]`"
    if _WORDS.fullmatch(text.strip()):
        name = text.strip()
        return f"a name with a blank is bracketed: $['{name}']; \"{name}\" is a column headed so"
    return ""


def _without_equals_sign(rest: str) -> str:
    if _CELLS.search(rest):
        return (
            "an expression begins without `=`, and fields stand by their names, as in qty * price"
        )
    lowered = re.sub(r"(?<![A-Z])[A-Z]++(?=\()", lambda name: name[0].lower(), rest)
    return f"an expression begins without `=`: {lowered}"
