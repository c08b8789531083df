"""One generated Python module per layout: keep, unfold and weigh.

``keep`` takes out what the conditions hold back, ``unfold`` turns records into rows, and ``weigh``
adds up each totalled column over the kept records on a walk of its own, for the balance. The text
is readable (`Program.source`) and kept for tracebacks.
"""

from __future__ import annotations

import linecache
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from ..language import nodes as n
from .code import Constants
from .emit_paths import entry_name
from .emitter import Emitter
from .faults import FaultLog
from .levels import Access, level_name
from .plan import ColumnPlan, Plan
from .runtime import REPEAT, Held, Runtime
from .totals import Tally

_INDENT = "    "


@dataclass(slots=True)
class Program:
    """The generated functions of one run.

    ``keep(records, numbers)`` gives the kept records, their numbers, and counts named by
    ``counters``; ``unfold(records, numbers)`` the rows and how many entries each level had;
    ``weigh(records, numbers)`` a tally for each totalled column.
    """

    source: str
    counters: tuple[str, ...]
    keep: Callable[[list[Any], Sequence[int]], tuple[list[Any], list[int], tuple[int, ...]]]
    unfold: Callable[[list[Any], Sequence[int]], tuple[list[Any], tuple[int, ...]]]
    weigh: Callable[[list[Any], Sequence[int]], list[Tally]]


def generate(plan: Plan, log: FaultLog, *, raw: bool = False) -> Program:
    """Generate the functions for a plan; what they cannot take is added to ``log``.

    With ``raw`` the cells of a row are the values as they are, lists and objects included.
    """
    constants = Constants()
    keep, counters = _Keep(plan, constants).text()
    functions = (keep, _unfold(plan, constants, raw), _weigh(plan, constants))
    source = "\n\n\n".join(functions) + "\n"
    name = f"<flatledger layout {plan.model.name}>"
    linecache.cache[name] = (len(source), None, source.splitlines(keepends=True), name)
    code = compile(source, name, "exec")
    loud, quiet = (_namespace(constants, Runtime(each)) for each in (log, FaultLog(0)))
    exec(code, loud)
    exec(code, quiet)  # the second walk meets the same faults; they are told once
    return Program(source, counters, loud["keep"], loud["unfold"], quiet["weigh"])


def _namespace(constants: Constants, runtime: Runtime) -> dict[str, Any]:
    fixed = {"Decimal": Decimal, "Held": Held, "REPEAT": REPEAT, "Tally": Tally}
    return {**constants.values, **runtime.functions(), **fixed}


def _listed(codes: Iterable[str]) -> str:
    """The inside of a tuple."""
    return "".join(f"{code}, " for code in codes)


def _indented(lines: Iterable[str], depth: int) -> list[str]:
    return [_INDENT * depth + line for line in lines]


# ---- keep ------------------------------------------------------------------------------------


class _Keep:
    """Writes `keep`: from the deepest level up, each entry is judged by its level's conditions.

    The conditions of one level have an emitter of their own. Its lines for a level above stand
    where that level's entries are known, deeper ones having been judged already, so that an
    aggregate in a condition sees what the deeper conditions kept.
    """

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan = plan
        self.constants = constants
        self.loads = Emitter(plan, constants)
        self.counters: list[str] = []
        self.tests: dict[int, Emitter] = {}
        self.verdicts: dict[int, list[str]] = {}
        for level in range(plan.chain.row + 1):
            self._judge(level)

    def text(self) -> tuple[str, tuple[str, ...]]:
        body = [*self._held(), *self._entry(0), *self._judged(0)]
        lines = [
            "def keep(records, numbers):",
            *_indented((f"{counter} = 0" for counter in self.counters), 1),
            *_indented(("kept_0, kept_numbers = [], []",), 1),
            *_indented(("for record, number in zip(records, numbers):",), 1),
            *_indented(body, 2),
            *_indented((f"return kept_0, kept_numbers, ({_listed(self.counters)})",), 1),
        ]
        return "\n".join(lines), tuple(self.counters)

    def _held(self) -> list[str]:
        return ["record = Held(record)"] if self.plan.shape.root.whole else []

    def _counter(self, name: str) -> str:
        if name not in self.counters:
            self.counters.append(name)
        return name

    def _judge(self, level: int) -> None:
        """Emit the conditions of a level, and the lines that count their verdicts."""
        emitter = Emitter(self.plan, self.constants)
        self.tests[level], self.verdicts[level] = emitter, []
        for index, condition in enumerate(self.plan.conditions):
            if condition.level != level or condition.side is not None:
                continue
            with emitter.at(level) as block:
                verdict = emitter.truth(condition.condition.value.node).code
                for line in self._counting(index, verdict):
                    block.add(line)
            self.verdicts[level].append(verdict)

    def _counting(self, index: int, verdict: str) -> list[str]:
        """The lines that count the verdict of a condition."""
        return [
            f"if {verdict} is True: {self._counter(f'true_{index}')} += 1",
            f"elif {verdict} is None: {self._counter(f'unknown_{index}')} += 1",
            f"else: {self._counter(f'false_{index}')} += 1",
        ]

    def _side_conditions(self, level: int) -> list[str]:
        """The lines that judge the side levels right below one entry, the deepest first."""
        lines: list[str] = []
        sides = [
            (index, plan.side, plan.condition.value.node)
            for index, plan in enumerate(self.plan.conditions)
            if plan.side is not None and plan.level == level
        ]
        for index, side, condition in sorted(sides, key=lambda found: -len(found[1].levels)):
            emitter = Emitter(self.plan, self.constants)
            with emitter.at(level) as block:
                emitter.keep_entries(side, level, condition, self._counting(index, "verdict"))
            above = [line for outer in emitter.blocks[:level] for line in outer.lines]
            lines += [*above, *block.lines]
        return lines

    def _entry(self, level: int) -> list[str]:
        """The lines that find the kept entries of the next level under one entry."""
        sides = self._side_conditions(level)
        if level == self.plan.chain.row:
            return sides
        deeper = level + 1
        entry = entry_name(level)
        lines = [*sides, *self._load_entries(level), f"{entry}.kept = entries_{deeper}"]
        if self._can_be_emptied(level):
            lines.append(f"{entry}.met = len(entries_{deeper})")
        for further in range(deeper + 1, self.plan.chain.row + 1):
            lines += self.tests[further].blocks[level].lines
        inside = self._entry(deeper)
        loop = f"for {entry_name(deeper)} in entries_{deeper}:"
        if inside:
            lines += [loop, *_indented(inside, 1)]
        lines += self.tests[deeper].blocks[level].lines
        if not inside and not self.verdicts[deeper]:
            return lines
        judged = _indented(self._judged(deeper), 1)
        kept = f"{entry}.kept = kept_{deeper}"
        return [*lines, f"kept_{deeper} = []", loop, *judged, kept]

    def _load_entries(self, level: int) -> list[str]:
        """The lines that load the entries of the next level under one entry."""
        chain, deeper = self.plan.chain, level + 1
        names = chain.levels[deeper][len(chain.levels[level]) :]
        raw = self.loads.load(Access(level, names, (), None)).code
        place = self.plan.shape.place_of(chain.levels[deeper])
        struct = None if place.whole else place.struct
        struct_name = self.constants.name(struct, struct.__name__) if struct else "None"
        site = self.constants.name(level_name(chain.levels[deeper]), "site")
        ordinals = any(
            isinstance(part, n.Call) and part.name == "ordinal"
            for expression in self.plan.expressions
            for part in expression.node.walk()
        )
        call = f"entries({raw}, {struct_name}, {ordinals}, {site}, number)"
        return [
            *self.loads.blocks[level].lines,
            f"entries_{deeper} = {call}",
            f"{self._counter(f'met_{deeper}')} += len(entries_{deeper})",
        ]

    def _judged(self, level: int) -> list[str]:
        """The lines that judge an entry, keep it or drop it, and count why."""
        entry, deeper = entry_name(level), level + 1
        keep = [f"kept_{level}.append({entry})"]
        if level == 0:
            keep.append("kept_numbers.append(number)")
        if level < self.plan.chain.row:
            keep = self._unless_emptied(level, keep)
        if not self.verdicts[level]:
            return keep
        test = " and ".join(f"{verdict} is True" for verdict in self.verdicts[level])
        drop = [f"{self._counter(f'dropped_{level}')} += 1"]
        for further in range(deeper, self.plan.chain.row + 1):
            below = f"below({entry}.kept, {further - deeper})"
            drop.append(f"{self._counter(f'with_parent_{further}')} += {below}")
        lines = self.tests[level].blocks[level].lines
        return [*lines, f"if {test}:", *_indented(keep, 1), "else:", *_indented(drop, 1)]

    def _can_be_emptied(self, level: int) -> bool:
        """Whether an entry can have lost all entries below it, or none are a reason to drop it."""
        deeper = level + 1
        return (
            self.plan.drops_without_entries
            or deeper < self.plan.chain.row
            or bool(self.verdicts[deeper])
        )

    def _unless_emptied(self, level: int, keep: list[str]) -> list[str]:
        """An entry all of whose entries were held back is left out itself."""
        if not self._can_be_emptied(level):
            return keep
        entry = entry_name(level)
        drops = self.plan.drops_without_entries
        test = f"if {entry}.kept:" if drops else f"if {entry}.kept or not {entry}.met:"
        emptied = f"{self._counter(f'emptied_{level}')} += 1"
        return [test, *_indented(keep, 1), "else:", *_indented([emptied], 1)]


# ---- unfold ----------------------------------------------------------------------------------


def _unfold(plan: Plan, constants: Constants, raw: bool) -> str:
    """Write `unfold`: one loop per level of the chain, one tuple per row."""
    emitter = Emitter(plan, constants)
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
        return [*lines, f"append(({_listed(codes + marks)}))"]

    def level_lines(level: int) -> list[str]:
        lines = [*_mark_starts(plan, level), *emitter.blocks[level].lines]
        if level == row:
            return [*lines, *row_tuple(level), *_mark_ends(plan)]
        entries = f"{entry_name(level)}.kept"
        return [
            *lines,
            f"if not {entries}:",
            *_indented([*row_tuple(level), *_mark_ends(plan), "continue"], 1),
            f"kept_{level + 1} += len({entries})",
            f"for {entry_name(level + 1)} in {entries}:",
            *_indented(level_lines(level + 1), 1),
        ]

    counts = [f"kept_{level}" for level in range(1, row + 1)]
    lines = [
        "def unfold(records, numbers):",
        *_indented(["rows = []", "append = rows.append", *(f"{count} = 0" for count in counts)], 1),
        *_indented(["for record, number in zip(records, numbers):"], 1),
        *_indented(level_lines(0), 2),
        *_indented([f"return rows, ({_listed(counts)})"], 1),
    ]
    return "\n".join(lines)


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
            lines.append(f"mark_{home} = mark(seen_{home}, ({_listed(group)}))")
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
        value = emitter.cell(column).code
        with emitter.at(column.home) as block:
            for line in _weighing(index, value, column):
                block.add(line)
    deepest = max((column.home for column in totalled), default=0)

    def level_lines(level: int) -> list[str]:
        lines = list(emitter.blocks[level].lines)
        if level == deepest:
            return lines or ["pass"]
        loop = f"for {entry_name(level + 1)} in {entry_name(level)}.kept:"
        return [*lines, loop, *_indented(level_lines(level + 1), 1)]

    starts = [
        f"count_{i} = sum_{i} = blank_{i} = 0; low_{i} = high_{i} = None"
        for i in range(len(totalled))
    ]
    tallies = "".join(
        f"Tally(count_{i}, sum_{i}, low_{i}, high_{i}, blank_{i}), " for i in range(len(totalled))
    )
    lines = [
        "def weigh(records, numbers):",
        *_indented(starts, 1),
        *_indented(["for record, number in zip(records, numbers):"], 1),
        *_indented(level_lines(0), 2),
        *_indented([f"return [{tallies}]"], 1),
    ]
    return "\n".join(lines)


def _weighing(index: int, value: str, plan: ColumnPlan) -> list[str]:
    total = plan.column.total
    assert total is not None
    lines = [f"if {value} is None: blank_{index} += 1"]
    if not plan.numeric:
        return [*lines, f"else: count_{index} += 1"]
    lines += [f"elif {value}.__class__ is not str:", f"{_INDENT}count_{index} += 1"]
    if total.kind in ("sum", "avg"):
        return [*lines, f"{_INDENT}sum_{index} += {value}"]
    if total.kind in ("min", "max"):
        name, sign = ("low", "<") if total.kind == "min" else ("high", ">")
        test = f"if {name}_{index} is None or {value} {sign} {name}_{index}:"
        return [*lines, f"{_INDENT}{test} {name}_{index} = {value}"]
    return lines
