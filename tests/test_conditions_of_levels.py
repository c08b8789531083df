"""Conditions over several levels, and variables that are loaded once."""

from __future__ import annotations

from typing import Any

import pytest

import flatledger
from flatledger.compile.expressions.emitter import Emitter
from flatledger.compile.functions import keeping
from flatledger.compile.functions.loads_checked import LoadedTwiceError, check_loads


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
    check_loads(text)
    with pytest.raises(LoadedTwiceError):
        check_loads(f"{text}    if a.w: raw1 = a.w\n")
