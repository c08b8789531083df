"""Planning what is judged: conditions with the levels of their entries, and nodes to be opened."""

from __future__ import annotations

from ..errors import Problem
from ..language import nodes as n
from ..layout.model.model import Condition
from ..layout.model.tree_options import Opening
from ..structure.levels import Chain, named_place, plain_steps
from ..structure.trees import TREE_FUNCTIONS
from .draft import PlanDraft
from .kinds import a_kind
from .plan import ConditionPlan, OpeningPlan
from .resolver import Resolver


class Judging:
    """Plans the conditions of a draft, and how far trees are opened; what can't be done is added to
    the ``problems``."""

    def __init__(self, draft: PlanDraft, problems: list[Problem]) -> None:
        self._draft, self._problems = draft, problems
        self.resolved: set[int] = set()  # expressions, by their identity

    def resolve(self, resolver: Resolver) -> None:
        """Resolve every condition, where it stands."""
        for condition in self._draft.layout.conditions:
            side = self._side(condition)
            if condition.keep is None or condition.kept_with or side is not None:
                resolver.resolve(condition.value, chain=side, judges=True)
            self._draft.conditions.append(ConditionPlan(condition, 0, side))
            self.resolved.add(id(condition.value))
        for opening in self._draft.layout.openings:
            self._opening(opening, resolver)
            self.resolved.add(id(opening.until))

    def _side(self, condition: Condition) -> Chain | None:
        """The chain down to the level that a condition keeps entries of, where it says so."""
        keep, own = condition.keep, self._draft.chain
        if keep is None:
            return None
        node = keep.node
        names, rest = plain_steps(node, own) if isinstance(node, n.FieldPath) else ((), ())
        if not names or rest or not own.is_level(names):
            self._problems.append(keep.problem("`keep` takes a level, such as payments"))
            return None
        if names in own.levels and condition.kept_with:
            return None
        if names in own.levels:
            what = f"`{keep.text}` is on the way to the row: write its condition alone"
            self._problems.append(keep.problem(what))
            return None
        if condition.kept_with and names not in own.known.trees:
            self._draft.made_trees.add(names)
        base = max(i for i, level in enumerate(own.levels) if names[: len(level)] == level)
        return own.extended(base, names)

    def _opening(self, opening: Opening, resolver: Resolver) -> None:
        """How far a level is opened; what says so is told of one node alone."""
        own = self._draft.chain
        chain = Chain.of(opening.level, own.structure, own.known)
        if opening.level not in own.known.trees:
            self._draft.made_trees.add(opening.level)
        value = None
        if opening.until is not None:
            resolver.resolve(opening.until, chain=chain, judges=True)
            parts = [*opening.until.node.walk()]
            named = [p for p in parts if isinstance(p, n.Call) and p.name in TREE_FUNCTIONS]
            alone = all(self._draft.homes_within(part, chain) for part in parts)
            if not alone or any(call.name != "depth" for call in named):
                level = own.called(opening.level)
                what = f"`until` is about one node of {level}: its own fields, and depth()"
                self._problems.append(opening.until.problem(what))
            elif not resolver.problems:
                value = self._draft.annotated(opening.until.node)
        self._draft.openings.append(OpeningPlan(chain, opening.to_depth, value))

    def place(self) -> None:
        """The level of each condition: its home, or for a side level what that stands under."""
        for index, plan in enumerate(self._draft.conditions):
            value = plan.condition.value
            kind = self._draft.kind(value.node)
            if kind not in ("truth", "any"):
                self._problems.append(
                    value.problem(f"a condition is true or false; this is {a_kind(kind)}")
                )
            homes = list(self._draft.homes(value.node))
            level = max(homes) if homes else 0
            if plan.condition.kept_with and plan.side is None:
                self._check_kept_with(plan.condition, level)
            if plan.side is not None:
                level = self._above(plan.side)
            self._draft.conditions[index] = ConditionPlan(plan.condition, level, plan.side)

    def _check_kept_with(self, condition: Condition, home: int) -> None:
        """A condition that keeps more is one on the nodes of the level that it names."""
        keep, level = condition.keep, self._draft.chain.levels[home]
        if keep is None:
            what = "`with` goes with `keep`, which names the tree: {keep: parts, when: …, with: …}"
            self._problems.append(condition.value.problem(what))
        elif named_place(keep.node) != level:
            what = f"`{keep.text}` is kept by a condition on its own fields, and this is on"
            self._problems.append(
                condition.value.problem(f"{what} {self._draft.chain.called(level)}")
            )
        elif level not in self._draft.chain.known.trees:
            self._draft.made_trees.add(level)

    def _above(self, side: Chain) -> int:
        """The deepest level of the row's chain that a chain to a side level has too."""
        pairs = zip(side.levels, self._draft.chain.levels, strict=False)
        return sum(one == other for one, other in pairs) - 1
