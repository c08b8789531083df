"""Writing `keep`: the generated function that takes out what the conditions hold back."""

from __future__ import annotations

from ..language import nodes as n
from .code import Constants, indented, listed_codes
from .emit_paths import entry_name
from .emitter import Emitter
from .kinds import AGGREGATE_KINDS
from .levels import Access, level_name
from .matching import ValuesSeen
from .plan import Plan
from .structure import MEMBERS


def keep_source(plan: Plan, constants: Constants) -> tuple[str, tuple[str, ...]]:
    """The text of the function, and the names of the counts that it gives."""
    return _Keep(plan, constants).text()


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
        self.verdicts: dict[int, list[tuple[str, int]]] = {}  # with the condition's index
        self.turned_away: dict[int, str] = {}
        for level in range(plan.chain.row + 1):
            self._judge(level)

    def text(self) -> tuple[str, tuple[str, ...]]:
        body = [*self._held(), *self._entry(0), *self._judged(0)]
        lines = [
            "def keep(records, numbers):",
            *indented((f"{counter} = 0" for counter in self.counters), 1),
            *indented(("kept_0, kept_numbers = [], []",), 1),
            *indented(("for record, number in zip(records, numbers):",), 1),
            *indented(body, 2),
            *indented((f"return kept_0, kept_numbers, ({listed_codes(self.counters)})",), 1),
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
                verdict = emitter.assign(verdict, "truth", "verdict").code
                for line in self._counting(index, verdict):
                    block.add(line)
                self._note_values(index, condition.condition.value.node, emitter)
            self.verdicts[level].append((verdict, index))

    def _note_values(self, index: int, node: n.Node, emitter: Emitter) -> None:
        """The line that notes a value which the condition turned away: of its first field."""
        path = _first_field(node)
        if path is None or self.plan.chain_of(path) is not self.plan.chain:
            return
        value = emitter.value(path).code
        seen = self.plan.seen[index] = ValuesSeen(self.plan.text_of(path))
        self.turned_away[index] = f"{self.constants.name(seen, 'seen')}({value})"

    def _sequence(self, verdicts: list[tuple[str, int]]) -> list[str]:
        """The lines that count what is left after each condition of a level and those before."""
        lines: list[str] = []
        for verdict, index in reversed(verdicts):
            left = self._counter(f"left_{index}")
            inside = indented([f"{left} += 1", *lines], 1)
            away = self.turned_away.get(index)
            other = [f"elif not {left}: {away}"] if away else []
            lines = [f"if {verdict} is True:", *inside, *other]
        return lines

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
            lines += [loop, *indented(inside, 1)]
        lines += self.tests[deeper].blocks[level].lines
        if not inside and not self.verdicts[deeper]:
            return lines
        judged = indented(self._judged(deeper), 1)
        kept = [f"{entry}.kept = kept_{deeper}", *self._shown(level)]
        return [*lines, f"kept_{deeper} = []", loop, *judged, *kept]

    def _shown(self, level: int) -> list[str]:
        """The line that lets paths which look at a level as a whole see its kept entries only."""
        chain, deeper = self.plan.chain, level + 1
        if not self.plan.shape.place_of(chain.levels[deeper]).whole:
            return []
        names = chain.levels[deeper][len(chain.levels[level]) :]
        steps = self.constants.name(names, "steps")
        return [f"put_kept({entry_name(level)}, {steps}, kept_{deeper})"]

    def _load_entries(self, level: int) -> list[str]:
        """The lines that load the entries of the next level under one entry."""
        chain, deeper = self.plan.chain, level + 1
        names = chain.levels[deeper][len(chain.levels[level]) :]
        mapping = names[-1] == MEMBERS
        raw = self.loads.load(Access(level, names[:-1] if mapping else names, (), None)).code
        place = self.plan.shape.place_of(chain.levels[deeper])
        struct = None if place.whole else place.struct
        struct_name = self.constants.name(struct, struct.__name__) if struct else "None"
        site = self.constants.name(level_name(chain.levels[deeper]), "site")
        call = f"entries({raw}, {struct_name}, {self.plan.numbers_entries}, {site}, number)"
        if mapping:
            call = f"member_entries({raw}, {self.plan.numbers_entries}, {site}, number)"
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
        test = " and ".join(f"{verdict} is True" for verdict, _ in self.verdicts[level])
        drop = [f"{self._counter(f'dropped_{level}')} += 1"]
        for further in range(deeper, self.plan.chain.row + 1):
            below = f"below({entry}.kept, {further - deeper})"
            drop.append(f"{self._counter(f'with_parent_{further}')} += {below}")
        lines = [*self.tests[level].blocks[level].lines, *self._sequence(self.verdicts[level])]
        return [*lines, f"if {test}:", *indented(keep, 1), "else:", *indented(drop, 1)]

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
        return [test, *indented(keep, 1), "else:", *indented([emptied], 1)]


def _first_field(node: n.Node) -> n.Path | None:
    """The first path of a condition that is not within an aggregate."""
    if isinstance(node, n.Path):
        return node
    if isinstance(node, n.Call) and node.name in AGGREGATE_KINDS:
        return None
    return next((path for part in node.children() if (path := _first_field(part))), None)
