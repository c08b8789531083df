"""Checking the columns of a layout."""

from __future__ import annotations

from typing import Any, cast

from msgspec import structs

from ..language.nodes import Path
from ..values.aggregates import AGGREGATES
from .check_values import ValueForms
from .column import DEFAULT_SEPARATOR, Column, Spread, Total
from .spreading import spread_column, spread_problems
from .text import Item, Mapping, Scalar

COLUMN_KEYS = (
    *("value", "text", "datatype", "reads", "clean", "decimals", "rounding", "unit", "total"),
    *("separator", "separator-in-value", "aligned", "translate", "format", "locale"),
    *("default", "null", "suppress-output", "titles"),
    *("columns-from", "named-by", "values", "keys", "labels", "at-most"),
)
ROUNDING = {
    name: f"ROUND_{name.replace('-', '_').upper()}"
    for name in ("half-even", "half-up", "half-down", "up", "down", "ceiling", "floor")
}
NUMBERS = ("decimal", "integer")
MOST_DECIMALS = 30
MOST_COLUMNS = 5_000


class ColumnForms(ValueForms):
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
            if column.spread is None or column.spread.numbered:
                return [column]
            listed = [self.text(key, "`keys`") for key in self.items(keys)] if keys else []
            listed = listed or list(column.spread.labels)
            return spread_column(column, column.spread, listed) if listed else [column]
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
        for key in ("named-by", "values", "keys", "labels", "at-most"):
            if key in keys and "columns-from" not in keys:
                self.fault(keys[key], f"`{key}` goes with `columns-from`")
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
            found["joined"] = True
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
        if "titles" in keys:
            titles = [self.text(title, "`titles`") for title in self.items(keys["titles"])]
            found["titles"] = tuple(titles)
        if "suppress-output" in keys:
            found["suppressed"] = self.switch(keys["suppress-output"], "`suppress-output`")
        found |= self.kind(keys, item, where)
        kind = found.get("datatype", "decimal")
        if "total" in found and found["total"].kind in ("sum", "avg") and kind not in NUMBERS:
            what = f"`{found['total'].kind}` adds up numbers, and a {kind} is none"
            self.fault(keys["total"], f"{what}; it can have min, max or count")
        return found | self.writing(keys, found.get("datatype"))

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
        self.spread_levels.append(level)
        found = Spread(level, named_by, cast(Any, tuple(values)))
        self.problems += spread_problems(found)
        for key in ("keys", "labels"):
            if found.numbered and key in keys:
                self.fault(keys[key], f"numbered columns take `at-most`, and no `{key}`")
        if "labels" in keys:
            labels = self.codes(keys["labels"], "`labels`")
            found = structs.replace(found, labels=labels)
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
            return Total(cast(Any, self.choice(kind, "`total`", _total_kinds())), exact=True)
        return Total(cast(Any, self.choice(item, "`total`", _total_kinds())))


def _total_kinds() -> tuple[str, ...]:
    """The aggregates that can be a column's total."""
    return tuple(name for name, aggregate in AGGREGATES.items() if aggregate.totals)
