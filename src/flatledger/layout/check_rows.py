"""Checking what a layout says of its rows: their order, how many, groups and totals."""

from __future__ import annotations

import re
from typing import Any, cast

from ..errors import ExpressionError, Problem
from ..language import parse_sort_key
from ..language.nodes import Collate, Node
from .check_additions import AdditionForms
from .column import Column, Expression
from .model import Calendar, Expectation, Grouping, GroupOrder, Sorting, Take, Totals
from .text import Item, Mapping, Scalar

CALENDAR_KEYS = ("hours-per-day", "days-per-week")
GROUP_KEYS = ("by", "order", "returning")
TAKE_KEYS = ("first", "every", "of")
TOTALS_KEYS = ("subtotals", "detail", "grand-total", "label", "grand-label")
MOST_TAKEN = 999_999_999
_SORT_KEY = re.compile(
    r"(?P<heading>.*?)(?:\s+collate\s+(?P<collation>\"[^\"]+\"|\S+))?(?:\s+(?P<order>asc|desc))?"
    r"(?:\s+nulls\s+(?P<nulls>first|last))?",
    re.IGNORECASE,
)


class RowForms(AdditionForms):
    """Reads `sort`, `group`, `take`, `expects-order`, `totals` and `calendar`."""

    def sorting(self, item: Item | None, columns: tuple[Column, ...]) -> tuple[Sorting, ...]:
        if item is None:
            return ()
        keys = [self.sort_key(entry, columns) for entry in self.items(item)]
        return tuple(key for key in keys if key is not None)

    def sort_key(self, item: Item, columns: tuple[Column, ...]) -> Sorting | None:
        if not isinstance(item, Scalar):
            self.fault(item, "`sort` takes headings or expressions, each with `desc` if need be")
            return None
        text = item.text.strip()
        found = _SORT_KEY.fullmatch(text)
        if self.heading(text, columns):
            return Sorting(None, text, place=item.place(0))
        if found and self.heading(found["heading"], columns):
            return Sorting(
                None,
                found["heading"],
                descending=(found["order"] or "").lower() == "desc",
                nulls_first=(found["nulls"] or "").lower() == "first",
                collation=(found["collation"] or "").strip('"'),
                place=item.place(0),
            )
        try:
            key = parse_sort_key(item.text)
        except ExpressionError as error:
            self.problems.append(Problem(f"`sort`: {error}", *item.place(error.position)))
            return None
        value: Node = key.value
        collation = ""
        if isinstance(value, Collate):
            collation = value.collation
            value = value.operand
        ways = key.descending, bool(key.nulls_first), collation, item.place(0)
        return Sorting(Expression(item, value), None, *ways)

    def grouping(self, item: Item | None, columns: tuple[Column, ...]) -> tuple[Grouping, ...]:
        keys = []
        for entry in () if item is None else self.items(item):
            text = entry.text.strip() if isinstance(entry, Scalar) else ""
            if self.heading(text, columns):
                keys.append(Grouping(None, text, text))
            elif (expression := self.expression(entry, "`group`")) is not None:
                keys.append(Grouping(expression, None, text))
        return tuple(keys)

    def heading(self, text: str, columns: tuple[Column, ...]) -> bool:
        return any(column.heading == text for column in columns)

    def group_keys(self, item: Item | None) -> Item | None:
        """What to group by: `group` itself, or its `by`."""
        if not isinstance(item, Mapping):
            return item
        keys = self.mapping(item, "`group`", GROUP_KEYS)
        if "by" not in keys:
            self.fault(item, "`group` has at least `by`: {by: [Station], order: as-met}")
        return keys.get("by")

    def group_order(self, item: Item | None) -> GroupOrder:
        pairs = item.pairs if isinstance(item, Mapping) else ()
        keys = {key.text: value for key, value in pairs}
        order = GroupOrder()
        if "order" in keys:
            as_met = self.choice(keys["order"], "`order`", ("sorted", "as-met")) == "as-met"
            order = GroupOrder(as_met)
        if "returning" in keys:
            allowed = self.choice(keys["returning"], "`returning`", ("refused", "allowed"))
            order = GroupOrder(order.as_met, allowed == "allowed")
            if not order.as_met:
                self.fault(keys["returning"], "`returning` goes with `order: as-met`")
        return order

    def take(self, item: Item | None) -> Take | None:
        if item is None:
            return None
        keys = self.mapping(item, "`take`", TAKE_KEYS)
        if "of" not in keys or not keys.keys() & {"first", "every"}:
            self.fault(item, "`take` says how many of what: {first: 100, of: rows}")
            return None
        of = self.choice(keys["of"], "`of`", ("rows", "records"))
        numbers = {
            key: self.whole_number(keys[key], f"`{key}`", MOST_TAKEN)
            for key in ("first", "every")
            if key in keys
        }
        if numbers.get("every") == 0:
            self.fault(keys["every"], "`every` counts from 1")
        return Take(cast(Any, of), numbers.get("first"), max(numbers.get("every", 1), 1))

    def expectations(self, item: Item | None) -> tuple[Expectation, ...]:
        found = [self.expectation(entry) for entry in self.items(item)] if item is not None else []
        return tuple(one for one in found if one is not None)

    def expectation(self, item: Item) -> Expectation | None:
        """A path whose values never go back, or ``{entry: …, after: …}``."""
        if isinstance(item, Mapping):
            keys = self.mapping(item, "`expects-order`", ("entry", "after"))
            paths = [self.plain_path(keys[key], key) for key in ("entry", "after") if key in keys]
            if len(keys) < 2:
                self.fault(item, "`expects-order` takes {entry: tasks.no, after: tasks.needs}")
            elif None not in paths and paths[0][:-1] != paths[1][:-1]:  # type: ignore[index]
                self.fault(item, "`entry` and `after` are fields of the same entry")
            if len(paths) < 2 or None in paths:
                return None
            return Expectation(cast(Any, paths[0]), after=cast(Any, paths[1]))
        key = self.sort_key(item, ())
        if key is None or key.value is None:
            return None
        path = self.plain_path(key.value.scalar, "expects-order", key.value.node)
        return Expectation(path, key.descending, key.collation) if path else None

    def totals(self, item: Item | None) -> Totals:
        if item is None:
            return Totals()
        keys = self.mapping(item, "`totals`", TOTALS_KEYS)
        found: dict[str, Any] = {}
        if "subtotals" in keys:
            options = ("after", "before", "none")
            found["subtotals"] = self.choice(keys["subtotals"], "`subtotals`", options)
        if "detail" in keys:
            found["detail"] = self.switch(keys["detail"], "`detail`")
        if "grand-total" in keys:
            found["grand_total"] = self.switch(keys["grand-total"], "`grand-total`")
        for key, field in (("label", "label"), ("grand-label", "grand_label")):
            if key in keys:
                found[field] = self.text(keys[key], f"`{key}`")
        return Totals(**found)

    def calendar(self, item: Item | None) -> Calendar:
        if item is None:
            return Calendar()
        keys = self.mapping(item, "`calendar`", CALENDAR_KEYS)
        hours = self.amount(keys.get("hours-per-day"), "`hours-per-day`", 8, 24)
        return Calendar(hours, self.amount(keys.get("days-per-week"), "`days-per-week`", 5, 7))
