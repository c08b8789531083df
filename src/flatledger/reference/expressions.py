"""What an expression is worth on a row or for an entry: a walk over its nodes (ISO 9075).

`Here` is where it stands: the entries from the record down. Each node is worked out when it is
needed, and not otherwise (rule 10).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from ..language import nodes as n
from ..layout.model.column import Column
from ..plan.kinds import AGGREGATE_KINDS, LEVEL, TIMES
from ..plan.plan import Plan
from ..structure.levels import plain_steps
from ..structure.trees import IS_COUNTED, TREE_FUNCTIONS
from ..values import times
from ..values.field_values import FieldDeclaration
from ..values.functions import FUNCTIONS, IN_LANGUAGE, cast_value, text_of
from ..values.numbers import ValueFaultError
from ..values.periods import period_start
from .aggregates import Aggregates
from .conditions import Tests
from .converting import Converting
from .entries import Record
from .exact import added, divided, is_number, multiplied, number_in, rounded
from .faults import Faults, Raw, Where
from .kinds import Given, Kinds
from .paths import Paths
from .plain import each_of, is_null
from .protocols import Here, Levels, Origin, levels_of
from .steps import Steps
from .trees import Trees


class Expressions:
    """Works out the expressions of one layout for the entries of one record."""

    def __init__(
        self,
        plan: Plan,
        columns: Sequence[Column],
        record: Record,
        paths: Paths,
        faults: Faults,
        origin: Origin,
    ) -> None:
        self.plan, self.record, self.paths, self.faults = plan, record, paths, faults
        self.columns = {column.heading: column for column in columns}
        self.converting = Converting(faults)
        self.tests = Tests(self)
        self.aggregates, self.trees = Aggregates(self), Trees(self)
        self.steps = Steps(plan.chain)
        self.expression = ""  # the text of the one that is worked out
        self.column: Callable[[Column, Here], Any] = lambda column, here: None
        self._origin = origin
        self._kinds: dict[Levels, Kinds] = {}
        self.inside = 0  # how many aggregates stand around what is worked out
        self._special: dict[str, Callable[[n.Call, Here], Any]] = {
            "coalesce": self._coalesce,
            "nullif": self._nullif,
            "current_date": lambda node, here: plan.today,
            "record_number": lambda node, here: here[0].place,
            "source_file": lambda node, here: origin.file,
            "source_row": lambda node, here: self._row(here),
            "key": self._place,
            LEVEL: lambda node, here: self._level(here),
        }

    def _level(self, here: Here) -> str:
        """What the level of a row is called; one that stands for missing entries is of theirs."""
        stack, level = self.plan.stack, len(here) - 1
        level = max(level, stack[0]) if stack else self.plan.chain.row
        return self.plan.chain.called(self.plan.chain.levels[level])

    # ---- where faults are told

    def kinds(self, here: Here) -> Kinds:
        levels = levels_of(here)
        if levels not in self._kinds:
            self._kinds[levels] = Kinds(
                self.columns, lambda path: self.paths.declared(path, levels)
            )
        return self._kinds[levels]

    def declared(self, path: n.Node, here: Here) -> FieldDeclaration | None:
        if not isinstance(path, n.FieldPath):
            return None
        return self.paths.declared(path, levels_of(here))

    def called(self, node: n.Node) -> str:
        """How an expression is called in a fault: a path by its names, others by their text."""
        if isinstance(node, Given):
            return self.called(node.expression)
        if isinstance(node, n.FieldPath):
            text: str = self.paths.once(node, "called", work=lambda: self._called(node))
            return text
        return self.expression

    def _called(self, path: n.FieldPath) -> str:
        names, rest = plain_steps(path, self.plan.chain)
        return self.plan.chain.called(names) + ("…" if rest else "")

    def where(self, node: n.Node, here: Here) -> Where:
        """The entry that a value belongs to: of a path that where it begins (rule 2)."""
        if isinstance(node, Given):
            return self.where(node.expression, here)
        if isinstance(node, n.FieldPath):
            return here[self.paths.way(node, levels_of(here)).anchor].where
        return here[-1].where

    # ---- values

    def value(self, node: n.Node, here: Here) -> Any:
        """The value of an expression as it is: a blank text, a list of many values among them."""
        found = self._value(node, here)
        self.steps.note(node, here, found)
        return found

    def _value(self, node: n.Node, here: Here) -> Any:
        match node:
            case Given(value=value):
                return value
            case n.Literal(value=value):
                return value
            case n.FieldPath():
                return self._field(node, here)
            case n.Heading(heading=heading):
                value = self.column(self.columns[heading], here)
                return None if isinstance(value, Raw) else value
            case n.Sign(operator=operator, operand=operand):
                number = self.number(operand, here)
                if number is None or operator == "+":
                    return number
                return multiplied(number, -1) or abs(number)
            case n.Arithmetic():
                return self._arithmetic(node, here)
            case n.Concatenation(left=left, right=right):
                texts = self.text(left, here), self.text(right, here)
                return None if None in texts else f"{texts[0]}{texts[1]}"
            case n.Collate(operand=operand):
                return self.text(operand, here)
            case n.Case():
                return self._case(node, here)
            case n.Cast():
                return self._cast(node, here)
            case n.Call():
                return self._call(node, here)
        return self.tests.truth_of(node, here)

    def present(self, node: n.Node, here: Here) -> Any:
        """The value, null where it is missing, null or blank (rule 12)."""
        value = self.value(node, here)
        return None if self.kinds(here).of(node) == "any" and is_null(value) else value

    def as_kind(self, kind: str, node: n.Node, here: Here) -> Any:
        """The value as one of a kind; what can't be one is a fault and null (rule 13)."""
        if kind in ("moment", "when") and isinstance(node, n.Call) and node.name == "period_of":
            return self._period_start(node, here)
        value, known = self.value(node, here), self.kinds(here).of(node)
        if known in (kind, "null") or (kind == "when" and known in TIMES):
            return value
        if kind == "text" and isinstance(node, n.Literal):
            return text_of(value)
        path, where = self.called(node), self.where(node, here)
        return self.converting.as_kind(kind, value, path, where)

    def number(self, node: n.Node, here: Here) -> Any:
        return self.as_kind("number", node, here)

    def text(self, node: n.Node, here: Here) -> Any:
        return self.as_kind("text", node, here)

    def truth(self, node: n.Node, here: Here) -> bool | None:
        found: bool | None = self.as_kind("truth", node, here)
        return found

    # ---- fields

    def source(self, path: n.FieldPath, here: Here, *, aligned: bool = False) -> Any:
        """What stands at a path as it came (rules 2, 3 and 8)."""
        stated = bool(self.inside) and self.plan.chain.known.stated is not None
        found = self.paths.raw(path, here, stated=stated, aligned=aligned)
        if self.steps.taken is not None:
            self.steps.read(path, here, self.paths.way(path, levels_of(here)).anchor, found)
        return found

    def _field(self, path: n.FieldPath, here: Here) -> Any:
        """The value at a path: as it is declared or, where it is not, whatever it is."""
        declared, raw = self.declared(path, here), self.source(path, here)
        return raw if declared is None else self.read(path, raw, declared, here)

    def read(self, node: n.Node, raw: Any, declared: FieldDeclaration, here: Here) -> Any:
        """One value, read as it is declared."""
        path, where = self.called(node), self.where(node, here)
        value = self.converting.one(raw, path, where)
        if value is None:
            return None
        reader = self.paths.reader(declared)
        return self.converting.guarded(lambda: reader.read(value), value, path, where)

    def is_unread(self, raw: Any, declared: FieldDeclaration) -> bool:
        """Whether a value is there, and is none of those that its field is declared to have."""
        present = [one for one in each_of(raw) if one is not None]
        value = present[0] if len(present) == 1 else raw if present else None
        try:
            self.paths.reader(declared).read(value)
        except ValueFaultError:
            return value is not None
        return False

    # ---- calculating (rule 11)

    def _arithmetic(self, node: n.Arithmetic, here: Here) -> Any:
        kinds = self.kinds(here)
        sides = [(part, kinds.of(part)) for part in (node.left, node.right)]
        if any(kind in TIMES for _, kind in sides):
            other = "number" if node.operator in "*/" else "moment"
            left, right = (
                self.as_kind(kind if kind in TIMES else other, part, here) for part, kind in sides
            )
            if left is None or right is None:
                return None
            return self._guarded(
                lambda: times.calculate(left, node.operator, right), left, node, here
            )
        left, right = self.number(node.left, here), self.number(node.right, here)
        if left is None or right is None:
            return None
        match node.operator:
            case "+":
                return added(left, right)
            case "-":
                return added(left, right, -1)
            case "*":
                return multiplied(left, right)
        if right == 0:
            self.faults.tell(self.where(node, here), self.called(node), None, "a division by zero")
            return None
        return divided(left, right)

    def _guarded(self, function: Callable[[], Any], value: Any, node: n.Node, here: Here) -> Any:
        return self.converting.guarded(function, value, self.called(node), self.where(node, here))

    # ---- choices (rule 10: what is not needed is not evaluated)

    def _case(self, node: n.Case, here: Here) -> Any:
        tests = [when for when, _ in node.branches]
        if node.operand is not None:
            operand = self.once(node.operand, tests, here)
            tests = [n.Comparison(test.position, "=", operand, test) for test in tests]
        for test, (_, outcome) in zip(tests, node.branches, strict=True):
            if self.truth(test, here) is True:
                return self.present(outcome, here)
        return None if node.otherwise is None else self.present(node.otherwise, here)

    def once(self, node: n.Node, others: Sequence[n.Node], here: Here) -> n.Node:
        """A value that is worked out once, of the kind as which it is compared with others."""
        if isinstance(node, n.Collate):
            text = Given(node.position, self.text(node.operand, here), "text", node.operand)
            return n.Collate(node.position, text, node.collation)
        kinds = self.kinds(here)
        kind = kinds.compared_as((node, *others))
        value = self.as_kind(kind, node, here) if kind else self.value(node, here)
        return Given(node.position, value, kind or kinds.of(node), node)

    def _coalesce(self, node: n.Call, here: Here) -> Any:
        """The first value that is not null. What could not be read is told, and is no null."""
        for argument in node.arguments:
            value = self.present(argument, here)
            declared = self.declared(argument, here)
            if value is not None:
                return value
            if declared is None or not isinstance(argument, n.FieldPath):
                continue
            if self.is_unread(self.source(argument, here), declared):
                return None
        return None

    def _nullif(self, node: n.Call, here: Here) -> Any:
        value = self.present(node.arguments[0], here)
        first = node.arguments[0]
        given = Given(node.position, value, self.kinds(here).of(first), first)
        same = n.Comparison(node.position, "=", given, node.arguments[1])
        return None if self.truth(same, here) is True else value

    def _cast(self, node: n.Cast, here: Here) -> Any:
        value = self.present(node.operand, here)
        if value is None:
            return None
        made = self._number_cast(node, value)
        if made is not None:
            return made
        return self._guarded(
            lambda: cast_value(value, node.type, node.parameters), value, node.operand, here
        )

    def _number_cast(self, node: n.Cast, value: Any) -> Any:
        """A cast to a number, by arithmetic of our own; None where it is none, or can't be."""
        if isinstance(value, str):
            value = number_in(value)
        if not is_number(value) or node.parameters:
            return None
        if node.type in ("integer", "int"):
            return int(rounded(value, 0))
        return (
            rounded(value, 0)
            if node.type in ("decimal", "numeric") and isinstance(value, int)
            else value
            if node.type in ("decimal", "numeric")
            else None
        )

    # ---- functions

    def _call(self, node: n.Call, here: Here) -> Any:
        if node.name in AGGREGATE_KINDS:
            return self.aggregates.value(node, here)
        of_a_level = node.name == "ordinal" and bool(node.arguments)
        if node.name in (*TREE_FUNCTIONS, IS_COUNTED) or (
            node.name == "ordinal" and not of_a_level
        ):
            return self.trees.value(node, here)
        if of_a_level:
            return self._place(node, here)
        if node.name in self._special:
            return self._special[node.name](node, here)
        return self._function(node, here)

    def _row(self, here: Here) -> Any:
        return (
            self._origin.row
            if self._origin.row is not None
            else here[0].place - self._origin.before
        )

    def _place(self, node: n.Call, here: Here) -> Any:
        """`ordinal(level)`, the place of an entry as it came; `key(level)`, the name of a member
        (rule 8)."""
        path = node.arguments[0]
        assert isinstance(path, n.FieldPath)
        entry = here[self.paths.way(path, levels_of(here)).anchor]
        return entry.key if node.name == "key" else entry.place

    def _function(self, node: n.Call, here: Here) -> Any:
        """A function of `values`; null where an argument that it needs is null."""
        function, values, lacks = FUNCTIONS[node.name], list[Any](), False
        for argument, kind in zip(self._arguments(node), function.parameters, strict=False):
            if kind != "any":
                values.append(self.as_kind(kind, argument, here))
                lacks = lacks or values[-1] is None
            elif node.name == IN_LANGUAGE and isinstance(argument, n.FieldPath):
                values.append(self._whole(argument, here))
            elif function.within and isinstance(argument, n.FieldPath):
                raw = self.source(argument, here)
                values.append(None if is_null(raw) else raw)
            else:
                values.append(self.present(argument, here))
        if lacks:
            return None
        paths = (part for part in node.arguments if isinstance(part, n.FieldPath))
        culprit = next(paths, node)
        first = values[0] if values else None
        return self._guarded(lambda: function.call(*values), first, culprit, here)

    def _whole(self, path: n.FieldPath, here: Here) -> Any:
        """What stands at a path, of an element with its attributes."""
        self.paths.has_own_texts, before = False, self.paths.has_own_texts
        value = self.source(path, here)
        self.paths.has_own_texts = before
        return value

    def _arguments(self, node: n.Call) -> tuple[n.Node, ...]:
        """The arguments; working_time takes the layout's calendar where it is given none."""
        if node.name != "working_time":
            return node.arguments
        calendar = self.plan.layout.calendar
        defaults = ("hours", calendar.hours_per_day, calendar.days_per_week)
        missing = defaults[len(node.arguments) - 2 :]
        return (*node.arguments, *(n.Literal(node.position, value) for value in missing))

    def _period_start(self, node: n.Call, here: Here) -> Any:
        """A period where a moment is wanted: its first day."""
        moment = self.as_kind("moment", node.arguments[0], here)
        unit = self.text(node.arguments[1], here)
        if moment is None or unit is None:
            return None
        return self._guarded(lambda: period_start(moment, unit), moment, node.arguments[0], here)
