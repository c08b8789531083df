"""The balance of a run, put together from what its steps know."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from typing import Any

import msgspec

from ..language import nodes as n
from ..layout.reading.spreading import NO_COLUMN, NO_KEY
from ..plan.known import Known, known_of
from ..plan.plan import Plan
from ..structure.levels import Chain, Names, levels_line
from ..structure.trees import IS_COUNTED
from ..values.faults import FaultKind
from ..values.functions import text_of
from .balance import (
    Balance,
    ColumnBalance,
    ConditionCount,
    GivenAnswer,
    Keyless,
    LevelCount,
    ListCount,
    NodesTaken,
    PeriodDays,
    StackedLevel,
)
from .proof import Proof
from .state import RunState

UNMET_SHOWN = 20
NEAR_SHOWN = 3


def balance_of(plan: Plan, state: RunState, proof: Proof) -> Balance:
    """What was read, filtered and given, with both sides of each total."""
    columns = proof.columns()
    checks = {one.column.heading for one in plan.columns if one.column.checks}
    keyless = {one.heading: one.source for one in columns if one.heading in checks}
    return Balance(
        layout=plan.layout.name,
        source="",
        row_per=plan.chain.called(plan.chain.levels[plan.row_type.first]),
        read=state.read,
        unreadable=state.unreadable,
        remaining=state.passed,
        not_passed=state.counts["filtered_out_0"],
        dropped=state.counts["emptied_0"],
        not_taken=state.not_taken,
        rows_not_taken=proof.rows_cut,
        reopening_allowed=plan.layout.group_order.may_reopen,
        asked=[GivenAnswer(one.name, one.text, one.given) for one in plan.layout.answers],
        periods=[PeriodDays(text, *days[:2]) for text, days in plan.periods().items()],
        conditions=[_condition(plan, state, index) for index in range(len(plan.conditions))],
        repeating=[plan.chain.called(names) for names in sorted(state.levels_met)],
        levels_stated=plan.chain.known.stated is not None,
        levels=[_level(plan, state, level) for level in range(1, plan.chain.row + 1)],
        lists=list(_lists(state)),
        rows=proof.rows,
        total_rows=proof.total_rows,
        heading_rows=proof.headings,
        stacked=list(_stacked(plan, proof)),
        nodes_taken=list(dict.fromkeys(_nodes_taken(plan))),
        below_left=list(dict.fromkeys(_below_left(plan))),
        columns=[one for one in columns if one.heading not in checks or not one.balanced],
        wrong=[
            *proof.wrong,
            *_let_through(plan, state),
            *_rows_lost(plan, state, proof),
            *_torn(plan, state, proof),
            *_untold(plan, state),
        ],
        fault_count=state.faults.count,
        fault_places=dict(state.faults.places.most_common()),
        fault_kinds=[_with_heading(plan, one) for one in state.faults.told_kinds()],
        faults=state.faults.kept,
        keyless=list(_keyless(keyless)),
        drift=state.drift.drift(),
        notices=[
            *(notice for one in state.watches.numerals.values() if (notice := one.notice())),
            *(notice for one in _lists(state) if (notice := _near(one))),
            *(notice for one in state.watches.dates.values() if (notice := one.notice())),
            *(notice for one in state.watches.alike.values() if (notice := one.notice())),
            *(notice for one in state.watches.units.values() if (notice := one.notice())),
            *_both_figures(plan, state),
            *_of_inner(plan, state),
            *_repeats(state),
        ],
    )


def _of_inner(plan: Plan, state: RunState) -> Iterator[str]:
    """What nodes have themselves, and no total adds, since it takes the leaves of the tree."""
    for index, tally in state.of_inner.items():
        column = plan.totalled[index]
        name = column.column.total.name if column.column.total else ""
        if tally.count:
            level, nodes = plan.chain.called(plan.chain.levels[column.home]), "nodes have"
            what = "1 node has" if tally.count == 1 else f"{tally.count:,} {nodes}"
            yield (
                f"{column.column.heading} is added up over the leaves of {level} alone, and {what} "
                f"entries of their own above them, which add up to {text_of(tally.state)}; "
                f"`total: {{{name}: all}}` adds them too, `total: {{{name}: leaves}}` says that it "
                "is meant so"
            )


def _repeats(state: RunState) -> Iterator[str]:
    """Records that are equal to the one right before them."""
    found = state.repeats
    if found.records == 1:
        yield f"record {found.first:,} is equal to the one right before it"
    elif found.records:
        yield (
            f"{found.records:,} records are equal to the one right before them, the first of them "
            f"record {found.first:,}"
        )


def _both_figures(plan: Plan, state: RunState) -> Iterator[str]:
    """Places that have held lone objects only, where an aggregate depends on what they are."""
    first = {plan.doubts[index].names: index for index in sorted(state.both_figures, reverse=True)}
    for names, index in sorted(first.items()):
        both, doubt = state.both_figures[index], plan.doubts[index]
        place = plan.chain.called(names)
        read = state.levels_met
        yield (
            f"{place} held lone objects only, and is taken for no level: in record "
            f"{both.record:,} `{doubt.text}` is {_figure(both.value)}, and it would be "
            f"{_figure(both.other)} if {place} is a level. Say which: `{levels_line(read)}`, or "
            f"`{levels_line((*read, names))}`"
        )


def _figure(value: Any) -> str:
    if value is None:
        return "blank"
    return ", ".join(map(_figure, value)) if isinstance(value, list) else text_of(value)


def _nodes_taken(plan: Plan) -> Iterator[NodesTaken]:
    """Where sums and means take the leaves of a tree."""
    nodes = [(one.column.heading, one.value, plan.chain) for one in plan.columns]
    nodes += [
        (f"`{one.condition.value.text}`", one.value, one.side or plan.chain)
        for one in plan.conditions
    ]
    for where, node, chain in nodes:
        for level in _leaves_of(node, chain) if node is not None else ():
            yield NodesTaken(where, plan.chain.called(level))


def _leaves_of(node: n.Node, chain: Chain) -> Iterator[Names]:
    """The trees of which the aggregates of an expression take the leaves."""
    known = node.known if isinstance(node.known, Known) else None
    if known is not None and known.aggregate is not None:
        if known.aggregate.leaves:
            yield known.aggregate.chain.levels[-1]
        chain = known.aggregate.chain
    elif known is not None and isinstance(node, n.Call) and node.name == IS_COUNTED:
        assert known.node is not None
        yield chain.levels[known.node]
    for part in node.children():
        yield from _leaves_of(part, chain)


def _below_left(plan: Plan) -> Iterator[str]:
    """The columns that tell of what is below a node, where conditions leave out nodes there."""
    judged = {one.judged(plan.chain) for one in plan.conditions}
    for column in plan.columns:
        for part in column.value.walk() if column.value is not None else ():
            aggregate = part.known.aggregate if isinstance(part.known, Known) else None
            if aggregate is None or aggregate.under is None:
                continue
            if aggregate.chain.levels[aggregate.under] in judged:
                yield column.column.heading


def _rows_lost(plan: Plan, state: RunState, proof: Proof) -> Iterator[str]:
    """With detail, each row that was made is given or cut."""
    if plan.over is None and plan.layout.totals.detail:
        given = proof.rows + proof.rows_cut
        if given != state.rows:  # mutant: rows-lost
            yield f"{state.rows:,} rows were made, and {given:,} are accounted for"


def _stacked(plan: Plan, proof: Proof) -> Iterator[StackedLevel]:
    """The rows of each level of a stack."""
    for level, count in proof.families.counts.items() if proof.families else ():
        yield StackedLevel(plan.chain.called(plan.chain.levels[level]), count)


def _torn(plan: Plan, state: RunState, proof: Proof) -> Iterator[str]:
    """With detail each kept entry of a level of a stack has a row, below that of its parent. The
    first level has rows for entries that are missing, too."""
    if proof.families is None or not plan.layout.totals.detail:
        return
    for level, rows in proof.families.counts.items():
        name = plan.chain.called(plan.chain.levels[level])
        kept = state.counts[f"kept_{level}"] if level else state.passed
        if rows != kept and (level > plan.row_type.first or not level):
            yield f"{kept:,} of {name} remained, and {rows:,} rows stand for them"
        if level in proof.families.wrong:
            yield f"a row of {name} does not stand below its own parent"


def _untold(plan: Plan, state: RunState) -> Iterator[str]:
    """What of a totalled field is neither added up nor blank is a fault, and has been told."""
    for column, tally in zip(plan.totalled, state.control_sums(), strict=True):
        if column.column.total is None or column.column.total.part or not column.shows_texts:
            continue
        assert column.value is not None
        kept = state.counts[f"kept_{column.home}"] if column.home else state.passed
        unread = kept - tally.count - tally.blank - tally.passed_over
        told = state.faults.places[known_of(column.value).text]
        if told < unread:  # mutant: untold
            heading = column.column.heading
            yield f"{unread:,} values of {heading} can't be read, and {told:,} faults were listed"


def _let_through(plan: Plan, state: RunState) -> Iterator[str]:
    """What a level's conditions let through is what is kept, or went with others."""
    for level in range(plan.chain.row + 1):
        own = [
            index
            for index, condition in enumerate(plan.conditions)
            if condition.level == level and condition.side is None
        ]
        if not own:
            continue
        through = state.counts[f"remaining_{own[-1]}"]
        kept = state.counts[f"kept_{level}"] if level else state.passed + state.not_taken
        gone = state.counts[f"emptied_{level}"] + state.counts[f"with_parent_{level}"]
        if through != kept + gone:  # mutant: let-through
            name = plan.chain.called(plan.chain.levels[level])
            yield f"{through:,} of {name} passed the conditions, and {kept + gone:,} remained"


def _keyless(found: dict[str, Any]) -> Iterator[Keyless]:
    """The entries without a key, by the columns that tell of them."""
    for heading, count in found.items():
        name = heading.removesuffix(NO_KEY)
        if name != heading and count:
            start = f"{name}{NO_COLUMN}"
            yield Keyless(name, count, [v for other, v in found.items() if other.startswith(start)])


def _with_heading(plan: Plan, kind: FaultKind) -> FaultKind:
    """Faults of a formula, with the heading of the column that it is."""
    for one in plan.layout.columns:
        if one.value is not None and one.value.text == kind.path != one.heading:
            if isinstance(one.value.node, n.FieldPath):
                return kind
            return msgspec.structs.replace(kind, heading=one.heading)
    return kind


def _near(found: ListCount) -> str:
    """That values differ from some of a list by case alone, and are not on it."""
    shown = [f"{value} (listed: {one})" for value, one in list(found.near.items())[:NEAR_SHOWN]]
    if not shown:
        return ""
    more = ", …" if len(found.near) > NEAR_SHOWN else ""
    what = f"list {found.name}: some values differ by case alone, and are not on it"
    return f"{what}: {', '.join(shown)}{more}"


def _lists(state: RunState) -> Iterator[ListCount]:
    for (name, _), watch in state.watches.lists.items():
        unmet = len(watch.values) - len(watch.met)
        first = list(islice(watch.unmet(), UNMET_SHOWN))
        near = {value: one for value, one in watch.near.items() if one not in watch.met}
        yield ListCount(name, len(watch.values), unmet, first, near)


def _condition(plan: Plan, state: RunState, index: int) -> ConditionCount:
    one, counts = plan.conditions[index], state.counts
    passed, no, unknown = (counts[f"{k}_{index}"] for k in ("true", "false", "unknown"))
    remaining = counts[f"remaining_{index}"] if one.side is None else passed
    seen = state.watches.seen.get(index)
    return ConditionCount(
        text=one.condition.value.text,
        level=plan.chain.called(one.judged(plan.chain)),
        tested=passed + no + unknown,
        passed=passed,
        filtered_out=no,
        kept_with=one.condition.kept_with,
        more=counts[f"more_{index}"],
        unknown=unknown,
        remaining=remaining,
        name=one.condition.name,
        because=one.condition.because,
        origin=one.condition.origin,
        field=seen.field if seen and not remaining else "",
        values=seen.most_common() if seen and not remaining else {},
    )


def _level(plan: Plan, state: RunState, level: int) -> LevelCount:
    counts = state.counts
    return LevelCount(
        level=plan.chain.called(plan.chain.levels[level]),
        met=counts[f"met_{level}"],
        remaining=counts[f"kept_{level}"],
        not_passed=counts[f"filtered_out_{level}"] + counts[f"emptied_{level}"],
        dropped=counts[f"with_parent_{level}"],
    )


def shown_parts(plan: Plan, columns: list[ColumnBalance]) -> list[ColumnBalance]:
    """The parts of aggregates over groups that say something: sums, counts and extremes of single
    values. Of others only how many there are is proved."""
    totals = {one.column.heading: one.column.total for one in plan.totalled}
    plain = {
        heading
        for heading, total in totals.items()
        if total and total.aggregate.totals and not (total.distinct or total.gathered)
    }
    return [one for one in columns if one.heading in plain or not one.balanced]
