"""Planning what rows are grouped and sorted by: columns, or keys that stand beside them."""

from __future__ import annotations

from ..errors import Problem
from ..language import nodes as n
from ..layout.model.column import Expression
from ..layout.model.model import Sorting
from ..values.collations import collation_key
from .draft import PlanDraft
from .resolver import names_level
from .row_type import KeyPlan


class Keys:
    """Plans the keys of a draft; what can't be done is added to the ``problems``."""

    def __init__(
        self, draft: PlanDraft, problems: list[Problem], stack: tuple[int, ...] = ()
    ) -> None:
        """``stack`` are the levels whose rows are stacked."""
        self._draft, self._problems, self._stack = draft, problems, stack

    def plan(self) -> None:
        """Plan the groups, then the order."""
        for key in self._draft.layout.group:
            plan = self._key(key.value, key.heading, key.text)
            self._draft.group.append(plan)
            if self._stack and plan.home > self._stack[0]:
                self._refuse_key(plan, key.value, "`group` goes by")
            both = [
                c.column
                for c in [one for one in self._draft.columns if one.column.total]
                if c.slot == plan.place
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
            plan = KeyPlan(plan.slot, plan.home, text, *ways, plan.kind, plan.column)
            below = bool(self._stack) and plan.home > self._stack[0]
            if below and plan.home not in self._stack:
                self._refuse_key(plan, sort.value, "`sort` goes by", "one that has rows")
            (self._draft.within if below else self._draft.sort).append(plan)

    def _refuse_key(
        self, key: KeyPlan, value: Expression | None, what: str, other: str = ""
    ) -> None:
        """A key of stacked rows is of the first level, or one above it, or ``other``."""
        chain = self._draft.chain
        levels = chain.called(chain.levels[key.home]), chain.called(chain.levels[self._stack[0]])
        ways = f"{levels[1]}, a level above it{f', or {other}' if other else ''}"
        said = f"{what} values of {ways}; {key.text} is one of {levels[0]}"
        self._problems.append(value.problem(said) if value else Problem(said))

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
            if self._stack and names_level(plan.column):
                what = f"`{heading}` names the level of a row, and families of rows stay together"
                self._problems.append(plan.column.problem(f"{what}; leave out this key"))
            if not self._stack or plan.everywhere:
                return KeyPlan(plan.slot, plan.at, text, kind=plan.kind)
            named = plan.column.value is not None
            node = n.Heading(0, heading) if named else n.Literal(0, plan.column.text)
            return self._extra_key(node, text, plan.slot)
        assert value is not None
        known = self._place_of(value)
        if known is None or not self._stack:
            return known or self._extra_key(value.node, text)
        return self._extra_key(value.node, text, known.place)

    def _extra_key(self, node: n.Node, text: str, column: int | None = None) -> KeyPlan:
        """A key in a slot of its own; ``column`` is the one that shows it on some rows."""
        known = [*self._draft.homes(node)]
        home = self._draft.home(node) if known or not self._stack else 0
        self._draft.extra_keys.append((node, home))
        place = len(self._draft.columns) + len(self._draft.extra_keys) - 1
        return KeyPlan(place, home, text, kind=self._key_kind(node), column=column)

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
