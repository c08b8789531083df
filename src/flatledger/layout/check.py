"""From the text of a layout to its model: every key read, every fault told."""

from __future__ import annotations

import codecs
from pathlib import PurePath
from typing import Any, cast

from ..errors import LayoutError
from .check_rows import RowForms
from .model import (
    DEFAULT_SEPARATOR,
    Column,
    Condition,
    Expression,
    Grouping,
    LayoutModel,
    Output,
    Total,
)
from .names import LINE_TERMINATORS, proposal
from .text import Item, Mapping, Scalar

LAYOUT_KEYS = (
    *("layout", "about", "source", "row-per", "row-per-group", "without-entries", "columns"),
    *("only", "ask", "expects-order", "take", "sort", "group", "totals", "calendar", "output"),
)
COLUMN_KEYS = (*("value", "text", "decimals", "total", "separator", "aligned", "suppress-output"),)
CONDITION_KEYS = ("keep", "when", "name", "because")
TOTAL_KINDS = ("sum", "avg", "count", "min", "max")
OUTPUT_KEYS = (
    *("file", "delimiter", "quote-char", "quote", "header", "line-terminator", "encoding"),
)
MOST_DECIMALS = 30


def check_layout(item: Item, name: str) -> LayoutModel:
    """Turn the items of a layout into its model. Raises LayoutError with all faults at once."""
    return _Checker(name, item.file).layout(item)


class _Checker(RowForms):
    def __init__(self, name: str, file: str) -> None:
        super().__init__()
        self.name = name
        self.own_file = file

    def layout(self, item: Item) -> LayoutModel:
        keys = self.mapping(item, "a layout", LAYOUT_KEYS)
        columns = self.columns(keys.get("columns"), item)
        model = LayoutModel(
            name=self.text(keys["layout"], "`layout`") if "layout" in keys else self.name,
            about=self.text(keys["about"], "`about`") if "about" in keys else "",
            records=self.source(keys.get("source")),
            row_per=self.row_per(keys.get("row-per")),
            row_per_group=self.row_per_group(keys, columns),
            without_entries=self.without_entries(keys.get("without-entries")),
            columns=columns,
            conditions=self.conditions(keys.get("only")),
            sort=self.sorting(keys.get("sort"), columns),
            expects=self.expectations(keys.get("expects-order")),
            take=self.take(keys.get("take")),
            group=self.grouping(self.group_keys(keys.get("group")), columns),
            group_order=self.group_order(keys.get("group")),
            totals=self.totals(keys.get("totals")),
            calendar=self.calendar(keys.get("calendar")),
            output=self.output(keys.get("output")),
            questions=self.questions(keys.get("ask")),
        )
        self.check_asked(model, keys)
        if model.group_order.as_met and model.totals.subtotals == "before":
            self.fault(keys["totals"], "subtotals before their groups need them sorted, not as-met")
        if self.problems:
            raise LayoutError(self.name, self.problems)
        return model

    def source(self, item: Item | None) -> tuple[str, ...]:
        if item is None:
            return ()
        keys = self.mapping(item, "`source`", ("records",))
        if "records" not in keys:
            return ()
        path = self.expression(keys["records"], "`records`")
        names = getattr(path.node, "names", lambda: None)() if path else ()
        if path and names is None:
            self.problems.append(
                path.problem("`records` takes a path of names, such as data.items")
            )
        return names or ()

    def row_per(self, item: Item | None) -> Expression | None:
        return None if item is None else self.expression(item, "`row-per`")

    def row_per_group(
        self, keys: dict[str, Item], columns: tuple[Column, ...]
    ) -> tuple[Grouping, ...]:
        for other in ("row-per", "group"):
            if "row-per-group" in keys and other in keys:
                self.fault(keys[other], f"`row-per-group` takes the place of `{other}`; keep one")
        return self.grouping(keys.get("row-per-group"), columns)

    def without_entries(self, item: Item | None) -> Any:
        return None if item is None else self.choice(item, "`without-entries`", ("keep", "drop"))

    # ---- columns

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

    # ---- conditions, order, groups

    def conditions(self, item: Item | None) -> tuple[Condition, ...]:
        if item is None:
            return ()
        found = [self.condition(entry) for entry in self.items(item)]
        return tuple(condition for condition in found if condition is not None)

    def condition(self, item: Item) -> Condition | None:
        """A condition; in braces it can have a name, a reason, and a level off the row's way."""
        origin = self.origin(item)
        if not isinstance(item, Mapping):
            value = self.expression(item, "a condition")
            return Condition(value, origin=origin) if value else None
        keys = self.mapping(item, "a condition", CONDITION_KEYS)
        if "when" not in keys:
            self.fault(item, "a condition has at least `when`: {keep: payments, when: ...}")
            return None
        keep = self.expression(keys["keep"], "`keep`") if "keep" in keys else None
        value = self.expression(keys["when"], "`when`")
        texts = {
            key: self.text(keys[key], f"`{key}`") for key in ("name", "because") if key in keys
        }
        return Condition(value, keep, **texts, origin=origin) if value else None

    def origin(self, item: Item) -> str:
        """Where a condition came from, if not from the layout's own file."""
        if item.file == self.own_file:
            return ""
        return PurePath(item.file).stem if item.file else "command line"

    # ---- output

    def output(self, item: Item | None) -> Output:
        if item is None:
            return Output()
        keys = self.mapping(item, "`output`", OUTPUT_KEYS)
        found: dict[str, Any] = {}
        if "file" in keys:
            found["file"] = self.file(keys["file"])
        if "delimiter" in keys:
            found["delimiter"] = self.character(keys["delimiter"], "`delimiter`")
        if "quote-char" in keys:
            found["quote_char"] = self.quote_char(keys["quote-char"])
        if "quote" in keys:
            found["quote_all"] = self.choice(keys["quote"], "`quote`", ("needed", "all")) == "all"
        if "header" in keys:
            found["header"] = self.switch(keys["header"], "`header`")
        if "line-terminator" in keys:
            choice = self.choice(keys["line-terminator"], "`line-terminator`", LINE_TERMINATORS)
            found["line_terminator"] = LINE_TERMINATORS[choice]
        if "encoding" in keys:
            found["encoding"] = self.encoding(keys["encoding"])
        output = Output(**found)
        if output.quote_char == output.delimiter:
            self.fault(item, "the delimiter and the quote character are the same; change one")
        for key in ("delimiter", "quote-char"):
            if getattr(output, key.replace("-", "_")) in ("\r", "\n"):
                self.fault(keys[key], f"`{key}` can't be a line break, which ends a row")
        return output

    def file(self, item: Item) -> str:
        text = self.text(item, "`file`")
        path = PurePath(text)
        if path.is_absolute() or ".." in path.parts:
            self.fault(item, f"`{text}` leaves the folder; name such a file on the command line")
        return text

    def quote_char(self, item: Item) -> str | None:
        if isinstance(item, Scalar) and item.text == "none":
            return None
        return self.character(item, "`quote-char`")

    def encoding(self, item: Item) -> str:
        text = self.text(item, "`encoding`")
        name = "utf-8-sig" if text.lower() in ("utf-8-bom", "utf8-bom") else text
        try:
            info = codecs.lookup(name)
        except LookupError:
            known = ("utf-8", "utf-8-bom", "utf-16", "iso-8859-1", "iso-8859-15", "windows-1252")
            hint = proposal(text, known) or f"; for example {', '.join(known)}"
            self.fault(item, f"no encoding `{text}`{hint}")
            return "utf-8"
        if not getattr(info, "_is_text_encoding", True):
            self.fault(item, f"`{text}` does not encode text; for example utf-8 does")
            return "utf-8"
        return name
