"""Checking the columns of a layout."""

from __future__ import annotations

from typing import Any, cast

from msgspec import structs

from ..language.nodes import Path
from .check_rows import RowForms
from .model import DEFAULT_SEPARATOR, Column, Spread, Total, Translation
from .spreading import spread_column
from .text import Item, Mapping, Scalar

COLUMN_KEYS = (
    *("value", "text", "datatype", "reads", "clean", "decimals", "rounding", "unit", "total"),
    *("separator", "separator-in-value", "aligned", "translate", "format", "locale"),
    *("default", "null", "suppress-output"),
    *("columns-from", "named-by", "values", "keys", "at-most"),
)
DATATYPES = ("string", "integer", "decimal", "boolean", "date", "dateTime", "time", "duration")
ROUNDING = {
    name: f"ROUND_{name.replace('-', '_').upper()}"
    for name in ("half-even", "half-up", "half-down", "up", "down", "ceiling", "floor")
}
CLEANING = ("strip-markup", "nfc", "single-line", "collapse", "trim")
TRANSLATE_KEYS = ("codes", "otherwise", "folded")
TOTAL_KINDS = ("sum", "avg", "count", "min", "max")
MOST_DECIMALS = 30
MOST_COLUMNS = 5_000


class ColumnForms(RowForms):
    """Reads `columns`."""

    def columns(self, item: Item | None, layout: Item) -> tuple[Column, ...]:
        found = [self.column(entry) for entry in self.items(item)] if item is not None else []
        columns = [one for column in found for one in column]
        if not found and not any(p.message.startswith("`columns`") for p in self.problems):
            self.fault(item or layout, "`columns` is missing; list at least one `Heading: path`")
        seen: dict[str, Column] = {}
        for column in columns:
            if column.heading in seen:
                first = seen[column.heading]
                place = f" (first at line {first.place[0]})" if first.place[0] else ""
                self.problems.append(
                    column.problem(f"the heading `{column.heading}` comes twice{place}; rename one")
                )
            seen.setdefault(column.heading, column)
        titles: dict[str, Column] = {}
        for column in (one for one in seen.values() if not one.suppressed):
            other = titles.setdefault(column.title, column)
            if other is not column:
                message = f"`{column.heading}` and `{other.heading}` are both headed {column.title}"
                self.problems.append(column.problem(f"{message}; rename one"))
        return tuple(columns)

    def column(self, item: Item) -> list[Column]:
        """A column; several, where it says for which keys it is made into columns."""
        if not isinstance(item, Mapping) or not item.pairs:
            self.fault(item, "a column is `Heading: expression`")
            return []
        heading, value = item.pairs[0]
        for extra, _ in item.pairs[1:]:
            self.fault(extra, self.extra_key(heading.text, extra.text))
        if not heading.text.strip():
            self.fault(heading, "a column needs a heading")
        place = (heading.line, heading.column, heading.file)
        if isinstance(value, Mapping):
            properties = self.column_properties(value, heading.text)
            column = Column(heading.text, **properties, place=place)
            keys = {key.text: one for key, one in value.pairs}.get("keys")
            if column.spread is None or column.spread.numbered or keys is None:
                return [column]
            listed = [self.text(key, "`keys`") for key in self.items(keys)]
            return spread_column(column, column.spread, listed)
        if isinstance(value, Scalar) and not value.text.strip() and not value.style:
            return [Column(heading.text, place=place)]
        expression = self.expression(value, f"column `{heading.text}`")
        return [Column(heading.text, expression, place=place)]

    def extra_key(self, heading: str, extra: str) -> str:
        if extra in COLUMN_KEYS:
            return f"`{extra}` stands level with the heading `{heading}`; indent it further"
        return f"`{extra}` stands in the column `{heading}`; each column begins with its own `-`"

    def column_properties(self, item: Mapping, heading: str) -> dict[str, Any]:
        where = f"column `{heading}`"
        keys = self.mapping(item, where, COLUMN_KEYS)
        if "value" in keys and "text" in keys:
            self.fault(item, f"{where} has both `value` and `text`; keep one")
        found: dict[str, Any] = {}
        if "columns-from" in keys:
            found["spread"] = self.spread(keys, item, where)
        elif "value" in keys:
            found["value"] = self.expression(keys["value"], where)
        if "text" in keys:
            found["text"] = self.text(keys["text"], f"`text` of {where}")
        if "decimals" in keys:
            found["decimals"] = self.whole_number(keys["decimals"], "`decimals`", MOST_DECIMALS)
        if "total" in keys:
            found["total"] = self.total(keys["total"])
            if not keys.keys() & {"value", "values"}:
                self.fault(item, f"{where} has a total but no `value` to add up")
        if "separator" in keys:
            found["separator"] = self.named_text(keys["separator"], "`separator`")
        else:
            found["separator"] = DEFAULT_SEPARATOR
        if "separator-in-value" in keys:
            ways = ("report", "quote", "replace")
            choice = self.choice(keys["separator-in-value"], "`separator-in-value`", ways)
            found["separator_in_value"] = choice
        if "rounding" in keys:
            found["rounding"] = ROUNDING[self.choice(keys["rounding"], "`rounding`", ROUNDING)]
            if "decimals" not in keys:
                self.fault(item, f"{where} has `rounding` but no `decimals` to round to")
        if "aligned" in keys:
            found["aligned"] = self.switch(keys["aligned"], "`aligned`")
        if "suppress-output" in keys:
            found["suppressed"] = self.switch(keys["suppress-output"], "`suppress-output`")
        found |= self.kind(keys, item, where)
        return found | self.writing(keys, found.get("datatype"))

    # ---- what a value becomes, and how it is written

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
        if found.keys() and not keys.keys() & {"value", "values"}:
            self.fault(item, f"{where} has a datatype but no `value`")
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

    def writing(self, keys: dict[str, Item], datatype: str | None) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key in ("unit", "default", "null"):
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
        elif datatype in ("integer", "decimal") and not set(text) & {"0", "#"}:
            self.fault(
                item,
                f"`{text}` is no pattern for numbers, such as '#,##0.00' (in quotes, since YAML "
                "takes # for a comment); with `datatype: date` it could be one for dates",
            )
        elif datatype in ("date", "dateTime", "time"):
            try:
                parse_pattern(text)
            except ValueError as error:
                self.fault(item, f"`{text}` is no pattern for dates, such as dd/MM/yyyy: {error}")
        elif datatype in ("string", "duration"):
            self.fault(item, f"a {datatype} has no `format`")
        return text

    def translation(self, item: Item) -> Translation:
        """A code list: codes with wordings, a file, or both with what becomes of other codes."""
        if isinstance(item, Scalar):
            return Translation(file=self.text(item, "`translate`"))
        pairs = item.pairs if isinstance(item, Mapping) else ()
        if "codes" not in {key.text for key, _ in pairs}:
            return Translation(self.codes(item))
        keys = self.mapping(item, "`translate`", TRANSLATE_KEYS)
        codes = keys["codes"]
        found: dict[str, Any] = {}
        if "otherwise" in keys:
            ways = ("keep", "blank", "fault")
            found["otherwise"] = self.choice(keys["otherwise"], "`otherwise`", ways)
        if "folded" in keys:
            found["folded"] = self.switch(keys["folded"], "`folded`")
        if isinstance(codes, Scalar):
            return Translation(file=self.text(codes, "`codes`"), **found)
        return Translation(self.codes(codes), **found)

    def codes(self, item: Item) -> dict[str, str]:
        pairs = item.pairs if isinstance(item, Mapping) else ()
        if not pairs:
            self.fault(item, "`translate` takes codes with their wordings, or a CSV file")
        found: dict[str, str] = {}
        for code, wording in pairs:
            if code.text in found:
                self.fault(code, f"the code `{code.text}` comes twice; keep one")
            found[code.text] = self.text(wording, f"the wording of `{code.text}`")
        return found

    def spread(self, keys: dict[str, Item], item: Item, where: str) -> Spread | None:
        """`columns-from` a level, `named-by` what tells its entries apart, with `value`."""
        level = self.expression(keys["columns-from"], f"`columns-from` of {where}")
        named_by = self.expression(keys["named-by"], "`named-by`") if "named-by" in keys else None
        pairs = [("", keys["value"])] if "value" in keys else []
        if "values" in keys and isinstance(keys["values"], Mapping):
            pairs += [(name.text, value) for name, value in keys["values"].pairs]
        values = [(name, self.expression(value, where)) for name, value in pairs]
        if named_by is None or not values:
            self.fault(item, f"{where}: `columns-from` goes with `named-by` and `value`")
        if level is None or named_by is None or not all(value for _, value in values):
            return None
        if not isinstance(level.node, Path):
            self.fault(keys["columns-from"], "`columns-from` takes a level, such as lines.options")
            return None
        found = Spread(level, named_by, cast(Any, tuple(values)))
        if found.numbered and "keys" in keys:
            self.fault(keys["keys"], "numbered columns take `at-most`, and no `keys`")
        if "at-most" in keys:
            most = self.whole_number(keys["at-most"], "`at-most`", MOST_COLUMNS)
            found = structs.replace(found, at_most=most)
        return found

    def total(self, item: Item) -> Total:
        if isinstance(item, Mapping) and item.pairs:
            kind, how = item.pairs[0]
            for extra, _ in item.pairs[1:]:
                self.fault(extra, "`total` takes one kind of total")
            self.choice(how, f"`{kind.text}`", ("exact",))
            if kind.text not in ("sum", "avg"):
                self.fault(kind, "only `sum` and `avg` can be exact")
            return Total(cast(Any, self.choice(kind, "`total`", TOTAL_KINDS)), exact=True)
        return Total(cast(Any, self.choice(item, "`total`", TOTAL_KINDS)))
