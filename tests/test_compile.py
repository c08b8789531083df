"""Blocks of generated code, and how it is called in tracebacks."""

from __future__ import annotations

import datetime as dt
import gc
import linecache

from flatledger import Layout
from flatledger.compile.expressions.blocks import Block
from flatledger.compile.functions.program import generate
from flatledger.plan.making import make_plan
from flatledger.structure.structure import observe
from tests.conftest import settled


def test_what_goes_into_a_dominating_block_stands_before_the_one_that_is_filled() -> None:
    whole = Block()
    whole.add("first")
    with whole.below("if a:") as outer:
        outer.add("in a")
        with outer.below("if b:") as inner:
            inner.add("in b")
            whole.add("hoisted")
            outer.add("before b")
        outer.add("after b")
        assert whole.dominates(inner)
        assert outer.dominates(inner)
        assert not inner.dominates(outer)
    whole.add("last")
    with whole.below("if c:") as other:
        other.add("in c")
    assert not inner.dominates(other)
    assert whole.lines == [
        *("first", "hoisted", "if a:", "    in a", "    before b", "    if b:", "        in b"),
        *("    after b", "last", "if c:", "    in c"),
    ]


def layout(condition: str) -> Layout:
    return Layout.from_data({"layout": "lines", "columns": [{"A": "a"}], "only": [condition]})


def test_texts_have_names_of_their_own_and_are_let_go_of() -> None:
    def names() -> set[str]:
        return {name for name in linecache.cache if name.startswith("<flatledger layout lines ")}

    structure, today = observe([{"a": 1}]), dt.date(2026, 3, 31)
    first, again, other = (
        generate(make_plan(settled(layout(text)), structure, today))
        for text in ("a > 1", "a > 1", "a < 1")
    )
    assert len(names()) == 2
    assert all(linecache.getline(name, 1).startswith("def keep(") for name in names())
    del first
    gc.collect()
    assert len(names()) == 2
    del again
    gc.collect()
    assert len(names()) == 1
    assert other.source
