"""A row for each group."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import flatledger
from tests.conftest import table


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
