"""How reports put things: the same on a terminal and on a page."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import Any

from ..run.describing import TableColumn
from ..structure.survey import FieldSurvey, SurveyResult
from ..values.code_lists import code_list
from ..values.functions import text_of
from ..values.numbers import Unreadable
from ..values.visible import visible

_TYPES = {"truth": "true/false", "blank": "empty"}
BLANK = "\u2423"
_UNSEEN = re.compile(r"^ +| +$| {2,}")
TOLD_SHOWN = 10


def counted(number: int, noun: str) -> str:
    """A number of things.

    >>> counted(1, "row"), counted(1200, "row"), counted(2, "entry")
    ('1 row', '1,200 rows', '2 entries')
    """
    several = f"{noun[:-1]}ies" if noun.endswith("y") else f"{noun}s"
    return f"{number:,} {noun if number == 1 else several}"


def how_much(result: SurveyResult) -> str:
    """What was read: all, or a sample that a later field may be missing from."""
    unreadable = f"; {result.faults:,} could not be read" if result.faults else ""
    unreadable += f"; read as {result.manner}" if result.manner else ""
    if result.complete:
        return f"{result.source}: all {counted(result.records, 'record')}{unreadable}"
    first = counted(result.records, "record")
    return (
        f"{result.source}: a sample, the first {first}{unreadable}; a field that only later ones "
        "have is missing here (--all reads everything)"
    )


def told_lines(result: SurveyResult) -> list[str]:
    """What is to be looked at, and what is wrong with the text of the source: the first of it, and
    how much there is."""
    notices = [f"Look at this: {notice}" for notice in result.notices]
    if not result.told:
        return notices
    more = result.told_count - len(result.told[:TOLD_SHOWN])
    return [
        *notices,
        f"Faults: {result.told_count:,}",
        *(f"  {fault}" for fault in result.told[:TOLD_SHOWN]),
        *([f"  and {more:,} more"] if more else []),
    ]


def short(text: str, longest: int) -> str:
    """A text on one line, cut where it is too long.

    >>> short("a long\\n  text", 7)
    'a long…'
    """
    text = " ".join(text[: 10 * longest].split())
    return text if len(text) <= longest else text[: longest - 1] + "…"


def cell_text(cell: Any, decimal_char: str = ".") -> str:
    """A cell as text, with the mark of decimals that a file has.

    >>> cell_text(Decimal("4.95"), ","), cell_text(None), cell_text("4.95", ",")
    ('4,95', '', '4.95')
    """
    if cell is None:
        return ""
    text = text_of(cell)
    return text.replace(".", decimal_char) if isinstance(cell, Decimal) else text


def times(count: int) -> str:
    """How often something comes."""
    return "once" if count == 1 else f"{count:,} times"


def share(part: int, whole: int) -> str:
    """A share in percent; never rounded to all or nothing.

    >>> share(1, 1000), share(999, 1000), share(3, 3)
    ('<1 %', '99 %', 'all')
    """
    if not part:
        return "none"
    if part >= whole:
        return "all"
    percent = 100 * part / whole
    return "<1 %" if percent < 1 else f"{min(int(percent), 99)} %"


def repeats(field: FieldSurvey) -> str:
    """How often a level repeats: its entries in all, and the least and most in one list."""
    if not field.is_level:
        return ""
    many = counted(field.entries, "entry")
    each = f"{field.least} to {field.most}" if field.least < field.most else f"{field.most}"
    return f"{many}, {each} in each"


def different(field: FieldSurvey) -> str:
    """How many distinct values were met, up to the bound."""
    return f"{field.distinct:,}{'+' if field.distinct_is_bound else ''}" if field.distinct else ""


def types(field: FieldSurvey, *, with_shares: bool = False) -> str:
    """The types of the values, the commonest first, and where it is asked for with their shares."""
    total = sum(field.kinds.values())
    names = {_TYPES.get(name, name): count for name, count in field.kinds.items()}
    if not with_shares:
        return ", ".join(names) or "empty"
    shares = (
        name if count == total else f"{name} {share(count, total)}" for name, count in names.items()
    )
    return ", ".join(shares) or "empty"


def pasted(path: str) -> str:
    """A path as it can be pasted into a layout: one that begins with a bracket begins with `$`.

    >>> pasted("['unit-price']"), pasted("lines")
    ("$['unit-price']", 'lines')
    """
    return f"${path}" if path.startswith("[") else path


def shown_text(text: str) -> str:
    """A text with the blanks that nobody would see: at its ends, and those that are doubled.

    >>> shown_text(" a  b c ")
    '\u2423a\u2423\u2423b c\u2423'
    """
    return _UNSEEN.sub(lambda found: BLANK * len(found[0]), visible(text))


def example_texts(field: FieldSurvey) -> list[str]:
    """A few real values; of positions in a coded field with how often they come, and what the codes
    are called, and blanks that can be seen."""
    if not field.counts:
        return [shown_text(" ".join(one.splitlines())) for one in field.examples]
    names = code_list(field.code_list) if field.code_list else {}
    more = field.distinct - len(field.counts)
    shown = (
        f"{value.replace(' ', BLANK)}{f' {names[value]}' if value in names else ''} ({count:,})"
        for value, count in field.counts.items()
    )
    return [*shown, *([f"{more:,} more"] if more else [])]


def what_it_is(column: TableColumn) -> str:
    """Where a column comes from, in plain words.

    >>> what_it_is(TableColumn("Weight", expression="weight", decimals=2))
    'weight, rounded to 2 decimals'
    """
    if column.text is not None:
        return "the same text on every row"
    if not column.expression:
        return "blank, for the receiver to fill in"
    parts = [column.expression, *([f"where the key is {column.key}"] if column.key else [])]
    if column.converted:
        given, unit = column.converted_from, column.unit
        parts.append(f"from {given} to {unit}" if given else f"converted to {unit}")
    if column.decimals is not None:
        parts.append(f"rounded to {counted(column.decimals, 'decimal')}")
    parts += [f"as {column.datatype}"] if column.datatype else []
    parts += ["by a code list"] if column.translated else []
    parts += [f"written {column.format}"] if column.format else []
    return ", ".join(parts)


def if_empty(columns: Iterable[TableColumn]) -> dict[str, str]:
    """What stands where a column has no value, by its heading; nothing where all stay blank."""
    return {one.heading: one.default for one in columns if one.default and one.text is None}


def kind_of_value(value: Any) -> str:
    """The kind of a value in plain words.

    >>> kind_of_value(Decimal("1.50")), kind_of_value([1, 2])
    ('a number with 2 decimals', 'a list of 2')
    """
    match value:
        case None:
            return "empty"
        case bool():
            return "true or false"
        case int():
            return "a whole number"
        case Decimal():
            exponent = value.as_tuple().exponent
            places = max(-exponent, 0) if isinstance(exponent, int) else 0
            return f"a number with {places} decimals" if places else "a number"
        case str():
            return "blank text" if not value.strip() else "text"
        case dt.datetime():
            return "a timestamp"
        case dt.date():
            return "a date"
        case dt.time():
            return "a time"
        case list() | tuple():
            return f"a list of {len(value)}"
        case Mapping():
            return f"an object of {len(value)} fields"
        case Unreadable():
            return "a number out of range"
        case _:
            return "a duration"


def amount(value: Any) -> str:
    """A number with its thousands parted, every digit kept.

    >>> amount(Decimal("1234.50"))
    '1,234.50'
    """
    if value is None:
        return ""
    return f"{Decimal(value):,f}" if isinstance(value, int | Decimal) else f"{value:,}"
