"""Making the plan of a run. What cannot be done is told here, all at once, with its place."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import msgspec

from ..errors import LayoutError, Problem
from ..language import nodes as n
from ..language.choosing import choice_of
from ..layout.model.column import Column, Expression
from ..layout.model.model import Expectation, SettledLayout
from ..structure.known_levels import known_levels
from ..structure.levels import Access, Chain, KnownLevels, Names, level_name, plain_steps
from ..structure.missing_fields import MissingPath, judged, places_of
from ..structure.record_types import Want
from ..structure.structure import MEMBERS, Place
from ..structure.trees import with_trees, within_a_tree
from ..values.field_values import FieldDeclaration
from .draft import PlanDraft
from .judging import Judging
from .keys import Keys
from .kinds import DATATYPES, LEVEL, a_kind
from .noting import MissingPaths
from .plan import Plan, counts_in_labels, expressions_in
from .resolver import Resolver
from .row_type import ColumnPlan, Mark, RowType


class Supposed(NamedTuple):
    """What is taken for granted of levels, whatever records show: further ones, and some of which
    are trees."""

    levels: frozenset[Names]
    trees: dict[Names, str]

    def added_to(self, known: KnownLevels) -> KnownLevels:
        """What a layout says of levels, with this."""
        named, nests = known.named | self.levels, {**known.nests, **self.trees}
        return msgspec.structs.replace(known, named=named, nests=nests)


NOTHING_SUPPOSED = Supposed(frozenset(), {})


class Planner:
    """Makes the plan of one layout by what records look like."""

    def __init__(
        self,
        layout: SettledLayout,
        structure: Place,
        complete: bool,
        today: dt.date,
        kinds: Mapping[str, str] | None = None,
        supposed: Supposed = NOTHING_SUPPOSED,
    ) -> None:
        """``kinds`` are those of the fields of records, where they are known."""
        self.kinds = kinds or {}
        self.today = today
        self.layout = layout
        self.complete = complete
        self.problems: list[Problem] = []
        self.missing_levels: list[MissingPath] = []
        self.stack: tuple[int, ...] = ()
        known = supposed.added_to(known_levels(layout, expressions_in(layout), complete))
        self.given = structure
        self.structure, self.known = with_trees(structure, known)
        self.planned = False  # whether there is a result yet
        self.result = PlanDraft(layout, self._chain())
        self.result.fields = self._declared_places()
        self.planned = True

    def plan(self) -> Plan:
        MissingPaths(self.result, self.structure, self.given).note(self.missing_levels)
        self._columns()
        self._check_circles()
        self._stop_at_problems()
        self._resolve()
        self._stop_at_problems()
        self._place_columns()
        Judging(self.result, self.problems).place()
        Keys(self.result, self.problems, self.stack).plan()
        self._check_levels_shown()
        self._check_taking()
        self._check_primary_key()
        self._stop_at_problems()
        return self._finished()

    def _finished(self) -> Plan:
        """The plan as data: what was found out is written on the nodes of its expressions."""
        draft = self.result
        chain, rows = draft.chain, self.stack or (draft.chain.row,)
        named = [chain.called(chain.levels[at]) for at in rows]
        columns = [
            self._with_value(one, one.column.value.node, named) if one.column.value else one
            for one in draft.columns
        ]
        conditions = [
            msgspec.structs.replace(one, value=draft.annotated(one.condition.value.node))
            for one in draft.conditions
        ]
        return Plan(
            layout=self.layout,
            chain=draft.chain,
            today=self.today,
            columns=tuple(columns),
            conditions=tuple(conditions),
            sort=tuple(draft.sort),
            group=tuple(draft.group),
            extra_keys=tuple((draft.annotated(node), home) for node, home in draft.extra_keys),
            marked=self._marked(),
            places=tuple(dict.fromkeys(draft.places())),
            wants=tuple(dict.fromkeys(wants_of(draft, self.layout.expects))),
            missing=tuple(draft.missing),
            used=frozenset(draft.used),
            made_trees=frozenset(draft.made_trees),
            lists_matter=frozenset(draft.lists_matter | self._on_the_way()),
            several_matter=frozenset(draft.several_matter),
            openings=tuple(draft.openings),
            notices=tuple(dict.fromkeys(draft.notices)),
            addressed=bool(self.stack) or self._asks_for_entries(),
            stack=self.stack,
            within=tuple(draft.within),
        )

    def _with_value(self, plan: ColumnPlan, node: n.Node, levels: Sequence[str]) -> ColumnPlan:
        """A column with its value, which may be another one on rows of each level."""
        value = self.result.annotated(node)
        first, *others = by_level(value, levels) or (value,)
        once = self.result.annotated(plan.once) if plan.once else None
        found = (first, *others) if others else ()
        return msgspec.structs.replace(plan, value=first, once=once, by_level=found)

    def _on_the_way(self) -> set[Names]:
        """The places on the way to what rows stand for, and to levels whose entries are judged."""
        ends = [self.result.chain.levels[-1]]
        ends += [one.side.levels[-1] for one in self.result.conditions if one.side is not None]
        ends += [one.chain.levels[-1] for one in self.result.openings]
        return {end[:length] for end in ends for length in range(1, len(end) + 1)}

    def _holds_objects(self, place: Place) -> bool:
        """Whether nothing but objects was met at a place, none of which stands for a text."""
        kinds = {*place.kinds} - {type(None)}
        return kinds == {dict} and not self.structure.has_own_texts

    def _declared_places(self) -> dict[Names, FieldDeclaration]:
        """The declared fields by their places."""
        found = {}
        for one in self.layout.fields:
            node = one.expression.node
            assert isinstance(node, n.FieldPath)
            names, _ = plain_steps(node, self.result.chain)
            place = self.structure.find(names)
            if one.declared.datatype and place and self._holds_objects(place):
                what = f"`fields`: {one.expression.text} holds objects; declare what is in them"
                self.problems.append(one.expression.problem(what))
            found[names] = one.in_locale(self.layout.locale, self.structure.types_moments)
        return found

    def _asks_for_entries(self) -> bool:
        """Whether the run asks which entry a row stands for."""
        take = self.layout.take
        totals = [one.column.total for one in self.result.columns if one.column.total]
        by_record = take is not None and take.of == "records"
        return (
            bool(self.layout.primary_key)
            or by_record
            or counts_in_labels(self.layout)
            or any(t.aggregate.unknown for t in totals)
        )

    def _check_taking(self) -> None:
        """Rows that are not taken must be provable: each totalled entry has one row."""
        take, chain = self.layout.take, self.result.chain
        if take is None or take.of == "records":
            return
        above = [
            p
            for p in [one for one in self.result.columns if one.column.total]
            if p.home < (self.stack[0] if self.stack else chain.row)
        ]
        if above:
            column = above[0].column
            self.problems.append(
                column.problem(
                    f"column `{column.heading}` is totalled once for each "
                    f"{chain.called(chain.levels[above[0].home])}, of which some rows would be "
                    "taken and others not; take `of: records`"
                )
            )
        if not self.layout.totals.detail:
            message = "`take` of rows goes with `detail`; without it, take `of: records`"
            self.problems.append(Problem(message))

    def _check_levels_shown(self) -> None:
        """Each level of a stack has a column, else its rows would be blank."""
        if self.layout.repeat_parents or self.layout.row_per_group or not self.stack:
            return
        rows = RowType(self.result.chain.row, stack=self.stack)
        columns = [one for one in self.result.columns if not one.column.suppressed]
        columns = [one for one in columns if one.column.value or one.column.text is not None]
        if any(one.column.total and one.column.total.part for one in columns):
            return  # nobody reads its rows: keys are looked for in them
        for level, said in zip(self.stack, self.layout.row_per, strict=True):
            if not any(rows.shows(one, level) for one in columns):
                name = self.result.chain.called(self.result.chain.levels[level])
                what = f"no column is filled on rows of {name}; leave it out, or add one"
                self.problems.append(said.problem(f"`row-per`: {what}"))

    def _check_primary_key(self) -> None:
        """In stacked rows the primary key is that of the rows on which all of it stands."""
        keys = [self.result.column(heading) for heading in self.layout.primary_key]
        rows = RowType(self.result.chain.row, stack=self.stack)
        levels = {rows.home_row(column) for column in keys if not column.everywhere}
        if self.stack and len(levels) > 1 and not self.layout.repeat_parents:
            what = "the columns of a primary key stand on rows of one level"
            says = f"`primary-key`: {what}; `repeat-parents: yes` puts those of parents there, too"
            self.problems.append(keys[0].column.problem(says))

    def _stop_at_problems(self) -> None:
        """Stop at problems. A name that is not met may be what lies behind those of its line."""
        if self.problems:
            used = self.result.used if self.planned else set()
            missing = self.result.missing if self.planned else []
            slips = judged(missing, self.structure, self.known, used).problems
            lines = {slip.line for slip in slips} - {0}
            others = [problem for problem in self.problems if problem.line not in lines]
            raise LayoutError(self.layout.name, [*slips, *others])

    def _chain(self) -> Chain:
        """The chain down to what a row stands for; of stacked rows, to those of the last level."""
        levels = [self._row_level(one) for one in self.layout.row_per] or [()]
        self._stop_at_problems()
        for above, below, said in zip(levels, levels[1:], self.layout.row_per[1:], strict=False):
            if below[: len(above)] != above:
                places = self.known.called(below), self.known.called(above)
                what = (
                    f"{places[0]} is beside {places[1]}, and stacked levels lie within one another"
                )
                if above[: len(below)] == below:
                    what = f"{places[0]} is not below {places[1]}; levels go from the outermost"
                self.problems.append(said.problem(f"`row-per`: {what}"))
        self._stop_at_problems()
        chain = Chain.of(levels[-1], self.structure, self.known)
        if len(levels) > 1:
            self.stack = tuple(chain.levels.index(level) for level in levels)
        return chain

    def _row_level(self, expression: Expression) -> Names:
        """The level that an expression names."""
        if expression.text == "record":
            return ()
        node, start = expression.node, Chain.of((), self.structure, self.known)
        names, rest = plain_steps(node, start) if isinstance(node, n.FieldPath) else ((), ())
        if not names or rest:
            self.problems.append(expression.problem(self._no_level(node)))
        elif inner := within_a_tree(names, self.known):
            self.problems.append(expression.problem(f"`row-per`: {inner}"))
        else:
            self.missing_levels.append(MissingPath(names, expression, what="level"))
        return names

    def _no_level(self, node: n.Node) -> str:
        """What to say of a `row-per` that is no level: the levels that its last name is in."""
        names = [part.name for part in node.walk() if isinstance(part, n.Name)]
        places = (
            [self.known.called(one) for one in places_of(names[-1], self.structure)]
            if names
            else []
        )
        meant = f"by its name: `row-per: {places[0]}`" if places else "such as lines"
        return f"`row-per` takes a level, {meant}"

    def _resolve(self) -> None:
        resolver = Resolver(self.result, {column.heading for column in self.layout.columns})
        joined = {id(column.value) for column in self.layout.columns if not column.total}
        totals = [column for column in self.layout.columns if column.total]
        parts = {id(one.value) for one in totals if one.total and one.total.part}
        judged = Judging(self.result, self.problems)
        judged.resolve(resolver)
        for expression in expressions_in(self.layout):
            if id(expression) not in judged.resolved:
                resolver.resolve(
                    expression, joined=id(expression) in joined, inside=id(expression) in parts
                )
        self.problems += resolver.problems

    def _check_circles(self) -> None:
        for column in referring_to_themselves(self.layout.columns):
            if column.value:
                message = f"column `{column.heading}` refers back to itself"
                self.problems.append(column.value.problem(message))

    # ---- columns and keys

    def _columns(self) -> None:
        """The columns in the order of a row: the written ones first. Their homes come later."""
        written = [column for column in self.layout.columns if not column.suppressed]
        hidden = [column for column in self.layout.columns if column.suppressed]
        for place, column in enumerate([*written, *hidden]):
            self.result.columns.append(ColumnPlan(column, self.result.chain.row, False, place))

    def _place_columns(self) -> None:
        self.result.columns = [self._placed(plan) for plan in self.result.columns]

    def _placed(self, plan: ColumnPlan) -> ColumnPlan:
        value = plan.column.value
        if value is None:
            fixed = bool(self.stack) and plan.column.level is None
            home = 0 if fixed else plan.home
            return msgspec.structs.replace(plan, home=home, everywhere=fixed)
        if plan.column.level is not None:
            self._check_level(plan.column, value)
        column = self._unless_joined(plan.column, value)
        kind = self.result.kind(value.node)
        timed = column.conversion is not None and column.conversion.kind == "time"
        read = "amount" in column.reads
        if column.reads and isinstance(value.node, n.FieldPath):
            kind = "any"  # it is the text of the source that is read
        others = ("interval", "text") if timed else ("text",) if read else ()
        fitting = ("number", "any", "null", *others)
        if column.numeric and kind not in fitting:
            what = "a total" if column.adds else "`decimals`" if column.decimals else "a unit"
            message = f"column `{column.heading}` has {what}, but its value is {a_kind(kind)}"
            self.problems.append(value.problem(message))
        if isinstance(value.node, n.FieldPath) and self._joins(value.node):
            kind = "any"
        home = self.result.home(value.node)
        if isinstance(value.node, n.FieldPath):
            kind = self.kinds.get(level_name(value.node.names() or ()), kind)
        numeric = column.numeric or kind == "number"
        made = "number" if numeric else DATATYPES.get(column.datatype or "", kind)
        made = "text" if column.clean else made
        if made == "any" and (self.kinds or self.result.may_be_timed(value.node)):
            made = "mixed"
        above = self._above_key(value) if column.once else home
        if above < home:
            once = self._once(value, above)
            nodes = self._nodes_totalled(column, above)
            return ColumnPlan(
                column, above, numeric, plan.slot, made, shown=home, once=once, nodes=nodes
            )
        nodes = self._nodes_totalled(column, home)
        everywhere = bool(self.stack) and not [*self.result.homes(value.node)]
        if self.stack and column.total:
            self._check_stacked_total(column, home, everywhere)
        home = 0 if everywhere else home
        placed = ColumnPlan(column, home, numeric, plan.slot, made, nodes=nodes)
        return msgspec.structs.replace(placed, everywhere=everywhere)

    def _check_level(self, column: Column, value: Expression) -> None:
        """What stands on rows of a level is of that level, or of one above it."""
        homes, chain = [*self.result.homes(value.node)], self.result.chain
        own = self.stack[column.level or 0]
        level = chain.called(chain.levels[own])
        if homes and max(homes) > own:
            below = chain.called(chain.levels[max(homes)])
            what = f"is a value of {below}, which has several for one of {level}"
            ways = "sum(…), first(…) or count(…)"
            said = f"column `{column.heading}` of {level} {what}; use {ways}"
            self.problems.append(value.problem(said))
        elif column.total and homes and max(homes) < own:
            above = chain.called(chain.levels[max(homes)])
            what = f"is totalled over {above}, and stands on rows of {level}; put it under {above}"
            self.problems.append(column.problem(f"column `{column.heading}` {what}"))

    def _check_stacked_total(self, column: Column, home: int, everywhere: bool) -> None:
        """What is totalled in stacked rows stands on rows of its own level."""
        chain = self.result.chain
        if everywhere:
            what = "has no path, so that it stands on rows of every level, and they can't be added"
            self.problems.append(column.problem(f"column `{column.heading}` {what}"))
        elif home > self.stack[0] and home not in self.stack:
            level = chain.called(chain.levels[home])
            what = f"is totalled over {level}, which has no rows of its own; add it to `row-per`"
            self.problems.append(column.problem(f"column `{column.heading}` {what}"))

    def _unless_joined(self, column: Column, value: Expression) -> Column:
        """A column; without the datatype of its field where it joins several of its values."""
        node = value.node
        if column.inherited and isinstance(node, n.FieldPath) and self._joins(node):
            return msgspec.structs.replace(column, datatype=None, inherited=False)
        return column

    def _joins(self, path: n.FieldPath) -> bool:
        """Whether a path stands for several values, which a column joins."""
        return self.result.access(path).side is not None or not path.is_singular()

    def _nodes_totalled(self, column: Column, home: int) -> str:
        """Which nodes of a tree a total takes, if not all: sums and means take the leaves, unless
        the layout says otherwise (docs/rules.md, 19)."""
        total, level = column.total, self.result.chain.levels[home]
        if total is None or total.part:
            return ""
        if level not in self.result.chain.known.trees:
            if total.nodes and home and level[-1] != MEMBERS:
                self.result.made_trees.add(level)
            elif total.nodes:
                name = self.known.called(level)
                what = f"`{total.nodes}` is about nodes of a tree, and {name} has none"
                self.problems.append(column.problem(f"column `{column.heading}`: {what}"))
            return ""
        adds = total.name in ("sum", "avg") and not self._counts_own_entries(column)
        nodes = total.nodes or ("leaves" if adds else "all")
        return "" if nodes == "all" else nodes

    def _counts_own_entries(self, column: Column) -> bool:
        """Whether a column is the count of entries that a node has itself, at a side level."""
        node = column.value.node if column.value is not None else None
        if not isinstance(node, n.Call) or node.name != "count":
            return False
        return self.result.aggregate(node).under is None

    def _above_key(self, value: Expression) -> int:
        """The level of a value that is shown where a key is met."""
        assert isinstance(value.node, n.Case)
        return self.result.home(value.node.branches[0][1])

    def _once(self, value: Expression, home: int) -> n.Node:
        """The same expression for an entry of its value's own level."""
        own = self.result.chain
        chain = Chain(own.levels[: home + 1], own.structure, own.known)
        node: n.Node = n.rebuilt(value.node, lambda part: None)
        resolver = Resolver(self.result, set())
        resolver.resolve(Expression(value.scalar, node), chain=chain)
        self.problems += resolver.problems
        return node

    def _marked(self) -> tuple[Mark, ...]:
        """The levels above the row whose entries are totalled, and trees of which some nodes are:
        rows bear a mark for each."""
        row = self.result.chain.row
        totalled = [one for one in self.result.columns if one.column.total]
        above = [one for one in totalled if one.home < row or one.nodes or self.stack]
        homes = sorted({(one.home, one.nodes) for one in above if one.once is None})
        alone = [Mark(one.home, one.slot, one.nodes) for one in above if one.once is not None]
        return (*(Mark(home, nodes=nodes) for home, nodes in homes), *alone)


def by_level(value: n.Node, levels: Sequence[str]) -> tuple[n.Node, ...]:
    """An expression in which `level()` is each of some levels; nothing where it has none."""

    def named(name: str) -> Any:
        return n.rebuilt(value, lambda one: _text_node(one, name) if n.calls(one, LEVEL) else None)

    return tuple(map(named, levels)) if any(n.calls(one, LEVEL) for one in value.walk()) else ()


def _text_node(node: n.Node, text: str) -> n.Node:
    """A text that stands where a node did, of which the same is known."""
    return msgspec.structs.replace(n.Literal(node.position, text), known=node.known)


# ---- columns that refer to others, and through them back to themselves


def referring_to_themselves(columns: Sequence[Column]) -> Iterator[Column]:
    """The columns whose value, followed from reference to reference, is their own."""
    referred = {
        column.heading: {p.heading for p in column.value.node.walk() if isinstance(p, n.Heading)}
        for column in columns
        if column.value
    }
    for column in columns:
        waiting, seen = list(referred.get(column.heading, ())), set[str]()
        while waiting:
            heading = waiting.pop()
            if heading not in seen:
                seen.add(heading)
                waiting += referred.get(heading, ())
        if column.heading in seen:
            yield column


# ---- what records are decoded for: the places whose values a plan asks for, and what for


def wants_of(draft: PlanDraft, expects: Iterable[Expectation]) -> Iterator[Want]:
    """What the expressions of a plan read, and what the expected order is told by."""
    aligned = {
        id(one.column.value.node)
        for one in draft.columns
        if one.column.aligned and one.column.value
    }
    for node, (access, chain) in draft.accesses.items():
        names = (*chain.levels[access.anchor], *access.names)
        if any(_looks_up(segment) for segment in access.rest):
            yield Want((), "plain")
        if _is_missing(draft, names) or node in aligned or node in draft.whole:
            yield Want(names, "plain")
        elif node in draft.counted:
            yield Want(names, "entries")
        elif access.rest:
            yield from _chosen(draft, names, access)
        else:
            yield Want(names)
    for condition in draft.conditions:
        if condition.side is not None:
            yield Want(condition.side.levels[-1], "plain")
    nest = draft.layout.nest
    for field in (nest.key, nest.parent, nest.depth, nest.numbering) if nest else ():
        if field and nest:
            yield Want((*nest.level, field))
    opens_by = draft.layout.opens_by
    if opens_by is not None:
        yield Want((*opens_by.level, *opens_by.key))
        yield Want((opens_by.named_by,))
    for expected in expects:
        yield Want(expected.names, "plain")
        yield Want(expected.after or expected.names, "plain")
    for aggregate in draft.aggregates.values():
        for level in aggregate.chain.levels[aggregate.base + 1 :]:
            if level not in draft.chain.levels:
                yield Want(level, "entries")


def _is_missing(draft: PlanDraft, names: Names) -> bool:
    """Whether no record looked at has a place: what may stand there is not known."""
    return any(names[: len(one.names)] == one.names for one in draft.missing)


def _chosen(draft: PlanDraft, names: Names, access: Access) -> Iterator[Want]:
    """What selectors read: the usual choice two fields of each entry of a side level."""
    choice = choice_of(access.rest)
    beside = (
        access.crossed is None and names not in draft.chain.levels and draft.chain.is_level(names)
    )
    if beside and choice is not None and choice.name is not None:
        yield Want((*names, choice.key))
        yield Want((*names, choice.name))
    else:
        yield Want(names, "plain")


def _looks_up(segment: n.Segment) -> bool:
    """Whether a filter in a path looks at the whole record ($)."""
    return any(isinstance(part, n.FieldPath) and not part.relative for part in segment.walk())
