"""Writing `keep`: the generated function that takes out what the conditions hold back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from ...language import nodes as n
from ...plan.kinds import AGGREGATE_KINDS
from ...plan.known import known_of, text_of_node
from ...plan.plan import AggregatePlan, Plan
from ...structure.levels import Access, Chain, Names
from ...structure.structure import MEMBERS
from ..expressions.blocks import function_head, indented, listed_codes
from ..expressions.constants import Constants
from ..expressions.emission import Scope, Variables, entry_name, has_fields, ordinal_name
from ..expressions.emitter import Emitter


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
        self.variables = Variables()
        self.loads = Emitter(plan, constants, variables=self.variables)
        self.counters: list[str] = []
        self.tests: dict[int, Emitter] = {}
        self.verdicts: dict[int, list[tuple[str, int]]] = {}  # with the condition's index
        self.turned_away: dict[int, str] = {}
        for level in range(plan.chain.row + 1):
            self._judge(level)

    def text(self) -> tuple[str, tuple[str, ...]]:
        body = [*self._entry(0), *self._judged(0)]
        counts = listed_codes(self.counters)
        lines = [
            function_head("keep", "records", "numbers"),
            *indented((f"{counter} = 0" for counter in self.counters), 1),
            *indented(("kept_records, kept_numbers, kept = [], [], []",), 1),
            *indented(("for record, number in zip(records, numbers):",), 1),
            *indented(body, 2),
            *indented((f"return kept_records, kept_numbers, kept, ({counts})",), 1),
        ]
        return "\n".join(lines), tuple(self.counters)

    def _counter(self, name: str) -> str:
        if name not in self.counters:
            self.counters.append(name)
        return name

    def _judge(self, level: int) -> None:
        """Emit the conditions of a level, and the lines that count their verdicts."""
        conditions = [one for one in self.plan.conditions if one.side is None]
        roots = [one.value for one in conditions if one.level == level]
        emitter = Emitter(self.plan, self.constants, roots, variables=self.variables, judging=level)
        self.tests[level], self.verdicts[level] = emitter, []
        for index, condition in enumerate(self.plan.conditions):
            if condition.level != level or condition.side is not None:
                continue
            with emitter.code.at(level) as block:
                emitter.code.serves("condition", condition.condition.value.text)
                verdict = emitter.truth(condition.value).code
                verdict = emitter.code.assign(verdict, "truth", "verdict").code
                for line in self._counting(index, verdict):
                    block.add(line)
                self._note_values(index, condition.value, emitter)
            self.verdicts[level].append((verdict, index))

    def _note_values(self, index: int, node: n.Node, emitter: Emitter) -> None:
        """The line that notes a value which the condition turned away: of its first field."""
        path = _first_field(node)
        if path is None or not known_of(path).own:
            return
        value = emitter.value(path).code
        seen = self.constants.watches.values_of(index, text_of_node(path))
        self.turned_away[index] = f"{self.constants.name(seen, 'seen')}({value})"

    def _sequence(self, verdicts: list[tuple[str, int]]) -> list[str]:
        """The lines that count what is left after each condition of a level and those before."""
        lines: list[str] = []
        more = any(self.plan.conditions[at].condition.kept_with for _, at in verdicts)
        for verdict, index in reversed(verdicts):
            left = self._counter(f"remaining_{index}")
            inside = indented([f"{left} += 1", *lines], 1)
            away = None if more else self.turned_away.get(index)
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

    def _sides(self, level: int) -> tuple[list[str], list[str]]:
        """The lines that judge the side levels below one entry, the deepest first; and those that
        leave what was kept, where others are to see a level in full until then: the conditions of
        the row's own next level, which is as deep."""
        judged: dict[Names, list[int]] = {}
        for index, plan in enumerate(self.plan.conditions):
            if plan.side is not None and plan.level == level:
                judged.setdefault(plan.side.levels[-1], []).append(index)
        lines: list[str] = []
        later: list[str] = []
        for indexes in sorted(judged.values(), key=lambda found: -self._depth(found[0])):
            direct = self._depth(indexes[0]) == level + 1
            found, applied = self._side_level(level, indexes, direct)
            lines += found if direct else [*found, applied]
            later += [applied] if direct else []
        return lines, later

    def _depth(self, index: int) -> int:
        side = self.plan.conditions[index].side
        return side.row if side is not None else 0

    def _side_level(self, level: int, indexes: list[int], direct: bool) -> tuple[list[str], str]:
        """The lines that judge one side level, and the one that leaves what was kept.

        A level that is as deep, or less, is seen in full: right below the entry it is not judged
        yet; elsewhere it is taken as it came.
        """
        side = self.plan.conditions[indexes[0]].side
        assert side is not None
        full = level if direct else side.row
        emitter = Emitter(self.plan, self.constants, variables=self.variables, in_full=full)
        conditions = []
        for index in indexes:
            plan, verdict = self.plan.conditions[index], self.variables.new("verdict")
            more = self._counter(f"more_{index}") if plan.condition.kept_with else ""
            counting = self._counting(index, verdict)
            kept_with, text = plan.condition.kept_with, plan.condition.value.text
            conditions.append(SideCondition(text, plan.value, kept_with, verdict, counting, more))
        with emitter.code.at(level) as block:
            applied = SideLevel(emitter, side, level, conditions).applied
        above = [line for outer in emitter.code.scope.blocks[:level] for line in outer.lines]
        return [*above, *block.lines], applied

    def _entry(self, level: int) -> list[str]:
        """The lines that find the kept entries of the next level under one entry.

        They leave ``entries_N``, ``ordinals_N`` and, where it goes deeper, ``belows_N``.
        """
        sides, applied = self._sides(level)
        if level == self.plan.chain.row:
            return [*sides, *applied]
        deeper = level + 1
        lines = self._load_entries(level)
        if self._can_be_emptied(level):
            lines.append(f"found_{deeper} = len(entries_{deeper})")
        for further in range(deeper + 1, self.plan.chain.row + 1):
            lines += self.tests[further].code.scope.blocks[level].lines
        inside = self._entry(deeper)
        if inside:
            lines += self._going_deeper(deeper, inside)
        lines += [*sides, *self.tests[deeper].code.scope.blocks[level].lines]
        can_go = deeper < self.plan.chain.row and self._can_be_emptied(deeper)
        if can_go or self.verdicts[deeper]:
            lines += self._choosing(deeper)
        return [*lines, *applied, *self._shown(level)]

    def _going_deeper(self, level: int, inside: list[str]) -> list[str]:
        """The loop over all entries of a level which finds what is kept below each of them."""
        entry = self._entry_code(level)
        lines, body = [], list(inside)
        if level < self.plan.chain.row:
            lines.append(f"belows_{level} = []")
            body.append(f"belows_{level}.append({self._below(level)})")
        if self._changes(level):
            lines.append(f"changed_{level} = []")
            body.append(f"changed_{level}.append({entry})")
        loop = f"for {entry}, {ordinal_name(level)} in zip(entries_{level}, ordinals_{level}):"
        lines += [loop, *indented(body, 1)]
        return lines + ([f"entries_{level} = changed_{level}"] if self._changes(level) else [])

    def _below(self, level: int) -> str:
        """What is kept below an entry: the entries, their places, and what is below each."""
        parts = [f"entries_{level + 1}", f"ordinals_{level + 1}"]
        if level + 1 < self.plan.chain.row:
            parts.append(f"belows_{level + 1}")
        if level > 0 and self._can_be_emptied(level):  # it is asked after in the second loop
            parts.append(f"found_{level + 1}")
        return f"({', '.join(parts)})"

    def _choosing(self, level: int) -> list[str]:
        """The loop that judges the entries of a level, and leaves those that are kept."""
        entry, ordinal = self._entry_code(level), ordinal_name(level)
        names = [f"entries_{level}", f"ordinals_{level}"]
        kept = [f"kept_{level}", f"kept_ordinals_{level}"]
        loop = f"for {entry}, {ordinal} in zip({', '.join(names)}):"
        if level < self.plan.chain.row:
            names.append(f"belows_{level}")
            kept.append(f"kept_belows_{level}")
            loop = f"for {entry}, {ordinal}, {self._below(level)} in zip({', '.join(names)}):"
        starts = f"{', '.join(kept)} = {', '.join('[]' for _ in kept)}"
        before: list[str] = []
        if self.plan.chain.levels[level] in self.plan.chain.known.trees:
            kept[1] = f"ordinals_{level}.left({kept[1]})"
        if self._keeps_more(level):
            before, matched, loop = self._judged_before(level, loop)
            kept[1] = f"{kept[1].removesuffix(')')}, {matched})"
        judged = indented(self._judged(level), 1)
        return [*before, starts, loop, *judged, f"{', '.join(names)} = {', '.join(kept)}"]

    def _keeps_more(self, level: int) -> list[int]:
        """The conditions of a level that keep more nodes than those for which they are true."""
        found = [at for _, at in self.verdicts[level]]
        return [at for at in found if self.plan.conditions[at].condition.kept_with]

    def _judged_before(self, level: int, loop: str) -> tuple[list[str], str, str]:
        """The loop that judges all nodes before it is said of any whether it stays; what holds the
        nodes matched by all conditions that keep more; and the loop that says it.

        What else a condition keeps, counts as though it were true for it.
        """
        verdicts, more = self.verdicts[level], self._keeps_more(level)
        lists = [f"judged_{at}" for _, at in verdicts]
        lines = [f"{', '.join(lists)}, = {', '.join('[]' for _ in lists)},", loop]
        lines += indented(self.tests[level].code.scope.blocks[level].lines, 1)
        for one, (verdict, _) in zip(lists, verdicts, strict=True):
            lines.append(f"    {one}.append({verdict})")
        for at in more:
            kept_with = self.plan.conditions[at].condition.kept_with
            found = f"place for place, true in zip(ordinals_{level}, judged_{at}) if true is True"
            lines += [
                f"matched_{at} = {{{found}}}",
                f"kept_{kept_with}_{at} = ordinals_{level}.with_{kept_with}(matched_{at})",
                f"{self._counter(f'more_{at}')} += len(kept_{kept_with}_{at}) - len(matched_{at})",
                f"judged_{at} = [place in kept_{kept_with}_{at} for place in ordinals_{level}]",
            ]
        head, _, parts = loop.partition(" in zip(")
        names = "".join(f", {verdict}" for verdict, _ in verdicts)
        again = f"{head}{names} in zip({parts.removesuffix('):')}, {', '.join(lists)}):"
        return lines, " & ".join(f"matched_{at}" for at in more), again

    def _entry_code(self, level: int) -> str:
        """What holds an entry in a loop: of a mapping, its key and the value."""
        name = entry_name(level)
        mapping = self.plan.chain.levels[level][-1:] == (MEMBERS,)
        return f"(key_of_{name}, {name})" if mapping else name

    def _changes(self, level: int) -> bool:
        """Whether an entry of a level can be another one once it is judged what lies below it."""
        sides = any(p.side is not None and p.level == level for p in self.plan.conditions)
        return sides or (level < self.plan.chain.row and bool(self._shown(level)))

    def _shown(self, level: int) -> list[str]:
        """The line that lets paths which look at a level as a whole see its kept entries only."""
        chain, deeper = self.plan.chain, level + 1
        judged = range(deeper, chain.row + 1)
        changes = any(plan.level in judged for plan in self.plan.conditions)
        if not (changes or self.plan.drops_without_entries):
            return []
        if not self.plan.record_types.place_of(chain.levels[deeper]).whole:
            return []
        names = chain.levels[deeper][len(chain.levels[level]) :]
        mapping = names[-1] == MEMBERS
        steps = self.constants.name(names[:-1] if mapping else names, "steps")
        what = "with_members" if mapping else "with_entries"
        noted = [f"note_places(entries_{deeper}, ordinals_{deeper})"]
        if chain.levels[deeper] not in chain.known.trees:
            noted = []
        entry = entry_name(level)
        return [*noted, f"{entry} = {what}({entry}, {steps}, entries_{deeper})"]

    def _load_entries(self, level: int) -> list[str]:
        """The lines that load the entries of the next level under one entry."""
        chain, deeper = self.plan.chain, level + 1
        names = chain.levels[deeper][len(chain.levels[level]) :]
        mapping = names[-1] == MEMBERS
        raw = self.loads.paths.load(Access(level, names[:-1] if mapping else names, ())).code
        place = self.plan.record_types.place_of(chain.levels[deeper])
        struct = None if place.whole else place.struct
        struct_name = self.constants.name(struct, struct.__name__) if struct else "None"
        site = self.constants.name(chain.called(chain.levels[deeper]), "site")
        with self.loads.code.at(level):
            where = self.loads.code.where
        fields = has_fields(self.plan, chain.levels[deeper])
        call = f"entries({raw}, {struct_name}, {fields}, {site}, {where})"
        if mapping:
            call = f"member_entries({raw}, {site}, {where})"
        found = [f"entries_{deeper}, ordinals_{deeper} = {call}"]
        if place.only is list:
            found = [
                f"entries_{deeper} = {raw} or ()",
                f"ordinals_{deeper} = range(1, len(entries_{deeper}) + 1)",
            ]
        if chain.levels[deeper] in chain.known.trees:
            known = f"places_of({raw})" if found[1:] else f"standing({raw}, ordinals_{deeper})"
            found[1:] = [f"ordinals_{deeper} = {known}"]
        return [
            *self.loads.code.scope.blocks[level].lines,
            *found,
            f"{self._counter(f'met_{deeper}')} += len(entries_{deeper})",
        ]

    def _judged(self, level: int) -> list[str]:
        """The lines that judge an entry, keep it or drop it, and count why."""
        keep = self._kept(level)
        if level < self.plan.chain.row:
            keep = self._unless_emptied(level, keep)
        if not self.verdicts[level]:
            return keep
        # mutant: kept-verdict
        test = " and ".join(f"{verdict} is True" for verdict, _ in self.verdicts[level])
        drop = [f"{self._counter(f'filtered_out_{level}')} += 1"]
        below = self._kept_below(level)
        for further in range(level + 1, self.plan.chain.row + 1):
            count = f"below({below}, {further - level})"
            drop.append(f"{self._counter(f'with_parent_{further}')} += {count}")
        lines = self._sequence(self.verdicts[level])
        if not self._keeps_more(level):
            lines = [*self.tests[level].code.scope.blocks[level].lines, *lines]
        return [*lines, f"if {test}:", *indented(keep, 1), "else:", *indented(drop, 1)]

    def _kept(self, level: int) -> list[str]:
        """The lines that keep an entry, its place, and what is kept below it."""
        deepest = level == self.plan.chain.row
        if level == 0:
            keep = ["kept_records.append(record)", "kept_numbers.append(number)"]
            return keep if deepest else [*keep, f"kept.append({self._kept_below(0)})"]
        entry, ordinal = self._entry_code(level), ordinal_name(level)
        keep = [f"kept_{level}.append({entry})", f"kept_ordinals_{level}.append({ordinal})"]
        below = [] if deepest else [f"kept_belows_{level}.append({self._kept_below(level)})"]
        return [*keep, *below]

    def _kept_below(self, level: int) -> str:
        parts = [f"entries_{level + 1}", f"ordinals_{level + 1}"]
        if level + 1 < self.plan.chain.row:
            parts.append(f"belows_{level + 1}")
        return f"({', '.join(parts)})"

    def _can_be_emptied(self, level: int) -> bool:
        """Whether an entry can have lost all entries below it, or none are a reason to drop it."""
        below = range(level + 1, self.plan.row_type.first + 1)
        return self.plan.drops_at(level) or any(self.verdicts[at] for at in below)

    def _unless_emptied(self, level: int, keep: list[str]) -> list[str]:
        """An entry all of whose entries were held back is left out itself."""
        if not self._can_be_emptied(level):
            return keep
        entries = f"entries_{level + 1}"
        drops = self.plan.drops_at(level)
        # mutant: emptied
        test = f"if {entries}:" if drops else f"if {entries} or not found_{level + 1}:"
        emptied = f"{self._counter(f'emptied_{level}')} += 1"
        return [test, *indented(keep, 1), "else:", *indented([emptied], 1)]


def _first_field(node: n.Node) -> n.FieldPath | None:
    """The first path of a condition that is not within an aggregate."""
    if isinstance(node, n.FieldPath):
        return node
    if isinstance(node, n.Call) and node.name in AGGREGATE_KINDS:
        return None
    return next((path for part in node.children() if (path := _first_field(part))), None)


# ---- emitting conditions on side levels: of their entries those that pass replace all others


class SideCondition(NamedTuple):
    """A condition on a side level: what it asks, what is kept with the nodes of a tree for which it
    is true, and the lines that count a verdict; ``verdict`` and ``more`` are their variables."""

    text: str
    value: n.Node
    kept_with: str
    verdict: str
    counting: list[str]
    more: str


class SideLevel:
    """Emits the conditions of one side level, which judge the same entries.

    What is left is put into the entry above by `applied`, which may come later: other conditions
    are to see the level in full until then.
    """

    def __init__(
        self, emitter: Emitter, side: Chain, base: int, judged: Sequence[SideCondition]
    ) -> None:
        self._emitter, self._judged = emitter, judged
        outer = emitter.code.scope
        scope = emitter.code.scope = emitter.aggregates.inner_scope(
            AggregatePlan(base, side, False)
        )
        with emitter.code.at(side.row):
            for one in judged:
                emitter.code.serves("condition", one.text)
                emitter.code.add(f"{one.verdict} = {emitter.truth(one.value).code}")
                for line in one.counting:
                    emitter.code.add(line)
        lines = self._loops(scope, base + 1)
        emitter.code.scope = outer
        for line in lines[:-1]:
            emitter.code.add(line)
        self.applied = lines[-1]

    def _loops(self, scope: Scope, level: int) -> list[str]:
        """The loops that give each entry above a side level what is kept below it."""
        variable, owner = scope.variables[level], scope.variables[level - 1]
        kept, lines = f"kept_{variable}", [f"kept_{variable} = []"]
        head = self._emitter.aggregates.loop_head(scope, level, lines)
        names = scope.chain.levels[level][len(scope.chain.levels[level - 1]) :]
        members = names[-1] == MEMBERS
        entry = f"(key_of_{variable}, {variable})" if members else variable
        inside = list(scope.blocks[level].lines)
        after: list[str] = []
        places, place = f"places_of_{kept}", scope.ordinals[level]
        if scope.is_tree(level):
            lines.append(f"{places} = []")
            inside.append(f"{places}.append({place})")
        passed = " and ".join(f"{one.verdict} is True" for one in self._judged)  # mutant: side-kept
        if level == scope.chain.row and scope.is_tree(level):
            lines += [f"{_matched(one)} = []" for one in self._judged]
            for one in self._judged:
                inside.append(f"if {one.verdict} is True: {_matched(one)}.append({place})")
            inside.append(f"{kept}.append({entry})")
            after += self._chosen(kept, places, scope.nodes[level])
        elif level == scope.chain.row:
            inside.append(f"if {passed}: {kept}.append({entry})")
        else:
            inside += [*self._loops(scope, level + 1), f"{kept}.append({entry})"]
            if scope.is_tree(level):
                after.append(f"note_places({kept}, {scope.nodes[level]}.left({places}))")
        steps = self._emitter.code.constants.name(names[:-1] if members else names, "steps")
        between = level < scope.chain.row and not scope.is_tree(level)  # which is not judged
        what = "with_members" if members else "with_changed" if between else "with_entries"
        rebuilt = f"{owner} = {what}({owner}, {steps}, {kept})"
        return [*lines, head, *indented(inside, 1), *after, rebuilt]

    def _chosen(self, kept: str, places: str, nodes: str) -> list[str]:
        """The lines that leave the nodes of a tree which all conditions keep."""
        lines, left = [], []
        for one in self._judged:
            if not one.kept_with:
                lines.append(f"left_{one.verdict} = frozenset({_matched(one)})")
            else:
                with_more = f"{nodes}.with_{one.kept_with}({_matched(one)})"
                lines.append(f"left_{one.verdict} = {with_more}")
                lines.append(f"{one.more} += len(left_{one.verdict}) - len({_matched(one)})")
            left.append(f"left_{one.verdict}")
        matched = [f"frozenset({_matched(one)})" for one in self._judged if one.kept_with]
        found = " & ".join(matched) or left[0]
        return [*lines, f"{kept} = chosen({kept}, {places}, {nodes}, {' & '.join(left)}, {found})"]


def _matched(one: SideCondition) -> str:
    return f"matched_{one.verdict}"
