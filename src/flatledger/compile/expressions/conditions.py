"""Emitting conditions: True, False, or None for unknown (three-valued logic)."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from ...language import nodes as n
from ...plan.kinds import TIMES, Operand
from ...plan.known import Known, declared_of, kind_of, known_of
from ...values.collations import collation_key
from ...values.date_forms import form_of
from ...values.field_values import FieldDeclaration
from ...values.numbers import read_decimal
from ...values.read_lists import ReadList
from .conversions import Conversions
from .emission import Expressions
from .paths import Paths

_SIGNS = {"=": "==", "<>": "!="}


class Conditions:
    """Emits comparisons, tests and logic."""

    def __init__(self, emit: Expressions, conversions: Conversions, paths: Paths) -> None:
        self.emit, self.code = emit, emit.code
        self._conversions, self._paths = conversions, paths

    def between_days(self, node: n.InPeriod) -> Operand:
        """Whether a day lies in a period."""
        period = self.code.plan.period(node)
        first, last = (n.Literal(node.position, day) for day in period[:2])
        between = n.Between(node.position, node.operand, first, last, node.negated)
        return self.between(between)

    def both(self, node: n.And) -> Operand:
        return self._all(node.parts, settled="False", other="True")

    def either(self, node: n.Or) -> Operand:
        return self._all(node.parts, settled="True", other="False")

    def no(self, node: n.Not) -> Operand:
        operand = self.emit.truth(node.operand)
        return self.code.unless_null((operand,), f"not {operand.code}", "truth")

    def compared(self, node: n.Comparison) -> Operand:
        return self.comparison(node.operator, node.left, node.right)

    def among(self, node: n.In) -> Operand:
        return self._negated(self._in(node), node.negated)

    def in_list(self, node: n.InList) -> Operand:
        return self._negated(self._in_list(node), node.negated)

    def between(self, node: n.Between) -> Operand:
        return self._negated(self._between(node), node.negated)

    def like(self, node: n.Like) -> Operand:
        return self._negated(self._like(node), node.negated)

    def _negated(self, operand: Operand, negated: bool) -> Operand:
        if not negated:
            return operand
        return self.code.unless_null((operand,), f"not {operand.code}", "truth")

    def _all(self, parts: tuple[n.Node, ...], settled: str, other: str) -> Operand:
        """Three-valued and/or: parts are judged in turn until one settles it."""
        first, *others = parts
        result = self.code.assign(self.emit.truth(first).code, "truth", "test")
        for part in others:
            with self.code.below(f"if {result.code} is not {settled}:"):
                judged = self.emit.truth(part)
                # mutant: three-valued
                self.code.add(f"if {judged.code} is not {other}: {result.code} = {judged.code}")
        return result

    # ---- comparisons

    def comparison(self, operator: str, left: n.Node, right: n.Node) -> Operand:
        sign = _SIGNS.get(operator, operator)
        collation = next((x.collation for x in (left, right) if isinstance(x, n.Collate)), None)
        if collation is not None:
            a, b = self.emit.text(left), self.emit.text(right)
            key = self.code.constants.name(collation_key(collation), "collation")
            return self.code.unless_null((a, b), f"{key}({a.code}) {sign} {key}({b.code})", "truth")
        kind = self._conversions.compared_as((left, right))
        loose = "any" in (kind_of(left), kind_of(right))
        watch = self.watch(left, right) if loose and kind in (None, "text") else ""
        if kind is None:
            a, b = self.emit.value(left), self.emit.value(right)
            code = f"compare({a.code}, {sign!r}, {b.code}, {watch or None}, {self.code.told(left)})"
            return self.code.assign(code, "truth")
        a, b = self.emit.as_kind(kind, left), self.emit.as_kind(kind, right)
        if watch and (sign not in _SIGNS.values() or any(map(_is_date, (left, right)))):
            self.code.add(f"if {watch}.on: {watch}.look(({a.code}, {b.code}))")
        if kind in TIMES:
            code = f"compare_times({a.code}, {sign!r}, {b.code}, {self.code.told(left)})"
            if kind in ("moment", "when"):
                days = f"{a.code}.__class__ is date and {b.code}.__class__ is date"
                code = f"{a.code} {sign} {b.code} if {days} else {code}"
        else:
            code = f"{a.code} {sign} {b.code}"
        return self.code.unless_null((a, b), code, "truth")

    def watch(self, left: n.Node, right: n.Node) -> str:
        """The name of what watches whether numbers, or dates, are compared as texts."""
        sides = [one for one in (left, right) if isinstance(one.known, Known)]
        text = next(filter(None, (known_of(one).expression for one in sides)), "")
        paths = (one for side in sides for one in side.walk() if isinstance(one, n.FieldPath))
        field = next((known_of(one).text for one in paths if isinstance(one.known, Known)), "")
        key = "watch", text, field
        known = self.code.known(key)
        if known is None:
            watch = self.code.constants.watches.comparison_of(f"`{text}`", field)
            named = self.code.constants.name(watch, "watch")
            known = self.code.note(key, Operand(named, "any"))
        return known.code

    def _between(self, node: n.Between) -> Operand:
        operand = self._conversions.once(node.operand, (node.low, node.high))
        if kind_of(node.operand) == "any" and kind_of(operand) == "text":
            watch = self.watch(node.operand, node.low)
            values = (self.emit.text(one).code for one in (operand, node.low, node.high))
            self.code.add(f"if {watch}.on: {watch}.look(({', '.join(values)}))")
        low = n.Comparison(node.position, ">=", operand, node.low)
        high = n.Comparison(node.position, "<=", operand, node.high)
        return self._all((low, high), settled="False", other="True")

    def _in(self, node: n.In) -> Operand:
        operand = self._conversions.once(node.operand, node.options)
        kind = kind_of(operand)
        values = [option.value for option in node.options if isinstance(option, n.Literal)]
        wanted: Any = {"text": str, "number": (int, Decimal)}.get(kind)
        if (
            wanted
            and not isinstance(operand, n.Collate)
            and len(values) == len(node.options)
            and all(isinstance(v, wanted) for v in values)
        ):
            options = self.code.constants.name(frozenset(values), "options")
            value = self.emit.value(operand)
            return self.code.unless_null((value,), f"{value.code} in {options}", "truth")
        texts = [value for value in values if isinstance(value, str)]
        if kind == "any" and len(texts) == len(node.options):
            numbers = [one for text in texts if (one := read_decimal(text.strip())) is not None]
            options = self.code.constants.name((frozenset(texts), frozenset(numbers)), "options")
            value = self.emit.value(operand)
            code = f"among({value.code}, {options}, {self.code.told(node.operand)})"
            return self.code.assign(code, "truth")
        tests = tuple(n.Comparison(o.position, "=", operand, o) for o in node.options)
        return self._all(tests, settled="True", other="False")

    def _in_list(self, node: n.InList) -> Operand:
        declared = declared_of(node.operand)
        if declared is not None and declared.kind not in ("any", "text"):
            return self._in_read_list(node, declared)
        value = self.emit.text(node.operand)
        options = self.code.constants.name(
            self.code.constants.watches.lists[node.name, node.heading], "list"
        )
        return self.code.unless_null((value,), f"{value.code} in {options}", "truth")

    def _in_read_list(self, node: n.InList, declared: FieldDeclaration) -> Operand:
        """A list whose values are read as the field is declared that is looked up in it."""
        value = self.code.held(self.emit.value(node.operand))
        listed = self.code.constants.watches.lists[node.name, node.heading]
        read = ReadList(listed, self.code.constants.reader(declared))
        options = self.code.constants.name(read, "list")
        return self.code.unless_null((value,), f"{value.code} in {options}", "truth")

    def is_test(self, node: n.IsTest) -> Operand:
        sign = "is not" if node.negated else "is"
        if node.what != "null":
            wanted = {"true": "True", "false": "False", "unknown": "None"}[node.what]
            return self.code.assign(
                f"{self.emit.truth(node.operand).code} {sign} {wanted}", "truth"
            )
        value = self.emit.value(node.operand)
        declared = declared_of(node.operand)
        if declared is not None and isinstance(node.operand, n.FieldPath):
            unread = self._paths.is_unread(node.operand, value)
            return self.code.assign(f"None if {unread} else {value.code} {sign} None", "truth")
        if value.kind == "any":
            return self.code.assign(
                f"{'not ' if node.negated else ''}is_null({value.code})", "truth"
            )
        value = self.code.assign(value.code, value.kind)
        return self.code.assign(f"{value.code} {sign} None", "truth")

    # ---- patterns and spans

    def _like(self, node: n.Like) -> Operand:
        plain = _plain_pattern(node)
        if plain is not None:
            text = self.code.held(self.emit.text(node.operand))
            return self.code.unless_null((text,), plain.format(text.code), "truth")
        operands = [self.emit.text(node.operand), self.emit.text(node.pattern)]
        if node.escape is not None:
            operands.append(self.emit.text(node.escape))
        function = "like_regex" if node.regex else "like"
        codes = ", ".join(operand.code for operand in operands)
        call = f"{function}({codes}, {self.code.told(node.operand)})"
        return self.code.unless_null(tuple(operands), call, "truth")

    def overlaps(self, node: n.Overlaps) -> Operand:
        operands = []
        for start, end in (node.left, node.right):
            operands.append(self.emit.as_kind("moment", start))
            kind = "interval" if kind_of(end) == "interval" else "moment"
            operands.append(self.emit.as_kind(kind, end))
        codes = ", ".join(operand.code for operand in operands)
        call = f"overlap({codes}, {self.code.told(node.left[0])})"
        return self.code.unless_null(tuple(operands), call, "truth")


def _is_date(node: n.Node) -> bool:
    """Whether a text is typed that looks like a date."""
    return isinstance(node, n.Literal) and isinstance(node.value, str) and bool(form_of(node.value))


def _plain_pattern(node: n.Like) -> str | None:
    """The code for a pattern that says how a text begins or ends, or what it holds or is, with
    braces for the text; None for any other pattern."""
    pattern = node.pattern.value if isinstance(node.pattern, n.Literal) else None
    if node.regex or node.escape is not None or not isinstance(pattern, str) or "_" in pattern:
        return None
    middle = pattern.removeprefix("%").removesuffix("%")
    if "%" in middle:
        return None
    part = repr(middle).replace("{", "{{").replace("}", "}}")
    forms = {
        (False, False): f"{{}} == {part}",
        (False, True): f"{{}}.startswith({part})",
        (True, False): f"{{}}.endswith({part})",
        (True, True): f"{part} in {{}}",
    }
    return forms[pattern.startswith("%"), len(pattern) > 1 and pattern.endswith("%")]
