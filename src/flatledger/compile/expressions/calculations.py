"""Emitting calculations: arithmetic, texts, functions, case, cast."""

from __future__ import annotations

from ...language import nodes as n
from ...plan.kinds import OF_THE_SOURCE, TIMES, Operand, Ready, arithmetic_kind, common_kind
from ...plan.known import access_of, declared_of, kind_of, text_of_node
from ...values.functions import FUNCTIONS, IN_LANGUAGE
from ..runtime.plain_data import is_null
from .conditions import Conditions
from .conversions import Conversions
from .emission import Expressions
from .paths import Paths

_CALENDAR_PLACES = 3  # working_time: value, wanted and unit come before the calendar


class Calculations:
    """Emits what is calculated within one row or entry."""

    def __init__(
        self, emit: Expressions, conversions: Conversions, conditions: Conditions, paths: Paths
    ) -> None:
        self.emit, self.code = emit, emit.code
        self._conversions = conversions
        self._conditions = conditions
        self._paths = paths

    def sign(self, node: n.Sign) -> Operand:
        operand = self.emit.number(node.operand)
        return self.code.unless_null((operand,), f"{node.operator}{operand.code}", "number")

    def concatenation(self, node: n.Concatenation) -> Operand:
        left, right = self.emit.text(node.left), self.emit.text(node.right)
        return self.code.unless_null((left, right), f"{left.code} + {right.code}", "text")

    def arithmetic(self, node: n.Arithmetic) -> Operand:
        kinds = kind_of(node.left), kind_of(node.right)
        if set(kinds) & set(TIMES):
            return self._time_arithmetic(node, *kinds)
        left, right = self.emit.number(node.left), self.emit.number(node.right)
        if node.operator == "/":
            code = f"divide({left.code}, {right.code}, {self.code.told(node)})"
        else:
            code = f"{left.code} {node.operator} {right.code}"  # mutant: arithmetic
        return self.code.unless_null((left, right), code, "number")

    def _time_arithmetic(self, node: n.Arithmetic, *kinds: str) -> Operand:
        other = "number" if node.operator in "*/" else "moment"
        left, right = (
            self.emit.as_kind(kind if kind in TIMES else other, part)
            for kind, part in zip(kinds, (node.left, node.right), strict=True)
        )
        site = self.code.site(node)
        code = f"calculate({left.code}, {node.operator!r}, {right.code}, {site}, {self.code.where})"
        return self.code.unless_null((left, right), code, arithmetic_kind(node.operator, *kinds))

    # ---- choices

    def case(self, node: n.Case) -> Operand:
        tests = [when for when, _ in node.branches]
        if node.operand is not None:
            operand = self._conversions.once(node.operand, tuple(tests))
            tests = [n.Comparison(test.position, "=", operand, test) for test in tests]
        result, undecided = self.code.variable("case"), ""
        branches = list(zip(tests, (outcome for _, outcome in node.branches), strict=True))
        if len(branches) > 1 or node.otherwise is not None:
            undecided = self.code.variable("undecided")
        kinds = {self._first_branch(result, undecided, *branches[0])}
        for test, outcome in branches[1:]:
            with self.code.below(f"if {undecided}:"):
                judged = self.emit.truth(test)
                kinds.add(self._outcome(result, undecided, judged, outcome))
        if node.otherwise is not None:
            with self.code.below(f"if {undecided}:"):
                value = self.emit.present(node.otherwise)
                self.code.add(f"{result} = {value.code}")
            kinds.add(_kind_if_present(node.otherwise, value))
        kind, others = kind_of(node), kinds - {"null"}
        return Operand(result, others.pop() if kind == "any" and len(others) == 1 else kind)

    def _first_branch(self, result: str, undecided: str, test: n.Node, outcome: n.Node) -> str:
        """Emit the branch that is always judged; the kind of its outcome."""
        judged = self.code.held(self.emit.truth(test))
        self.code.add(f"{result} = None{f'; {undecided} = True' if undecided else ''}")
        return self._outcome(result, undecided, judged, outcome)

    def _outcome(self, result: str, undecided: str, judged: Operand, outcome: n.Node) -> str:
        with self.code.below(f"if {judged.code} is True:"):  # mutant: case-branch
            value = self.emit.present(outcome)
            decided = f"; {undecided} = False" if undecided else ""
            self.code.add(f"{result} = {value.code}{decided}")
        return _kind_if_present(outcome, value)

    def _coalesce(self, node: n.Call) -> Operand:
        result = self.code.variable("first")
        self.code.add(f"{result} = None")
        unread = ""  # the variable that tells whether a declared field could not be read
        for argument in node.arguments:
            head = f"if {result} is None{f' and not {unread}' if unread else ''}:"
            more = argument is not node.arguments[-1]
            if more and not unread and declared_of(argument) is not None:
                unread = self.code.variable("unread")
                self.code.add(f"{unread} = False")
            with self.code.below(head):
                value = self.emit.present(argument)
                self.code.add(f"{result} = {value.code}")
                if more and isinstance(argument, n.FieldPath) and declared_of(argument) is not None:
                    self.code.add(f"{unread} = {self._paths.is_unread(argument, value)}")
        return Operand(result, common_kind(kind_of(part) for part in node.arguments))

    def _nullif(self, node: n.Call) -> Operand:
        value = self.emit.present(node.arguments[0])
        ready = Ready(node.position, value, text_of_node(node.arguments[0]))
        same = self._conditions.comparison("=", ready, node.arguments[1])
        return self.code.assign(f"None if {same.code} is True else {value.code}", value.kind)

    def cast(self, node: n.Cast) -> Operand:
        value = self.emit.present(node.operand)
        key = ("cast", value.code, node.type, node.parameters, self.code.told(node.operand))
        known = self.code.known(key)
        return known or self.code.note(key, self._cast(node, value))

    def _cast(self, node: n.Cast, value: Operand) -> Operand:
        if node.type == "varchar" and not node.parameters and value.kind == "text":
            return value
        wanted = f"{node.type!r}, {node.parameters!r}"
        value = self.code.held(value)
        code = f"cast_value({value.code}, {wanted}, {self.code.told(node.operand)})"
        if node.type == "date" and value.code.isidentifier():
            day = self.code.assign(self._conversions.day(value.code, None), "moment", "day")
            with self.code.below(f"if {day.code} is None and {value.code} is not None:"):
                self.code.add(f"{day.code} = {code}")
            return day
        if node.type == "varchar":
            if not node.parameters:
                code = f"{value.code} if {value.code}.__class__ is str else {code}"
            return self.code.unless_null((value,), code, kind_of(node))
        casts = self.code.constants.casts(node.type, node.parameters)
        found = f"{casts}[{value.code}] if {value.code}.__class__ is str else None"
        if self._paths.only(node.operand) is str:
            takes = self.code.constants.values[casts].takes_columns
            found = self._paths.text_value(node.operand, value.code, casts, takes)
        result = self.code.assign(found, kind_of(node), "cast")
        with self.code.below(f"if {result.code} is None and {value.code} is not None:"):
            self.code.add(f"{result.code} = {code}")
        return result

    # ---- functions

    def call(self, node: n.Call) -> Operand:
        """Emit a call of a function."""
        if node.name == "coalesce":
            return self._coalesce(node)
        if node.name == "nullif":
            return self._nullif(node)
        if node.name == "current_date":
            return self.code.literal(self.code.plan.today)
        if node.name in ("ordinal", "key"):
            return self._place(node)
        if node.name in OF_THE_SOURCE:
            number = self.code.scope.ordinals[0]
            if node.name == "record_number":
                return Operand(number, "number")
            given = number if node.name == "source_row" else ""
            return self.code.assign(f"{node.name}({given})", OF_THE_SOURCE[node.name], "origin")
        return self._function(node)

    def _place(self, node: n.Call) -> Operand:
        """`ordinal(level)`, the entry's place as it came, or `key(level)`, a member's name."""
        path = node.arguments[0]
        assert isinstance(path, n.FieldPath)
        anchor = access_of(path).anchor
        if node.name == "key":
            return Operand(f"key_of_{self.code.scope.variables[anchor]}", "text")
        return Operand(self.code.scope.ordinals[anchor], "number")

    def _function(self, node: n.Call) -> Operand:
        function = FUNCTIONS[node.name]
        arguments = self._with_calendar(node)
        operands = []
        for argument, kind in zip(arguments, function.parameters, strict=False):
            if node.name == IN_LANGUAGE and kind == "any" and isinstance(argument, n.FieldPath):
                operands.append(self.emit.whole(argument))
                continue
            if function.within and kind == "any" and declared_of(argument) is not None:
                assert isinstance(argument, n.FieldPath)  # what is whole is shown as it came
                operands.append(self._paths.source(argument))
                continue
            operands.append(
                self.emit.present(argument) if kind == "any" else self.emit.as_kind(kind, argument)
            )
        needed = tuple(
            operand
            for operand, kind in zip(operands, function.parameters, strict=False)
            if kind != "any"
        )
        codes = "".join(f"{operand.code}, " for operand in operands)
        code = f"{node.name}_({codes}{self.code.told(self._culprit(node))})"
        return self.code.unless_null(needed, code, function.result)

    def _with_calendar(self, node: n.Call) -> tuple[n.Node, ...]:
        """The arguments; working_time takes the layout's calendar where it is given none."""
        arguments = node.arguments
        if node.name != "working_time":
            return arguments
        calendar = self.code.plan.layout.calendar
        defaults = ("hours", calendar.hours_per_day, calendar.days_per_week)
        missing = defaults[len(arguments) - _CALENDAR_PLACES + 1 :]
        return arguments + tuple(n.Literal(node.position, value) for value in missing)

    def _culprit(self, node: n.Call) -> n.Node:
        """The path that a fault of a function names: its first, or else the expression."""
        return next((part for part in node.arguments if isinstance(part, n.FieldPath)), node)


def _kind_if_present(node: n.Node, value: Operand) -> str:
    """The kind of a value that is null where it is blank; of a blank literal nothing is known."""
    return "any" if isinstance(node, n.Literal) and is_null(node.value) else value.kind
