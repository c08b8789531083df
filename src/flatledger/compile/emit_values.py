"""Emitting values: arithmetic, texts, functions, case, cast."""

from __future__ import annotations

from ..language import nodes as n
from ..plan.kinds import TIMES, Operand, Ready, arithmetic_kind, common_kind
from ..plan.known import access_of, kind_of
from ..values.functions import FUNCTIONS
from .emit_conditions import ConditionEmitter

_CALENDAR_PLACES = 3  # working_time: value, wanted and unit come before the calendar


class ValueEmitter(ConditionEmitter):
    """Emits what is calculated within one row or entry."""

    def value(self, node: n.Node) -> Operand:
        match node:
            case Ready():
                return node.operand
            case n.Literal():
                return self.literal(node.value)
            case n.Path():
                return self.load(access_of(node))
            case n.Sign():
                operand = self.number(node.operand)
                return self.unless_null((operand,), f"{node.operator}{operand.code}", "number")
            case n.Arithmetic():
                return self._arithmetic(node)
            case n.Concatenation():
                left, right = self.text(node.left), self.text(node.right)
                return self.unless_null((left, right), f"{left.code} + {right.code}", "text")
            case n.Collate():
                return self.text(node.operand)
            case n.Case():
                return self._case(node)
            case n.Cast():
                return self._cast(node)
            case n.Call():
                return self.call(node)
        condition = self.condition(node)
        if condition is None:
            raise AssertionError(f"the plan let {node.__class__.__name__} through")
        return condition

    def _arithmetic(self, node: n.Arithmetic) -> Operand:
        kinds = kind_of(node.left), kind_of(node.right)
        if set(kinds) & set(TIMES):
            return self._time_arithmetic(node, *kinds)
        left, right = self.number(node.left), self.number(node.right)
        if node.operator == "/":
            code = f"divide({left.code}, {right.code}, {self.told(node)})"
        else:
            code = f"{left.code} {node.operator} {right.code}"
        return self.unless_null((left, right), code, "number")

    def _time_arithmetic(self, node: n.Arithmetic, *kinds: str) -> Operand:
        other = "number" if node.operator in "*/" else "moment"
        left, right = (
            self.as_kind(kind if kind in TIMES else other, part)
            for kind, part in zip(kinds, (node.left, node.right), strict=True)
        )
        site = self.site(node)
        code = f"calculate({left.code}, {node.operator!r}, {right.code}, {site}, {self.where})"
        return self.unless_null((left, right), code, arithmetic_kind(node.operator, *kinds))

    # ---- choices

    def present(self, node: n.Node) -> Operand:
        """The value, with every form of null as None."""
        value = self.value(node)
        if value.kind != "any":
            return value
        return self.assign(f"None if is_null({value.code}) else {value.code}", "any")

    def _case(self, node: n.Case) -> Operand:
        tests = [when for when, _ in node.branches]
        if node.operand is not None:
            operand = self._once(node.operand, tuple(tests))
            tests = [n.Comparison(test.position, "=", operand, test) for test in tests]
        result, undecided = self.variable("case"), self.variable("undecided")
        self.block.add(f"{result} = None; {undecided} = True")
        for test, (_, outcome) in zip(tests, node.branches, strict=True):
            with self.block.below(f"if {undecided}:"):
                judged = self.truth(test)
                with self.block.below(f"if {judged.code} is True:"):
                    self.block.add(f"{result} = {self.present(outcome).code}; {undecided} = False")
        if node.otherwise is not None:
            with self.block.below(f"if {undecided}:"):
                self.block.add(f"{result} = {self.present(node.otherwise).code}")
        return Operand(result, kind_of(node))

    def _coalesce(self, node: n.Call) -> Operand:
        result = self.variable("first")
        self.block.add(f"{result} = None")
        for argument in node.arguments:
            with self.block.below(f"if {result} is None:"):
                self.block.add(f"{result} = {self.present(argument).code}")
        return Operand(result, common_kind(kind_of(part) for part in node.arguments))

    def _nullif(self, node: n.Call) -> Operand:
        value = self.present(node.arguments[0])
        same = self._comparison("=", Ready(node.position, value), node.arguments[1])
        return self.assign(f"None if {same.code} is True else {value.code}", value.kind)

    def _cast(self, node: n.Cast) -> Operand:
        value = self.present(node.operand)
        site = self.site(node.operand)
        code = f"cast_value({value.code}, {node.type!r}, {node.parameters!r}, {site}, {self.where})"
        return self.unless_null((value,), code, kind_of(node))

    # ---- functions

    def call(self, node: n.Call) -> Operand:
        """Emit a call of a function."""
        if node.name == "coalesce":
            return self._coalesce(node)
        if node.name == "nullif":
            return self._nullif(node)
        if node.name == "current_date":
            return self.literal(self.plan.today)
        if node.name in ("ordinal", "key"):
            return self._place(node)
        return self._function(node)

    def _place(self, node: n.Call) -> Operand:
        """`ordinal(level)`, the entry's place as it came, or `key(level)`, a member's name."""
        path = node.arguments[0]
        assert isinstance(path, n.Path)
        anchor = access_of(path).anchor
        if node.name == "key":
            return Operand(f"key_of_{self.scope.variables[anchor]}", "text")
        return Operand(self.scope.ordinals[anchor], "number")

    def _function(self, node: n.Call) -> Operand:
        function = FUNCTIONS[node.name]
        arguments = self._with_calendar(node)
        operands = []
        for argument, kind in zip(arguments, function.parameters, strict=False):
            operands.append(
                self.present(argument) if kind == "any" else self.as_kind(kind, argument)
            )
        needed = tuple(
            operand
            for operand, kind in zip(operands, function.parameters, strict=False)
            if kind != "any"
        )
        codes = "".join(f"{operand.code}, " for operand in operands)
        code = f"{node.name}_({codes}{self.told(self._culprit(node))})"
        return self.unless_null(needed, code, function.result)

    def _with_calendar(self, node: n.Call) -> tuple[n.Node, ...]:
        """The arguments; working_time takes the layout's calendar where it is given none."""
        arguments = node.arguments
        if node.name != "working_time":
            return arguments
        calendar = self.plan.model.calendar
        defaults = ("hours", calendar.hours_per_day, calendar.days_per_week)
        missing = defaults[len(arguments) - _CALENDAR_PLACES + 1 :]
        return arguments + tuple(n.Literal(node.position, value) for value in missing)

    def _culprit(self, node: n.Call) -> n.Node:
        """The path that a fault of a function names: its first, or else the expression."""
        return next((part for part in node.arguments if isinstance(part, n.Path)), node)
