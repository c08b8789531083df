"""One generated Python module per layout: keep, unfold and weigh.

``keep`` takes out what the conditions hold back, ``unfold`` turns records into rows, and ``weigh``
adds up each totalled column over the kept records on a walk of its own, for the balance. The text
is readable (`Program.source`) and kept for tracebacks.
"""

from __future__ import annotations

import linecache
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from ..language import nodes as n
from ..values.aggregates import Aggregate
from ..values.numerals import NumeralWatch, Unwatched
from .code import Constants, indented, listed_codes
from .emit_paths import entry_name, ordinal_name
from .emitter import Emitter
from .faults import Fault, FaultNotes
from .keeping import keep_source
from .kinds import is_aggregate
from .level_watch import Crowd, watch_source
from .plain_data import REPEAT, FaultText
from .plan import ColumnPlan, Plan
from .runtime import Runtime
from .structure import MEMBERS
from .watches import Watches

Kept = list[tuple[Any, ...]]
Sums = tuple[int, Any, int]


@dataclass(slots=True)
class Program:
    """The generated functions of one run.

    ``keep(records, numbers)`` gives the kept records, their numbers, what is kept below each, and
    counts named by ``counters``. What is kept below an entry is a tuple: the entries of the next
    level, their places, and, where it goes deeper, what is kept below each. From these three
    ``unfold(records, numbers, kept)`` makes the rows, and says how many entries each level had,
    and ``weigh(records, numbers, kept)``, for each totalled column, how many values there are, the
    state of its aggregate, and how many blanks.
    ``watch(records, numbers)``, where it is needed, raises LevelsDifferError for a list that the
    plan did not reckon with, and ``identify(records, numbers)`` gives what the primary key says of
    each record. ``watches`` and ``faults`` are what the functions take note of as they run.
    """

    source: str
    counters: tuple[str, ...]
    keep: Callable[[list[Any], Sequence[int]], tuple[list[Any], list[int], Kept, tuple[int, ...]]]
    unfold: Callable[[list[Any], Sequence[int], Kept], tuple[list[Any], tuple[int, ...]]]
    weigh: Callable[[list[Any], Sequence[int], Kept], Sequence[Sums]]
    watches: Watches
    faults: FaultNotes
    watch: Callable[[list[Any], Sequence[int]], None] | None
    identify: Callable[[list[Any], Sequence[int]], list[tuple[Any, ...]]] | None


def generate(plan: Plan, *, raw: bool = False) -> Program:
    """Generate the functions for a plan.

    With ``raw`` the cells of a row are the values as they are, lists and objects included.
    """
    watches, faults = Watches(plan.model), FaultNotes()
    constants = Constants(watches)
    keep, counters = keep_source(plan, constants)
    functions = (
        keep,
        _unfold(plan, constants, raw),
        _weigh(plan, constants),
        watch_source(plan, constants),
        _identify(plan, constants),
    )
    source = "\n\n\n".join(filter(None, functions)) + "\n"
    name = f"<flatledger layout {plan.model.name}>"
    linecache.cache[name] = (len(source), None, source.splitlines(keepends=True), name)
    code = compile(source, name, "exec")
    crowd = Crowd(plan.chain)
    loud = _namespace(constants, Runtime(faults), crowd, quiet=False)
    quiet = _namespace(constants, Runtime(Unheard()), crowd, quiet=True)
    exec(code, loud)
    exec(code, quiet)
    return Program(
        source,
        counters,
        loud["keep"],
        loud["unfold"],
        quiet["weigh"],
        watches,
        faults,
        loud.get("watch"),
        quiet.get("identify"),
    )


class Unheard(FaultNotes):
    """Takes no note: the second walk meets the same faults as the first."""

    def add(self, fault: Fault) -> None:
        """Nothing."""


def _namespace(constants: Constants, runtime: Runtime, crowd: Crowd, quiet: bool) -> dict[str, Any]:
    fixed: dict[str, Any] = {"Decimal": Decimal, "FaultText": FaultText}
    fixed |= {"REPEAT": REPEAT}
    watching = {"note_lists": crowd.note, "look_below": crowd.below}
    values = constants.values
    if quiet:  # what is met a second time is not counted again
        values = {k: Unwatched() if isinstance(v, NumeralWatch) else v for k, v in values.items()}
    return {**values, **watching, **runtime.functions(), **fixed}


# ---- unfold ----------------------------------------------------------------------------------


def _aggregates(plan: ColumnPlan) -> bool:
    """Whether a column's value is one over entries, which are there of kept records only."""
    parts = plan.column.value.node.walk() if plan.column.value else ()
    return any(isinstance(part, n.Heading) or is_aggregate(part) for part in parts)


def _identify(plan: Plan, constants: Constants) -> str:
    """Write `identify`: for each record the cells of the primary key that are its own."""
    keys = [plan.column(heading) for heading in plan.model.primary_key]
    own = [column for column in keys if column.home == 0 and not _aggregates(column)]
    if not own:
        return ""
    emitter = Emitter(plan, constants)
    cells = [emitter.cell(column).code for column in own]
    lines = [
        "def identify(records, numbers):",
        "    found = []",
        "    for record, number in zip(records, numbers):",
        *indented([*emitter.blocks[0].lines, f"found.append(({listed_codes(cells)}))"], 2),
        "    return found",
    ]
    return "\n".join(lines)


def _unfold(plan: Plan, constants: Constants, raw: bool) -> str:
    """Write `unfold`: one loop per level of the chain, one tuple per row."""
    emitter = Emitter(plan, constants, notes_units=True)
    emit = emitter.column if raw else emitter.cell
    columns = [(emit(column).code, column) for column in plan.columns]
    keys = []
    for expression, home in plan.extra_keys:
        with emitter.at(home):
            keys.append((emitter.key(expression.node).code, home))
    row = plan.chain.row
    cells = [(code, column.home, column.column.text is not None) for code, column in columns] + [
        (code, home, False) for code, home in keys
    ]
    groups = [cells[key.place] for key in plan.group]

    def row_tuple(level: int) -> list[str]:
        """The tuple of a row whose entries end at ``level``: what lies deeper is blank."""
        codes = [code if home <= level or fixed else "None" for code, home, fixed in cells]
        group = [code if home <= level else "None" for code, home, _ in groups]
        lines, marks = _marks(plan, level, group)
        address = [ordinal_name(at) if at <= level else "0" for at in range(row + 1)]
        return [*lines, f"append(({listed_codes(codes + marks + address)}))"]

    def level_lines(level: int) -> list[str]:
        lines = [*_mark_starts(plan, level), *emitter.blocks[level].lines]
        if level == row:
            return [*lines, *row_tuple(level), *_mark_ends(plan)]
        entries = f"entries_{level + 1}"
        return [
            *lines,
            f"if not {entries}:",
            *indented([*row_tuple(level), *_mark_ends(plan), "continue"], 1),
            f"kept_{level + 1} += len({entries})",
            _loop(plan, level + 1),
            *indented(level_lines(level + 1), 1),
        ]

    counts = [f"kept_{level}" for level in range(1, row + 1)]
    lines = [
        "def unfold(records, numbers, kept):",
        *indented(["rows = []", "append = rows.append", *(f"{count} = 0" for count in counts)], 1),
        *indented([_loop(plan, 0)], 1),
        *indented(level_lines(0), 2),
        *indented([f"return rows, ({listed_codes(counts)})"], 1),
    ]
    return "\n".join(lines)


def _loop(plan: Plan, level: int) -> str:
    """The `for` over the kept entries of a level, with their places and what is below them."""
    entry, parts = entry_name(level), [f"ordinals_{level}", f"entries_{level}"]
    if plan.chain.levels[level][-1:] == (MEMBERS,):
        entry = f"(key_of_{entry}, {entry})"
    names = [ordinal_name(level), entry]
    if level == 0:
        parts, names = ["numbers", "records"], ["number", "record"]
    if level < plan.chain.row:
        below = ["entries", "ordinals", "belows"][: 2 + (level + 1 < plan.chain.row)]
        names.append(f"({', '.join(f'{part}_{level + 1}' for part in below)})")
        parts.append(f"belows_{level}" if level else "kept")
    return f"for {', '.join(names)} in zip({', '.join(parts)}):"


def _mark_starts(plan: Plan, level: int) -> list[str]:
    if level not in plan.marked:
        return []
    return [f"seen_{level} = set()" if plan.splits(level) else f"mark_{level} = 0"]


def _marks(plan: Plan, level: int, group: list[str]) -> tuple[list[str], list[str]]:
    """The lines that find a row's marks, and the marks; an entry that is not there is no entry."""
    lines, marks = [], []
    for home in plan.marked:
        if home > level:
            marks.append("REPEAT")
            continue
        if plan.splits(home):
            lines.append(f"mark_{home} = mark(seen_{home}, ({listed_codes(group)}))")
        marks.append(f"mark_{home}")
    return lines, marks


def _mark_ends(plan: Plan) -> list[str]:
    return [f"mark_{home} = REPEAT" for home in plan.marked if not plan.splits(home)]


# ---- weigh -----------------------------------------------------------------------------------


def _weigh(plan: Plan, constants: Constants) -> str:
    """Write `weigh`: each totalled column over the kept entries of its home, without unfolding."""
    emitter = Emitter(plan, constants)
    totalled = plan.totalled
    for index, column in enumerate(totalled):
        value = emitter.cell(column)
        with emitter.at(column.home) as block:
            for line in _weighing(index, emitter.held(value).code, column):
                block.add(line)
    deepest = max((column.home for column in totalled), default=0)
    places = range(len(totalled))

    def level_lines(level: int) -> list[str]:
        lines = list(emitter.blocks[level].lines)
        if level == deepest:
            return lines or ["pass"]
        met = f"met_{level + 1} += len(entries_{level + 1})"
        return [*lines, met, _loop(plan, level + 1), *indented(level_lines(level + 1), 1)]

    starts = [
        "met_0 = len(records)",
        *(f"met_{level} = 0" for level in range(1, deepest + 1)),
        *(f"blank_{i} = text_{i} = 0" for i in places),
        *(f"state_{i} = {_aggregate(column).start}" for i, column in enumerate(totalled)),
    ]
    sums = []
    for i, column in enumerate(totalled):
        aggregate = _aggregate(column)
        name = constants.name(aggregate, aggregate.name)
        count = f"met_{column.home} - blank_{i} - text_{i}"
        sums.append(f"({count}, {aggregate.taken(f'state_{i}', name)}, blank_{i})")
    lines = [
        "def weigh(records, numbers, kept):",
        *indented(starts, 1),
        *indented([_loop(plan, 0)], 1),
        *indented(level_lines(0), 2),
        *indented([f"return ({listed_codes(sums)})"], 1),
    ]
    return "\n".join(lines)


def _aggregate(plan: ColumnPlan) -> Aggregate:
    assert plan.column.total is not None
    return plan.column.total.aggregate


def _weighing(index: int, value: str, plan: ColumnPlan) -> list[str]:
    """The lines that add up one value; what is neither blank nor a text among numbers counts."""
    aggregate = _aggregate(plan)
    take = aggregate.taking(f"state_{index}", value)
    if aggregate.unknown:
        return [take]
    lines = [f"if {value} is None: blank_{index} += 1"]
    if plan.shows_texts or not plan.numeric:
        lines.append(f"elif {value}.__class__ is FaultText: text_{index} += 1")
    return [*lines, f"else: {take}"]
