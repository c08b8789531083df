"""A row for each group, against plain loops that share no code with the engine."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

from hypothesis import example, given, settings
from hypothesis import strategies as st

import flatledger
from tests.conftest import table

small = st.none() | st.integers(0, 4)
lines = st.lists(
    st.fixed_dictionaries({"p": st.sampled_from(["x", "y", None]), "q": small}), max_size=4
)
records = st.lists(
    st.fixed_dictionaries(
        {"site": st.sampled_from(["a", "b", None]), "fee": small, "lines": lines}
    ),
    max_size=6,
)
Values = list[Any]


def mean(values: Values) -> Any:
    return Decimal(sum(values)) / len(values) if values else None


def distinct(values: Values) -> Values:
    return list(dict.fromkeys(values))


# what an aggregate makes of values without nulls; the last of each are of any and every
OVER: dict[str, Callable[[Values], Any]] = {
    "sum({})": lambda found: sum(found) if found else None,
    "avg({})": mean,
    "count({})": len,
    "min({})": lambda found: min(found, default=None),
    "max({})": lambda found: max(found, default=None),
    "first({})": lambda found: found[0] if found else None,
    "last({})": lambda found: found[-1] if found else None,
    "sum(distinct {})": lambda found: sum(distinct(found)) if found else None,
    "avg(distinct {})": lambda found: mean(distinct(found)),
    "count(distinct {})": lambda found: len(distinct(found)),
    "listagg({}, '/')": lambda found: "/".join(map(str, found)) or None,
    "listagg(distinct {}, '/')": lambda found: "/".join(map(str, distinct(found))) or None,
}
TRUTHS: dict[str, Callable[[list[bool | None]], Any]] = {
    "any({} > 1)": lambda found: None if {*found} == {None} else True in found,
    "every({} > 1)": lambda found: None if {*found} == {None} else False not in found,
}


def judged(value: Any) -> bool | None:
    return None if value is None else value > 1


def expected(text: str, path: str, group: list[tuple[Any, Any]]) -> Any:
    """What a column is for a group of pairs of a record and one of its lines (or None)."""
    if text == "avg(count(lines))":
        return mean([len(one["lines"]) for one in once(group, 0)])
    entries = once(group, 0 if path == "fee" else 1)
    values = [one[path.rpartition(".")[2]] for one in entries]
    if text in TRUTHS:
        return TRUTHS[text]([judged(value) for value in values])
    return OVER[text]([value for value in values if value is not None])


def once(group: list[tuple[Any, Any]], place: int) -> list[Any]:
    """Each entry of a group once, in the order of the source."""
    return list(
        {id(pair[place]): pair[place] for pair in group if pair[place] is not None}.values()
    )


# what comes first in a group comes later than what another group has
LATER_IN_ANOTHER_GROUP = [
    {"site": "a", "fee": None, "lines": [{"p": "x", "q": None}]},
    {"site": "a", "fee": 0, "lines": []},
    {"site": "a", "fee": 1, "lines": [{"p": "x", "q": None}]},
]


@settings(max_examples=150)
@example(LATER_IN_ANOTHER_GROUP, [("first({})", True)], True, None)
@given(
    records,
    st.lists(
        st.tuples(st.sampled_from([*OVER, *TRUTHS, "avg(count(lines))"]), st.booleans()),
        min_size=1,
        max_size=4,
    ),
    st.booleans(),
    st.none() | st.integers(0, 3),
)
def test_a_row_for_each_group_is_what_loops_make_of_it(
    source: list[Any], chosen: list[tuple[str, bool]], by_part: bool, first: int | None
) -> None:
    columns = [(text, "fee" if fee else "lines.q") for text, fee in chosen]
    layout: dict[str, Any] = {
        "levels": ["lines"],
        "row-per-group": ["lines.p" if by_part else "site"],
        "columns": [
            {"Key": "lines.p" if by_part else "site"},
            *(
                {f"C{at}": {"value": text.format(path), "total": "sum"}}
                for at, (text, path) in enumerate(columns)
            ),
        ],
    }
    if first is not None:
        layout["take"] = {"first": first, "of": "rows"}
    pairs = [(one, line) for one in source for line in one["lines"] or [None]]
    groups: dict[Any, list[tuple[Any, Any]]] = {}
    for record, line in pairs:
        key = (line["p"] if line else None) if by_part else record["site"]
        groups.setdefault(key, []).append((record, line))
    keys = sorted(groups, key=lambda key: (key is None, key))[:first]

    def row(label: Any, group: list[tuple[Any, Any]]) -> tuple[Any, ...]:
        return (label, *(expected(text, path, group) for text, path in columns))

    rows, balance = table(layout, source)
    if source:
        assert balance.balanced, balance.wrong
        taken = [
            pair
            for pair in pairs
            if any(pair[0] is r and pair[1] is line for key in keys for r, line in groups[key])
        ]
        wanted = [row(key, groups[key]) for key in keys] + [row("Grand total", taken)]
        assert [tuple(map(shown, one)) for one in rows] == [tuple(map(shown, w)) for w in wanted]


def shown(value: Any) -> Any:
    """A mean has 34 digits here and 28 there."""
    return round(value, 20) if isinstance(value, Decimal) else value


def test_days_and_moments_of_groups_are_values_and_written_as_iso_texts(tmp_path: Path) -> None:
    source = [
        {"day": "2026-03-31", "at": "2026-03-31T10:00", "ok": True},
        {"day": "2026-03-31", "at": "2026-03-31T12:00+01:00", "ok": None},
    ]
    layout = {
        "row-per-group": ["cast(day as date)"],
        "columns": [
            {"Day": "cast(day as date)"},
            {"Last": "max(cast(at as timestamp))"},
            {"Or": "coalesce(min(cast(at as timestamp)), date '2026-01-01')"},
            {"Ok": "any(ok)"},
        ],
    }
    rows, balance = table(layout, source)
    day = dt.date(2026, 3, 31)
    noon = dt.datetime.fromisoformat("2026-03-31T12:00+01:00")
    assert rows == [(day, noon, dt.datetime(2026, 3, 31, 10), True)]
    assert balance.balanced
    flatledger.export(flatledger.Layout.from_data(layout), source, tmp_path / "t.csv")
    assert (tmp_path / "t.csv").read_text().splitlines()[1] == (
        "2026-03-31,2026-03-31T12:00:00+01:00,2026-03-31T10:00:00,true"
    )


def test_what_is_no_number_is_in_no_mean_of_a_group() -> None:
    source = [
        {"g": 1, "l": [{"x": 2}, {"x": "x"}], "y": 4},
        {"g": 1, "l": [{"x": "4"}], "y": "bad"},
        {"g": 2, "l": [{"x": "no"}]},
    ]
    values = ["avg(l.x)", "sum(l.x)", "sum(distinct l.x)", "avg(y)", "count(l.x)"]
    layout: dict[str, Any] = {"levels": ["l"], "row-per-group": ["g"], "columns": [{"G": "g"}]}
    layout["columns"] += [{value: value} for value in values]
    rows, balance = table(layout, source)
    assert rows == [(1, 3, 6, 6, 4, 3), (2, None, None, None, None, 1)]
    assert balance.balanced
    assert [fault.path for fault in balance.faults] == ["l.x", "y", "l.x"]
