"""Conditions: true, false or unknown (rules 10 and 13; ISO 9075's three-valued logic)."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from functools import partial
from typing import Any

from ..language import nodes as n
from ..plan.kinds import TIMES
from ..values import times
from ..values.collations import collation_key
from ..values.functions import text_of
from ..values.matching import like, like_regex, overlap
from ..values.ordering import told_apart
from .exact import compared, is_number, number_in
from .kinds import Given
from .plain import is_null
from .protocols import Here, Values

_HOLDS: dict[str, Callable[[int], bool]] = {
    "=": lambda order: order == 0,
    "<>": lambda order: order != 0,
    "<": lambda order: order < 0,
    "<=": lambda order: order <= 0,
    ">": lambda order: order > 0,
    ">=": lambda order: order >= 0,
}
_SIGNS = {"=": "==", "<>": "!="}


class Tests:
    """Works out comparisons, tests and logic."""

    def __init__(self, values: Values) -> None:
        self._of = values

    def truth_of(self, node: n.Node, here: Here) -> bool | None:
        """Whether a condition holds; None where that is unknown."""
        match node:
            case n.And(parts=parts):
                return self._logic(parts, here, settled=False)
            case n.Or(parts=parts):
                return self._logic(parts, here, settled=True)
            case n.Not(operand=operand):
                return _negated(self._of.truth(operand, here))
            case n.Comparison(operator=operator, left=left, right=right):
                return self.compare(operator, left, right, here)
            case n.IsTest():
                return self._is(node, here)
            case n.In(operand=operand, options=options, negated=negated):
                return _negated(self._in(operand, options, here), negated)
            case n.InList(negated=negated):
                return _negated(self._in_list(node, here), negated)
            case n.Between(operand=operand, low=low, high=high, negated=negated):
                return _negated(self._between(operand, low, high, here), negated)
            case n.InPeriod(operand=operand, negated=negated):
                days = self._of.plan.period(node)[:2]
                first, last = (n.Literal(node.position, day) for day in days)
                return _negated(self._between(operand, first, last, here), negated)
            case n.Like(negated=negated):
                return _negated(self._like(node, here), negated)
            case n.Overlaps():
                return self._overlaps(node, here)
        raise AssertionError(f"no condition: {node}")

    def _logic(self, parts: tuple[n.Node, ...], here: Here, *, settled: bool) -> bool | None:
        """From left to right; what is settled is settled, and the rest is not looked at."""
        found: bool | None = not settled
        for part in parts:
            truth = self._of.truth(part, here)
            if truth is settled:
                return settled
            if truth is None:
                found = None
        return found

    # ---- comparing (rule 13)

    def compare(self, operator: str, left: n.Node, right: n.Node, here: Here) -> bool | None:
        """Two values compared: as what their text tells, else value by value."""
        collation = next((x.collation for x in (left, right) if isinstance(x, n.Collate)), None)
        if collation is not None:
            texts = self._of.text(left, here), self._of.text(right, here)
            if None in texts:
                return None
            a, b = map(collation_key(collation), texts)
            return _HOLDS[operator](int(a > b) - int(a < b))
        kind = self._of.kinds(here).compared_as((left, right))
        if kind is None:
            return self._by_value(operator, left, right, here)
        a, b = self._of.as_kind(kind, left, here), self._of.as_kind(kind, right, here)
        if a is None or b is None:
            return None
        if kind == "number":
            return _HOLDS[operator](compared(a, b))
        if kind in (*TIMES, "when"):
            sign = _SIGNS.get(operator, operator)
            return self._guarded(partial(times.compare, a, sign, b), a, left, here)
        return _HOLDS[operator](int(a > b) - int(a < b))

    def _guarded(
        self, function: Callable[[], Any], value: Any, node: n.Node, here: Here
    ) -> bool | None:
        path, where = self._of.called(node), self._of.where(node, here)
        found: bool | None = self._of.converting.guarded(function, value, path, where)
        return found

    def _by_value(self, operator: str, left: n.Node, right: n.Node, here: Here) -> bool | None:
        """A number and a text that is one as numbers, two texts as texts; else as equal or not."""
        path, where = self._of.called(left), self._of.where(left, here)
        a, b = (self._of.value(node, here) for node in (left, right))
        a, b = (self._of.converting.one(value, path, where) for value in (a, b))
        if is_null(a) or is_null(b):
            return None
        equality = operator in _SIGNS
        for whole in (a, b):
            if isinstance(whole, dict) and not equality:
                self._of.faults.tell(where, path, whole, "whole entries can't be compared by size")
                return None
        if any(is_number(one) or isinstance(one, float) for one in (a, b)):
            x, y = _number(a), _number(b)
            if x is not None and y is not None:
                return _HOLDS[operator](compared(x, y))
            if equality:
                return operator == "<>"
            for value in (a, b):
                self._of.converting.as_kind("number", value, path, where)
            return None
        if type(a) is not type(b):
            a, b = text_of(a), text_of(b)
        if equality:
            return bool(a == b) is (operator == "=")
        return _HOLDS[operator](int(a > b) - int(a < b))

    def _between(self, operand: n.Node, low: n.Node, high: n.Node, here: Here) -> bool | None:
        value = self._of.once(operand, (low, high), here)
        at = operand.position
        both = n.Comparison(at, ">=", value, low), n.Comparison(at, "<=", value, high)
        return self._logic(both, here, settled=False)

    def _in(self, operand: n.Node, options: tuple[n.Node, ...], here: Here) -> bool | None:
        """Whether a value is equal to one of several."""
        value = self._of.once(operand, options, here)
        texts = [o.value for o in options if isinstance(o, n.Literal) and isinstance(o.value, str)]
        if isinstance(value, Given) and value.kind == "any" and len(texts) == len(options):
            path, where = self._of.called(operand), self._of.where(operand, here)
            one = self._of.converting.one(value.value, path, where)
            if is_null(one):
                return None
            return any(_is_equal_to_text(one, text) for text in texts)
        tests = tuple(n.Comparison(o.position, "=", value, o) for o in options)
        return self._logic(tests, here, settled=True)

    def _in_list(self, node: n.InList, here: Here) -> bool | None:
        """Whether a value is on a list, whose values are read as the field is declared."""
        listed = next(
            one.values
            for one in self._of.plan.layout.lists
            if (one.name, one.heading) == (node.name, node.heading)
        )
        declared = self._of.declared(node.operand, here)
        if declared is None or declared.kind in ("any", "text"):
            text = self._of.text(node.operand, here)
            return None if text is None else text in listed
        value = self._of.value(node.operand, here)
        if value is None:
            return None
        reader = self._of.paths.reader(declared)
        read = (reader.quick[text] for text in listed)
        return told_apart(value) in [told_apart(one) for one in read if one is not None]

    def _is(self, node: n.IsTest, here: Here) -> bool | None:
        """`is null`, `is true`, …; of a field that could not be read it is not known whether it is
        null."""
        if node.what != "null":
            wanted = {"true": True, "false": False, "unknown": None}[node.what]
            return (self._of.truth(node.operand, here) is wanted) is not node.negated
        value = self._of.value(node.operand, here)
        declared = self._of.declared(node.operand, here)
        if declared is not None and isinstance(node.operand, n.FieldPath):
            if value is None and self._of.is_unread(self._of.source(node.operand, here), declared):
                return None
        elif self._of.kinds(here).of(node.operand) == "any":
            return is_null(value) is not node.negated
        return (value is None) is not node.negated

    # ---- patterns and spans

    def _like(self, node: n.Like, here: Here) -> bool | None:
        parts = (node.operand, node.pattern, *([node.escape] if node.escape else []))
        texts = [self._of.text(part, here) for part in parts]
        if None in texts:
            return None
        function: Any = like_regex if node.regex else like
        return self._guarded(partial(function, *texts), texts[0], node.operand, here)

    def _overlaps(self, node: n.Overlaps, here: Here) -> bool | None:
        values = []
        for start, end in (node.left, node.right):
            values.append(self._of.as_kind("moment", start, here))
            kind = "interval" if self._of.kinds(here).of(end) == "interval" else "moment"
            values.append(self._of.as_kind(kind, end, here))
        if None in values:
            return None
        return self._guarded(partial(overlap, *values), values[0], node.left[0], here)


def _negated(truth: bool | None, negated: bool = True) -> bool | None:
    return truth if truth is None or not negated else not truth


def _number(value: Any) -> int | Decimal | None:
    if isinstance(value, str):
        return number_in(value)
    if isinstance(value, float):
        return number_in(repr(value))
    return value if is_number(value) else None


def _is_equal_to_text(value: Any, text: str) -> bool:
    number, other = _number(value) if not isinstance(value, str) else None, number_in(text)
    if number is not None:
        return other is not None and compared(number, other) == 0
    return text_of(value) == text
