"""Conditions that compare fields of any level with fields of any other, against plain loops."""

from __future__ import annotations

import ast
import operator
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.compile import keeping
from flatledger.compile.emitter import Emitter
from flatledger.compile.loads_checked import LoadedTwiceError, check_loads

FIELDS = {  # each level with its fields; nulls are in the data
    "": ("limit", "least"),
    "lines": ("lines.limit", "lines.qty"),
    "lines.lots": ("lines.lots.kg", "lines.lots.least"),
}
LEVELS = list(FIELDS)
OPERATORS: dict[str, Callable[[Any, Any], bool]] = {
    "=": operator.eq,
    "<>": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}
NUMBER = st.sampled_from([None, 0, 1, 1, 2, 2, 3])
LOT = st.fixed_dictionaries({"kg": NUMBER, "least": NUMBER})
LINE = st.fixed_dictionaries(
    {"limit": NUMBER, "qty": NUMBER, "lots": st.lists(LOT, min_size=1, max_size=3) | st.just([])}
)
RECORD = st.fixed_dictionaries(
    {
        "limit": NUMBER,
        "least": NUMBER,
        "lines": st.lists(LINE, min_size=1, max_size=3) | st.just([]),
    }
)
Comparison = tuple[str, str, str]


@st.composite
def cases(draw: st.DrawFn) -> tuple[list[Any], list[list[Comparison]], int]:
    """Records, conditions on levels as far as the row's, and that level."""
    row = draw(st.sampled_from([2, 2, 2, 1]))
    levels = st.permutations(LEVELS[: row + 1])
    sides = levels.flatmap(lambda found: st.tuples(*(st.sampled_from(FIELDS[x]) for x in found)))
    signs = st.sampled_from(list(OPERATORS))
    comparison = st.builds(lambda found, sign: (found[0], sign, found[-1]), sides, signs)
    condition = st.lists(comparison, min_size=1, max_size=2)
    records = draw(st.lists(RECORD, min_size=1, max_size=4))
    return records, draw(st.lists(condition, min_size=1, max_size=3)), row


def level_of(condition: list[Comparison]) -> int:
    fields = [field for left, _, right in condition for field in (left, right)]
    return max(field.count(".") for field in fields)


def holds(condition: list[Comparison], entries: list[dict[str, Any]]) -> bool:
    """Whether a condition is true of an entry with those above it: all its comparisons are."""

    def value(field: str) -> Any:
        return entries[field.count(".")][field.rpartition(".")[2]]

    pairs = [(value(left), sign, value(right)) for left, sign, right in condition]
    return all(a is not None and b is not None and OPERATORS[sign](a, b) for a, sign, b in pairs)


def by_plain_loops(
    records: list[Any], conditions: list[list[Comparison]], row: int
) -> list[tuple[Any, ...]]:
    at = [[one for one in conditions if level_of(one) == level] for level in range(3)]
    drops = bool(at[row])

    def kept(entry: Any, above: list[Any]) -> list[list[Any]] | None:
        """The rows of an entry; None where it is filtered out, or went with what it held."""
        entries = [*above, entry]
        level = len(above)
        rows, found = [], []
        if level < row:
            found = entry[("lines", "lots")[level]]
            below = [kept(one, entries) for one in found]
            rows = [each for one in below if one is not None for each in one]
        if not all(holds(one, entries) for one in at[level]):
            return None
        if level == row or not found:
            return None if level < row and drops else [entries]
        return rows or None

    rows = []
    for record in records:
        for entries in kept(record, []) or []:
            record, line, lot = [*entries, None, None][:3]
            cells = (
                *(record[name] for name in ("limit", "least")),
                *(line[name] if line else None for name in ("limit", "qty")),
                *(lot[name] if lot else None for name in ("kg", "least")),
            )
            rows.append(cells[: 2 * row + 2])
    return rows


@settings(max_examples=150)
@given(cases())
def test_fields_of_any_level_are_compared_with_any_other(
    case: tuple[list[Any], list[list[Comparison]], int],
) -> None:
    records, conditions, row = case
    names = [field for level in LEVELS[: row + 1] for field in FIELDS[level]]
    layout = {
        "levels": ["lines", "lines.lots"],
        "row-per": LEVELS[row] or "record",
        "columns": [{field: field} for field in names],
        "only": [" and ".join(map(" ".join, one)) for one in conditions],
        "may-lack": names,
    }
    table = flatledger.table(layout, records)
    assert list(table) == by_plain_loops(records, conditions, row)
    assert table.balance.balanced


def test_a_filter_over_three_levels_keeps_what_it_says() -> None:
    records = [{"limit": 2, "lines": [{"lots": [{"kg": 1}, {"kg": 3}]}]}]
    for condition in ("lines.lots.kg > limit", "limit < lines.lots.kg"):
        layout: dict[str, Any] = {"row-per": "lines.lots", "columns": [{"Kg": "lines.lots.kg"}]}
        layout |= {"levels": ["lines", "lines.lots"], "only": [condition]}
        assert list(flatledger.table(layout, records)) == [(3,)]


def test_a_variable_that_is_loaded_twice_is_seen(monkeypatch: pytest.MonkeyPatch) -> None:
    def alone(*given: Any, variables: object, **named: Any) -> Emitter:
        return Emitter(*given, **named)  # names of its own, as though it wrote alone

    monkeypatch.setattr(keeping, "Emitter", alone)
    layout = {
        "row-per": "lines",
        "columns": [{"Qty": "lines.qty"}],
        "only": ["lines.qty > least", "limit > 0"],
    }
    records = [{"limit": 2, "least": 1, "lines": [{"qty": 1}, {"qty": 2}]}]
    with pytest.raises(LoadedTwiceError, match="keep: raw1 is loaded twice"):
        list(flatledger.table(layout, records))


def test_the_branches_of_one_choice_are_one_load() -> None:
    text = """
def f(a):
    if a.x: raw1 = a.x
    elif a.y: raw1 = None
    else: raw1 = a.z
    raw1 = clean(raw1)
"""
    check_loads(ast.parse(text))
    with pytest.raises(LoadedTwiceError):
        check_loads(ast.parse(f"{text}    if a.w: raw1 = a.w\n"))
