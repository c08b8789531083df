"""What people type who know other languages, and how it is said here."""

from __future__ import annotations

import re

_BY_CONDITION = "write case when … then … else … end"
_FROM_START = "write substring(a from 1 for 3)"
_WITHOUT_NULL = "write coalesce(a, b)"
_LENGTH = "write char_length(a)"
_JOINED = "join texts with ||: a || b"
_OF_MANY = "write listagg(a, ', ')"
FUNCTIONS = {
    **dict.fromkeys(("if", "iif", "decode", "choose", "switch"), _BY_CONDITION),
    **dict.fromkeys(("len", "length", "strlen"), _LENGTH),
    **dict.fromkeys(("concat", "concatenate", "concat_ws"), _JOINED),
    **dict.fromkeys(("join", "joined"), _OF_MANY),
    **dict.fromkeys(("ifnull", "isnull", "default"), _WITHOUT_NULL),
    **dict.fromkeys(("left", "right", "mid", "substr", "slice"), _FROM_START),
    **dict.fromkeys(("ucase", "toupper", "uppercase"), "write upper(a)"),
    **dict.fromkeys(("lcase", "tolower", "lowercase"), "write lower(a)"),
    **dict.fromkeys(("year", "month", "day", "hour"), "write extract(year from a)"),
    **dict.fromkeys(("now", "today", "date"), "write current_date"),
    **dict.fromkeys(("mean", "average"), "write avg(a)"),
    **dict.fromkeys(("find", "search", "instr", "indexof"), "write position('x' in a)"),
    **dict.fromkeys(("int", "integer", "number", "tonumber"), "write cast(a as integer)"),
    **dict.fromkeys(("str", "text", "string", "tostring"), "write cast(a as varchar)"),
    **dict.fromkeys(("isblank", "isempty"), "write a is null"),
    **dict.fromkeys(("contains", "like", "ilike"), "write a like '%x%'"),
    **dict.fromkeys(("sumif", "countif"), "write sum(case when … then a else 0 end)"),
    **dict.fromkeys(("lookup",), "side lists stand under `lookup`"),
}
DATATYPES = {
    **dict.fromkeys(("int", "long", "whole", "bigint", "short"), "integer"),
    **dict.fromkeys(("number", "numeric", "float", "double", "real", "money"), "decimal"),
    **dict.fromkeys(("text", "str", "varchar", "char", "normalizedstring"), "string"),
    **dict.fromkeys(("bool", "truth", "logical", "yesno"), "boolean"),
    **dict.fromkeys(("datetime", "timestamp", "moment"), "dateTime"),
    **dict.fromkeys(("interval", "timedelta", "period"), "duration"),
}


# ---- what people type who know spreadsheets, and how it is written here


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
