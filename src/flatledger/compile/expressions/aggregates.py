"""Emitting aggregates: loops over the entries below a level, and what is made of their values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from ...language import nodes as n
from ...language.extents import taken_by
from ...plan.kinds import AGGREGATE_KINDS, COUNT_NUMBERS, GATHERING, Operand, taken_kind
from ...plan.known import aggregate_of, declared_of, kind_of
from ...plan.plan import AggregatePlan
from ...plan.row_order import pair_order
from ...structure.levels import Access, Chain, Names
from ...structure.structure import MEMBERS
from ...values.aggregates import AGGREGATES, DISTINCT, Aggregate
from .blocks import Block, indented, listed_codes
from .conditions import Conditions
from .emission import Expressions, Scope, entry_name, has_fields
from .paths import Paths


class Aggregates:
    """Emits aggregates, each once at the level it runs under.

    ``judging`` is the level whose entries are being judged, 0 where all have been. As deep as
    ``in_full`` levels are seen as they came.
    """

    def __init__(
        self,
        emit: Expressions,
        paths: Paths,
        conditions: Conditions,
        roots: Iterable[n.Node | None],
        judging: int,
        in_full: int = 0,
    ) -> None:
        self.emit, self.code = emit, emit.code
        self._paths = paths
        self._conditions = conditions
        self.judging, self._in_full = judging, in_full
        self._simple = list(simple_aggregates(roots))
        self._seen_below: set[str] = set()  # variables of entries for which that is known

    def value(self, node: n.Call) -> Operand:
        """The value of an aggregate."""
        plan = aggregate_of(node)
        if plan.under is not None:
            return self._of_subtree(node, plan, plan.under)
        known = self.code.known(self._key(node, plan))
        if known is None:
            with self.code.at(plan.base, whole=True):
                self._aggregate(self._together(node, plan), plan)
                known = self.code.known(self._key(node, plan))
        assert known is not None
        return known

    def _key(self, node: n.Call, plan: AggregatePlan) -> tuple[str, int, str]:
        return "aggregate", id(node), self.code.scope.variables[plan.base]

    def _together(self, node: n.Call, plan: AggregatePlan) -> list[n.Call]:
        """The aggregates over the same entries, which one loop gathers for."""
        if not any(one is node for one in self._simple) or self.code.scope.chain is not self._own:
            return [node]
        return [one for one in self._simple if runs_over(one) == runs_over(node)]

    @property
    def _own(self) -> Chain:
        return self.code.plan.chain

    def _aggregate(self, nodes: list[n.Call], plan: AggregatePlan) -> None:
        """Emit aggregates over the same entries, and note what each of them is."""
        outer, scope = self.code.scope, self.inner_scope(plan)
        separators = [self._separator(node) for node in nodes]
        groups = [(group, self._begun("by_key", "{}")) for group in by_key(nodes)]
        grouped = {id(one.call): (one, name) for group, name in groups for one in group}
        founds = {
            id(node): self._begun("found", "0" if _counts(node) else "[]")
            for node in nodes
            if id(node) not in grouped
        }
        self.code.scope = scope
        with self.code.at(scope.chain.row) as innermost:
            for group, name in groups:
                self._gather_by_key(group, name)
            for node in nodes:
                if id(node) in founds:
                    self._gather_nodes(node, founds[id(node)])
        self.code.scope = outer
        for line in self._loops(scope, plan.base + 1, innermost.lines):
            self.code.add(line)
        for one, name in grouped.values():
            found = founds[id(one.call)] = self.code.variable("found")
            self.code.add(f"{found} = {name}.get({one.text!r})")
        for node, separator in zip(nodes, separators, strict=True):
            self.code.note(self._key(node, plan), self._made(node, founds[id(node)], separator))

    def _of_subtree(self, node: n.Call, plan: AggregatePlan, under: int) -> Operand:
        """What an aggregate of all that is below a node results in: gathered once for the whole
        tree, where that begins."""
        scope = self.code.scope
        key = "subtree", id(node), scope.nodes[under]
        known = self.code.known(key)
        if known is None:
            with self.code.at(plan.start, whole=True):
                known = self.code.note(key, self._gathered_below(node, plan, under))
        if node.name == "sum" and not node.distinct:
            with self.code.at(plan.start, whole=True):
                told_once = "sums", known.code
                sums = self.code.known(told_once) or self.code.note(
                    told_once, self.code.assign(f"{known.code}.sums", "any", "sums")
                )
            with self.code.at(under):
                return self.code.assign(f"{sums.code}[{scope.ordinals[under]}]", "number")
        result = self.code.variable("total")
        told = f"{self._separator(node)}, {self.code.told(node)}"
        with self.code.at(under):
            self.code.add(f"{result} = result_below({known.code}, {scope.ordinals[under]}{told})")
        return Operand(result, kind_of(node))

    def _gathered_below(self, node: n.Call, plan: AggregatePlan, under: int) -> Operand:
        """The variable with what is below each node of a tree."""
        outer, scope = self.code.scope, self.inner_scope(plan)
        found = self._begun("found", f"{outer.nodes[under]}.lists()")
        self.code.scope = scope
        with self.code.at(scope.chain.row) as innermost:
            self._gather_nodes(node, f"{found}[{scope.ordinals[under]}]")
        self.code.scope = outer
        for line in self._loops(scope, plan.start + 1, innermost.lines):
            self.code.add(line)
        order = "None"
        if node.order is not None:
            order = self.code.constants.name(pair_order(node.order), "order")
        made = f"Subtrees({outer.nodes[under]}, {self._object(node)}, {found}, {plan.from_here}"
        return self.code.assign(f"{made}, {order})", "any", "below")

    def _begun(self, stem: str, code: str) -> str:
        """A variable for what is gathered, which is empty yet."""
        name = self.code.variable(stem)
        self.code.add(f"{name} = {code}")
        return name

    def _gather_by_key(self, group: list[ForKey], found: str) -> None:
        """Add the value within one entry to those of its key, if there is a column for that."""
        key = self.code.held(self.emit.text(group[0].key)).code
        wanted = self.code.constants.name(frozenset(one.text for one in group), "keys")
        with self.code.below(f"if {key} in {wanted}:"):
            value = self.code.held(self.emit.present(group[0].value)).code
            self.code.add(f"if {value} is not None: {found}.setdefault({key}, []).append({value})")

    def _made(self, node: n.Call, found: str, separator: str) -> Operand:
        """What the values that were found result in."""
        if node.order is not None:
            keys = self.code.constants.name(pair_order(node.order), "order")
            self.code.add(f"{found} = in_order({found}, {keys})")
        if node.name in ("min", "max") and kind_of(node.arguments[0]) == "any":
            watch = self._conditions.watch(node, node)
            self.code.add(f"if {watch}.on: {watch}.look({found})")
        if _counts(node):
            return Operand(found, "number")
        result = self.code.variable("total")
        self.code.add(f"{result} = {self._result(node, found, separator)}")
        return Operand(result, kind_of(node))

    def _result(self, node: n.Call, found: str, separator: str) -> str:
        """The code for what the values that were found result in."""
        if node.name in GATHERING:
            return f"collected({found})"
        code = f"aggregate({self._object(node)}, {found}{separator}, {self.code.told(node)})"
        aggregate = aggregate_object(node)
        if node.distinct or node.order is not None:
            return code
        if node.name == "listagg":
            alone = f"len({found}) == 1 and {found}[0].__class__ is str"
            return f"None if not {found} else ({found}[0] or None) if {alone} else {code}"
        if aggregate.unknown and node.inner:  # in a group, no entries are no false
            return f"({aggregate.of_present(found)}) if {found} else ()"
        return aggregate.of_present(found) or f"{code} if {found} else {aggregate.of_none()!r}"

    def _object(self, node: n.Call) -> str:
        """The name of the aggregate itself."""
        if node.name in GATHERING:
            return ""
        return self.code.constants.name(
            aggregate_object(node), f"{'distinct_' * node.distinct}{node.name}"
        )

    def _separator(self, node: n.Call) -> str:
        if node.name != "listagg":
            return ""
        given = node.arguments[1] if len(node.arguments) > 1 else n.Literal(0, "; ")
        return f", {self.emit.text(given).code}"

    def inner_scope(self, plan: AggregatePlan) -> Scope:
        """The scope inside the aggregate: further levels, each with a variable of its own."""
        deeper = len(plan.chain.levels) - plan.start - 1
        names = [self.code.variable("each") for _ in range(deeper)]
        scope = self.code.scope.deeper(plan.chain, plan.start, names)
        for level in range(plan.start + 1, plan.chain.row + 1):
            if len(self._kept_entries(scope, level)) > 2:
                self._seen_below.add(scope.variables[level])
            self.code.take_walk(scope, level)
            if scope.is_tree(level) and scope.walks[level] is None:
                self._load_places(scope, level)
        return scope

    def _load_places(self, scope: Scope, level: int) -> None:
        """Emit what knows where the nodes of a tree stand, in the entry above it."""
        outer, above = self.code.scope, scope.chain.levels[level - 1]
        names = scope.chain.levels[level][len(above) :]
        self.code.scope = scope
        with self.code.at(level - 1, whole=True):
            kept = self._kept_entries(scope, level)
            raw = "" if kept else self._entries(level, names)
            fields = has_fields(self.code.plan, scope.chain.levels[level])
            places = f"object_places({raw})" if fields else f"places_of({raw})"
            self.code.add(f"{scope.nodes[level]} = {kept[1] if kept else places}")
        self.code.scope = outer

    def _gather_nodes(self, node: n.Call, found: str) -> None:
        """The same; of a tree only of those nodes that it takes."""
        plan, scope = aggregate_of(node), self.code.scope
        if not plan.leaves:
            self._gather(node, plan, found)
            return
        at = scope.chain.row
        walk = scope.walks[at]
        leaf = f"{scope.nodes[at]}.leaves[{scope.ordinals[at]}]"
        with self.code.below(f"if {leaf if walk is None else walk.test('leaves')}:"):
            self._gather(node, plan, found)

    def _gather(self, node: n.Call, plan: AggregatePlan, found: str) -> None:
        """Add the value of the argument within one entry to what was found.

        Where nothing repeats there is the one value or none, so that a null is nothing.
        """
        argument, _ = taken_by(node)
        alone = plan.chain.row == plan.base
        if plan.counts_entries:
            self.code.add(f"{found} += 1" if _counts(node) else f"{found}.append(1)")
            return
        kind = taken_kind(node.name)
        if node.order is not None:
            pair = self.emit.present(argument).code, self.emit.present(node.order.operand).code
            self.code.add(f"{found}.append(({pair[0]}, {pair[1]}))")
        elif isinstance(argument, n.FieldPath) and declared_of(argument) is not None:
            self._gather_declared(node, argument, found, alone)
        elif isinstance(argument, n.FieldPath):
            raw = self.emit.value(argument).code
            convert = f"as_{kind}" if kind else "None"
            nulls = not passes_nulls(node)
            other = f"gather({found}, {raw}, {convert}, {nulls}, {self.code.told(argument)})"
            if kind == "number":  # a list is taken too, wherever it stands
                usual = " or ".join(f"{raw}.__class__ is {one}" for one in ("int", "Decimal"))
                self.code.add(f"if {usual}: {found}.append({raw})")
                self.code.add(f"else: {other}")
            else:
                self.code.add(other)
        else:
            value = self.emit.as_kind(kind, argument) if kind else self.emit.present(argument)
            known = not (alone or passes_nulls(node)) or not value.nullable
            test = "" if known else f"if {value.code} is not None: "
            self.code.add(f"{test}{found}.append({value.code})")

    def _gather_declared(
        self, node: n.Call, argument: n.FieldPath, found: str, alone: bool
    ) -> None:
        """The same of a path whose values are declared; selectors may give several."""
        declared = declared_of(argument)
        assert declared is not None
        takes = taken_kind(node.name)
        if not argument.is_singular():
            raw = self._paths.source(argument).code
            name = self.code.constants.reader_name(declared)
            read = f"lambda value, path, where: read_field(value, {name}, path, where)"
            nulls, told = not passes_nulls(node), self.code.told(argument)
            self.code.add(f"gather({found}, {raw}, {read}, {nulls}, {told})")
            return
        value = self.emit.as_kind(takes, argument) if takes else self.emit.value(argument)
        passes = alone or passes_nulls(node)
        test = f"if {value.code} is not None: " if passes else ""
        self.code.add(f"{test}{found}.append({value.code})")

    def _loops(self, scope: Scope, level: int, innermost: list[str]) -> list[str]:
        """The nested loops from a level down to the innermost one, if there are any."""
        if level == len(scope.variables):
            return []
        block = innermost if level == scope.chain.row else scope.blocks[level].lines
        body = [*block, *self._loops(scope, level + 1, innermost)]
        walk, lines = scope.walks[level], list[str]()
        if walk is not None:
            kept = self._kept_entries(scope, level)
            names = scope.chain.levels[level][len(scope.chain.levels[level - 1]) :]
            raw = kept[0] if kept else self._raw_entries(scope, level, names, lines)
            return [*lines, *walk.lines(raw if kept else f"{raw} or ()", body)]
        head = self.loop_head(scope, level, lines)
        return [*lines, head, *indented(body, 1)]

    def loop_head(self, scope: Scope, level: int, lines: list[str]) -> str:
        """The `for` of a level: kept entries of the row's chain, or what plain data holds, which
        ``lines`` load."""
        variable, place = scope.variables[level], scope.ordinals[level]
        names = scope.chain.levels[level][len(scope.chain.levels[level - 1]) :]
        members = names[-1:] == (MEMBERS,)
        entry = f"(key_of_{variable}, {variable})" if members else variable
        kept, tree = self._kept_entries(scope, level), scope.is_tree(level)
        if kept and len(kept) > 2:
            return f"for {entry}, {place}, below_{variable} in zip({', '.join(kept)}):"
        if kept:
            return f"for {entry}, {place} in zip({', '.join(kept)}):"
        raw = self._raw_entries(scope, level, names[:-1] if members else names, lines)
        fields = has_fields(self.code.plan, scope.chain.levels[level]) and not members
        site = self.code.constants.name(scope.chain.called(scope.chain.levels[level]), "site")
        told = f"{site}, ({listed_codes(scope.ordinals[:level])})"
        if tree and fields:
            nodes = f"object_nodes({raw}, {told})"
            return f"for {place}, {entry} in {nodes}:"
        if tree:
            return f"for {place}, {entry} in zip({scope.nodes[level]}, {raw} or ()):"
        side = self.code.plan.record_types.field_of(scope.chain.levels[level])
        if side is not None and side.holds_structs:
            return f"for {place}, {entry} in enumerate({raw} or (), 1):"
        found = f"members({raw})" if members else f"listed({raw})"
        if fields:
            found = f"fielded({raw}, {told})"
        if side is not None and not side.whole:  # no level by the plan, but by what is supposed
            struct = self.code.constants.name(side.struct, side.struct.__name__)
            found = f"[one for one in listed({raw}) if one.__class__ is {struct}]"
        return f"for {place}, {entry} in enumerate({found}, 1):"

    def _kept_entries(self, scope: Scope, level: int) -> list[str]:
        """What holds the kept entries of a level of the row's chain, their places, and what is kept
        below each; nothing where another level is meant, or where they are not known yet.
        """
        own = self.code.plan.chain
        if own.levels[level : level + 1] != (scope.chain.levels[level],) or level <= self._in_full:
            return []
        parent, deeper = scope.variables[level - 1], level < own.row
        if parent in self._seen_below:
            return [f"below_{parent}[{part}]" for part in range(2 + deeper)]
        if parent != entry_name(level - 1):
            return []
        known = deeper and level >= self.judging
        return [f"{part}_{level}" for part in ("entries", "ordinals", "belows")[: 2 + known]]

    def _raw_entries(
        self, scope: Scope, level: int, names: tuple[str, ...], lines: list[str]
    ) -> str:
        """The variable with a side level's entries, loaded in the entry above it."""
        outer, above = self.code.scope, scope.blocks[: level - 1]
        block = Block(above[-1] if above else None)
        blocks = [*above, block]
        self.code.scope = Scope(
            Chain(scope.chain.levels[:level], scope.chain.structure, scope.chain.known),
            scope.variables[:level],
            scope.ordinals[:level],
            scope.nodes[:level],
            blocks,
        )
        before, self.code.block = self.code.block, block
        raw = self._entries(level, names)
        self.code.scope, self.code.block = outer, before
        lines += block.lines
        return raw

    def _entries(self, level: int, names: tuple[str, ...]) -> str:
        """The variable with what stands at a level: in one way, since a list's nodes are known by
        the list."""
        stated = self.code.plan.chain.known.stated is not None
        return self._paths.entries(Access(level - 1, names, ()), stated).code


def _counts(node: n.Call) -> bool:
    """Whether an aggregate is how many entries there are, and nothing is gathered."""
    plan, plain = aggregate_of(node), not (node.order or node.distinct)
    return node.name == "count" and plan.counts_entries and plan.under is None and plain


# ---- what the calls of aggregates in expressions are, before any code is made of them


def simple_aggregates(roots: Iterable[n.Node | None]) -> Iterator[n.Call]:
    """The aggregates of expressions that take in plain expressions over entries: no other
    aggregates, and no columns, which may have some."""
    for root in roots:
        for node in root.walk() if root is not None else ():
            if not isinstance(node, n.Call) or node.name not in AGGREGATE_KINDS:
                continue
            within = [part for child in node.children() for part in child.walk()]
            if node.known and not any(_stands_for_more(part) for part in within):
                yield node


def _stands_for_more(node: n.Node) -> bool:
    call = isinstance(node, n.Call) and node.name in AGGREGATE_KINDS
    return call or isinstance(node, n.Heading)


def runs_over(node: n.Call) -> tuple[int, tuple[Names, ...]]:
    plan = aggregate_of(node)
    return plan.base, plan.chain.levels


def aggregate_object(node: n.Call) -> Aggregate:
    """The aggregate of a call."""
    name = "count" if node.name == COUNT_NUMBERS else node.name
    return (DISTINCT if node.distinct else AGGREGATES)[name]


def passes_nulls(node: n.Call) -> bool:
    """Whether an aggregate passes over nulls; those that are only collected are wanted too."""
    return node.name not in GATHERING and not aggregate_object(node).unknown


# ---- columns for keys: what all keys take in is gathered in one mapping, by each entry's key
#
# A column for the key `voltage` is ``listagg(case when <key> = 'voltage' then <value> end, '; ')``;
# those of one `columns-from` differ in the text only.


class ForKey(NamedTuple):
    """An aggregate that takes in the values of entries with one key."""

    call: n.Call
    key: n.Node
    text: str
    value: n.Node


def for_key(call: n.Call) -> ForKey | None:
    """What an aggregate takes in, if it is one for a key; else None."""
    case = call.arguments[0]
    if call.name != "listagg" or call.distinct or call.order is not None:
        return None
    if not isinstance(case, n.Case) or case.operand is not None or case.otherwise is not None:
        return None
    test, value = case.branches[0]
    if len(case.branches) > 1 or not isinstance(test, n.Comparison) or test.operator != "=":
        return None
    text = test.right.value if isinstance(test.right, n.Literal) else None
    if not isinstance(test.left, n.Cast) or test.left.type != "varchar":
        return None
    return ForKey(call, test.left, text, value) if isinstance(text, str) and text else None


def by_key(calls: Sequence[n.Call]) -> list[list[ForKey]]:
    """The aggregates that are for several keys of the same entries, together."""
    found: list[list[ForKey]] = []
    for one in filter(None, map(for_key, calls)):
        for group in found:
            if n.same(group[0].key, one.key) and n.same(group[0].value, one.value):
                group.append(one)
                break
        else:
            found.append([one])
    return [group for group in found if len(group) > 1]
