"""Reading what a column's values become (a datatype, a code list), and how they are written."""

from __future__ import annotations

import datetime as dt
import decimal
import re
from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

from msgspec.structs import replace

from ...bounds import LONGEST_FORMAT
from ...errors import LayoutError
from ...language import other_words
from ...values.code_lists import CODE_LISTS, code_list
from ...values.field_values import AMOUNT, DATES, NUMBERS, NUMERAL, TIMED
from ...values.reading_texts import DateReader, TimeReader
from ..model.column import Translation
from ..model.text import Item, Scalar
from .forms import SWITCH, TEXT, choice, list_of, read_text
from .reading import Form, Key, Reading, Section, either, object_schema, pairs_of, read_keys

DATATYPES = ("string", "integer", "decimal", "boolean", "date", "dateTime", "time", "duration")
DATATYPE = choice(DATATYPES, other_words.DATATYPES)
CLEAN = list_of(choice(("strip-markup", "nfc", "single-line", "collapse", "trim")))
_EXAMPLES: dict[str, Any] = {  # of what a pattern can be for
    "date": dt.date(2026, 3, 31),
    "dateTime": dt.datetime(2026, 3, 31, 14, 30, tzinfo=dt.UTC),
    "time": dt.time(14, 30),
}


def _locale(item: Item, where: str, reading: Reading) -> str:
    """A locale by its BCP 47 tag, as babel calls it."""
    from babel import Locale, UnknownLocaleError

    text = read_text(item, where, reading)
    try:
        return str(Locale.parse(text, sep="-"))
    except (ValueError, UnknownLocaleError):
        reading.fault(item, f"no locale `{text}`; for example en-GB, sv or de-AT")
        return ""


LOCALE = Form(_locale, TEXT.schema)

# ---- what goes with a datatype ---------------------------------------------------------------


def date_letters(pattern: str) -> None:
    """Raise ValueError for the day of the year where the day of the month is meant, and for the
    year of a week where that of a date is."""
    bare = re.sub(r"'[^']*'", "", pattern)
    if "D" in bare and {"M", "d"} & {*bare}:
        raise ValueError(f"in `{pattern}` D is the day of the year; the day of the month is `dd`")
    if "Y" in bare and {"M", "d", "D"} & {*bare}:
        raise ValueError(f"in `{pattern}` Y is the year of a week; the year of a date is `yyyy`")


def check_reads(
    item: Item, patterns: Sequence[str], datatype: str | None, where: str, reading: Reading
) -> None:
    """`reads` is `amount` for numbers with marks and units, or `numeral`; for dates and times one
    pattern or several."""
    if datatype in NUMBERS:
        if tuple(patterns) not in ((AMOUNT,), (NUMERAL,)):
            ways = "`amount` (with marks and units; the locale tells the marks) or `numeral`"
            reading.fault(item, f"{where}: numbers are read as {ways}")
    elif datatype not in TIMED:
        says = "`reads` goes with the datatype decimal, integer, date, dateTime, time or duration"
        reading.fault(item, f"{where}: {says}")
    for pattern in patterns if datatype in TIMED else ():
        try:
            if datatype in DATES:
                date_letters(pattern)
                DateReader(pattern, "en")
                if not {"y", "M"} <= set(pattern):
                    raise ValueError(f"`{pattern}` is no pattern for dates, such as dd.MM.yyyy")
            else:
                TimeReader(pattern, whole_day=datatype == "time")
        except ValueError as error:
            reading.fault(item, f"{where}: {error}")


def check_format(item: Item, text: str, datatype: str, reading: Reading) -> None:
    """`format` is a pattern of UTS #35; of truth values it is what stands for each."""
    if datatype == "boolean" and "|" not in text:
        says = "the format of a truth value is what stands for true and false: Y|N"
        reading.fault(item, says)
    elif datatype in NUMBERS and not _formats_numbers(text):
        reading.fault(
            item,
            f"`{text}` is no pattern for numbers, such as '#,##0.00' (in quotes, since YAML "
            "takes # for a comment); with `datatype: date` it could be one for dates",
        )
    elif datatype in _EXAMPLES:
        _check_dates(item, text, datatype, reading)
    elif datatype in ("string", "duration"):
        reading.fault(item, f"a {datatype} has no `format`")


def _check_dates(item: Item, text: str, datatype: str, reading: Reading) -> None:
    from babel.dates import parse_pattern

    try:
        date_letters(text)
    except ValueError as error:
        reading.fault(item, str(error))
        return
    try:
        parse_pattern(text).apply(_EXAMPLES[datatype], "en")
    except ValueError as error:
        reading.fault(item, f"`{text}` is no pattern for dates, such as dd/MM/yyyy: {error}")
    except AttributeError:
        lacks = "no time" if datatype == "date" else "no day"
        reading.fault(item, f"`{text}` asks for what a {datatype} lacks: it has {lacks}")


def _formats_numbers(pattern: str) -> bool:
    from babel.numbers import format_decimal

    if not set(pattern) & {"0", "#"} or len(pattern) > LONGEST_FORMAT:
        return False
    try:
        with decimal.localcontext(decimal.Context(prec=2 * LONGEST_FORMAT)):
            return bool(format_decimal(Decimal("-1.5"), pattern, "en", decimal_quantization=False))
    except (ValueError, ArithmeticError):
        return False


# ---- code lists ------------------------------------------------------------------------------


def _codes(item: Item, where: str, reading: Reading) -> dict[str, str]:
    """Codes with their wordings, those of a standard, or of a file."""
    if isinstance(item, Scalar) and item.text in CODE_LISTS:
        return code_list(item.text)
    if isinstance(item, Scalar):
        try:
            return reading.files.codes(read_text(item, where, reading))
        except LayoutError as error:
            reading.fault(item, f"{where}: {error}")
            return {}
    if not pairs_of(item):
        reading.fault(item, f"{where} takes codes with their wordings, or a CSV file")
    return _wordings(pairs_of(item), reading)


def _wordings(pairs: tuple[tuple[Scalar, Item], ...], reading: Reading) -> dict[str, str]:
    found: dict[str, str] = {}
    for code, wording in pairs:
        if code.text in found:
            reading.fault(code, f"the code `{code.text}` comes twice; keep one")
        found[code.text] = read_text(wording, f"the wording of `{code.text}`", reading)
    return found


CODES = Form(_codes, either(TEXT.schema, {"type": "object", "additionalProperties": TEXT.schema}))
_TRANSLATE_KEYS: Section = {
    "codes": Key(CODES, "Codes with their wordings, or a CSV file of them."),
    "otherwise": Key(choice(("keep", "blank", "fault")), "What becomes of other codes."),
    "folded": Key(SWITCH, "Whether case and blanks around a code do not count."),
}


def _translation(item: Item, where: str, reading: Reading) -> Translation:
    """A code list: codes with wordings, a file, or both with what becomes of other codes."""
    if "codes" not in {key.text for key, _ in pairs_of(item)}:
        return _of_standard(item, Translation(_codes(item, where, reading)))
    keys = reading.mapping(item, where, _TRANSLATE_KEYS)
    found = Translation(**read_keys(keys, _TRANSLATE_KEYS, reading))
    return _of_standard(keys["codes"], found)


def _of_standard(codes: Item, found: Translation) -> Translation:
    """The same, of which it is known whether the codes are those of a standard; case does not count
    in these."""
    if isinstance(codes, Scalar) and codes.text in CODE_LISTS:
        return replace(found, standard=codes.text, folded=True)
    return found


TRANSLATE = Form(_translation, either(CODES.schema, object_schema(_TRANSLATE_KEYS)))


def check_values(
    keys: Mapping[str, Item], found: Mapping[str, Any], where: str, reading: Reading
) -> None:
    """What a column's values become goes together."""
    datatype = found.get("datatype")
    if "reads" in keys:
        check_reads(keys["reads"], found["reads"], datatype, where, reading)
    if "format" in keys:
        check_format(keys["format"], found["format"], datatype or "decimal", reading)
    if "decimals" in keys and datatype not in (None, *NUMBERS):
        reading.fault(keys["decimals"], "`decimals` goes with the datatype decimal")
