"""What conditions let through: from the deepest level up, each entry in full (rules 7 to 10).

A condition judges the entries of its own level, with all that deeper conditions let through and
with its own depth in full; what is filtered out is then as though it were not in the record.
"""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from ..language import nodes as n
from ..plan.plan import ConditionPlan
from ..structure.levels import Names, named_place
from .entries import Entry
from .expressions import Expressions
from .homes import Homes
from .trees import is_below


class Condition(NamedTuple):
    """A condition with the levels down to the one whose entries it judges."""

    number: int
    text: str
    node: n.Node
    levels: tuple[Names, ...]
    kept_with: str
    own: bool  # whether that level is on the way to the row

    @property
    def level(self) -> Names:
        return self.levels[-1]


class Filtering:
    """Judges one record. ``counts`` say what became of the entries, as a balance has it."""

    def __init__(self, expressions: Expressions, homes: Homes) -> None:
        self._of, self._homes = expressions, homes
        self._plan = expressions.plan
        self._rows = self._plan.chain.levels
        self._conditions = [
            self._condition(index, one) for index, one in enumerate(self._plan.conditions)
        ]
        self.counts: Counter[str] = Counter()

    def _condition(self, index: int, plan: ConditionPlan) -> Condition:
        """Where a condition judges: at its home, or at the level that it names (rule 10)."""
        condition = plan.condition
        node, text = condition.value.node, condition.value.text
        keep = named_place(condition.keep.node) if condition.keep is not None else None
        if keep is None or keep in self._rows:
            home = self._homes.of(node, self._rows, otherwise=0)
            return Condition(index, text, node, self._rows[: home + 1], condition.kept_with, True)
        above = max(level for level in self._rows if keep[: len(level)] == level)
        at = self._rows.index(above)
        levels = (*self._rows[: at + 1], *self._of.aggregates.between(above, keep))
        return Condition(index, text, node, levels, condition.kept_with, False)

    def passes(self, top: Entry) -> bool:
        """Judge a record; whether it is kept itself."""
        deepest = max([len(self._rows), *(len(one.levels) for one in self._conditions)])
        for depth in range(deepest - 1, -1, -1):
            judged = [one for one in self._conditions if len(one.levels) == depth + 1]
            sides = [one for one in judged if not one.own]
            fallen = [self._judge(top, one.levels, [one]) for one in sides]
            if depth < len(self._rows):
                own = [one for one in judged if one.own]
                fallen.append(self._judge_rows(top, depth, own))
            for entries in fallen:
                for entry in entries:
                    entry.kept = False
            for levels in self._changed(depth, judged) if depth else ():
                for above in self._all(top, levels[:-1]):
                    self._of.record.cut_down(above, levels[-1])
            self._of.aggregates.forget()
        return top.kept

    def _changed(self, depth: int, judged: list[Condition]) -> set[tuple[Names, ...]]:
        """The levels of a depth of which paths see what is left from now on: those that are judged,
        and one of the row's own above what is."""
        found = {one.levels for one in judged}
        deeper = any(one.own and len(one.levels) > depth for one in self._conditions)
        if depth < len(self._rows) and (deeper or self._plan.drops_without_entries):
            found.add(self._rows[: depth + 1])
        return found

    def _all(self, top: Entry, levels: tuple[Names, ...]) -> list[Entry]:
        """The entries of a level, those under an entry that will be filtered out among them."""
        return self._of.record.chains(top, levels[1:])

    def _judge_rows(self, top: Entry, depth: int, judged: list[Condition]) -> list[Entry]:
        """Judge the entries of a level on the way to the row; one that has lost all that was below
        it goes too, and so does one without any where those are dropped (rule 7)."""
        levels = self._rows[: depth + 1]
        entries = self._all(top, levels)
        if depth:
            self.counts[f"met_{depth}"] += len(entries)
        out = {id(entry) for entry in self._judge(top, levels, judged)}
        emptied = set[int]()
        if depth + 1 < len(self._rows):
            below = self._rows[depth + 1]
            for entry in (one for one in entries if id(one) not in out):
                had = bool(self._of.record.entries(entry, below))
                left = bool(self._of.record.kept(entry, below))
                if (
                    not left
                    and (had or self._plan.drops_at(depth))
                    and self._plan.empties_at(depth)
                ):
                    emptied.add(id(entry))
        self.counts[f"filtered_out_{depth}"] += len(out)
        self.counts[f"emptied_{depth}"] += len(emptied)
        for entry in entries:
            if id(entry) in out:
                self._count_dropped(entry, depth)
        return [entry for entry in entries if id(entry) in out | emptied]

    def _count_dropped(self, entry: Entry, depth: int) -> None:
        """What was kept below an entry goes with it."""
        found = [entry]
        for level in range(depth + 1, len(self._rows)):
            found = [
                one for above in found for one in self._of.record.kept(above, self._rows[level])
            ]
            self.counts[f"with_parent_{level}"] += len(found)

    def _judge(self, top: Entry, levels: tuple[Names, ...], judged: list[Condition]) -> list[Entry]:
        """The entries of a level for which not all of some conditions are true (rule 9)."""
        entries = self._all(top, levels)
        passed = {id(entry) for entry in entries}
        matched = set(passed)
        for one in judged:
            self._of.expression = one.text
            verdicts = [self._of.truth(one.node, entry.chain) for entry in entries]
            true = {id(e) for e, verdict in zip(entries, verdicts, strict=True) if verdict is True}
            for word, verdict in (("true", True), ("false", False), ("unknown", None)):
                self.counts[f"{word}_{one.number}"] += verdicts.count(verdict)
            kept = self._with(entries, true, one.kept_with)
            self.counts[f"more_{one.number}"] += len(kept) - len(true)
            matched &= true if one.kept_with else matched
            passed &= kept
            if one.own:
                self.counts[f"remaining_{one.number}"] += len(passed)
        for entry in entries:
            entry.matched = id(entry) in matched if any(c.kept_with for c in judged) else True
        return [entry for entry in entries if id(entry) not in passed]

    def _with(self, entries: list[Entry], true: set[int], kept_with: str) -> set[int]:
        """What a condition keeps besides the nodes for which it is true (rule 19)."""
        if not kept_with:
            return true
        chosen = [entry for entry in entries if id(entry) in true]
        more = set(true)
        for entry in entries:
            below, above = (entry, None), (None, entry)
            for one in chosen:
                node, other = below if kept_with == "branch" else above
                if is_below(node or one, other or one):
                    more.add(id(entry))
        return more
