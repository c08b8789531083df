"""Planning what rows are grouped and sorted by: columns, or keys that stand beside them."""

from __future__ import annotations

from ..errors import Problem
from ..language import nodes as n
from ..layout.model.column import Expression
from ..layout.model.model import Sorting
from ..values.collations import collation_key
from .draft import PlanDraft
from .row_type import KeyPlan


class Keys:
    """Plans the keys of a draft; what can't be done is added to the ``problems``."""

    def __init__(self, draft: PlanDraft, problems: list[Problem]) -> None:
        self._draft, self._problems = draft, problems

    def plan(self) -> None:
        """Plan the groups, then the order."""
        for key in self._draft.layout.group:
            plan = self._key(key.value, key.heading, key.text)
            self._draft.group.append(plan)
            both = [
                c.column
                for c in [one for one in self._draft.columns if one.column.total]
                if c.slot == plan.slot
            ]
            if both and not self._draft.layout.row_per_group:
                name = both[0].heading
                what = f"column `{name}` names the groups, which leave no room for its total"
                self._problems.append(
                    both[0].problem(f"{what}; give the total a column of its own")
                )
        for sort in self._draft.layout.sort:
            text = sort.heading or (sort.value.text if sort.value else "")
            plan = self._key(sort.value, sort.heading, text)
            ways = sort.descending, sort.nulls_first, self._collation(sort)
            self._draft.sort.append(KeyPlan(plan.slot, plan.home, text, *ways, plan.kind))

    def _collation(self, sort: Sorting) -> str:
        try:
            if sort.collation:
                collation_key(sort.collation)
        except ValueError as error:
            self._problems.append(Problem(f"`sort`: {error}", *sort.place))
        return sort.collation

    def _key(self, value: Expression | None, heading: str | None, text: str) -> KeyPlan:
        if heading is not None:
            plan = self._draft.column(heading)
            return KeyPlan(plan.slot, plan.at, text, kind=plan.kind)
        assert value is not None
        known = self._place_of(value)
        if known is not None:
            return known
        home = self._draft.home(value.node)
        self._draft.extra_keys.append((value.node, home))
        place = len(self._draft.columns) + len(self._draft.extra_keys) - 1
        return KeyPlan(place, home, text, kind=self._key_kind(value.node))

    def _key_kind(self, node: n.Node) -> str:
        kind = self._draft.kind(node)
        return "mixed" if kind == "any" and self._draft.may_be_timed(node) else kind

    def _place_of(self, value: Expression) -> KeyPlan | None:
        """The key that an expression is already: that of a column which shows it as it is, or
        of another key."""
        for plan in self._draft.columns:
            column = plan.column
            plain = not (column.typed or column.numeric or column.translate or column.checks)
            if plain and column.value and n.same(column.value.node, value.node):
                return KeyPlan(plan.slot, plan.at, value.text, kind=plan.kind)
        for index, (other, home) in enumerate(self._draft.extra_keys):
            if n.same(other, value.node):
                place = len(self._draft.columns) + index
                return KeyPlan(place, home, value.text, kind=self._key_kind(value.node))
        return None
