"""Telling of values in an expression whose kind can never be the one that is wanted there."""

from __future__ import annotations

from collections.abc import Callable

from ..bounds import MOST_FACTORS
from ..language import nodes as n
from ..values.collations import collation_key
from ..values.functions import FUNCTIONS
from ..values.patterns import interoperable
from ..values.periods import UNITS
from .draft import Draft
from .kinds import TIMES, a_kind, fits

Tell = Callable[[str, n.Node], None]  # what is wrong, and with which node


class KindChecks:
    """Checks one expression; ``factors_of`` says of columns how many values they are made of."""

    def __init__(self, plan: Draft, tell: Tell, factors_of: dict[str, int]) -> None:
        self.plan, self._tell, self._factors_of = plan, tell, factors_of

    def check(self, node: n.Node) -> None:
        """Tell of each part of an expression whose kind can never be what is wanted."""
        for part in node.walk():
            match part:
                case n.Arithmetic():
                    self._check_arithmetic(part)
                case n.Sign():
                    self._expect(part.operand, ("number",), "a sign stands before a number")
                case n.Comparison():
                    self._check_comparable(part, part.left, part.right)
                case n.Between():
                    self._check_comparable(part, part.operand, part.low)
                    self._check_comparable(part, part.operand, part.high)
                case n.In():
                    for option in part.options:
                        self._check_comparable(part, part.operand, option)
                case n.InPeriod():
                    self._expect(part.operand, ("moment",), "a period holds dates")
                case n.Collate():
                    self._check_collation(part)
                case n.And() | n.Or():
                    for condition in part.parts:
                        self._expect(condition, ("truth",), "`and` and `or` join conditions")
                case n.Not():
                    self._expect(part.operand, ("truth",), "`not` stands before a condition")
                case n.Like():
                    self._check_pattern(part)
                case n.Call():
                    self._check_arguments(part)
        if self._factors(node) > MOST_FACTORS:
            self._tell(f"more than {MOST_FACTORS} values in one product or text", node)

    def _check_collation(self, node: n.Collate) -> None:
        try:
            collation_key(node.collation)
        except ValueError as error:
            self._tell(str(error), node)

    def _expect(self, node: n.Node, wanted: tuple[str, ...], message: str) -> None:
        kind = self.plan.kind(node)
        if not any(fits(kind, one) for one in wanted):
            self._tell(f"{message}; this is {a_kind(kind)}", node)

    def _check_arithmetic(self, node: n.Arithmetic) -> None:
        for part in (node.left, node.right):
            text = self.plan.kind(part) == "text"
            wanted = ("number",) if text else ("number", "moment", "interval")
            self._expect(part, wanted, f"`{node.operator}` calculates with numbers")

    def _check_comparable(self, node: n.Node, left: n.Node, right: n.Node) -> None:
        kinds = self.plan.kind(left), self.plan.kind(right)
        known = set(kinds) - {"any", "null"}
        if len(known) > 1 and not (known & set(TIMES) and "text" in known):
            self._tell(f"a {kinds[0]} and a {kinds[1]} can never be compared", node)

    def _check_pattern(self, node: n.Like) -> None:
        pattern = node.pattern.value if isinstance(node.pattern, n.Literal) else None
        if node.regex and isinstance(pattern, str) and interoperable(pattern) is None:
            self._tell("this pattern is no I-Regexp (RFC 9485)", node.pattern)

    def _check_arguments(self, node: n.Call) -> None:
        if node.name == "period_of":
            unit = getattr(node.arguments[1], "value", UNITS[0])
            if unit not in UNITS:
                self._tell(f"no period `{unit}`; there are {', '.join(UNITS)}", node.arguments[1])
        if node.name in FUNCTIONS:
            function = FUNCTIONS[node.name]
            for argument, kind in zip(node.arguments, function.parameters, strict=False):
                self._expect(argument, (kind,), f"`{node.name}` takes a {kind} here")
        elif node.name in ("sum", "avg"):
            self._expect(node.arguments[0], ("number",), f"`{node.name}` adds up numbers")
        elif node.name == "chain_product":
            self._expect(node.arguments[0], ("number",), "`chain_product` multiplies numbers")
        elif node.name == "ancestor":
            self._expect(node.arguments[1], ("number",), "`ancestor` takes a depth")
        elif node.name in ("any", "every"):
            self._expect(node.arguments[0], ("truth",), f"`{node.name}` takes a condition")

    def _factors(self, node: n.Node) -> int:
        """How many values the largest product or text of an expression is made of."""
        if isinstance(node, n.Heading):
            if node.heading not in self._factors_of:
                value = self.plan.column(node.heading).column.value
                self._factors_of[node.heading] = self._factors(value.node) if value else 1
            return self._factors_of[node.heading]
        parts = [self._factors(part) for part in node.children()] or [1]
        multiplies = isinstance(node, n.Concatenation) or (
            isinstance(node, n.Arithmetic) and node.operator == "*"
        )
        return min(sum(parts) if multiplies else max(parts), MOST_FACTORS + 1)
