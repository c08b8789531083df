"""Random layouts over records that hold anything anywhere: told or balanced, never a traceback."""

from __future__ import annotations

import random
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from tests.conftest import table

PATHS = """
x.lines[0].p | x.lines[-1].q | x.lines[1:].p | x.lines[?@.q > 1].p | $..p | $..w | $..['en'] | x
sum(x.lines[?@.q > 1].q) | count(x.lines[?@.q > 0]) | count(x.lines) | sum(x.lines.q) | $.x..q
listagg(x.lines.p, '/') | min(x.lines.q) | max(x.lines.lots.w) | first(x.lines.p) | last(x.lines.q)
any(x.lines.q = 1) | every(x.lines.q >= 1) | count(distinct x.lines.p) | avg(x.lines.q)
sum(distinct x.lines.lots.w) | sum(x.lines[?@.p == 'b'].lots[*].w) | mentions($, 'a')
sum(x.lines.lots.w) | count(x.lines.lots) | x.lines[0].lots[0].w | count(names.*) | $..lots
pays[0].m | sum(pays.m) | count(pays) | names.en | sum(names.*) | count($..w) | names.*
max(x.lines[?count(@.lots[*]) > 1].q) | case when x.lines[0].q > 1 then 'y' else 'n' end
""".replace("\n", "|")
EXPRESSIONS = [text.strip() for text in PATHS.split("|") if text.strip()]
PLAIN = [1, 0, "a", "b", "2026-01-01", "2026-01-01T10:00+02:00", "PT1H", True, None, 1.5, "10", "9"]
MORE = """x.lines.p | x.lines.q * 2 | names.* | pays | site | cast(site as date) | x.lines.q > '9'
| x.lines.p in ('1', 'a') | site + interval '1' day | working_time(site, 'hours') | $..lots
| depth() | numbering() | ordinal() | parent(x.lines.q) | trail(x.lines.p, '/') | root(x.lines.p)
| chain_product(x.lines.q) | sum(below(x.lines.q)) | listagg(from_here(x.lines.lots.w))
| ancestor(x.lines.lots.w, 2) | indented(x.lines.p) | sum(all_nodes(x.lines.q)) | is_match()
| count(below(x.lines)) | sum(chain_product(x.lines.lots.w)) | min(below(x.lines.lots.w))"""
DATATYPES = ["string", "integer", "decimal", "date", "dateTime", "time", "duration", "boolean"]
CONDITIONS: list[Any] = [
    *("x.lines.q > 0", "site = 'a'", "any(pays.m > 0)"),
    {"keep": "pays", "when": "pays.m > 0"},
    {"keep": "x.lines", "when": "x.lines.q > 0", "with": "branch"},
    {"keep": "x.lines", "when": "depth() = 2", "with": "ancestors"},
    *("is_leaf()", "depth() < 3", "sum(below(x.lines.q)) > 1"),
]
TREES: list[dict[str, Any]] = [
    {"nests": {"x.lines": "lots"}},
    {"nest": {"of": "x.lines", "key": "p", "parent": "q"}},
    {"nest": {"of": "pays", "depth": "m"}},
    {"open": {"x.lines": {"to-depth": 2}}},
    {"open": {"x.lines": {"until": "x.lines.q > 1"}, "x.lines.lots": "no"}},
    {"opens-by": {"key": "x.lines.p", "named-by": "site"}},
]


class Odd:
    """Makes layouts and records by one source of chance."""

    def __init__(self, chance: random.Random) -> None:
        self.chance = chance

    def maybe(self, share: float) -> bool:
        return self.chance.random() < share

    def value(self, depth: int = 0) -> Any:
        if depth > 2 or self.maybe(0.6):
            return self.chance.choice([*PLAIN, "5 kg", {}, []])
        if self.maybe(0.5):
            return [self.value(depth + 1) for _ in range(self.chance.randint(0, 3))]
        names = self.chance.sample(["p", "q", "w", "m", "lots"], self.chance.randint(0, 3))
        return {name: self.value(depth + 1) for name in names}

    def line(self) -> Any:
        lots = [{"w": self.value(2)} for _ in range(self.chance.randint(0, 3))]
        odd = self.value() if self.maybe(0.3) else lots
        line = {"p": self.value(2), "q": self.value(2), "lots": odd}
        if self.maybe(0.2):
            line["lines"] = self.value() if self.maybe(0.3) else [self.line()] * 2
        return line

    def record(self) -> Any:
        if self.maybe(0.15):
            return self.value()
        lines = [self.line() for _ in range(self.chance.randint(0, 3))]
        x = self.value() if self.maybe(0.2) else {"lines": lines}
        pays = self.value() if self.maybe(0.3) else [{"m": self.value(2)}] * 2
        names = self.value() if self.maybe(0.3) else {"cy": 1, "en": self.value(2)}
        return {"site": self.value(2), "x": x, "pays": pays, "names": names}

    def column(self, place: int) -> dict[str, Any]:
        choices = EXPRESSIONS + [one.strip() for one in MORE.split("|")]
        column: dict[str, Any] = {"value": self.chance.choice(choices)}
        if self.maybe(0.3):
            ways: list[Any] = ["sum", "count", "min", "max", "avg", {"sum": "all"}, {"avg": "tops"}]
            column["total"] = self.chance.choice(ways)
        if self.maybe(0.3):
            column["datatype"] = self.chance.choice(DATATYPES)
        return {f"C{place}": column}

    def layout(self) -> dict[str, Any]:
        choose = self.chance.choice
        layout: dict[str, Any] = {
            "row-per": choose(["record", "x.lines", "x.lines.lots", "names.*", "pays"]),
            "columns": [self.column(place) for place in range(self.chance.randint(1, 4))],
        }
        if self.maybe(0.2):
            value = choose(["x.lines.q", "sum(x.lines.q)", "site", "count(x.lines)"])
            spread = {"columns-from": "x.lines", "named-by": "x.lines.p", "value": value}
            layout["columns"].append({"K": spread})
        if self.maybe(0.4):
            layout["levels"] = self.chance.sample(["x.lines", "x.lines.lots", "pays", "x"], 2)
        if self.maybe(0.4):
            layout["sort"] = [choose(["C0", "C0 desc", "site"])]
        if self.maybe(0.4):
            detail, place = choose(["yes", "no"]), choose(["before", "after"])
            layout |= {"group": ["C0"], "totals": {"detail": detail, "subtotals": place}}
        if self.maybe(0.3):
            layout["only"] = [choose(CONDITIONS)]
        if self.maybe(0.3):
            layout |= choose(TREES)
        if self.maybe(0.2):
            layout["primary-key"] = ["C0"]
        if self.maybe(0.2):
            layout["take"] = {"first": 2, "of": choose(["rows", "records"])}
        return layout


@settings(max_examples=250)
@given(st.randoms(use_true_random=False))
def test_any_layout_over_any_records_is_told_or_balanced(chance: random.Random) -> None:
    odd = Odd(chance)
    records = [odd.record() for _ in range(chance.randint(0, 6))]
    layout = odd.layout()
    try:
        _, balance = table(layout, [*records * chance.choice([1, 1, 60]), odd.record()])
    except flatledger.FlatLedgerError:
        return
    assert balance.balanced


@pytest.mark.parametrize(
    ("layout", "records"),
    [
        (  # nodes in a list within a list are nodes like others
            {"levels": ["x"], "row-per": "x", "columns": [{"A": "ancestor(x.lots.w, 2)"}]},
            [{"x": [{"lots": {"w": 1}, "x": [{"lots": 0}]}]}, {"x": [{"lots": {}, "x": [[{}]]}]}],
        ),
        (
            {
                "row-per": "x",
                "columns": [{"A": "min(below(x.q))"}],
                "open": {"x": {"until": "x.q > 1"}},
            },
            [{"x": [{"q": 1, "x": [{"q": 3}]}]}, {"x": [{"q": 1, "x": [[{"q": 2}]]}]}],
        ),
        (  # a function of trees is about no other tree, be it supposed
            {"row-per": "x", "columns": [{"A": "sum(chain_product(x.lots.w))"}]},
            [{"x": [{"lots": {"w": 1}}, {"lots": [{"w": 5}]}, {"lots": {"w": {"q": 1}}}]}],
        ),
        (  # kept nodes of a supposed tree, at a place that is no stated level
            {
                "levels": [],
                "columns": [
                    {"C": "$..lots"},
                    {"K": {"columns-from": "x", "named-by": "x.p", "value": "count(x)"}},
                ],
                "only": [{"keep": "x", "when": "x.q > 0", "with": "branch"}],
            },
            [{"x": [{}, {"q": "10"}]}],
        ),
    ],
)
def test_odd_trees(layout: Any, records: list[Any]) -> None:
    _, balance = table(layout, records)
    assert balance.balanced


def test_lists_of_empty_lists_have_no_nodes() -> None:
    """Neither where records are read nor by definition."""
    tree = {"x": {"lines": [{"lots": {"lots": {}}}]}}
    for empty in ([[], []], [[]], [None, []], []):
        layout = {"row-per": "x.lines.lots", "columns": [{"D": "depth()"}]}
        rows, balance = table(layout, [{"x": {"lines": [{"lots": empty}]}}, tree])
        assert (rows, balance.balanced) == ([(None,), (1,), (2,)], True)


@pytest.mark.parametrize("row_per", ["record", "p"])
def test_what_has_no_fields_stays_beside_entries_that_are_judged_below(row_per: str) -> None:
    """A level between is put together again with the kept entries below it, and nothing is lost."""
    layout = {
        "levels": ["x", "x.lines", "p"],
        "row-per": row_per,
        "columns": [{"X": {"value": "x", "separator": "; "}}, {"Count": "count(x.lines)"}],
        "only": [{"keep": "x.lines", "when": "x.lines.q = 2"}],
    }
    some = ["a", {"lines": [{"q": 2}, {"q": 3}]}, None, {"lines": {"q": 1}}]
    for x, shown, count in (
        ("a", "a", 0),
        (some, "a; 2", 1),
        ([None, {"lines": [{"q": 3}]}], "", 0),
        ({"lines": [{"q": 2}, {"q": 3}]}, "2", 1),
        (None, None, 0),
    ):
        rows, balance = table(layout, [{"x": x, "p": [{}]}, {"x": [{"lines": {"q": 2}}], "p": {}}])
        assert (rows, balance.balanced) == ([(shown, count), ("2", 1)], True)
