"""The core on its own: states merge, the proof sees what is wrong, tables share a reading."""

from __future__ import annotations

import copy
import datetime as dt
import pickle
import random
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from decimal import Decimal
from functools import partial
from itertools import pairwise
from typing import Any, TypeVar
from unittest import mock

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.api.spilling import TemporaryRows
from flatledger.compile.functions.program import generate
from flatledger.errors import LayoutError
from flatledger.language import nodes as n
from flatledger.plan.known import known_of
from flatledger.plan.making import make_plan
from flatledger.plan.plan import Plan
from flatledger.plan.row_type import KeyPlan
from flatledger.run.balancing import balance_of
from flatledger.run.decoding import convert
from flatledger.run.pipeline import last_step
from flatledger.run.protocols import Batch, RowStore, RunServices, TotalRow
from flatledger.run.sorting import Sorter
from flatledger.run.state import RunState
from flatledger.run.step import Stepper
from flatledger.run.table import TableSteps
from flatledger.run.tallies import Tally
from flatledger.run.totalling import Detail, TotalRowMaker
from flatledger.structure.structure import observe
from flatledger.values.faults import Fault, FaultLog
from tests.conftest import settled, table
from tests.random_layouts import Chance

TODAY = dt.date(2026, 3, 31)


def batch(plan: Plan, source: list[Any], first: int) -> Batch:
    numbers = range(first + 1, first + 1 + len(source))
    return convert(Batch(copy.deepcopy(source), numbers, []), plan.record_types.record_type)


class SmallSorter(Sorter):
    """One that holds hardly any rows in memory."""

    def __init__(self, keys: Sequence[KeyPlan], store: RowStore | None = None) -> None:
        super().__init__(keys, store, most_bytes=300)


Sent = TypeVar("Sent")


def sent(what: Sent) -> Sent:
    """The same as it comes out elsewhere."""
    return pickle.loads(pickle.dumps(what))  # type: ignore[no-any-return]


def run_in_parts(
    layout: dict[str, Any], source: list[Any], cuts: list[int], small: list[int]
) -> tuple[list[Any], Any, list[Fault]]:
    """The table, balance and faults of records cut into parts, each a state of its own, which are
    sent on as bytes and merged in order.

    ``small`` are further cuts, into batches of one state. Little is held in memory: rows and faults
    are kept elsewhere.
    """
    with (
        mock.patch("flatledger.run.state.FaultLog", partial(FaultLog, 2)),
        mock.patch("flatledger.run.table.Sorter", SmallSorter),
        mock.patch("flatledger.run.identity.Sorter", SmallSorter),
    ):
        return _run_in_parts(layout, source, cuts, small)


def _run_in_parts(
    layout: dict[str, Any], source: list[Any], cuts: list[int], small: list[int]
) -> tuple[list[Any], Any, list[Fault]]:
    plan = make_plan(settled(layout), observe(source), TODAY, complete=True)
    states: list[RunState] = []
    told: list[Fault] = []
    for start, end in pairwise([0, *cuts, len(source)]):
        store = TemporaryRows()
        sink = None if states else told.append
        state = RunState(plan, begins=not states, store=store, sink=sink)
        state.gathered = last_step(plan, state, RunServices(store=store)).gathers() or SmallSorter(
            ()
        )
        stepper = Stepper(plan)
        inner = [start, *sorted(cut for cut in small if start < cut < end), end]
        for first, last in pairwise(inner):
            state.absorb(sent(stepper.step(batch(plan, source[first:last], first))))
        states.append(sent(state) if states else state)
    whole = states[0]
    for state in states[1:]:
        whole.merge(state)
    last_one = last_step(plan, whole)
    assert whole.gathered is not None
    rows = [row for block in last_one.blocks(whole.gathered) for row in block]
    whole.close()
    balance = balance_of(plan, whole, last_one.proof)
    last_one.complete(balance)
    assert balance.balanced, balance.wrong
    return rows, msgspec.to_builtins(balance, enc_hook=str), told


odd = st.sampled_from([None, 0, 1, 2, 3, "3", "x", True, "2026-03-31", {"a": 1}])
odd_records = st.lists(
    st.fixed_dictionaries(
        {
            "site": odd,
            "fee": odd,
            "lines": st.lists(st.fixed_dictionaries({"qty": odd, "lots": st.just([])}), max_size=3),
            "payments": st.just([]),
        }
    ),
    max_size=6,
)
GROUPED = {
    "row-per-group": ["site"],
    "columns": [
        {"Site": "site"},
        {"Fee": {"value": "sum(fee)", "total": "sum"}},
        {"Any": {"value": "any(lines.qty > 1)", "total": "sum"}},
        {"Mean": {"value": "avg(count(lines))", "total": "sum"}},
        {"Most": "max(lines.qty)"},
        {"List": "listagg(distinct lines.qty, '/')"},
        {"Last": "last(fee)"},
    ],
}
OTHERS: list[dict[str, Any]] = [
    GROUPED,
    {**GROUPED, "take": {"first": 2, "of": "rows"}},
    {"columns": [{"Fee": {"value": "fee", "total": "sum"}}], "take": {"every": 2, "of": "records"}},
    {
        "row-per": "lines",
        "columns": [{"Site": "site"}, {"Q": {"value": "lines.qty", "total": "max"}}],
        "only": ["lines.qty > 1 or site = 'x'", {"keep": "payments", "when": "payments.sum > 1"}],
        "take": {"first": 3, "of": "records"},
        "primary-key": ["Site"],
        "expects-order": ["fee"],
    },
    {"columns": [{"Site": "site"}, {"Fee": "fee"}], "sort": ["Fee desc", "site"]},
    {
        "row-per": "lines",
        "nests": {"lines": "lots"},
        "columns": [
            *({"Site": "site"}, {"D": {"value": "depth()", "total": {"sum": "tops"}}}),
            {"Q": {"value": "lines.qty", "total": "sum"}},
            {"Below": {"value": "count(below(lines))", "total": {"sum": "all"}}},
        ],
        "only": [{"keep": "lines", "when": "lines.qty > 1", "with": "branch"}],
        "group": ["is_leaf()"],
        "totals": {"detail": "no"},
        "open": {"lines": {"until": "lines.qty = 3"}},
    },
]


@settings(max_examples=80)
@given(
    st.randoms(use_true_random=False), st.none() | st.sampled_from(OTHERS), odd_records, st.data()
)
def test_any_cut_of_the_records_gives_the_same_table_and_balance(
    seed: random.Random, other: dict[str, Any] | None, source: list[Any], data: st.DataObject
) -> None:
    layout = {**(other or {}), "levels": ["lines", "lines.lots", "payments"]}
    if other is None:
        chance = Chance(seed, 0.03)
        layout, source = chance.table(), [*chance.some(chance.record, 6), chance.record()]
    try:
        make_plan(settled(layout), observe(source), TODAY, complete=True)
    except LayoutError:
        return
    if "expects-order" in layout and not any("fee" in one for one in source):
        return
    cut = st.lists(st.integers(0, len(source)), max_size=3, unique=True).map(sorted)
    whole = run_in_parts(layout, source, [], [])
    assert run_in_parts(layout, source, data.draw(cut), data.draw(cut)) == whole


@pytest.mark.parametrize("tree", [False, True])
def test_several_tables_with_different_conditions_share_one_reading(tree: bool) -> None:
    below = {"lines": [{"q": 3, "lines": [{"q": 6}]}]} if tree else {}
    source = [
        {"no": 1, "lines": [{"q": 1, **below}, {"q": 5}], "pay": [{"a": 1}, {"a": 9}]},
        {"no": 2, "lines": [{"q": 7}], "pay": [{"a": 2}]},
    ]
    columns = [{"No": "no"}, {"Q": "lines.q"}, {"L": "lines[0].q"}, {"Paid": "sum(pay.a)"}]
    columns += [{"Below": "sum(below(lines.q))"}, {"Up": "parent(lines.q)"}] if tree else []
    conditions: list[list[Any]] = [
        ["lines.q > 4", {"keep": "pay", "when": "pay.a > 1"}],
        ["lines.q < 6"],
        [],
    ]
    models = [
        settled({"row-per": "lines", "columns": columns, "only": only}) for only in conditions
    ]
    first, *others = [make_plan(model, observe(source), TODAY, True) for model in models]
    plans = [first, *(plan.sharing(first) for plan in others)]
    shared = batch(first, source, 0)
    results = [Stepper(plan).step(shared).rows for plan in plans]
    again = Stepper(plans[0]).step(shared).rows
    cells = [[row[:4] for row in rows] for rows in results]
    if tree:
        assert [row[:2] for row in results[0]] == [(1, 6), (1, 5), (2, 7)]
        blank = (None, None)
        assert [row[4:6] for row in results[2]] == [(6, None), (6, 1), (None, 3), blank, blank]
        assert again == results[0]
        return
    assert cells[0] == [(1, 5, 5, 9), (2, 7, 7, 2)]
    assert cells[1] == [(1, 1, 1, 10), (1, 5, 1, 10)]
    assert cells[2] == [(1, 1, 1, 10), (1, 5, 1, 10), (2, 7, 7, 2)]
    assert again == results[0]


@settings(max_examples=60)
@given(st.randoms(use_true_random=False), st.none() | st.sampled_from(OTHERS))
def test_a_plan_is_data(seed: random.Random, other: dict[str, Any] | None) -> None:
    """It can be sent elsewhere and compared, and does the same there."""
    chance = Chance(seed)
    layout, source = other or chance.table(), [*chance.some(chance.record, 4), chance.record()]
    try:
        plan = make_plan(settled(layout), observe(source), TODAY, complete=True)
    except LayoutError:
        return
    other_one = sent(plan)
    assert other_one == plan
    assert generate(other_one).source == generate(plan).source
    with pytest.raises(AttributeError):
        plan.today = TODAY  # type: ignore[misc]
    here, there = (Stepper(one).step(batch(one, source, 0)) for one in (plan, other_one))
    assert (here.rows, here.counts, here.sums) == (there.rows, there.counts, there.sums)


def test_every_node_of_a_plan_says_what_it_is() -> None:
    layout = {
        "row-per": "lines",
        "columns": [{"A": "lines.q * 2 > sum(pay.a)"}, {"B": "upper(st) || 'x'"}],
        "only": ["raised in period('this month')"],
    }
    source = [{"st": "n", "raised": "2026-03-01", "lines": [{"q": 1}], "pay": [{"a": 1}] * 2}]
    plan = make_plan(settled(layout), observe(source), TODAY)
    test = plan.columns[0].value
    assert isinstance(test, n.Comparison)
    product, total = known_of(test.left), known_of(test.right)
    assert (known_of(test).type, product.type, total.type) == ("BOOLEAN", "NUMERIC", "NUMERIC")
    assert (plan.columns[0].home, product.homes, total.homes) == (1, (1,), (0,))
    assert isinstance(test.left, n.Arithmetic)
    path = known_of(test.left.left)
    assert (path.text, path.start, path.access and path.access.names) == (
        *("lines.q", ("lines",)),
        ("q",),
    )
    assert plan.columns[1].home == 0
    assert plan.periods()["this month"][:2] == (dt.date(2026, 3, 1), dt.date(2026, 3, 31))
    assert all(part.known for one in plan.columns if one.value for part in one.value.children())


def test_a_row_knows_its_entry() -> None:
    source = [{"lines": [{"q": 1}, {"q": 5}]}, {"lines": []}, {"lines": {"q": 7}}]
    plan = make_plan(
        settled(
            {
                "row-per": "lines",
                "columns": [{"Q": "lines.q"}],
                "only": ["lines.q > 1"],
                "without-entries": "keep",
            }
        ),
        observe(source),
        TODAY,
    )
    plan = replace(plan, addressed=True)
    rows = Stepper(plan).step(batch(plan, source, 0)).rows
    assert [row[plan.row_type.address] for row in rows] == [(1, 2), (2, 0), (3, 1)]


# ---- what is broken on purpose does not balance ------------------------------------------------

LINES = [
    {"no": 1, "st": "N", "fee": 5, "lines": [{"p": "a", "q": 2}, {"p": "b", "q": 3}]},
    {"no": 2, "st": "S", "fee": 7, "lines": [{"p": "a", "q": 4}, {"p": "c", "q": 6}]},
    {"no": 3, "st": "N", "fee": None, "lines": [{"p": "b", "q": 8}, {"p": "b", "q": "many"}]},
    {"no": 4, "st": "N", "fee": 9, "lines": []},
]
DETAIL: dict[str, Any] = {
    "row-per": "lines",
    "columns": [
        {"St": "st"},
        {"P": "lines.p"},
        {"Q": {"value": "lines.q", "total": "sum"}},
        {"Fee": {"value": "fee", "total": "sum"}},
        {"Mean": {"value": "lines.q", "total": "avg"}},
    ],
    "group": ["St"],
    "only": ["lines.q > 2 or lines.q is null or lines.p = 'b'"],
}
PLAIN: dict[str, Any] = {
    "row-per": "lines",
    "columns": [{"St": "st"}, {"P": "lines.p"}],
    "only": ["st is not null"],
    "sort": ["P"],
}
FEE = {"value": "fee", "total": "sum"}
SUMMARY = {**DETAIL, "totals": {"detail": "no"}}
BY_PART: dict[str, Any] = {
    "row-per": "lines",
    "columns": [
        {"P": "lines.p"},
        {"Fee": {"value": "fee", "total": "sum"}},
        {"Q": {"value": "lines.q", "total": "sum"}},
    ],
    "group": ["P"],
    "totals": {"detail": "no"},
}
OF_GROUPS: dict[str, Any] = {
    "row-per-group": ["st"],
    "columns": [
        {"St": "st"},
        {"Q": {"value": "sum(lines.q)", "total": "sum"}},
        {"Share": {"value": "sum(lines.q) / count(lines)", "total": "sum"}},
    ],
    "only": [{"keep": "lines", "when": "lines.q > 2"}],
}


def other(row: Any, place: int) -> Any:
    """A row with another figure in one place."""
    cells = list(row)
    number = cells[place] if isinstance(cells[place], int | Decimal) else 0
    cells[place] = number + 1
    return TotalRow(cells) if row.__class__ is TotalRow else tuple(cells)


def changing(of: Any, name: str, change: Callable[[Any], Any]) -> Callable[[Any], None]:
    """A mutant: what a function gives is changed on its way."""

    def mutate(patch: Any) -> None:
        honest = getattr(of, name)

        def broken(*arguments: Any, **ways: Any) -> Any:
            return change(honest(*arguments, **ways))

        patch.setattr(of, name, broken)

    return mutate


def block_changed(change: Callable[[list[Any]], list[Any]]) -> Callable[[Any], Any]:
    """A change of the first block of rows that has two of them."""

    def changed(blocks: Iterator[list[Any]]) -> Iterator[list[Any]]:
        done = False
        for block in blocks:
            yield block if done or len(block) < 2 else change(block)
            done = done or len(block) > 1

    return changed


def kept_too(source: str) -> str:
    assert "if verdict" in source
    lines = source.splitlines()
    places = [i for i, line in enumerate(lines) if "is True:" in line and line.endswith("True:")]
    lines[places[-1]] = lines[places[-1]].split("if")[0] + "if True:"
    return "\n".join(lines) + "\n"


def mutate_keep(patch: Any) -> None:
    honest = flatledger.compile.functions.program.keep_source  # type: ignore[attr-defined]

    def broken(*arguments: Any) -> Any:
        text, counters = honest(*arguments)
        return kept_too(text), counters

    patch.setattr("flatledger.compile.functions.program.keep_source", broken)


def keep_changed(change: Callable[[Any], Any]) -> Callable[[Any], None]:
    """A mutant: what the generated `keep` gives is changed."""

    def mutate(patch: Any) -> None:
        honest = flatledger.run.step.generate  # type: ignore[attr-defined]

        def broken(*arguments: Any, **ways: Any) -> Any:
            program = honest(*arguments, **ways)
            keep = program.keep
            program.keep = lambda records, numbers: change(keep(records, numbers))
            return program

        patch.setattr("flatledger.run.step.generate", broken)

    return mutate


def named(row: Any) -> Any:
    """A row that names another group than its own."""
    cells = ["Elsewhere" if cell in ("N", "S") else cell for cell in row]
    return TotalRow(cells) if row.__class__ is TotalRow else tuple(cells)


def count_changed(name: str) -> Callable[[Any], None]:
    """A mutant: one count is one too high."""

    def mutate(patch: Any) -> None:
        honest = Stepper.step

        def broken(own: Stepper, given: Batch) -> Any:
            result = honest(own, given)
            result.counts[name] += 1
            return result

        patch.setattr(Stepper, "step", broken)

    return mutate


def _outer_total_lost(patch: Any) -> None:
    honest = flatledger.run.table.group_rows  # type: ignore[attr-defined]

    def broken(*arguments: Any) -> Any:
        found = list(honest(*arguments))
        lost = next(one for one in found if not one.innermost)
        yield from (one for one in found if one is not lost)

    patch.setattr("flatledger.run.table.group_rows", broken)


def _blank_row_moved(patch: Any) -> None:
    """A row without an amount stands among those of the next group."""
    honest = Detail.after

    def broken(own: Detail, blocks: Any) -> Any:
        moved: list[Any] = []
        for rows, totals in honest(own, blocks):
            if rows and not moved and any(row[1] is None for row in rows):
                moved = [row for row in rows if row[1] is None]
                yield [row for row in rows if row[1] is not None], totals
            else:
                yield [*(moved if rows else []), *rows], totals
                moved = [] if rows else moved

    patch.setattr(Detail, "after", broken)


def _joined_groups(patch: Any) -> None:
    """No total stands between the groups, and none names the first."""
    honest = Detail.after

    def broken(own: Detail, blocks: Any) -> Any:
        pairs = list(honest(own, blocks))
        totals = [one for _, totals in pairs for one in totals]
        rows = [row for rows, _ in pairs for row in rows]
        yield rows, totals

    patch.setattr(Detail, "after", broken)


def wrong_parts(name: str, place: int) -> Callable[[Any], None]:
    return changing(TotalRowMaker, name, lambda total: total._replace(row=other(total.row, place)))


MUTANTS: dict[str, tuple[dict[str, Any], Callable[[Any], None]]] = {
    "a finished cell": (
        DETAIL,
        changing(TableSteps, "_given", lambda rows: [other(row, 2) for row in rows]),
    ),
    "a cell of an entry shown first": (
        DETAIL,
        changing(TableSteps, "_given", lambda rows: [other(row, 3) for row in rows]),
    ),
    "a total row": (DETAIL, wrong_parts("grand", 2)),
    "a group's total": (DETAIL, wrong_parts("subtotal", 2)),
    "a mean": (DETAIL, wrong_parts("subtotal", 4)),
    "the mean of all": (DETAIL, wrong_parts("grand", 4)),
    "a row lost": (DETAIL, changing(Sorter, "blocks", block_changed(lambda rows: rows[1:]))),
    "a row doubled": (
        DETAIL,
        changing(Sorter, "blocks", block_changed(lambda rows: [*rows, rows[-1]])),
    ),
    "a row in another group": (
        DETAIL,
        changing(Sorter, "blocks", block_changed(lambda rows: [*rows[1:], rows[0]])),
    ),
    "a filtered entry let through": (DETAIL, mutate_keep),
    "a row lost where nothing is added up": (
        PLAIN,
        changing(Sorter, "blocks", block_changed(lambda rows: rows[1:])),
    ),
    "a kept record lost": (
        PLAIN,
        keep_changed(lambda kept: (kept[0][1:], kept[1][1:], kept[2][1:], kept[3])),
    ),
    "a row of a group that names another": (
        SUMMARY,
        changing(TotalRowMaker, "group", lambda total: total._replace(row=named(total.row))),
    ),
    "an outer total lost": (
        {**SUMMARY, "group": ["St", "P"], "only": []},
        _outer_total_lost,
    ),
    "a row of no amount in another group": (
        {"columns": [{"St": "st"}, {"Fee": FEE}], "group": ["St"]},
        _blank_row_moved,
    ),
    "a cell where no total is shown": (
        {"columns": [{"St": "st"}, {"Fee": FEE}], "totals": {"grand-total": "no"}},
        changing(TableSteps, "_given", lambda rows: [other(row, 1) for row in rows]),
    ),
    "a cell of an exact total that is not rounded": (
        {
            "row-per": "lines",
            "columns": [
                {"P": "lines.p"},
                {"Half": {"value": "fee / 2", "decimals": 0, "total": {"sum": "exact"}}},
            ],
            "group": ["P"],
        },
        lambda patch: patch.setattr("flatledger.run.table._rounded", lambda row, _: row),
    ),
    "one more that passed": (DETAIL, count_changed("remaining_0")),
    "an entry that nobody has accounted for": (
        {**DETAIL, "only": ["st is not null"]},
        count_changed("met_1"),
    ),
    "two groups in one": (
        DETAIL,
        _joined_groups,
    ),
    "a row of a group": (SUMMARY, wrong_parts("group", 2)),
    "a group's mean without detail": (SUMMARY, wrong_parts("group", 4)),
    "values of one group in another": (
        SUMMARY,
        changing(
            flatledger.run.groups.GroupKeys,  # type: ignore[attr-defined]
            "of",
            lambda key_of: lambda row: ("S",) if row[1] == "b" else key_of(row),
        ),
    ),
    "a row of no line in another group": (
        BY_PART,
        changing(
            flatledger.run.groups.GroupKeys,  # type: ignore[attr-defined]
            "of",
            lambda key_of: lambda row: ("a",) if row[0] is None else key_of(row),
        ),
    ),
    "a group's cell": (
        OF_GROUPS,
        changing(TableSteps, "_given", lambda rows: [other(row, 2) for row in rows]),
    ),
    "a group lost": (
        OF_GROUPS,
        changing(
            flatledger.run.groups.Groups,  # type: ignore[attr-defined]
            "ordered",
            lambda keys: keys[1:],
        ),
    ),
    "a fault uncounted": (
        DETAIL,
        lambda patch: patch.setattr(FaultLog, "add", lambda own, fault: None),
    ),
    "a value added twice": (
        DETAIL,
        lambda patch: patch.setattr(Tally, "merge", _merging_twice(Tally.merge)),
    ),
}


def _merging_twice(honest: Any) -> Any:
    def merge(own: Any, later: Any) -> None:
        honest(own, later)
        if later.count == 2:
            honest(own, later)

    return merge


@pytest.mark.parametrize("name", MUTANTS)
def test_what_is_broken_on_purpose_does_not_balance(
    name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    layout, mutate = MUTANTS[name]
    monkeypatch.setattr("flatledger.api.preparing.defined_for", lambda _: None)  # the proof alone
    assert table(layout, LINES)[1].balanced
    mutate(monkeypatch)
    _, balance = table(layout, LINES)
    assert not balance.balanced
