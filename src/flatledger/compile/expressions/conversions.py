"""Emitting values as numbers, texts, truth values or times."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal

from ...language import nodes as n
from ...plan.kinds import TIMES, Operand, Ready, comparison_kind
from ...plan.known import access_of, kind_of, text_of_node
from ...values.functions import text_of
from ...values.numbers import read_decimal
from .emission import Expressions
from .paths import Paths

_CLASSES: dict[str, tuple[type, ...]] = {
    "number": (int, Decimal),
    "text": (str,),
    "truth": (bool,),
    "moment": (),
    "time": (),
    "interval": (),
    "when": (),
}


class Conversions:
    """Emits values as ones of a kind, each once where it is known."""

    def __init__(self, emit: Expressions, paths: Paths) -> None:
        self.emit, self.code = emit, emit.code
        self._paths = paths

    def as_kind(self, kind: str, node: n.Node) -> Operand:
        """The value as one of a kind, null where it cannot be; a path is converted once.

        Where it may not be needed it is converted there alone, so that it tells of no fault.
        """
        if not isinstance(node, n.FieldPath):
            return self._convert(kind, node)
        access = access_of(node)
        key = (kind, self._paths.variable_of(access), access.names, access.rest)
        known = self.code.known(key)
        if known is None and self.code.nested:
            known = self.code.note(key, self._convert(kind, node))
        elif known is None:
            with self.code.at(access.anchor):
                known = self.code.note(key, self._convert(kind, node))
                self.code.note_test(node)
        return known

    def _convert(self, kind: str, node: n.Node) -> Operand:
        if kind in ("moment", "when") and isinstance(node, n.Call) and node.name == "period_of":
            return self._period_start(node)
        value = self.emit.value(node)
        if value.kind in (kind, "null") or (kind == "when" and value.kind in TIMES):
            return value
        if isinstance(node, n.Literal):
            if kind == "text":
                return self.code.literal(text_of(node.value))
            value = self.code.assign(value.code, value.kind)
        only = self._paths.only(node)
        if only is not None and only in _CLASSES[kind] and only is not str:
            return Operand(value.code, kind)
        if kind in ("moment", "when"):
            return self._looked_up(kind, self.day(value.code, only), value.code, node)
        if kind == "number" and only is str:
            found = self._paths.text_value(node, value.code, "numerals", True)
            return self._looked_up(kind, found, value.code, node)
        result = self.code.variable(kind)
        wanted = _CLASSES[kind]
        usual = [one for one in self._paths.kinds_met(node) if one in wanted] or list(wanted[:1])
        tests = [f"{value.code}.__class__ is not {one.__name__}" for one in usual]
        if kind == "text":
            blank = f"not {value.code} >= '!'"
            tests = [blank if only is str else f"({tests[0]} or {blank})"]
        tests.append(f"{value.code} is not None")
        if only is str:
            tests.reverse()
        convert = f"{result} = as_{kind}({value.code}, {self.code.told(node)})"
        self.code.add(f"{result} = {value.code}")
        with self.code.below(f"if {' and '.join(tests)}:"):
            self.code.add(convert)
        return Operand(result, kind)

    def _period_start(self, node: n.Call) -> Operand:
        """A period where a moment is wanted: its first day."""
        moment, unit = self.as_kind("moment", node.arguments[0]), self.emit.text(node.arguments[1])
        told = self.code.told(node.arguments[0])
        code = f"period_start({moment.code}, {unit.code}, {told})"
        return self.code.unless_null((moment, unit), code, "moment")

    def _looked_up(self, kind: str, code: str, raw: str, node: n.Node) -> Operand:
        """A moment or a number: what texts usually are is looked up, all else read with care."""
        value = self.code.assign(code, kind, kind)
        with self.code.below(f"if {value.code} is None and {raw} is not None:"):
            self.code.add(f"{value.code} = as_{kind}({raw}, {self.code.told(node)})")
        return value

    def day(self, raw: str, only: type | None) -> str:
        """The code for the day that a text is; None for anything else."""
        if only is str:
            return f"None if {raw} is None else days[{raw}]"
        return f"days[{raw}] if {raw}.__class__ is str else None"

    def present(self, node: n.Node) -> Operand:
        """The value, with every form of null as None."""
        value = self.emit.value(node)
        if value.kind != "any":
            return value
        raw, only = value.code, self._paths.only(node)
        if only in (int, bool):
            return value
        key = ("present", raw)
        return self.code.known(key) or self.code.note(key, self._present(raw, only))

    def _present(self, raw: str, only: type | None) -> Operand:
        if only is str:
            code = f'{raw} if {raw} is None or {raw} >= "!" or not is_null({raw}) else None'
            return self.code.assign(code, "text")
        usual = f'{raw}.__class__ is str and {raw} >= "!"'
        return self.code.assign(f"{raw} if {usual} else None if is_null({raw}) else {raw}", "any")

    def compared_as(self, nodes: Iterable[n.Node]) -> str | None:
        """The kind as which values are compared; None where each value decides for itself.

        A field and a text that is a number are compared as numbers wherever the field is one.
        """
        nodes = list(nodes)
        kinds = [kind_of(node) for node in nodes]
        kind = comparison_kind(kinds)
        if kind == "text" and "any" in kinds and any(map(_may_be_number, nodes)):
            return None
        return kind

    def once(self, node: n.Node, others: tuple[n.Node, ...]) -> n.Node:
        """The value of a node, emitted once, of the kind as which it is compared with others."""
        if isinstance(node, n.Collate):
            text = text_of_node(node.operand)
            operand = Ready(node.position, self.emit.text(node.operand), text)
            return n.Collate(node.position, operand, node.collation)
        kind = self.compared_as((node, *others))
        value = self.as_kind(kind, node) if kind else self.emit.value(node)
        return Ready(node.position, value, text_of_node(node))


def _may_be_number(node: n.Node) -> bool:
    """Whether a text may be a number: one that is typed is looked at."""
    if isinstance(node, n.Literal):
        return isinstance(node.value, str) and read_decimal(node.value.strip()) is not None
    return isinstance(node, n.Concatenation | n.Case | n.Call)
