"""Emitting aggregates: a loop over the entries below a level, and what is made of their values."""

from __future__ import annotations

from ..language import nodes as n
from .code import Lines
from .emit_paths import Scope
from .emit_values import ValueEmitter
from .kinds import AGGREGATE_KINDS, Operand
from .levels import Access, Chain
from .plan import AggregatePlan
from .sorting import pair_order
from .structure import MEMBERS

_ARGUMENT_KINDS = {"sum": "number", "avg": "number", "any": "truth", "every": "truth"}


class AggregateEmitter(ValueEmitter):
    """Emits aggregates, each once at the level it runs under."""

    def call(self, node: n.Call) -> Operand:
        if node.name not in AGGREGATE_KINDS:
            return super().call(node)
        plan = self.plan.aggregate(node)
        key = ("aggregate", id(node), self.scope.variables[plan.base])
        if key in self._known:
            return self._known[key]
        with self.at(plan.base) as block, block.hoisted():
            result = self._aggregate(node, plan)
        self._known[key] = result
        return result

    def _aggregate(self, node: n.Call, plan: AggregatePlan) -> Operand:
        found = self.variable("found")
        outer = self.scope
        scope = self._inner_scope(plan)
        separator = self._separator(node)
        self.block.add(f"{found} = []")
        self.scope = scope
        with self.at(scope.chain.row) as innermost:
            self._gather(node, plan, found)
        self.scope = outer
        for line in self._loops(scope, plan.base, innermost.lines):
            self.block.add(line)
        if node.order is not None:
            keys = self.constants.name(pair_order(node.order), "order")
            self.block.add(f"{found} = in_order({found}, {keys})")
        if node.name in ("min", "max") and self.plan.kind(node.arguments[0]) == "any":
            watch = self._watch(node, node)
            self.block.add(f"if {watch}.on: {watch}.look({found})")
        call = f"aggregate_{node.name}({found}, {node.distinct}{separator}"
        code = f"{call}, {self.site(node)}, number)"
        result = self.variable("total")
        self.block.add(f"{result} = {code}")
        return Operand(result, self.plan.kind(node))

    def keep_entries(self, side: Chain, base: int, condition: n.Node, count: list[str]) -> None:
        """Emit a condition on a side level: the entries for which it is true replace all others.

        ``count`` are the lines that count a verdict, which they call ``verdict``.
        """
        scope = self._inner_scope(AggregatePlan(base, side, False))
        kept, outer, above = self.variable("kept"), self.scope, side.row - 1
        names = side.levels[-1][len(side.levels[above]) :]
        members, entry = names[-1] == MEMBERS, scope.variables[-1]
        if members:
            entry = f"(key_of_{entry}, {entry})"
        self.scope = scope
        with self.at(side.row) as innermost:
            self.block.add(f"verdict = {self.truth(condition).code}")
            for line in count:
                self.block.add(line)
            self.block.add(f"if verdict is True: {kept}.append({entry})")
        steps = self.constants.name(names[:-1] if members else names, "steps")
        what = f"put_{'members' if members else 'entries'}"
        put = f"{what}({scope.variables[above]}, {steps}, {kept})"
        loops = self._loops(scope, base, innermost.lines, around=(f"{kept} = []", put))
        self.scope = outer
        for line in loops:
            self.block.add(line)

    def _separator(self, node: n.Call) -> str:
        if node.name != "listagg":
            return ""
        given = node.arguments[1] if len(node.arguments) > 1 else n.Literal(0, "; ")
        return f", {self.text(given).code}"

    def _inner_scope(self, plan: AggregatePlan) -> Scope:
        """The scope inside the aggregate: further levels, each with a variable of its own."""
        deeper = len(plan.chain.levels) - plan.base - 1
        names = [self.variable("each") for _ in range(deeper)]
        return Scope(
            plan.chain,
            [*self.scope.variables[: plan.base + 1], *names],
            [*self.scope.blocks[: plan.base + 1], *(Lines() for _ in range(deeper))],
        )

    def _gather(self, node: n.Call, plan: AggregatePlan, found: str) -> None:
        """Add the value of the argument within one entry to what was found.

        Where nothing repeats there is the one value or none, so that a null is nothing.
        """
        argument = node.arguments[0]
        alone = plan.chain.row == plan.base
        if plan.counts_entries:
            self.block.add(f"{found}.append(1)")
            return
        kind = _ARGUMENT_KINDS.get(node.name)
        if node.order is not None:
            pair = self.present(argument).code, self.present(node.order.operand).code
            self.block.add(f"{found}.append(({pair[0]}, {pair[1]}))")
        elif isinstance(argument, n.Path):
            raw = self.value(argument).code
            convert = f"as_{kind}" if kind else "None"
            other = f"gather({found}, {raw}, {convert}, {self.site(argument)}, number)"
            if kind == "number":  # a list is taken too, wherever it stands
                usual = " or ".join(f"{raw}.__class__ is {one}" for one in ("int", "Decimal"))
                self.block.add(f"if {usual}: {found}.append({raw})")
                self.block.add(f"else: {other}")
            else:
                self.block.add(other)
        else:
            value = self.as_kind(kind, argument) if kind else self.present(argument)
            test = f"if {value.code} is not None: " if alone else ""
            self.block.add(f"{test}{found}.append({value.code})")

    def _loops(
        self, scope: Scope, base: int, innermost: list[str], around: tuple[str, str] | None = None
    ) -> list[str]:
        """The nested loops from the base's entry down to the innermost ones, if there are any.

        ``around`` are lines that stand before and after the last loop.
        """
        lines: list[str] = []
        for depth, level in enumerate(range(base + 1, len(scope.variables))):
            indent, last = "    " * depth, level == scope.chain.row
            head = self._loop_head(scope, level, lines, depth)
            if around and last:
                lines.append(indent + around[0])
            lines.append(indent + head)
            block = innermost if last else scope.blocks[level].lines
            lines += [f"{indent}    {line}" for line in block]
            if around and last:
                lines.append(indent + around[1])
        return lines

    def _loop_head(self, scope: Scope, level: int, lines: list[str], depth: int) -> str:
        """The `for` of a level: kept entries of the row's chain, or what plain data holds."""
        variable, parent = scope.variables[level], scope.variables[level - 1]
        own = self.plan.chain.levels
        if own[level : level + 1] == (scope.chain.levels[level],):
            return f"for {variable} in {parent}.kept:"
        names = scope.chain.levels[level][len(scope.chain.levels[level - 1]) :]
        members = names[-1:] == (MEMBERS,)
        raw = self._raw_entries(scope, level, names[:-1] if members else names, lines, depth)
        if members:
            return f"for key_of_{variable}, {variable} in members({raw}):"
        return f"for {variable} in listed({raw}):"

    def _raw_entries(
        self, scope: Scope, level: int, names: tuple[str, ...], lines: list[str], depth: int
    ) -> str:
        """The variable with a side level's entries, loaded in the entry above it."""
        outer, block = self.scope, Lines()
        blocks = [*scope.blocks[: level - 1], block]
        self.scope = Scope(
            Chain(scope.chain.levels[:level], scope.chain.structure, scope.chain.known),
            scope.variables[:level],
            blocks,
        )
        before, self.block = self.block, block
        raw = self._emit_load(Access(level - 1, names, (), None)).code
        self.scope, self.block = outer, before
        lines += ["    " * depth + line for line in block.lines]
        return raw
