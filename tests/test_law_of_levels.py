"""The law of rule 1: order and cut change no figure, and further records change none of earlier
rows, but where they bring the first list to a place about which the run has said so."""

from __future__ import annotations

import copy
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger import LayoutError
from tests.conftest import table

NUMBER = st.none() | st.integers(0, 3)
ENTRY = st.fixed_dictionaries({"w": NUMBER})


def place(entry: st.SearchStrategy[Any]) -> st.SearchStrategy[Any]:
    """What may stand at a place: nothing, a lone object, or a list of none, one or two."""
    return st.one_of(
        st.none(), entry, entry, st.lists(entry, max_size=1), st.lists(entry, max_size=2)
    )


PARTS = st.recursive(
    st.fixed_dictionaries({"w": NUMBER}),
    lambda inner: st.fixed_dictionaries({"w": NUMBER, "parts": st.lists(inner, max_size=2)}),
    max_leaves=4,
)
LINE = st.fixed_dictionaries({"q": NUMBER, "lots": place(ENTRY), "discount": place(ENTRY)})
RECORD = st.fixed_dictionaries(
    {
        "k": st.sampled_from(["a", "b"]),
        "lines": place(LINE),
        "pay": place(ENTRY),
        "parts": st.lists(PARTS, max_size=2),
    }
)
LONE: dict[str, Any] = {  # so that each place was met
    "k": "a",
    "lines": {"q": 2, "lots": {"w": 2}, "discount": {"w": 2}},
    "pay": {"w": 2},
    "parts": [],
}
RECORDS = st.lists(RECORD, max_size=4).map(lambda records: [LONE, *records])
VALUES = {
    "record": [
        *("sum(lines.lots.w)", "count(lines)", "pay.w", "sum(pay.w)", "any(pay.w > 1)"),
        *("pay.w + 1", "sum(lines.q * coalesce(lines.discount.w, 1))", "max(sum(lines.lots.w))"),
        *("avg(count(lines.lots))", "sum(parts.w)", "count(parts)", "sum(lines[?@.q > 1].q)"),
    ],
    "lines": [
        *("lines.q", "sum(lines.lots.w)", "count(lines.lots)", "lines.lots.w", "lines.lots.w + 1"),
        *(
            "sum(lines.q)",
            "lines.q + pay.w",
            "sum(lines.lots[?@.w > 0].w)",
            "every(lines.lots.w > 0)",
        ),
        *("lines.q * coalesce(lines.discount.w, 1)", "sum(pay.w)", "sum(lines.discount.w)"),
    ],
    "parts": ["parts.w", "sum(below(parts.w))", "pay.w", "sum(lines.lots.w)"],
}
CONDITIONS = {
    "record": ["pay.w > 0", "any(lines.lots.w > 1)", "sum(lines.lots.w) > 1"],
    "lines": ["lines.lots.w > 0", "any(lines.lots.w > 1)", "sum(lines.lots.w) > 1", "pay.w > 0"],
    "parts": ["parts.w > 0", "any(pay.w > 0)"],
}


@st.composite
def layouts(draw: st.DrawFn) -> dict[str, Any]:
    row = draw(st.sampled_from([*VALUES, "lines"]))
    texts = draw(st.lists(st.sampled_from(VALUES[row]), min_size=1, max_size=3, unique=True))
    layout: dict[str, Any] = {
        "row-per": row,
        "columns": [{"No": "record_number()"}, *({text: text} for text in texts)],
        "only": draw(st.lists(st.sampled_from(CONDITIONS[row]), max_size=1)),
        "may-lack": ["lines", "lines.lots", "lines.discount", "pay", "parts", "lines.q"],
    }
    if draw(st.booleans()):
        layout["sort"] = ["No", draw(st.sampled_from(texts))]
    return layout


def outcome(layout: dict[str, Any], records: list[Any]) -> tuple[Any, bool]:
    """The rows of each record, or None where the layout is refused; whether the run says that
    lone objects may be a level."""
    try:
        rows, balance = table(layout, copy.deepcopy(records))
    except LayoutError:
        return None, False
    assert balance.balanced
    return rows, any("held lone objects only" in one for one in balance.notices)


@settings(max_examples=300)
@given(layouts(), RECORDS, RECORDS)
def test_further_records_change_no_figure_of_earlier_rows(
    layout: dict[str, Any], records: list[Any], further: list[Any]
) -> None:
    alone, said = outcome(layout, records)
    all_rows, _ = outcome(layout, records + further)
    if alone is None or all_rows is None or said:
        return
    earlier = [row for row in all_rows if row[0] <= len(records)]
    assert earlier == alone


@settings(max_examples=150)
@given(layouts(), RECORDS, RECORDS, st.sampled_from([0, 320]))
def test_order_and_cut_change_no_figure(
    layout: dict[str, Any], records: list[Any], others: list[Any], between: int
) -> None:
    """Before or after the first look, what stands last comes to the same as what stands first."""
    blank = [{"k": "z", "lines": None, "pay": None, "parts": []}] * between
    one, said = outcome(layout, [*records, *blank, *others])
    other, too = outcome(layout, [*others, *blank, *records])
    assert (one is None) == (other is None)
    assert said == too
    if one is None or other is None:
        return
    first, last = len(records), len(others) + between

    def told(rows: list[Any], place: range) -> list[Any]:
        return [row[1:] for row in rows if row[0] in place]

    assert told(one, range(1, first + 1)) == told(other, range(last + 1, last + first + 1))


@settings(max_examples=150)
@given(RECORDS, RECORDS)
def test_groups_go_by_the_same_law(records: list[Any], further: list[Any]) -> None:
    layout: dict[str, Any] = {
        "row-per-group": ["k"],
        "columns": [
            {"K": "k"},
            {"Lots": "sum(lines.lots.w)"},
            {"Worth": "sum(lines.q * coalesce(lines.discount.w, 1))"},
            {"Pay": "avg(coalesce(pay.w, 1))"},
        ],
        "only": ["k = 'a'"],
        "may-lack": ["lines", "lines.lots", "lines.discount", "pay", "parts", "lines.q"],
    }
    others = [{**one, "k": "b"} for one in further]
    alone, said = outcome(layout, records)
    everything, _ = outcome(layout, records + others)
    if alone is not None and everything is not None and not said:
        assert everything == alone


def test_a_place_of_lone_objects_is_pointed_out_with_both_figures() -> None:
    records = [{"lines": [{"lots": {"w": 5}}, {"lots": {"w": 2}}]}]
    layout: dict[str, Any] = {"row-per": "lines", "columns": [{"W": "sum(lines.lots.w)"}]}
    rows, balance = table(layout, records)
    assert rows == [(7,), (7,)]
    assert balance.notices == [
        "lines.lots held lone objects only, and is taken for no level: in record 1 "
        "`sum(lines.lots.w)` is 7, and it would be 5 if lines.lots is a level. Say which: "
        "`levels: [lines]`, or `levels: [lines, lines.lots]`"
    ]
    for levels, figures in ((["lines"], [7, 7]), (["lines", "lines.lots"], [5, 2])):
        rows, balance = table({**layout, "levels": levels}, records)
        assert [row[0] for row in rows] == figures
        assert balance.notices == []


def test_where_it_can_make_no_difference_nothing_is_looked_for() -> None:
    records = [{"lines": [{"price": {"amount": 5}}, {"price": {"amount": 2}}]}]
    for text in ("sum(lines.price.amount)", "count(lines.price.amount * 2)"):
        found = flatledger.table({"columns": [{"W": text}]}, records)
        assert list(found)
        assert found._run.plan.doubts == ()
