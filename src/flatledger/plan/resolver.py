"""Resolving an expression: where each path is reached from, what each aggregate runs over, and
whether it can be calculated at all."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from itertools import pairwise

from ..bounds import MOST_FACTORS
from ..errors import Problem
from ..language import nodes as n
from ..language.extents import ALL_NODES, EXTENTS, SUBTREES, taken_by
from ..language.notations import notation_of
from ..language.other_words import FUNCTIONS as FUNCTIONS_ELSEWHERE
from ..layout.model.column import Column, Expression
from ..layout.model.names import nearest
from ..structure.levels import Chain, Names, named_place, plain_steps
from ..structure.structure import MEMBERS
from ..structure.trees import IS_COUNTED, TREE_FUNCTIONS, within_a_tree
from ..values.collations import collation_key
from ..values.functions import CAST_KINDS, FUNCTIONS, IN_LANGUAGE
from ..values.patterns import interoperable
from ..values.periods import UNITS
from .draft import PlanDraft
from .kinds import AGGREGATE_KINDS, INNER, LEVEL, OF_THE_SOURCE, TIMES, a_kind, fits
from .plan import AggregatePlan
from .reaching import places_crossed, reach


def names_level(column: Column) -> bool:
    """Whether a column names the level of a row."""
    return column.value is not None and any(n.calls(one, LEVEL) for one in column.value.node.walk())


# name: (fewest arguments, most)
SPECIAL = {"coalesce": (1, 99), "nullif": (2, 2), "ordinal": (0, 1), "key": (1, 1)}
_DATE = re.compile(r"(?:19|20)\d\d-[01]\d-[0-3]\d\b")
FEW_LISTS = 9  # times as many values that stand alone


class Resolver:
    """Resolves the expressions of one layout; what can't be is added to ``problems``."""

    def __init__(self, plan: PlanDraft, headings: set[str]) -> None:
        self.plan = plan
        self.problems: list[Problem] = []
        self._headings = headings
        self._factors_of: dict[str, int] = {}
        self._expression: Expression
        self._judges = False
        self._within = 0  # how many aggregates stand around what is resolved

    def resolve(
        self,
        expression: Expression,
        *,
        joined: bool = False,
        chain: Chain | None = None,
        judges: bool = False,
        inside: bool = False,
    ) -> None:
        """Resolve an expression. ``joined``: where it is a bare path, it may have many values.

        ``chain`` is where it is evaluated, if not on the row. ``judges``: it is a condition;
        ``inside``: it stands within an aggregate that is taken over groups.
        """
        self._judges, self._within = judges, int(inside)
        self._expression = expression
        found = len(self.problems)
        self.plan.notices += dates_that_subtract(expression)
        for node in expression.node.walk():
            self.plan.texts[id(node)] = expression.text
        bare = joined and isinstance(expression.node, n.FieldPath)
        self._node(expression.node, chain or self.plan.chain, single=not bare)
        if len(self.problems) == found:
            KindChecks(self.plan, self._refuse, self._factors_of).check(expression.node)

    def _refuse(self, message: str, node: n.Node) -> None:
        self.problems.append(self._expression.problem(message, node.position))

    # ---- where things are

    def _node(self, node: n.Node, chain: Chain, single: bool = True) -> None:
        match node:
            case n.FieldPath():
                self._path(node, chain, single)
            case n.Heading():
                self._heading(node, chain)
            case n.Asked():
                self._refuse(f"`:{node.name}` is not asked for in this layout", node)
            case n.Call():
                self._call(node, chain)
            case n.Cast() if node.type not in CAST_KINDS:
                self._refuse(f"no type `{node.type}`; there are {', '.join(CAST_KINDS)}", node)
            case _:
                for part in node.children():
                    self._node(part, chain)

    def _path(self, path: n.FieldPath, chain: Chain, single: bool) -> None:
        inner = within_a_tree(plain_steps(path, chain)[0], chain.known)
        if inner:
            self._refuse(inner, path)
            return
        access = chain.access(path)
        self.plan.accesses[id(path)] = access, chain
        if access.rest and not access.rest[0].descendant:  # a lone object is a list of one there
            self.plan.lists_matter.add((*chain.levels[access.anchor], *access.names))
        place = chain.place_of(path) if self.plan.fields else None
        if place in self.plan.fields:
            self.plan.declared[id(path)] = self.plan.fields[place]
        if self.plan.fields:
            self._note_raw(path, chain)
        if self._within:
            self.plan.inside.add(id(path))
        if single and not self._may_be_one(path):
            self.plan.several_matter.update(chain.crossed_places(path))
        if single and access.side is not None and not self._may_be_one(path):
            text, side = self.plan.text_of(path), chain.called(access.side)
            level = chain.levels[-1]
            where = f"entry of {chain.called(level)}" if level else "record"
            ways = f"sum({text}), first({text}) or any(…), or `row-per: {side}`"
            if self._judges:
                ways = f"any(…) or every(…), or {{keep: {side}, when: …}}, or `row-per: {side}`"
            self._refuse(
                f"`{text}` has many values here, since {side} repeats within one {where}"
                f"{_first_list(chain, access.side)}; use {ways}",
                path,
            )

    def _note_raw(self, path: n.FieldPath, chain: Chain) -> None:
        """Point out a comparison in brackets with a declared field: the raw value stands there."""
        for place, segment in enumerate(path.segments):
            start = chain.place_of(n.FieldPath(path.position, path.segments[:place])) or ()
            parts = [part for part in segment.walk() if isinstance(part, n.FilterComparison)]
            for side in (side for part in parts for side in (part.left, part.right)):
                names = side.names() if isinstance(side, n.FieldPath) and side.relative else None
                declared = self.plan.fields.get((*start, *(names or ())))
                if names and declared is not None and declared.datatype not in ("", "string"):
                    field = chain.called((*start, *names))
                    self.plan.notices.append(
                        f"`{self._expression.text}`: in brackets the value of {field} is compared "
                        f"as it stands in the source, and not as the {declared.datatype} that it "
                        "is declared"
                    )

    def _may_be_one(self, path: n.FieldPath) -> bool:
        """Whether a path stands for one value where one is needed, and several are a fault."""
        notation = notation_of(self.plan.layout.source.format)
        return notation is not None and notation.has(path)

    def _heading(self, node: n.Heading, chain: Chain) -> None:
        if node.heading not in self._headings:
            near = nearest(node.heading, self._headings)
            hint = f'; did you mean "{near}"?' if near else "; a text stands in single quotes"
            self._refuse(f'no column "{node.heading}"{hint}', node)
        elif chain is not self.plan.chain:
            self._refuse("an aggregate takes paths; write the column's expression in it", node)
        elif names_level(self.plan.column(node.heading).column):
            self._refuse(f'column "{node.heading}" names the level of a row: write level()', node)

    def _call(self, node: n.Call, chain: Chain) -> None:
        if node.name in AGGREGATE_KINDS and (node.name not in INNER or node.inner):
            self._aggregate(node, chain)
            return
        if node.distinct:
            self._refuse("`distinct` belongs to an aggregate", node)
        if node.name in EXTENTS:
            self._refuse(f"`{node.name}` stands in an aggregate: sum({node.name}(…))", node)
            return
        known = {
            **SPECIAL,
            **TREE_FUNCTIONS,
            **{k: self._arity(k) for k in FUNCTIONS},
            "current_date": (0, 0),
            LEVEL: (0, 0),
            **dict.fromkeys(OF_THE_SOURCE, (0, 0)),
        }
        known |= {IS_COUNTED: (0, 0)} if node.inner else {}
        if node.name not in known:
            names = [*known, *(set(AGGREGATE_KINDS) - INNER.keys())]
            self._refuse(f"no function `{node.name}`{_instead(node.name, names)}", node)
            return
        fewest, most = known[node.name]
        if not fewest <= len(node.arguments) <= most:
            count = f"{fewest}" if fewest == most else f"{fewest} to {most}"
            self._refuse(f"`{node.name}` takes {count} argument(s)", node)
            return
        if node.name in ("ordinal", "key") and node.arguments:
            self._check_place(node, chain)
            return
        if node.name == LEVEL:
            self._check_level(node)
            return
        if node.name in (*TREE_FUNCTIONS, IS_COUNTED, "ordinal"):
            self._of_tree(node, chain)
            return
        within = node.name in FUNCTIONS and FUNCTIONS[node.name].within
        if node.name == IN_LANGUAGE and chain.structure.has_own_texts:
            self.plan.whole.add(id(node.arguments[0]))
            within = True
        for place, argument in enumerate(node.arguments):
            self._node(argument, chain, single=not within or place > 0)

    def _check_level(self, node: n.Call) -> None:
        """`level()` is about a row: it is part of a column without a path."""
        columns = (one.value for one in self.plan.layout.columns if one.value)
        alone = not any(isinstance(one, n.FieldPath) for one in self._expression.node.walk())
        if not (alone and any(one is self._expression for one in columns)):
            what = "`level()` names the level of a row: it stands in a column that has no path"
            self._refuse(what, node)

    def _arity(self, name: str) -> tuple[int, int]:
        function = FUNCTIONS[name]
        return len(function.parameters) - function.optional, len(function.parameters)

    def _check_place(self, node: n.Call, chain: Chain) -> None:
        """`ordinal` and `key` take a level that is on the way to where they stand."""
        path = node.arguments[0]
        names, rest = plain_steps(path, chain) if isinstance(path, n.FieldPath) else ((), ())
        if not names or rest or names not in chain.levels:
            levels = ", ".join(chain.called(level) for level in chain.levels[1:]) or "none here"
            self._refuse(f"`{node.name}` takes a level of the row ({levels})", node)
        elif node.name == "key" and names[-1] != MEMBERS:
            self._refuse("`key` takes the members of a mapping, such as names.*", node)
        elif node.name == "ordinal" and names not in self.plan.chain.levels:
            self._refuse("`ordinal` counts the entries of the row's own levels", node)
        else:
            self.plan.counted.add(id(path))
            self._node(path, chain, single=False)

    # ---- aggregates (docs/rules.md, 4 to 6)

    def _aggregate(self, node: n.Call, chain: Chain) -> None:
        most = 2 if node.name == "listagg" else 1
        if not 1 <= len(node.arguments) <= most:
            self._refuse(
                f"`{node.name}` takes {most} argument(s) at the most, and one at least", node
            )
            return
        argument, ways = taken_by(node)
        self.plan.lists_matter.update(places_crossed(argument, chain))
        reached = sorted(set(reach(argument, chain)), key=lambda names: (len(names), names))
        for outer, inner in pairwise(reached):
            if inner[: len(outer)] != outer:
                self._refuse(
                    f"{chain.called(outer)} and {chain.called(inner)} are two branches, which have "
                    "no common entry; aggregate each on its own",
                    node,
                )
                return
        target = reached[-1] if reached else ()  # where nothing repeats: the one value or none
        home = max([target, *reach(argument, chain, chosen=True)], key=len)
        base = max(
            place
            for place, level in enumerate(chain.levels)
            # mutant: aggregate-base
            if len(level) < max(len(home), 1) and home[: len(level)] == level
        )
        under = self._under(node, chain, target) if set(ways) & set(SUBTREES) else None
        if set(ways) & set(SUBTREES) and under is None:
            return
        base = base if under is None else under
        inner_chain = chain.extended(base, target)
        counts = node.name == "count" and not node.distinct
        counts = counts and self._is_level(argument, target, chain)
        if counts:
            self.plan.counted.add(id(argument))
        adds = node.name in ("sum", "avg") and target in chain.known.trees and target == home
        self.plan.aggregates[id(node)] = AggregatePlan(
            base, inner_chain, counts, under, "from_here" in ways, adds and ALL_NODES not in ways
        )
        many = isinstance(argument, n.FieldPath) and node.order is None
        self._within += 1
        self._node(argument, inner_chain, single=not many)
        if node.order is not None:
            self._node(node.order.value, inner_chain, single=True)
        self._within -= 1
        outside = Chain(chain.levels[: base + 1], chain.structure, chain.known)
        for separator in node.arguments[1:]:
            self._node(separator, outside)

    def _under(self, node: n.Call, chain: Chain, target: Names) -> int | None:
        """The level of the node that an aggregate runs below."""
        at = chain.node if chain.node is not None else self._made_tree(chain, target)
        if at is None or target[: len(chain.levels[at])] != chain.levels[at]:
            what = "is about what is below a node: write it on a row for each node of a tree"
            self._refuse(f"`{node.name}({taken_by(node)[1][0]}(…))` {what}", node)
            return None
        return at

    def _made_tree(self, chain: Chain, level: Names) -> int | None:
        """A level of the chain that is taken for a tree, though no record shows it as one."""
        if level not in chain.levels[1:] or level[-1] == MEMBERS:
            return None
        self.plan.made_trees.add(level)
        return chain.levels.index(level)

    # ---- functions of a tree (docs/rules.md, 19)

    def _of_tree(self, node: n.Call, chain: Chain) -> None:
        """A function about a node: of the deepest tree on the way, or of that of its argument."""
        at = self._node_of(node, chain)
        if at is None:
            return
        self.plan.nodes[id(node)] = at
        if node.name == "is_match" and self._judges:
            self._refuse("`is_match` tells what a condition found, and is in none", node)
        elif node.name == "is_match" and not self._keeps_more(chain.levels[at]):
            what = f"{{keep: {chain.called(chain.levels[at])}, when: …, with: ancestors}}"
            self._refuse(f"`is_match` goes with a condition that keeps more: {what}", node)
        inside = Chain(chain.levels[: at + 1], chain.structure, chain.known)
        for argument in node.arguments:
            self._node(argument, inside)

    def _node_of(self, node: n.Call, chain: Chain) -> int | None:
        paths = [
            p for part in node.arguments[:1] for p in part.walk() if isinstance(p, n.FieldPath)
        ]
        at = chain.node
        if paths:
            at = max(chain.access(path).anchor for path in paths)
            if chain.levels[at] not in chain.known.trees and chain.node is not None:
                given, tree = chain.called(chain.levels[at]), chain.called(chain.levels[chain.node])
                what = f"takes a value of {tree}, which nests in itself; this is one of {given}"
                self._refuse(f"`{node.name}` {what}", node)
                return None
        level = chain.levels[at if at is not None else chain.row]
        at = at if level in chain.known.trees else self._made_tree(chain, level)
        if at is None:
            self._refuse(
                f"`{node.name}` is about the nodes of a tree, and none is on the way to this row; "
                "`row-per` names the level that nests",
                node,
            )
        return at

    def _keeps_more(self, level: Names) -> bool:
        """Whether a condition on a level keeps more than the nodes for which it is true."""
        found = [one for one in self.plan.layout.conditions if one.kept_with and one.keep]
        return any(one.keep and named_place(one.keep.node) == level for one in found)

    def _is_level(self, argument: n.Node, target: Names, chain: Chain) -> bool:
        return isinstance(argument, n.FieldPath) and plain_steps(argument, chain) == (target, ())


def dates_that_subtract(expression: Expression) -> Iterator[str]:
    """Dates that are typed without quotes: 2026-01-01 is 2024."""
    for node in expression.node.walk():
        if isinstance(node, n.Arithmetic) and node.operator == "-":
            text = _DATE.match(expression.scalar.text, node.position)
            if text is not None:
                yield (
                    f"`{expression.text}`: {text[0]} subtracts two numbers from a third; a date "
                    f"stands so: date '{text[0]}'"
                )


def _first_list(chain: Chain, names: Names) -> str:
    """Where a list was met at a level that hardly any record has, and what to state then."""
    place = chain.structure.find(names)
    if place is None or not place.many or chain.known.stated is not None:
        return ""
    others = place.kinds.total() - place.elements + place.lists - place.many
    if others < FEW_LISTS * place.many:
        return ""
    many = f", the first of {place.many:,}" if place.many > 1 else ""
    return (
        f" (record {place.first_many:,} has a list of several{many}; if it should have none, "
        "`levels: […]` states the levels without it, and each such list is a fault)"
    )


def _instead(name: str, known: Sequence[str]) -> str:
    """How to say what an unknown function was meant to."""
    if name.lower() in FUNCTIONS_ELSEWHERE:
        return f"; {FUNCTIONS_ELSEWHERE[name.lower()]}"
    near = nearest(name, known)
    return f"; did you mean `{near}`?" if near else f"; there are {', '.join(sorted(known))}"


# ---- telling of values in an expression whose kind can never be the one that is wanted there


Tell = Callable[[str, n.Node], None]  # what is wrong, and with which node


class KindChecks:
    """Checks one expression; ``factors_of`` says of columns how many values they are made of."""

    def __init__(self, plan: PlanDraft, tell: Tell, factors_of: dict[str, int]) -> None:
        self.plan, self._tell, self._factors_of = plan, tell, factors_of

    def check(self, node: n.Node) -> None:
        """Tell of each part of an expression whose kind can never be what is wanted."""
        for part in node.walk():
            match part:
                case n.Arithmetic():
                    self._check_arithmetic(part)
                case n.Sign():
                    self._expect(part.operand, ("number",), "a sign stands before a number")
                case n.Comparison():
                    self._check_comparable(part, part.left, part.right)
                case n.Between():
                    self._check_comparable(part, part.operand, part.low)
                    self._check_comparable(part, part.operand, part.high)
                case n.In():
                    for option in part.options:
                        self._check_comparable(part, part.operand, option)
                case n.InPeriod():
                    self._expect(part.operand, ("moment",), "a period holds dates")
                case n.Collate():
                    self._check_collation(part)
                case n.And() | n.Or():
                    for condition in part.parts:
                        self._expect(condition, ("truth",), "`and` and `or` join conditions")
                case n.Not():
                    self._expect(part.operand, ("truth",), "`not` stands before a condition")
                case n.Like():
                    self._check_pattern(part)
                case n.Call():
                    self._check_arguments(part)
        if self._factors(node) > MOST_FACTORS:
            self._tell(f"more than {MOST_FACTORS} values in one product or text", node)

    def _check_collation(self, node: n.Collate) -> None:
        try:
            collation_key(node.collation)
        except ValueError as error:
            self._tell(str(error), node)

    def _expect(self, node: n.Node, wanted: tuple[str, ...], message: str) -> None:
        kind = self.plan.kind(node)
        if not any(fits(kind, one) for one in wanted):
            self._tell(f"{message}; this is {a_kind(kind)}", node)

    def _check_arithmetic(self, node: n.Arithmetic) -> None:
        for part in (node.left, node.right):
            text = self.plan.kind(part) == "text"
            wanted = ("number",) if text else ("number", "moment", "interval")
            self._expect(part, wanted, f"`{node.operator}` calculates with numbers")

    def _check_comparable(self, node: n.Node, left: n.Node, right: n.Node) -> None:
        kinds = self.plan.kind(left), self.plan.kind(right)
        known = set(kinds) - {"any", "null"}
        if len(known) > 1 and not (known & set(TIMES) and "text" in known):
            self._tell(f"a {kinds[0]} and a {kinds[1]} can never be compared", node)

    def _check_pattern(self, node: n.Like) -> None:
        pattern = node.pattern.value if isinstance(node.pattern, n.Literal) else None
        if node.regex and isinstance(pattern, str) and interoperable(pattern) is None:
            self._tell("this pattern is no I-Regexp (RFC 9485)", node.pattern)

    def _check_arguments(self, node: n.Call) -> None:
        if node.name == "period_of":
            unit = getattr(node.arguments[1], "value", UNITS[0])
            if unit not in UNITS:
                self._tell(f"no period `{unit}`; there are {', '.join(UNITS)}", node.arguments[1])
        if node.name in FUNCTIONS:
            function = FUNCTIONS[node.name]
            for argument, kind in zip(node.arguments, function.parameters, strict=False):
                self._expect(argument, (kind,), f"`{node.name}` takes a {kind} here")
        elif node.name in ("sum", "avg"):
            self._expect(node.arguments[0], ("number",), f"`{node.name}` adds up numbers")
        elif node.name == "chain_product":
            self._expect(node.arguments[0], ("number",), "`chain_product` multiplies numbers")
        elif node.name == "ancestor":
            self._expect(node.arguments[1], ("number",), "`ancestor` takes a depth")
        elif node.name in ("any", "every"):
            self._expect(node.arguments[0], ("truth",), f"`{node.name}` takes a condition")

    def _factors(self, node: n.Node) -> int:
        """How many values the largest product or text of an expression is made of."""
        if isinstance(node, n.Heading):
            if node.heading not in self._factors_of:
                value = self.plan.column(node.heading).column.value
                self._factors_of[node.heading] = self._factors(value.node) if value else 1
            return self._factors_of[node.heading]
        parts = [self._factors(part) for part in node.children()] or [1]
        multiplies = isinstance(node, n.Concatenation) or (
            isinstance(node, n.Arithmetic) and node.operator == "*"
        )
        return min(sum(parts) if multiplies else max(parts), MOST_FACTORS + 1)
