"""Making the plan of a run. What cannot be done is told here, all at once, with its place."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..errors import LayoutError, Problem
from ..language import nodes as n
from ..layout.model import Column, Expression, LayoutModel
from ..layout.names import proposal
from .kinds import kind_of
from .known_fields import field_problem
from .levels import Chain, Names, level_name, plain_steps
from .plan import ColumnPlan, ConditionPlan, KeyPlan, Plan
from .shape import Shape
from .structure import Place


def make_plan(model: LayoutModel, structure: Place) -> Plan:
    """Plan a run. Raises LayoutError with every fault that only the data could show."""
    return _Planner(model, structure).plan()


class _Planner:
    def __init__(self, model: LayoutModel, structure: Place) -> None:
        self.model = model
        self.structure = structure
        self.problems: list[Problem] = []
        self.result = Plan(model, self._chain())

    def plan(self) -> Plan:
        self._check_fields()
        self._check_expressions()
        self._stop_at_problems()
        self._columns()
        self._conditions()
        self._keys()
        self._marks()
        self._stop_at_problems()
        paths = [
            part
            for expression in self._expressions()
            for part in expression.node.walk()
            if isinstance(part, n.Path) and not part.relative
        ]
        self.result.shape = Shape(self.result.chain, [self.result.access(path) for path in paths])
        return self.result

    def _stop_at_problems(self) -> None:
        if self.problems:
            raise LayoutError(self.model.name, self.problems)

    def _chain(self) -> Chain:
        expression = self.model.row_per
        if expression is None or expression.text == "record":
            return Chain.of((), self.structure)
        node = expression.node
        names, rest = (
            plain_steps(node, Chain.of((), self.structure))
            if isinstance(node, n.Path)
            else ((), ())
        )
        if not names or rest:
            self.problems.append(expression.problem("`row-per` takes a level, such as lines"))
        elif self.structure.kinds and self.structure.find(names) is None:
            self.problems.append(field_problem(expression, names, self.structure, set(), "level"))
        self._stop_at_problems()
        return Chain.of(names, self.structure)

    def _expressions(self) -> Iterator[Expression]:
        model = self.model
        yield from (column.value for column in model.columns if column.value)
        yield from (condition.value for condition in model.conditions)
        yield from (key.value for key in model.sort if key.value)
        yield from (key.value for key in model.group if key.value)

    # ---- what only the data can show

    def _check_fields(self) -> None:
        """A name that no record has, close to one that some have, is a slip of the pen."""
        if not self.structure.kinds:
            return
        used = {
            plain_steps(part, self.result.chain)[0]
            for expression in self._expressions()
            for part in expression.node.walk()
            if isinstance(part, n.Path)
        }
        used |= {names[:length] for names in used for length in range(len(names))}
        for expression in self._expressions():
            for part in expression.node.walk():
                if isinstance(part, n.Path) and not part.relative:
                    self._check_field(expression, part, used)

    def _check_field(self, expression: Expression, path: n.Path, used: set[Names]) -> None:
        names, _ = plain_steps(path, self.result.chain)
        exact = any(
            isinstance(selector, n.Name) and selector.bracketed
            for segment in path.segments
            for selector in segment.selectors
        )
        if exact or self.structure.find(names) is not None:
            return
        problem = field_problem(expression, names, self.structure, used, "field", path.position)
        if problem.message.endswith("?") or "write" in problem.message:
            self.problems.append(problem)

    def _check_expressions(self) -> None:
        headings = {column.heading for column in self.model.columns}
        for expression in self._expressions():
            self.result.remember(expression)
            for message, node in _refusals(expression.node, headings):
                self.problems.append(expression.problem(message, node.position))
        self._check_circles()
        self._stop_at_problems()
        for column in self.model.columns:
            if (column.value and not isinstance(column.value.node, n.Path)) or (
                column.value and column.total
            ):
                self._check_single(column.value)
        for expression in self._expressions():
            if all(column.value is not expression for column in self.model.columns):
                self._check_single(expression)

    def _check_circles(self) -> None:
        by_heading = {column.heading: column for column in self.model.columns}

        def leads_to(heading: str, trail: tuple[str, ...]) -> bool:
            value = by_heading[heading].value if heading in by_heading else None
            referred = (
                [p.heading for p in value.node.walk() if isinstance(p, n.Heading)] if value else []
            )
            return any(
                name == trail[0] or (name not in trail and leads_to(name, (*trail, name)))
                for name in referred
            )

        for column in self.model.columns:
            if column.value and leads_to(column.heading, (column.heading,)):
                self.problems.append(
                    column.value.problem(f"column `{column.heading}` refers back to itself")
                )

    def _check_single(self, expression: Expression) -> None:
        """Each path must give one value where it is calculated with (DESIGN, rule 3)."""
        for part in expression.node.walk():
            access = self.result.access(part) if isinstance(part, n.Path) else None
            if access and access.many:
                side = level_name(access.side or ())
                row = level_name(self.result.chain.levels[-1])
                self.problems.append(
                    expression.problem(
                        f"`{self.result.text_of(part)}` has many values here: {side} repeats and a "
                        f"row stands for one {row}. Use `row-per: {side}`, or make it a column of "
                        "its own, where its values are joined",
                        part.position,
                    )
                )

    # ---- columns and keys

    def _columns(self) -> None:
        written = [column for column in self.model.columns if not column.suppressed]
        hidden = [column for column in self.model.columns if column.suppressed]
        for place, column in enumerate([*written, *hidden]):
            numeric = self._is_numeric(column)
            self.result.columns.append(ColumnPlan(column, self.result.chain.row, numeric, place))
        homes = {
            plan.column.heading: self.result.home(plan.column.value.node)
            for plan in self.result.columns
            if plan.column.value
        }
        self.result.columns = [
            ColumnPlan(p.column, homes.get(p.column.heading, p.home), p.numeric, p.place)
            for p in self.result.columns
        ]

    def _is_numeric(self, column: Column) -> bool:
        if column.value is None:
            return False
        kind = kind_of(column.value.node)
        wanted = column.decimals is not None or (column.total and column.total.kind != "count")
        if wanted and kind not in ("number", "any"):
            what = "`decimals`" if column.decimals is not None else "a total"
            self.problems.append(
                column.value.problem(
                    f"column `{column.heading}` has {what}, but its value is {kind}"
                )
            )
        return bool(wanted) or kind == "number"

    def _conditions(self) -> None:
        for condition in self.model.conditions:
            level = self.result.home(condition.value.node)
            kind = self.result.kind(condition.value.node)
            if kind not in ("truth", "any"):
                self.problems.append(
                    condition.value.problem(f"a condition is true or false; this is a {kind}")
                )
            if not any(isinstance(p, n.Path | n.Heading) for p in condition.value.node.walk()):
                level = 0
            self.result.conditions.append(ConditionPlan(condition, level))

    def _keys(self) -> None:
        for key in self.model.group:
            self.result.group.append(self._key(key.value, key.heading, key.text))
        for sort in self.model.sort:
            text = sort.heading or (sort.value.text if sort.value else "")
            plan = self._key(sort.value, sort.heading, text)
            self.result.sort.append(
                KeyPlan(plan.place, plan.home, text, sort.descending, sort.nulls_first)
            )

    def _key(self, value: Expression | None, heading: str | None, text: str) -> KeyPlan:
        if heading is not None:
            plan = self.result.column(heading)
            return KeyPlan(plan.place, plan.home, text)
        assert value is not None
        home = self.result.home(value.node)
        self.result.extra_keys.append((value, home))
        return KeyPlan(len(self.result.columns) + len(self.result.extra_keys) - 1, home, text)

    def _marks(self) -> None:
        row = self.result.chain.row
        self.result.marked = sorted({p.home for p in self.result.totalled if p.home < row})


def _refusals(node: n.Node, headings: Iterable[str]) -> Iterator[tuple[str, n.Node]]:
    """What an expression may not hold, with the reason."""
    for part in node.walk():
        if isinstance(part, n.Heading) and part.heading not in headings:
            hint = proposal(part.heading, headings) or "; a text stands in single quotes"
            yield f'no column "{part.heading}"{hint}', part
        elif isinstance(part, n.Asked):
            yield f"`:{part.name}` is not asked for in this layout", part
        elif isinstance(part, n.Call):
            yield f"no function `{part.name}`", part
        elif isinstance(part, n.Like | n.Overlaps | n.Case | n.Cast):
            yield f"`{part.__class__.__name__.lower()}` cannot be used yet", part
