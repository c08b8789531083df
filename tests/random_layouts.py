"""Random layouts over random records, of every kind: what tests hold the fast way against."""

from __future__ import annotations

import random
from collections.abc import Callable
from decimal import Decimal
from typing import Any

NUMBERS = {
    "record": ["fee"],
    "lines": ["lines.q", "lines.each"],
    "lines.lots": ["lines.lots.w"],
    "lines.opts": ["lines.opts.v"],
    "pays": ["pays.m"],
    "names.*": ["names.*"],
    "parts": ["parts.n"],
    "parts.tests": ["parts.tests.r"],
}
TEXTS = {
    "record": ["site", "day"],
    "lines": ["lines.p", "lines.day"],
    "lines.opts": ["lines.opts.k"],
    "pays": ["pays.by"],
    "names.*": ["key(names.*)"],
    "parts": ["parts.c"],
}
WORDS = ["a", "b", "ab", "10", "9", "A"]
LEVELS = list(NUMBERS)
SELECTED = [
    "lines[0].q",
    "lines[-1].each",
    "lines[1:].q",
    "lines[?@.q > 1].q",
    "lines[0].lots.w",
    "lines[?@.p == 'a'].lots[*].w",
    "lines.opts[?@.k == 'a'].v",
    "lines.opts[*].v",
    "lines.lots[0].w",
    "pays[*].m",
    "$..w",
    "parts[0].n",
    "lines.opts[?@.v > 1 && @.k != 'b'].v",
    "parts.tests[?@.r > 0].r",
]
AGGREGATES = ["sum", "avg", "count", "min", "max", "first", "last"]
COMPARISONS = ["=", "<>", "<", "<=", ">", ">="]
OF_TREES = ["depth()", "ordinal()", "numbering()", "is_leaf()", "parent(parts.n)", "root(parts.c)"]
OF_TREES += ["trail(parts.c, '/')", "chain_product(parts.n)", "ancestor(parts.n, 2)"]
OF_TREES += ["sum(below(parts.n))", "count(from_here(parts))", "indented(parts.c)"]
OF_TREES += ["sum(all_nodes(parts.n))", "max(below(parts.tests.r))", "listagg(below(parts.c))"]


class Chance:
    """Makes records and layouts by one source of chance. ``odd`` is the share of values that are
    not what stands there as a rule."""

    def __init__(self, chance: random.Random, odd: float = 0.0) -> None:
        self._chance, self._odd = chance, odd

    def one(self, *choices: Any) -> Any:
        return self._chance.choice(choices)

    def maybe(self, share: float) -> bool:
        return self._chance.random() < share

    def some(self, make: Callable[[], Any], most: int) -> list[Any]:
        return [make() for _ in range(self._chance.randint(0, most))]

    # ---- records

    def record(self) -> dict[str, Any]:
        """One record: lists, lone objects, a mapping, a tree, and values of all kinds."""
        record = {
            "site": self.word(),
            "fee": self.number(),
            "day": self.day(),
            "lines": self.listed(self.line, 3),
            "pays": self.listed(lambda: {"m": self.number(), "by": self.word()}, 2),
            "names": {name: self.number() for name in ("cy", "en", "fr") if self.maybe(0.6)},
            "parts": self.some(lambda: self.part(1), 2),
        }
        return {name: value for name, value in record.items() if not self.maybe(0.05)}

    def line(self) -> dict[str, Any]:
        return {
            "p": self.word(),
            "q": self.number(),
            "each": self.number(),
            "day": self.day(),
            "opts": self.listed(lambda: {"k": self.one("a", "b"), "v": self.number()}, 2),
            "lots": self.some(lambda: {"w": self.number()}, 2),
        }

    def part(self, depth: int) -> dict[str, Any]:
        part: dict[str, Any] = {"n": self.number(), "c": self.word()}
        if self.maybe(0.5):
            part["tests"] = self.some(lambda: {"r": self.number()}, 2)
        if depth < 3 and self.maybe(0.5):
            part["parts"] = self.some(lambda: self.part(depth + 1), 2)
        return part

    def listed(self, make: Callable[[], Any], most: int) -> Any:
        """Entries of a level: a list as a rule, now and then a lone one or none."""
        if self.maybe(0.1):
            return self.one(None, make())
        return self.some(make, most)

    def strange(self) -> Any:
        return self.one("few", "", " ", True, [1, 2], {"x": 1}, [], {}, "1e2", "007", " 5 ")

    def number(self) -> Any:
        if self.maybe(self._odd):
            return self.strange()
        if self.maybe(0.15):
            return None
        return self.one(
            0, 1, 2, 3, 10, Decimal("1.50"), Decimal("0.25"), Decimal("-2.5"), "4", "1.0"
        )

    def word(self) -> Any:
        if self.maybe(self._odd):
            return self.strange()
        return None if self.maybe(0.1) else self.one(*WORDS)

    def day(self) -> Any:
        if self.maybe(self._odd):
            return self.strange()
        return self.one(None, "2026-01-31", "2026-03-01", "2026-03-01T14:30:00", "2025-12-24")

    # ---- expressions, over the fields of a level and those above it

    def chain(self, level: str) -> list[str]:
        """The levels from the record down to one; now and then any, which is mostly refused."""
        if self.maybe(0.03):
            return LEVELS
        return ["record", *(one for one in LEVELS if level == one or level.startswith(one + "."))]

    def field(self, level: str, *kinds: dict[str, list[str]]) -> str:
        own = [one for kind in kinds for at in self.chain(level) for one in kind.get(at, [])]
        return str(self.one(*own))

    def number_of(self, depth: int, level: str) -> str:
        """An expression that gives a number."""
        if depth <= 0 or self.maybe(0.35):
            if self.maybe(0.15):
                return str(self.one("1", "2", "0.5", "-1"))
            return self.field(level, NUMBERS)

        def number() -> str:
            return self.number_of(depth - 1, level)

        def text() -> str:
            return self.text_of(depth - 1, level)

        def truth() -> str:
            return self.truth_of(depth - 1, level)

        return str(
            self.one(
                lambda: f"{number()} {self.one(*'+-*/')} {number()}",
                lambda: f"-({number()})",
                lambda: f"{self.one('abs', 'floor', 'ceiling', 'round')}({number()})",
                lambda: f"coalesce({number()}, {number()})",
                lambda: f"case when {truth()} then {number()} end",
                lambda: f"case when {truth()} then {number()} else {number()} end",
                lambda: f"cast({text()} as {self.one('integer', 'decimal')})",
                lambda: f"nullif({number()}, {number()})",
                lambda: self.aggregate(depth - 1),
                lambda: self.aggregate(depth - 1),
                lambda: f"char_length({text()})",
                lambda: f"mod({number()}, {number()})",
            )()
        )

    def aggregate(self, depth: int) -> str:
        """An aggregate over the entries of any level."""
        name, level = self.one(*AGGREGATES), self.one(*LEVELS)
        if self.maybe(0.2):
            return f"{name}({self.one(*SELECTED)})"
        if name == "count" and level != "record":
            return f"count({level})"
        distinct = "distinct " if self.maybe(0.15) else ""
        inner = self.number_of(depth if self.maybe(0.5) else 0, level)
        if not any(field in inner for fields in NUMBERS.values() for field in fields):
            inner = f"{inner} * {self.field(level, NUMBERS)}"
        return f"{name}({distinct}{inner})"

    def text_of(self, depth: int, level: str) -> str:
        """An expression that gives a text, or what can be taken as one."""
        if depth <= 0 or self.maybe(0.4):
            return str(self.one("'a'", "'10'")) if self.maybe(0.2) else self.field(level, TEXTS)

        def text() -> str:
            return self.text_of(depth - 1, level)

        return str(
            self.one(
                lambda: f"{text()} || {text()}",
                lambda: f"{self.one('upper', 'lower')}({text()})",
                lambda: f"substring({text()} from 1 for 1)",
                lambda: f"coalesce({text()}, {text()})",
                lambda: f"case {text()} when {text()} then {text()} else {text()} end",
                lambda: f"cast({self.number_of(depth - 1, level)} as varchar)",
                lambda: f"listagg({self.text_of(depth - 1, self.one(*LEVELS))}, '/')",
                lambda: (
                    f"{self.one('min', 'max', 'first', 'last')}"
                    f"({self.field(self.one(*LEVELS), TEXTS)})"
                ),
            )()
        )

    def truth_of(self, depth: int, level: str) -> str:
        """A condition; fields are compared with fields of any level, both ways round."""
        if depth <= 0 or self.maybe(0.3):
            left, right = (self.field(level, NUMBERS, TEXTS) for _ in range(2))
            right = self.one(right, right, "1", "'a'", "'10'", "date '2026-03-01'")
            return f"{left} {self.one(*COMPARISONS)} {right}"

        def number() -> str:
            return self.number_of(depth - 1, level)

        def text() -> str:
            return self.text_of(depth - 1, level)

        def truth() -> str:
            return self.truth_of(depth - 1, level)

        return str(
            self.one(
                lambda: f"{number()} {self.one(*COMPARISONS)} {number()}",
                lambda: f"{text()} {self.one(*COMPARISONS)} {text()}",
                lambda: f"({truth()} {self.one('and', 'or')} {truth()})",
                lambda: f"not ({truth()})",
                lambda: f"{number()} between {number()} and {number()}",
                lambda: f"{text()} {self.one('in', 'not in')} ('a', 'b', '10')",
                lambda: f"{number()} in (1, 2, {number()})",
                lambda: f"{text()} is {self.one('null', 'not null')}",
                lambda: f"({truth()}) is {self.one('true', 'unknown', 'not false')}",
                lambda: (
                    f"{self.one('any', 'every')}({self.truth_of(depth - 1, self.one(*LEVELS))})"
                ),
                lambda: f"{text()} like '{self.one('a%', '%1%', '_')}'",
                lambda: f"{self.one('day', text())} {self.one('<', '>=')} date '2026-03-01'",
            )()
        )

    def expression(self, level: str) -> str:
        if level.startswith("parts") and self.maybe(0.3):
            return str(self.one(*OF_TREES))
        if self.maybe(0.1):
            return str(self.one(*SELECTED, *NUMBERS[self.one(*LEVELS)]))
        return str(self.one(self.number_of, self.number_of, self.text_of, self.truth_of)(2, level))

    # ---- layouts

    def column(self, place: int, level: str) -> dict[str, Any]:
        """A column with some keys."""
        numeric = self.maybe(0.6)
        column: dict[str, Any] = {
            "value": self.number_of(2, level) if numeric else self.expression(level)
        }
        if numeric and self.maybe(0.4):
            column["decimals"] = self.one(0, 1, 2)
        if self.maybe(0.4):
            column["total"] = self.one("sum", "count", "min", "max", "avg") if numeric else "count"
            if numeric and self.maybe(0.2):
                column["total"] = self.one(["sum", "avg"], ["avg", "max"], ["count", "avg", "sum"])
        if not numeric and self.maybe(0.15):
            column["datatype"] = self.one("date", "integer", "string", "boolean")
        if self.maybe(0.1):
            column["separator"] = "/"
        return {f"C{place}": column}

    def condition(self, row: str) -> Any:
        """A condition, on the way to the row or on a level that it names."""
        if row.startswith("parts") and self.maybe(0.4):
            when = self.one("parts.n > 1", "depth() < 3", "is_leaf()", "parts.c = 'a'")
            if self.maybe(0.5):
                return {"keep": "parts", "when": when, "with": self.one("branch", "ancestors")}
            return when
        aside = [one for one in LEVELS[1:] if one not in self.chain(row)]
        if aside and self.maybe(0.3):
            level = self.one(*aside)
            kept = {"with": self.one("branch", "ancestors")} if level == "parts" else {}
            kept = kept if self.maybe(0.5) else {}
            return {"keep": level, "when": self.truth_of(1, level), **kept}
        return self.truth_of(2, row)

    def layout(self) -> dict[str, Any]:
        """A layout: its rows, columns, conditions, order, groups and totals."""
        row = self.one(*LEVELS)
        layout: dict[str, Any] = {
            "row-per": row,
            "columns": [self.column(place, row) for place in range(self._chance.randint(1, 3))],
        }
        if self.maybe(0.5):
            layout["only"] = [self.condition(row) for _ in range(self.one(1, 1, 2, 3))]
            if any("with" in one for one in layout["only"]) and row.startswith("parts"):
                layout["columns"].append({"Match": "is_match()"})
        if self.maybe(0.3):
            layout["levels"] = [one for one in LEVELS[1:] if one != "names.*"]
        if self.maybe(0.2):
            layout["fields"] = {
                "lines.q": {"datatype": "decimal", "reads": "numeral"},
                "day": "date",
                "lines.p": "string",
            }
        if self.maybe(0.15):
            layout["without-entries"] = self.one("drop", "keep")
        above = self.chain(row)[:-1] if row in self.chain(row)[-1:] else []
        if above and self.maybe(0.3):
            layout["row-per"] = [*(one for one in above if self.maybe(0.8)), row]
            if self.maybe(0.3):
                layout["columns"].append({"Level": self.one("level()", "upper(level())")})
            if self.maybe(0.3):
                layout["repeat-parents"] = "yes"
        return layout

    def table(self) -> dict[str, Any]:
        """A layout with an order, groups, totals, and now and then so many rows only."""
        layout = self.layout()
        headings = [next(iter(column)) for column in layout["columns"]]
        if self.maybe(0.6):
            layout["sort"] = [
                f"{one}{self.one('', ' desc')}" for one in self.some(lambda: self.one(*headings), 2)
            ]
        if self.maybe(0.6):
            free = [
                name
                for column in layout["columns"]
                for name in column
                if "total" not in column[name]
            ]
            group = [self.one(*free)] if free and self.maybe(0.6) else []
            if self.maybe(0.4):
                row = layout["row-per"]
                group.append(self.field(row if isinstance(row, str) else row[0], TEXTS))
            where = self.one("after", "before")
            layout["group"] = self.keys(list(dict.fromkeys(group)), where)
            layout["totals"] = {
                "subtotals": self.one(where, where, "none"),
                "detail": self.one("yes", "yes", "no"),
                **self.one({}, {}, {"label": "{entries} of {group}"}, {"grand-label": "{rows}"}),
            }
        elif self.maybe(0.3):
            layout["take"] = {"first": 3, "of": self.one("rows", "records")}
        return layout

    def keys(self, keys: list[str], where: str) -> list[Any]:
        """Group keys, some with what is said of each."""
        if self.maybe(0.5):
            return keys
        found: list[Any] = []
        for key in keys:
            said: dict[str, Any] = {"by": key}
            if self.maybe(0.5):
                said["subtotals"] = self.one(where, "none")
            if self.maybe(0.4):
                said["label"] = self.one("All of {group}", "{rows} rows", "{entries} of {group}")
            if key.startswith("C") and self.maybe(0.4):
                said["heading"] = self.one("first", "row")
            found.append(said)
        return found

    def by_level(self, layout: dict[str, Any]) -> dict[str, Any]:
        """A layout of stacked rows, now and then with columns by level."""
        levels = layout["row-per"]
        if isinstance(levels, str) or len(levels) < 2 or self.maybe(0.5):
            return layout
        columns: dict[str, list[Any]] = {level: [] for level in levels}
        for column in layout["columns"]:
            text = str(next(iter(column.values())))
            own = [at for at, level in enumerate(levels) if f"{level}." in text]
            total = "'total'" in text
            level = levels[max(own)] if own and (total or self.maybe(0.7)) else self.one(*levels)
            columns[level].append(column)
        for level in (level for level, own in columns.items() if not own):
            columns[level].append({f"Text of {level}": {"text": "x"}})
        return {**layout, "columns": columns}

    def grouped(self) -> dict[str, Any]:
        """A layout in which a row stands for a group."""
        level = self.one(*LEVELS)
        keys = [self.one(self.field(level, TEXTS), self.field(level, NUMBERS))]
        if self.maybe(0.3):
            keys.append(self.field(level, TEXTS))
        if level == "parts" and self.maybe(0.3):
            keys.append("depth()")
        keys = list(dict.fromkeys(keys))
        columns: list[dict[str, Any]] = [{f"K{at}": key} for at, key in enumerate(keys)]
        for place in range(self.one(1, 2, 3)):
            text = self.one(
                *[lambda: self.aggregate(1)] * 4,
                lambda: (
                    f"listagg({self.one('', 'distinct ')}{self.field(level, TEXTS, NUMBERS)}, '/')"
                ),
                lambda: f"{self.one('any', 'every')}({self.truth_of(1, level)})",
            )()
            if self.maybe(0.3):
                text = f"{text} {self.one(*'+-*/')} {self.one(self.aggregate(1), '2')}"
            column: dict[str, Any] = {"value": text}
            if self.maybe(0.4):
                column["decimals"] = self.one(0, 1, 2)
            if self.maybe(0.5):
                column["total"] = "sum"
            columns.append({f"C{place}": column})
        layout: dict[str, Any] = {"row-per-group": keys, "columns": columns}
        if self.maybe(0.3):
            layout["totals"] = {"grand-label": "{rows} rows of {entries}"}
        if self.maybe(0.5):
            layout["only"] = [self.condition(level) for _ in range(self.one(1, 1, 2))]
        if self.maybe(0.3):
            layout["levels"] = [one for one in LEVELS[1:] if one != "names.*"]
        if self.maybe(0.3):
            layout["sort"] = [
                f"{self.one(*[next(iter(c)) for c in columns])}{self.one('', ' desc')}"
            ]
        if self.maybe(0.15):
            layout["take"] = {"first": 2, "of": "rows"}
        return layout
