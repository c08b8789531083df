"""Checking what a column's values become, and how they are written."""

from __future__ import annotations

import datetime as dt
import decimal
import re
from decimal import Decimal
from pathlib import Path
from typing import Any

from ..errors import LayoutError
from ..values.factors import Factor
from ..values.literals import TIME_UNITS
from .check_rows import RowForms
from .column import Conversion, Expression, Translation
from .files import beside
from .names import proposal
from .side_files import read_codes
from .text import Item, Mapping, Scalar

DATATYPES = ("string", "integer", "decimal", "boolean", "date", "dateTime", "time", "duration")
CLEANING = ("strip-markup", "nfc", "single-line", "collapse", "trim")
TRANSLATE_KEYS = ("codes", "otherwise", "folded")
UNIT_KEYS = ("to", "from", "factor", "factors")
MINOR_UNIT = "minor-unit"  # of a currency, as ISO 4217 calls it
_FACTOR = re.compile(r"[0-9]{1,30}(?:\.[0-9]{1,30})?(?:/[1-9][0-9]{0,29})?")


EXAMPLES: dict[str, Any] = {  # of what a pattern can be for
    "date": dt.date(2026, 3, 31),
    "dateTime": dt.datetime(2026, 3, 31, 14, 30, tzinfo=dt.UTC),
    "time": dt.time(14, 30),
}
_LONGEST_PATTERN = 100


def _formats_numbers(pattern: str) -> bool:
    from babel.numbers import format_decimal

    if not set(pattern) & {"0", "#"} or len(pattern) > _LONGEST_PATTERN:
        return False
    try:
        with decimal.localcontext(decimal.Context(prec=2 * _LONGEST_PATTERN)):
            return bool(format_decimal(Decimal("-1.5"), pattern, "en", decimal_quantization=False))
    except (ValueError, ArithmeticError):
        return False


class ValueForms(RowForms):
    """Reads the properties of a column's values. Code lists are read from ``folder``."""

    def __init__(self, folder: Path | None) -> None:
        super().__init__()
        self.folder = folder
        self.spread_levels: list[Expression] = []  # that columns are made from

    def kind(self, keys: dict[str, Item], item: Item, where: str) -> dict[str, Any]:
        found: dict[str, Any] = {}
        if "datatype" in keys:
            found["datatype"] = self.choice(keys["datatype"], "`datatype`", DATATYPES)
        if "reads" in keys:
            found["reads"] = self.reads(keys["reads"], found.get("datatype"))
        if "clean" in keys:
            steps = self.items(keys["clean"])
            found["clean"] = tuple(self.choice(step, "`clean`", CLEANING) for step in steps)
            if found.get("datatype", "string") != "string" or "decimals" in keys:
                self.fault(item, f"{where}: `clean` is for texts, and this is a number or a date")
        if "unit" in keys:
            found |= self.unit(keys["unit"], found)
        if found.keys() - {"unit"} and not keys.keys() & {"value", "values"}:
            what = "a conversion" if "conversion" in found else "a datatype"
            self.fault(item, f"{where} has {what} but no `value`")
        numeric = found.get("datatype") in ("integer", "decimal")
        if "decimals" in keys and "datatype" in found and not numeric:
            self.fault(keys["decimals"], "`decimals` goes with the datatype decimal")
        return found

    def reads(self, item: Item, datatype: str | None) -> str:
        """`amount` for numbers with units and marks; for dates a pattern."""
        text = self.text(item, "`reads`")
        if datatype in ("date", "dateTime"):
            if not set(text) & {"y"} or not set(text) & {"M"}:
                self.fault(item, f"`{text}` is no pattern for dates, such as dd.MM.yyyy")
        elif datatype not in ("integer", "decimal"):
            self.fault(item, "`reads` goes with the datatype decimal, integer, date or dateTime")
        elif text != "amount":
            self.fault(item, "numbers are read as `amount`; the locale tells their marks")
        return text

    # ---- units

    def unit(self, item: Item, found: dict[str, Any]) -> dict[str, Any]:
        """A unit for the heading; in long with where its values come from."""
        if isinstance(item, Scalar):
            return {"unit": self.text(item, "`unit`")}
        keys = self.mapping(item, "`unit`", UNIT_KEYS)
        to = self.text(keys["to"], "`to`") if "to" in keys else ""
        ways = [key for key in UNIT_KEYS[1:] if key in keys]
        if not to or len(ways) != 1:
            self.fault(item, "`unit` goes `to` a unit, by one of `from`, `factor` or `factors`")
            return {}
        if found.get("datatype", "decimal") not in ("integer", "decimal"):
            self.fault(item, "only numbers and durations are converted; leave out the datatype")
        way = self.conversion_from if "from" in keys else self.conversion_by
        return {"unit": to, "conversion": way(keys[ways[0]], to, ways[0], found.get("reads", ""))}

    def conversion_from(self, item: Item, to: str, _: str, reads: str) -> Conversion | None:
        """From another unit of time, or from a currency's minor unit."""
        given = self.text(item, "`from`")
        if given == MINOR_UNIT:
            return self.minor_unit(item, to)
        for unit in (given, to):
            if unit not in TIME_UNITS:
                known = (*dict.fromkeys(TIME_UNITS.values()), MINOR_UNIT)
                hint = proposal(unit, known) or f"; those are {', '.join(known)}"
                what = f"no unit of time `{unit}`{hint}; others go by `factor` or `factors`"
                self.fault(item, what)
                return None
        if reads:
            self.fault(item, "durations are read with their units; leave out `reads`")
        return Conversion("time", to, given)

    def minor_unit(self, item: Item, to: str) -> Conversion | None:
        """The minor unit of a currency: so many digits after the mark as ISO 4217 gives it."""
        from iso4217 import Currency

        try:
            digits = Currency(to).exponent
        except ValueError:
            self.fault(item, f"`{to}` is no currency of ISO 4217; give a `factor`, such as 0.01")
            return None
        if digits is None:
            self.fault(item, f"ISO 4217 gives {to} no minor unit; give a `factor`, such as 0.01")
            return None
        return Conversion("factor", to, factor=Factor(Decimal(1).scaleb(-digits)))

    def conversion_by(self, item: Item, to: str, key: str, reads: str) -> Conversion:
        """By one factor, or by one for each unit that can stand with the number."""
        if key == "factor":
            return Conversion("factor", to, factor=self.factor(item))
        if reads != "amount":
            self.fault(item, "`factors` go with `reads: amount`")
        pairs = item.pairs if isinstance(item, Mapping) else ()
        if not pairs:
            self.fault(item, "`factors` takes units with their factors: {g: 0.001, t: 1000}")
        factors = {unit.text: self.factor(factor) for unit, factor in pairs}
        return Conversion("factors", to, factors={to: Factor(), **factors})

    def factor(self, item: Item) -> Factor:
        """A number above 0, exact: a decimal, or a fraction."""
        text = item.text if isinstance(item, Scalar) else ""
        times, _, over = text.partition("/")
        if not _FACTOR.fullmatch(text) or not Decimal(times):
            self.fault(item, "a factor is a number above 0, such as 0.001 or 1/60")
            return Factor()
        return Factor(Decimal(times), int(over or 1))

    # ---- how they are written

    def writing(self, keys: dict[str, Item], datatype: str | None) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key in ("default", "null"):
            if key in keys:
                found[key] = self.text(keys[key], f"`{key}`")
        if "locale" in keys:
            found["locale"] = self.locale(keys["locale"])
        if "format" in keys:
            found["format"] = self.pattern(keys["format"], datatype or "decimal")
        if "translate" in keys:
            found["translate"] = self.translation(keys["translate"])
        return found

    def locale(self, item: Item) -> str:
        """A locale by its BCP 47 tag, as babel calls it."""
        from babel import Locale, UnknownLocaleError

        text = self.text(item, "`locale`")
        try:
            return str(Locale.parse(text, sep="-"))
        except (ValueError, UnknownLocaleError):
            self.fault(item, f"no locale `{text}`; for example en-GB, sv or de-AT")
            return ""

    def pattern(self, item: Item, datatype: str) -> str:
        """A pattern of UTS #35 for numbers or dates; for truth values what stands for each."""
        from babel.dates import parse_pattern

        text = self.text(item, "`format`")
        if datatype == "boolean" and "|" not in text:
            self.fault(item, "the format of a truth value is what stands for true and false: Y|N")
        elif datatype in ("integer", "decimal") and not _formats_numbers(text):
            self.fault(
                item,
                f"`{text}` is no pattern for numbers, such as '#,##0.00' (in quotes, since YAML "
                "takes # for a comment); with `datatype: date` it could be one for dates",
            )
        elif datatype in EXAMPLES:
            try:
                parse_pattern(text).apply(EXAMPLES[datatype], "en")
            except ValueError as error:
                self.fault(item, f"`{text}` is no pattern for dates, such as dd/MM/yyyy: {error}")
            except AttributeError:
                lacks = "no time" if datatype == "date" else "no day"
                self.fault(item, f"`{text}` asks for what a {datatype} lacks: it has {lacks}")
        elif datatype in ("string", "duration"):
            self.fault(item, f"a {datatype} has no `format`")
        return text

    def translation(self, item: Item) -> Translation:
        """A code list: codes with wordings, a file, or both with what becomes of other codes."""
        pairs = item.pairs if isinstance(item, Mapping) else ()
        if "codes" not in {key.text for key, _ in pairs}:
            return Translation(self.codes(item, "`translate`"))
        keys = self.mapping(item, "`translate`", TRANSLATE_KEYS)
        found: dict[str, Any] = {}
        if "otherwise" in keys:
            ways = ("keep", "blank", "fault")
            found["otherwise"] = self.choice(keys["otherwise"], "`otherwise`", ways)
        if "folded" in keys:
            found["folded"] = self.switch(keys["folded"], "`folded`")
        return Translation(self.codes(keys["codes"], "`codes`"), **found)

    def codes(self, item: Item, where: str) -> dict[str, str]:
        """Codes with their wordings, or those of a CSV file."""
        if isinstance(item, Scalar):
            try:
                return read_codes(beside(self.text(item, where), self.folder))
            except LayoutError as error:
                self.fault(item, f"{where}: {error}")
        pairs = item.pairs if isinstance(item, Mapping) else ()
        if not pairs and not isinstance(item, Scalar):
            self.fault(item, f"{where} takes codes with their wordings, or a CSV file")
        found: dict[str, str] = {}
        for code, wording in pairs:
            if code.text in found:
                self.fault(code, f"the code `{code.text}` comes twice; keep one")
            found[code.text] = self.text(wording, f"the wording of `{code.text}`")
        return found
