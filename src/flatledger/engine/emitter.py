"""From expressions to statements of Python: the text of the generated functions.

A value is emitted as statements that leave it in a variable. Whatever is unusual (text where a
number is meant, a list where one value is) is handed to `runtime`, so the usual stays short.
Paths are loaded once, at the level they start from; what is computed stands at its own level.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from decimal import Decimal
from typing import Any

from ..language import nodes as n
from .kinds import Operand, kind_of_literal
from .levels import Access, level_name
from .plan import ColumnPlan, Plan
from .shape import Field


class Lines:
    """Lines of Python, some of them below others."""

    def __init__(self) -> None:
        self.lines: list[str] = []
        self._depth = 0
        self._outermost = 0

    def add(self, line: str) -> None:
        self.lines.append("    " * self._depth + line)

    @contextmanager
    def below(self, head: str) -> Iterator[None]:
        """What is added meanwhile stands below ``head``."""
        if not self._depth:
            self._outermost = len(self.lines)
        self.add(head)
        self._depth += 1
        yield
        self._depth -= 1

    @contextmanager
    def hoisted(self) -> Iterator[None]:
        """What is added meanwhile stands before any `if` that is still open."""
        if not self._depth:
            yield
            return
        outer, depth, start = self.lines, self._depth, self._outermost
        self.lines, self._depth = [], 0
        yield
        added = self.lines
        self.lines, self._depth = outer[:start] + added + outer[start:], depth
        self._outermost = start + len(added)

    @property
    def nested(self) -> bool:
        return self._depth > 0


class Constants:
    """The values that generated code refers to by name."""

    def __init__(self) -> None:
        self.values: dict[str, Any] = {}

    def name(self, value: Any, stem: str) -> str:
        """The name of a value; the same value has one name."""
        for name, known in self.values.items():
            if known is value or (
                known.__class__ is value.__class__ and repr(known) == repr(value)
            ):
                return name
        name = f"{stem}_{len(self.values)}"
        self.values[name] = value
        return name


def entry_name(level: int) -> str:
    """The variable that holds the entry of a chain's level."""
    return "record" if level == 0 else f"entry_{level}"


class Emitter:
    """Emits the expressions of one function; ``blocks`` has the lines for each level."""

    def __init__(self, plan: Plan, constants: Constants) -> None:
        self.plan = plan
        self.constants = constants
        self.blocks = [Lines() for _ in plan.chain.levels]
        self.block = self.blocks[-1]
        self._count = 0
        self._known: dict[Any, Operand] = {}

    @contextmanager
    def at(self, level: int) -> Iterator[Lines]:
        """What is emitted meanwhile stands at a level."""
        before, self.block = self.block, self.blocks[level]
        yield self.block
        self.block = before

    def variable(self, stem: str = "v") -> str:
        self._count += 1
        return f"{stem}{self._count}"

    def assign(self, code: str, kind: str, stem: str = "v") -> Operand:
        name = self.variable(stem)
        self.block.add(f"{name} = {code}")
        return Operand(name, kind)

    # ---- columns

    def column(self, plan: ColumnPlan) -> Operand:
        """The value of a column, after its decimals; computed once, at its home."""
        key = ("column", plan.column.heading)
        if key in self._known:
            return self._known[key]
        with self.at(plan.home) as block:
            value = self._column(plan)
            if not block.nested:
                self._known[key] = value
        return value

    def _column(self, plan: ColumnPlan) -> Operand:
        column = plan.column
        if column.text is not None:
            return self.literal(column.text)
        if column.value is None:
            return Operand("None", "null")
        node = column.value.node
        if plan.numeric:
            return self._numeric_column(plan, node)
        if isinstance(node, n.Path):
            return self._shown(node, column.separator)
        value = self.value(node)
        if value.kind == "truth":
            return self.assign(f"truth_text({value.code})", "text")
        return value

    def _numeric_column(self, plan: ColumnPlan, node: n.Node) -> Operand:
        column = plan.column
        exact = column.total is not None and column.total.exact
        result = self.variable("number")
        value = self.number(node)
        self.block.add(f"{result} = {value.code}")
        guard = f"{result} is not None"
        if isinstance(node, n.Path):  # what could not be read is still shown
            raw = self.value(node).code
            guard += f" and {result}.__class__ is not str"
            self.block.add(f"if {result} is None and {raw} is not None: {result} = raw_text({raw})")
        if column.decimals is not None and not exact:
            self._round(result, guard, column.decimals)
        elif not isinstance(node, n.Path):
            self.block.add(
                f"if {guard} and {result}.__class__ is not int: {result} = plain({result})"
            )
        return Operand(result, "number")

    def _round(self, name: str, guard: str, decimals: int) -> None:
        unit = self.constants.name(Decimal(1).scaleb(-decimals), "unit")
        zero = self.constants.name(Decimal(0).scaleb(-decimals), "zero")
        with self.block.below(f"if {guard}:"):
            self.block.add(
                f"{name} = ({name} if {name}.__class__ is Decimal else Decimal({name}))"
                f".quantize({unit}) or {zero}"
            )
            if decimals > 6:  # its text could have an exponent
                self.block.add(f"{name} = plain({name})")

    def _shown(self, path: n.Path, separator: str) -> Operand:
        """A field as it came, ready to be written: the usual kind is let through at once."""
        raw = self.value(path)
        usual = {
            str: f'{raw.code}.__class__ is str and {raw.code} > " "',
            int: f"{raw.code}.__class__ is int",
            Decimal: f"{raw.code}.__class__ is Decimal",
        }
        tests = [
            f"{raw.code} is None",
            *(usual[kind] for kind in self._kinds(path) if kind in usual),
        ]
        site = self._site(path)
        slow = f"cell({raw.code}, {separator!r}, {site}, number)"
        return self.assign(f"{raw.code} if {' or '.join(tests)} else {slow}", "any")

    def key(self, node: n.Node) -> Operand:
        """A sort or group key: the value as a column would show it."""
        if isinstance(node, n.Path):
            return self._shown(node, "; ")
        return self.value(node)

    # ---- values

    def value(self, node: n.Node) -> Operand:
        """Emit an expression; the operand names its variable or literal, and its kind."""
        match node:
            case n.Literal():
                return self.literal(node.value)
            case n.Path():
                return self.load(self.plan.access(node))
            case n.Heading():
                return self.column(self.plan.column(node.heading))
            case n.Sign():
                return self._sign(node)
            case n.Arithmetic():
                return self._arithmetic(node)
            case n.Concatenation():
                left, right = self.text(node.left), self.text(node.right)
                return self._unless_null((left, right), f"{left.code} + {right.code}", "text")
            case _:
                return self.condition(node)

    def literal(self, value: Any) -> Operand:
        if (
            value is None
            or isinstance(value, bool | str)
            or (isinstance(value, int) and value >= 0)
        ):
            return Operand(repr(value), kind_of_literal(value))
        return Operand(self.constants.name(value, "constant"), kind_of_literal(value))

    def _unless_null(self, operands: tuple[Operand, ...], code: str, kind: str) -> Operand:
        """Null spreads: the value is null when an operand is."""
        if any(operand.kind == "null" for operand in operands):
            return Operand("None", "null")
        tests = [f"{operand.code} is None" for operand in operands if operand.nullable]
        return self.assign(f"None if {' or '.join(tests)} else {code}" if tests else code, kind)

    def _sign(self, node: n.Sign) -> Operand:
        operand = self.number(node.operand)
        return self._unless_null((operand,), f"{node.operator}{operand.code}", "number")

    def _arithmetic(self, node: n.Arithmetic) -> Operand:
        left, right = self.number(node.left), self.number(node.right)
        if node.operator == "/":
            text = self.constants.name(self.plan.text_of(node), "site")
            code = f"divide({left.code}, {right.code}, {text}, number)"
        else:
            code = f"{left.code} {node.operator} {right.code}"
        return self._unless_null((left, right), code, "number")

    # ---- kinds

    def number(self, node: n.Node) -> Operand:
        """The value as a number; text is read, and what is no number is a fault and null."""
        return self._as("number", node)

    def text(self, node: n.Node) -> Operand:
        """The value as text."""
        return self._as("text", node)

    def truth(self, node: n.Node) -> Operand:
        """The value as true, false or unknown (None)."""
        return self._as("truth", node)

    def _as(self, kind: str, node: n.Node) -> Operand:
        if isinstance(node, n.Path) and not self.block.nested:
            key = (kind, self.plan.path_key(node))
            if key not in self._known:
                with self.at(self.plan.access(node).anchor):
                    self._known[key] = self._convert(kind, node)
            return self._known[key]
        return self._convert(kind, node)

    def _convert(self, kind: str, node: n.Node) -> Operand:
        value = self.value(node)
        if value.kind in (kind, "null"):
            return value
        result = self.variable(kind)
        self._coerce(f"as_{kind}", value, node, result)
        return Operand(result, kind)

    def _coerce(self, function: str, value: Operand, node: n.Node, result: str) -> None:
        """``result`` is the value itself if it is of the usual kind, else what `runtime` makes."""
        wanted = {"as_text": (str,), "as_truth": (bool,)}.get(function, (int, Decimal))
        usual = [kind for kind in self._kinds(node) if kind in wanted] or [wanted[0]]
        tests = [f"{value.code}.__class__ is not {kind.__name__}" for kind in usual]
        if function == "as_text":
            tests = [f"{tests[0]} or not {value.code} > ' '"]
        self.block.add(f"{result} = {value.code}")
        site = self._site(node)
        with self.block.below(f"if {' and '.join(tests)}:"):
            self.block.add(f"{result} = {function}({value.code}, {site}, number)")

    def _kinds(self, node: n.Node) -> list[type]:
        """The kinds of value that the records read so far have at a path, the commonest first."""
        if not isinstance(node, n.Path):
            return []
        access = self.plan.access(node)
        place = self.plan.chain.structure.find(
            (*self.plan.chain.levels[access.anchor], *access.names)
        )
        return [kind for kind, _ in place.kinds.most_common(2)] if place else []

    def _site(self, node: n.Node) -> str:
        return self.constants.name(self.plan.text_of(node), "site")

    # ---- paths

    def load(self, access: Access) -> Operand:
        key = ("load", access.anchor, access.names, access.rest)
        if key not in self._known:
            with self.at(access.anchor) as block, block.hoisted():
                self._known[key] = self._emit_load(access)
        return self._known[key]

    def _emit_load(self, access: Access) -> Operand:
        level = self.plan.chain.levels[access.anchor]
        place, _ = self.plan.shape.field(level)
        variable = entry_name(access.anchor)
        result = self.variable("raw")
        self._step(place, variable, access.names, result, access)
        return Operand(result, "any")

    def _step(
        self, place: Field, variable: str, names: tuple[str, ...], result: str, access: Access
    ) -> None:
        if place.whole or not names:
            steps = self.constants.name(names, "steps")
            self.block.add(
                f"{result} = walk({variable}, {steps})" if names else f"{result} = {variable}"
            )
            return
        child = place.children[names[0]]
        if len(names) == 1:
            self.block.add(f"{result} = {variable}.{child.attribute}")
            return
        inner = self.variable("part")
        self.block.add(f"{inner} = {variable}.{child.attribute}")
        if child.whole:
            self._step(child, inner, names[1:], result, access)
            return
        struct = self.constants.name(child.struct, child.struct.__name__)
        with self.block.below(f"if {inner}.__class__ is {struct}:"):
            self._step(child, inner, names[1:], result, access)
        with self.block.below(f"elif {inner} is None:"):
            self.block.add(f"{result} = None")
        steps = self.constants.name(names[1:], "steps")
        site = self.constants.name(level_name(child.names), "site")
        with self.block.below("else:"):
            self.block.add(f"{result} = stray({inner}, {steps}, {site}, number)")

    # ---- conditions: True, False, or None for unknown

    def condition(self, node: n.Node) -> Operand:
        match node:
            case n.And():
                return self._all(node.parts, settled="False", other="True")
            case n.Or():
                return self._all(node.parts, settled="True", other="False")
            case n.Not():
                operand = self.truth(node.operand)
                return self._unless_null((operand,), f"not {operand.code}", "truth")
            case n.Comparison():
                return self._comparison(node.operator, node.left, node.right)
            case n.IsTest():
                return self._is_test(node)
            case n.In():
                tests = tuple(n.Comparison(o.position, "=", node.operand, o) for o in node.options)
                return self._negated(n.Or(node.position, tests), node.negated)
            case n.Between():
                low = n.Comparison(node.position, ">=", node.operand, node.low)
                high = n.Comparison(node.position, "<=", node.operand, node.high)
                return self._negated(n.And(node.position, (low, high)), node.negated)
        raise AssertionError(f"the plan let {node.__class__.__name__} through")

    def _negated(self, node: n.Node, negated: bool) -> Operand:
        return self.condition(n.Not(node.position, node) if negated else node)

    def _all(self, parts: tuple[n.Node, ...], settled: str, other: str) -> Operand:
        """Three-valued and/or: parts are judged in turn until one settles it."""
        first, *others = parts
        result = self.assign(self.truth(first).code, "truth", "test")
        for part in others:
            with self.block.below(f"if {result.code} is not {settled}:"):
                judged = self.truth(part)
                self.block.add(f"if {judged.code} is not {other}: {result.code} = {judged.code}")
        return result

    def _comparison(self, operator: str, left: n.Node, right: n.Node) -> Operand:
        sign = {"=": "==", "<>": "!="}.get(operator, operator)
        kinds = {self.plan.kind(left), self.plan.kind(right)}
        for kind in ("number", "text", "truth"):
            if kind in kinds:
                a, b = self._as(kind, left), self._as(kind, right)
                return self._unless_null((a, b), f"{a.code} {sign} {b.code}", "truth")
        a, b = self.value(left), self.value(right)
        site = self._site(left)
        return self.assign(f"compare({a.code}, {sign!r}, {b.code}, {site}, number)", "truth")

    def _is_test(self, node: n.IsTest) -> Operand:
        sign = "is not" if node.negated else "is"
        if node.what != "null":
            wanted = {"true": "True", "false": "False", "unknown": "None"}[node.what]
            return self.assign(f"{self.truth(node.operand).code} {sign} {wanted}", "truth")
        value = self.value(node.operand)
        if value.kind == "any":
            return self.assign(f"{'not ' if node.negated else ''}is_null({value.code})", "truth")
        return self.assign(f"{value.code} {sign} None", "truth")
