"""One generated Python module per layout: keep, unfold and weigh.

``keep`` takes out what the conditions hold back, ``unfold`` turns records into rows, and ``weigh``
adds up each totalled column over the kept records on a walk of its own, for the balance. The text
is readable (`Program.source`) and kept for tracebacks.
"""

from __future__ import annotations

import linecache
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from msgspec.structs import replace

from ..language import nodes as n
from ..plan.kinds import is_aggregate
from ..plan.plan import ColumnPlan, Mark, Plan
from ..structure.structure import MEMBERS
from ..values.aggregates import Aggregate
from ..values.faults import Fault, FaultNotes
from ..values.numerals import NumeralWatch, Unwatched
from ..values.ordering import told_apart
from .code import Constants, indented, listed_codes
from .emit_paths import entry_name, ordinal_name
from .emitter import Emitter
from .keeping import keep_source
from .level_watch import Crowd, watch_source
from .plain_data import REPEAT, FaultText
from .runtime import Runtime
from .watches import Watches

Kept = list[tuple[Any, ...]]
Sums = tuple[int, Any, int]
GroupSums = dict[tuple[Any, ...], list[Any]]


@dataclass(slots=True)
class Program:
    """The generated functions of one run.

    ``keep(records, numbers)`` gives the kept records, their numbers, what is kept below each, and
    counts named by ``counters``. What is kept below an entry is a tuple: the entries of the next
    level, their places, and, where it goes deeper, what is kept below each. From these three
    ``unfold(records, numbers, kept)`` makes the rows, and says how many entries each level had,
    and ``weigh(records, numbers, kept)``, for each totalled column, how many values there are, the
    state of its aggregate, and how many blanks; of a column each of whose values is in one group
    only, these stand for each group.
    ``watch(records, numbers)``, where it is needed, raises LevelsDifferError for a list that the
    plan did not reckon with, and ``identify(records, numbers)`` gives what the primary key says of
    each record. ``watches`` and ``faults`` are what the functions take note of as they run.
    """

    source: str
    counters: tuple[str, ...]
    keep: Callable[[list[Any], Sequence[int]], tuple[list[Any], list[int], Kept, tuple[int, ...]]]
    unfold: Callable[[list[Any], Sequence[int], Kept], tuple[list[Any], tuple[int, ...]]]
    weigh: Callable[[list[Any], Sequence[int], Kept], tuple[Sequence[Sums | None], GroupSums]]
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
    fixed |= {"REPEAT": REPEAT, "told_apart": told_apart}
    watching = {"note_lists": crowd.note, "look_below": crowd.below}
    values = constants.values
    if quiet:  # what is met a second time is not counted again
        values = {k: Unwatched() if isinstance(v, NumeralWatch) else v for k, v in values.items()}
    return {**values, **watching, **runtime.functions(), **fixed}


# ---- unfold ----------------------------------------------------------------------------------


def _aggregates(plan: ColumnPlan) -> bool:
    """Whether a column's value is one over entries, which are there of kept records only."""
    parts = plan.value.walk() if plan.value else ()
    return any(isinstance(part, n.Heading) or is_aggregate(part) for part in parts)


def _identify(plan: Plan, constants: Constants) -> str:
    """Write `identify`: for each record the cells of the primary key that are its own."""
    keys = [plan.column(heading) for heading in plan.model.primary_key]
    own = [column for column in keys if column.at == 0 and not _aggregates(column)]
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
    for node, home in plan.extra_keys:
        with emitter.at(home):
            keys.append((emitter.key(node).code, home))
    row = plan.chain.row
    cells = [(code, column.at, column.column.text is not None) for code, column in columns] + [
        (code, home, False) for code, home in keys
    ]
    groups = [cells[key.place] for key in plan.group]

    def row_tuple(level: int) -> list[str]:
        """The tuple of a row whose entries end at ``level``: what lies deeper is blank."""
        codes = [code if home <= level or fixed else "None" for code, home, fixed in cells]
        group = [code if home <= level else "None" for code, home, _ in groups]
        lines, marks = _marks(plan, level, group, codes)
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


def _mark_name(mark: Mark, stem: str) -> str:
    return f"{stem}_{mark.home}" if mark.column is None else f"{stem}_of_{mark.column}"


def _mark_starts(plan: Plan, level: int) -> list[str]:
    lines = []
    for mark in (one for one in plan.marked if one.home == level):
        if plan.splits(mark.home):
            lines.append(f"{_mark_name(mark, 'seen')} = set()")
        elif mark.column is None:
            lines.append(f"{_mark_name(mark, 'mark')} = 0")
        else:
            lines.append(f"{_mark_name(mark, 'seen')} = False")
    return lines


def _marks(
    plan: Plan, level: int, group: list[str], cells: list[str]
) -> tuple[list[str], list[str]]:
    """The lines that find a row's marks, and the marks; an entry that is not there is no entry.

    Of a column that not each row shows, a row counts that does.
    """
    lines, marks = [], []
    for mark in plan.marked:
        name, seen = _mark_name(mark, "mark"), _mark_name(mark, "seen")
        if mark.home > level:
            marks.append("REPEAT")
            continue
        marks.append(name)
        shows = "" if mark.column is None else f"{cells[mark.column]} is not None"
        if plan.splits(mark.home):
            found = f"mark({seen}, ({listed_codes(group)}))"
            lines.append(f"{name} = {found}{f' if {shows} else REPEAT' if shows else ''}")
        elif shows:
            lines.append(f"{name} = 0 if {shows} and not {seen} else REPEAT")
            lines.append(f"if {name} == 0: {seen} = True")
    return lines, marks


def _mark_ends(plan: Plan) -> list[str]:
    once = [mark for mark in plan.marked if mark.column is None and not plan.splits(mark.home)]
    return [f"{_mark_name(mark, 'mark')} = REPEAT" for mark in once]


# ---- weigh -----------------------------------------------------------------------------------


def _weigh(plan: Plan, constants: Constants) -> str:
    """Write `weigh`: each totalled column over the kept entries of its home, without unfolding."""
    return _Weighing(plan, constants).text()


class _Weighing:
    """Writes `weigh`. What belongs to one group only is added up for each group."""

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan, self.constants = plan, constants
        self.emitter = Emitter(plan, constants)
        self.columns = list(enumerate(plan.totalled))
        grouped = plan.grouped_totals
        self.grouped = [(i, column) for i, column in self.columns if i in grouped]
        self.level = max((key.home for key in plan.group), default=0)  # of the groups
        for index, column in self.columns:
            if column.once is not None:
                column = replace(column, value=column.once, shown=None, once=None)
            value = self.emitter.cell(column)
            with self.emitter.at(column.home) as block:
                for line in _weighing(index, self.emitter.held(value).code, column):
                    block.add(line)
        self.key = list(self._key()) if self.grouped else []
        homes = [column.home for _, column in self.columns]
        self.deepest = max([*homes, *([self.level] if self.grouped else [])], default=0)

    def text(self) -> str:
        alone = [(i, column) for i, column in self.columns if (i, column) not in self.grouped]
        starts = ["by_group = {}", "met_0 = len(records)"]
        starts += [f"met_{level} = 0" for level in range(1, self.deepest + 1)]
        sums = "".join(
            f"{self._sums(i, column) if (i, column) in alone else None}, "
            for i, column in self.columns
        )
        lines = [
            "def weigh(records, numbers, kept):",
            *indented([*starts, *self._starts(alone)], 1),
            *indented([_loop(self.plan, 0)], 1),
            *indented(self._level_lines(0), 2),
            *indented([f"return ({sums}), by_group"], 1),
        ]
        return "\n".join(lines)

    def _level_lines(self, level: int) -> list[str]:
        lines = list(self.emitter.blocks[level].lines)
        if level < self.deepest:
            lines.append(f"met_{level + 1} += len(entries_{level + 1})")
            lines += [_loop(self.plan, level + 1), *indented(self._level_lines(level + 1), 1)]
        if self.grouped and level == self.level:
            deeper = {column.home for _, column in self.grouped if column.home > level}
            starts = [f"met_{home} = 0" for home in sorted(deeper)]
            return [*starts, *self._starts(self.grouped), *lines, *self._into_group()]
        return lines or ["pass"]

    def _starts(self, columns: list[tuple[int, ColumnPlan]]) -> list[str]:
        return [
            f"blank_{i} = text_{i} = 0; state_{i} = {_aggregate(column).start}"
            for i, column in columns
        ]

    def _count(self, index: int, column: ColumnPlan) -> str:
        own = (index, column) in self.grouped and column.home == self.level
        return f"{1 if own else f'met_{column.home}'} - blank_{index} - text_{index}"

    def _sums(self, index: int, column: ColumnPlan) -> str:
        """How many values of a column there are, the state of its aggregate, how many blanks."""
        aggregate = _aggregate(column)
        name = self.constants.name(aggregate, aggregate.name)
        taken = aggregate.taken(f"state_{index}", name)
        return f"({self._count(index, column)}, {taken}, blank_{index})"

    def _key(self) -> Iterator[str]:
        """The values that make an entry's group, the same for those that are equal."""
        for key in self.plan.group:
            with self.emitter.at(key.home):
                if key.place < len(self.plan.columns):
                    value = self.emitter.cell(self.plan.columns[key.place])
                else:
                    node = self.plan.extra_keys[key.place - len(self.plan.columns)][0]
                    value = self.emitter.key(node)
                code = self.emitter.held(value).code
            if key.kind in ("number", "text", "null"):
                yield code
            elif key.kind == "any":
                yield f"{code} if {code}.__class__ is not bool else told_apart({code})"
            else:
                yield f"told_apart({code})"

    def _into_group(self) -> list[str]:
        """The lines that add what one entry has to its group: counts, states, blanks."""
        parts = []
        for i, column in self.grouped:
            parts += [self._count(i, column), f"state_{i}", f"blank_{i}"]
        grow = [f"own[{at}] += {part}" for at, part in enumerate(parts) if self._grows(at)]
        return [
            f"group = ({listed_codes(self.key)})",
            "own = by_group.get(group)",
            f"if own is None: by_group[group] = [{', '.join(parts)}]",
            f"else: {'; '.join(grow)}",
        ]

    def _grows(self, at: int) -> bool:
        """Whether one part of a group's sums is a number or list, and no state that is none."""
        _, column = self.grouped[at // 3]
        return at % 3 != 1 or _aggregate(column).start != "None"


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
