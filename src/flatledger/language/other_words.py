"""What people type who know other languages, and how it is said here."""

from __future__ import annotations

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
