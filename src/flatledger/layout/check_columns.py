"""Checking the columns of a layout."""

from __future__ import annotations

from typing import Any, cast

from .check_rows import RowForms
from .model import DEFAULT_SEPARATOR, Column, Total
from .text import Item, Mapping, Scalar

COLUMN_KEYS = (*("value", "text", "decimals", "total", "separator", "aligned", "suppress-output"),)
TOTAL_KINDS = ("sum", "avg", "count", "min", "max")
MOST_DECIMALS = 30


class ColumnForms(RowForms):
    """Reads `columns`."""

    def columns(self, item: Item | None, layout: Item) -> tuple[Column, ...]:
        found = [self.column(entry) for entry in self.items(item)] if item is not None else []
        columns = [column for column in found if column is not None]
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
        return tuple(columns)

    def column(self, item: Item) -> Column | None:
        if not isinstance(item, Mapping) or not item.pairs:
            self.fault(item, "a column is `Heading: expression`")
            return None
        heading, value = item.pairs[0]
        for extra, _ in item.pairs[1:]:
            self.fault(extra, self.extra_key(heading.text, extra.text))
        if not heading.text.strip():
            self.fault(heading, "a column needs a heading")
        place = (heading.line, heading.column, heading.file)
        if isinstance(value, Mapping):
            properties = self.column_properties(value, heading.text)
            return Column(heading.text, **properties, place=place)
        if isinstance(value, Scalar) and not value.text.strip() and not value.style:
            return Column(heading.text, place=place)
        expression = self.expression(value, f"column `{heading.text}`")
        return Column(heading.text, expression, place=place)

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
        if "value" in keys:
            found["value"] = self.expression(keys["value"], where)
        if "text" in keys:
            found["text"] = self.text(keys["text"], f"`text` of {where}")
        if "decimals" in keys:
            found["decimals"] = self.whole_number(keys["decimals"], "`decimals`", MOST_DECIMALS)
        if "total" in keys:
            found["total"] = self.total(keys["total"])
            if "value" not in keys:
                self.fault(item, f"{where} has a total but no `value` to add up")
        if "separator" in keys:
            found["separator"] = self.named_text(keys["separator"], "`separator`")
        else:
            found["separator"] = DEFAULT_SEPARATOR
        if "aligned" in keys:
            found["aligned"] = self.switch(keys["aligned"], "`aligned`")
        if "suppress-output" in keys:
            found["suppressed"] = self.switch(keys["suppress-output"], "`suppress-output`")
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
