"""Expressions and paths: made by chance from the language's own words, and damaged."""

from __future__ import annotations

import random
from contextlib import suppress
from pathlib import Path

from flatledger import FlatLedgerError, evaluate, table

RECORDS = [
    {
        "no": 1,
        "t": "a",
        "d": "2026-01-31",
        "e": "P1M",
        "l": [{"q": 1, "m": [{"w": "2"}]}, {"q": None}],
    },
    {"no": "x", "t": None, "d": "soon", "l": {"q": [1, 2], "k": {"a": 1}}, "o": {"a": {"b": 2}}},
    {"no": 10**30, "t": True, "l": [], "o": {"cy": "un", "en": "one"}},
    {},
]
LEAVES = (
    *("no", "t", "d", "e", "l", "l.q", "l.m.w", "l.k", "o", "o.*", "$..q", "l[0].q", "l[?@.q>1].q"),
    *("$.*", "l[*].*", "1", "0", "2.50", "'a'", "''", "null", "true", "false", "current_date"),
    *("date '2026-01-31'", "interval '1' month", "time '14:30'", '"C0"', "l[-1]", "l[::2].q"),
)
CALLS = (
    *("sum", "avg", "count", "min", "max", "first", "last", "any", "every", "upper", "trim"),
    *("char_length", "abs", "floor", "round", "ordinal", "key", "coalesce", "nullif", "mentions"),
)
TYPES = ("integer", "date", "varchar", "interval", "decimal(4, 1)")
SIGNS = (
    "+",
    "-",
    "*",
    "/",
    "||",
    "=",
    "<>",
    "<",
    ">=",
    "and",
    "or",
    "like",
    "like_regex",
    "between",
)


def expression(chance: random.Random, depth: int = 3) -> str:
    """An expression, most of the time one that could be meant."""
    way = chance.random()
    if depth == 0 or way < 0.3:
        return chance.choice(LEAVES)
    one, other = expression(chance, depth - 1), expression(chance, depth - 1)
    if way < 0.6:
        return f"{one} {chance.choice(SIGNS)} {other}"
    if way < 0.8:
        distinct = "distinct " if chance.random() < 0.2 else ""
        return f"{chance.choice(CALLS)}({distinct}{one})"
    return chance.choice(
        (
            f"case when {one} then {other} end",
            f"listagg({one}, '; ')",
            f"cast({one} as {chance.choice(TYPES)})",
            f"not {one}",
            f"({one}) is not null",
            f"{one} in ({other}, 1)",
            f"substring({one} from 2 for 1)",
            f"extract(year from {one})",
        )
    )


def run(seed: int, folder: Path) -> str:
    """Evaluate an expression in several places. Anything but an error of the family raises."""
    chance = random.Random(seed)
    text = expression(chance)
    if chance.random() < 0.2:
        place = chance.randrange(len(text))
        text = text[:place] + chance.choice("()[]'\"*.,:$?@\\\x00é") + text[place + 1 :]
    row_per = chance.choice(("record", "record", "l", "l.m", "o.*"))
    with suppress(FlatLedgerError):
        evaluate(text, RECORDS, row_per=row_per)
    layout = {"columns": [{"C0": "no"}, {"C1": {"value": text}}], "row-per": row_per}
    where = chance.randrange(5)
    if where == 1:
        layout["only"] = [text]
    elif where == 2:
        layout["sort"] = [text]
    elif where == 3:
        layout["group"] = [text]
    elif where == 4:
        layout = {"row-per-group": [text], "columns": [{"N": "count(no)"}, {"M": "max(no)"}]}
    try:
        found = table(layout, RECORDS)
        list(found)
        assert found.balance.balanced, "does not balance"
    except FlatLedgerError as error:
        assert str(error).strip(), "an error without words"
        return "refused"
    return "evaluated"
