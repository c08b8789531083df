"""Emitting conditions: True, False, or None for unknown (three-valued logic)."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal
from typing import Any

from ..language import nodes as n
from ..plan.kinds import TIMES, Operand, Ready, comparison_kind
from ..plan.known import Known, kind_of
from ..values.collations import collation_key
from ..values.numbers import read_decimal
from .emit_paths import PathEmitter

_SIGNS = {"=": "==", "<>": "!="}


class ConditionEmitter(PathEmitter):
    """Emits comparisons, tests and logic."""

    def condition(self, node: n.Node) -> Operand | None:
        """Emit a condition; None where the node is none."""
        match node:
            case n.And():
                return self._all(node.parts, settled="False", other="True")
            case n.Or():
                return self._all(node.parts, settled="True", other="False")
            case n.Not():
                operand = self.truth(node.operand)
                return self.unless_null((operand,), f"not {operand.code}", "truth")
            case n.Comparison():
                return self._comparison(node.operator, node.left, node.right)
            case n.IsTest():
                return self._is_test(node)
            case n.In():
                return self._negated(self._in(node), node.negated)
            case n.InList():
                return self._negated(self._in_list(node), node.negated)
            case n.InPeriod():
                period = self.plan.period(node)
                first, last = (n.Literal(node.position, day) for day in period[:2])
                between = n.Between(node.position, node.operand, first, last, node.negated)
                return self.condition(between)
            case n.Between():
                return self._negated(self._between(node), node.negated)
            case n.Like():
                return self._negated(self._like(node), node.negated)
            case n.Overlaps():
                return self._overlaps(node)
        return None

    def _negated(self, operand: Operand, negated: bool) -> Operand:
        if not negated:
            return operand
        return self.unless_null((operand,), f"not {operand.code}", "truth")

    def _all(self, parts: tuple[n.Node, ...], settled: str, other: str) -> Operand:
        """Three-valued and/or: parts are judged in turn until one settles it."""
        first, *others = parts
        result = self.assign(self.truth(first).code, "truth", "test")
        for part in others:
            with self.block.below(f"if {result.code} is not {settled}:"):
                judged = self.truth(part)
                self.block.add(f"if {judged.code} is not {other}: {result.code} = {judged.code}")
        return result

    # ---- comparisons

    def _comparison(self, operator: str, left: n.Node, right: n.Node) -> Operand:
        sign = _SIGNS.get(operator, operator)
        collation = next((x.collation for x in (left, right) if isinstance(x, n.Collate)), None)
        if collation is not None:
            a, b = self.text(left), self.text(right)
            key = self.constants.name(collation_key(collation), "collation")
            return self.unless_null((a, b), f"{key}({a.code}) {sign} {key}({b.code})", "truth")
        kind = self._compared_as((left, right))
        loose = "any" in (kind_of(left), kind_of(right))
        watch = self._watch(left, right) if loose and kind in (None, "text") else ""
        if kind is None:
            a, b = self.value(left), self.value(right)
            code = f"compare({a.code}, {sign!r}, {b.code}, {watch or None}, {self.told(left)})"
            return self.assign(code, "truth")
        a, b = self.as_kind(kind, left), self.as_kind(kind, right)
        if watch and sign not in _SIGNS.values():
            self.block.add(f"if {watch}.on: {watch}.look(({a.code}, {b.code}))")
        if kind in TIMES:
            code = f"compare_times({a.code}, {sign!r}, {b.code}, {self.told(left)})"
        else:
            code = f"{a.code} {sign} {b.code}"
        return self.unless_null((a, b), code, "truth")

    def _watch(self, left: n.Node, right: n.Node) -> str:
        """The name of what watches whether numbers are compared as texts."""
        texts = [one.known.expression for one in (left, right) if isinstance(one.known, Known)]
        text = next(filter(None, texts), "")
        return self.constants.name(self.constants.watches.numerals_of(f"`{text}`"), "watch")

    def _compared_as(self, nodes: Iterable[n.Node]) -> str | None:
        """The kind as which values are compared; None where each value decides for itself.

        A field and a text that is a number are compared as numbers wherever the field is one.
        """
        nodes = list(nodes)
        kinds = [kind_of(node) for node in nodes]
        kind = comparison_kind(kinds)
        if kind == "text" and "any" in kinds and any(map(_may_be_number, nodes)):
            return None
        return kind

    def _once(self, node: n.Node, others: tuple[n.Node, ...]) -> n.Node:
        """The value of a node, emitted once, of the kind as which it is compared with others."""
        if isinstance(node, n.Collate):
            operand = Ready(node.position, self.text(node.operand))
            return n.Collate(node.position, operand, node.collation)
        kind = self._compared_as((node, *others))
        return Ready(node.position, self.as_kind(kind, node) if kind else self.value(node))

    def _between(self, node: n.Between) -> Operand:
        operand = self._once(node.operand, (node.low, node.high))
        low = n.Comparison(node.position, ">=", operand, node.low)
        high = n.Comparison(node.position, "<=", operand, node.high)
        return self._all((low, high), settled="False", other="True")

    def _in(self, node: n.In) -> Operand:
        operand = self._once(node.operand, node.options)
        kind = kind_of(operand)
        values = [option.value for option in node.options if isinstance(option, n.Literal)]
        wanted: Any = {"text": str, "number": (int, Decimal)}.get(kind)
        if (
            wanted
            and not isinstance(operand, n.Collate)
            and len(values) == len(node.options)
            and all(isinstance(v, wanted) for v in values)
        ):
            options = self.constants.name(frozenset(values), "options")
            value = self.value(operand)
            return self.unless_null((value,), f"{value.code} in {options}", "truth")
        texts = [value for value in values if isinstance(value, str)]
        if kind == "any" and len(texts) == len(node.options):
            numbers = [one for text in texts if (one := read_decimal(text.strip())) is not None]
            options = self.constants.name((frozenset(texts), frozenset(numbers)), "options")
            value = self.value(operand)
            code = f"among({value.code}, {options}, {self.told(node.operand)})"
            return self.assign(code, "truth")
        tests = tuple(n.Comparison(o.position, "=", operand, o) for o in node.options)
        return self._all(tests, settled="True", other="False")

    def _in_list(self, node: n.InList) -> Operand:
        value = self.text(node.operand)
        options = self.constants.name(self.constants.watches.lists[node.name, node.heading], "list")
        return self.unless_null((value,), f"{value.code} in {options}", "truth")

    def _is_test(self, node: n.IsTest) -> Operand:
        sign = "is not" if node.negated else "is"
        if node.what != "null":
            wanted = {"true": "True", "false": "False", "unknown": "None"}[node.what]
            return self.assign(f"{self.truth(node.operand).code} {sign} {wanted}", "truth")
        value = self.value(node.operand)
        if value.kind == "any":
            return self.assign(f"{'not ' if node.negated else ''}is_null({value.code})", "truth")
        value = self.assign(value.code, value.kind)
        return self.assign(f"{value.code} {sign} None", "truth")

    # ---- patterns and spans

    def _like(self, node: n.Like) -> Operand:
        operands = [self.text(node.operand), self.text(node.pattern)]
        if node.escape is not None:
            operands.append(self.text(node.escape))
        function = "like_regex" if node.regex else "like"
        codes = ", ".join(operand.code for operand in operands)
        call = f"{function}({codes}, {self.told(node.operand)})"
        return self.unless_null(tuple(operands), call, "truth")

    def _overlaps(self, node: n.Overlaps) -> Operand:
        operands = []
        for start, end in (node.left, node.right):
            operands.append(self.as_kind("moment", start))
            kind = "interval" if kind_of(end) == "interval" else "moment"
            operands.append(self.as_kind(kind, end))
        codes = ", ".join(operand.code for operand in operands)
        call = f"overlap({codes}, {self.told(node.left[0])})"
        return self.unless_null(tuple(operands), call, "truth")


def _may_be_number(node: n.Node) -> bool:
    """Whether a text may be a number: one that is typed is looked at."""
    if isinstance(node, n.Literal):
        return isinstance(node.value, str) and read_decimal(node.value.strip()) is not None
    return isinstance(node, n.Concatenation | n.Case | n.Call)
