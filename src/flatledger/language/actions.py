"""What each rule of the grammar becomes: one short action a rule."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from lark import Token, Transformer, v_args
from lark.tree import Meta

from ..bounds import LARGEST_EXPONENT, LARGEST_INDEX, LONGEST_INDEX, LONGEST_LITERAL, LONGEST_PATH
from ..errors import ExpressionError
from ..values.literals import interval, json_text, typed_text
from ..values.periods import parse_period
from . import nodes as n


def at(meta: Meta) -> int:
    return int(getattr(meta, "start_pos", 0))


@v_args(meta=True)
class Actions(Transformer[Token, Any]):
    """Turns the parse tree of one text into nodes."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.whole = text

    def fail(self, message: str, position: int) -> ExpressionError:
        return ExpressionError(message, self.whole, position)

    def check_numbers(self, *operands: n.Node) -> None:
        """Refuse what a notation takes for a path where a number is meant."""

    # ---- conditions

    def sort_key(self, meta: Meta, items: list[Any]) -> n.SortKey:
        value, order, nulls = items
        descending = order is not None and order.lower() == "desc"
        first = None if nulls is None else nulls.lower().endswith("first")
        return n.SortKey(at(meta), value, descending, first)

    def any_of(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Or(at(meta), tuple(items))

    def all_of(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.And(at(meta), tuple(items))

    def negated(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Not(at(meta), items[0])

    def comparison(self, meta: Meta, items: list[Any]) -> n.Node:
        left, operator, right = items
        hint = {"==": "one `=` compares", "!=": "`<>` means unequal"}.get(operator)
        if hint:
            message = f"`{operator}` is not expected here; outside brackets {hint}"
            raise self.fail(message, operator.start_pos)
        if operator in ("<", ">", "<=", ">="):
            self.check_numbers(left, right)
        return n.Comparison(at(meta), str(operator), left, right)

    def is_test(self, meta: Meta, items: list[Any]) -> n.Node:
        operand, _, negation, what = items
        return n.IsTest(at(meta), operand, what.lower(), negation is not None)

    def in_list(self, meta: Meta, items: list[Any]) -> n.Node:
        operand, negation, *options = items
        return n.In(at(meta), operand, tuple(options), negation is not None)

    def in_named_list(self, meta: Meta, items: list[Any]) -> n.Node:
        operand, negation, source, heading = items
        column = heading and heading[1:-1].replace("''", "'")
        return n.InList(at(meta), operand, source, column, negation is not None)

    def in_period(self, meta: Meta, items: list[Any]) -> n.Node:
        operand, negation, period = items
        if isinstance(period, n.Literal):
            try:
                parse_period(period.value, dt.date(2000, 1, 1))
            except ValueError as error:
                raise self.fail(str(error), period.position) from None
        return n.InPeriod(at(meta), operand, period, negation is not None)

    def collate(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Collate(at(meta), items[0], str(items[1]).strip('"'))

    def between(self, meta: Meta, items: list[Any]) -> n.Node:
        operand, negation, low, high = items
        return n.Between(at(meta), operand, low, high, negation is not None)

    def like(self, meta: Meta, items: list[Any]) -> n.Node:
        operand, negation, pattern, escape = items
        return n.Like(at(meta), operand, pattern, escape, False, negation is not None)

    def like_regex(self, meta: Meta, items: list[Any]) -> n.Node:
        operand, negation, pattern = items
        return n.Like(at(meta), operand, pattern, None, True, negation is not None)

    def span(self, meta: Meta, items: list[Any]) -> tuple[Any, Any]:
        return items[0], items[1]

    def overlaps(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Overlaps(at(meta), items[0], items[1])

    # ---- values

    def concatenation(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Concatenation(at(meta), items[0], items[1])

    def arithmetic(self, meta: Meta, items: list[Any]) -> n.Node:
        left, operator, right = items
        self.check_numbers(left, right)
        return n.Arithmetic(at(meta), str(operator), left, right)

    def sign(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Sign(at(meta), str(items[0]), items[1])

    def number(self, meta: Meta, items: list[Any]) -> n.Node:
        text = str(items[0])
        return n.Literal(at(meta), self._number(text, text.isdecimal(), at(meta)))

    def text(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Literal(at(meta), items[0][1:-1].replace("''", "'"))

    def constant(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Literal(at(meta), {"true": True, "false": False, "null": None}[items[0].lower()])

    def typed_text(self, meta: Meta, items: list[Any]) -> n.Node:
        kind, _, quoted = items[0].partition("'")
        try:
            return n.Literal(at(meta), typed_text(kind.strip().lower(), quoted[:-1]))
        except ValueError as error:
            raise self.fail(str(error), at(meta)) from None

    def interval(self, meta: Meta, items: list[Any]) -> n.Node:
        _, amount, units = items[0].split("'")
        try:
            return n.Literal(at(meta), interval(amount, units.lower().split()))
        except ValueError as error:
            raise self.fail(str(error), at(meta)) from None

    def heading(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Heading(at(meta), items[0][1:-1].replace('""', '"'))

    def asked(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Asked(at(meta), str(items[0][1:]))

    def when(self, meta: Meta, items: list[Any]) -> tuple[Any, Any]:
        return items[0], items[1]

    def case(self, meta: Meta, items: list[Any]) -> n.Node:
        operand, *branches, otherwise = items
        return n.Case(at(meta), operand, tuple(branches), otherwise)

    def cast(self, meta: Meta, items: list[Any]) -> n.Node:
        operand, name, *parameters = items
        numbers = tuple(int(number) for number in parameters if number is not None)
        return n.Cast(at(meta), operand, name.lower(), numbers)

    # ---- functions

    def call(self, meta: Meta, items: list[Any]) -> n.Node:
        name, *rest = items
        distinct, *arguments = rest or [None]
        return n.Call(at(meta), name.lower(), tuple(arguments), distinct is not None)

    def ordered_call(self, meta: Meta, items: list[Any]) -> n.Call:
        """A list with the order of its values: `within group (order by …)`."""
        name, distinct, *arguments, order = items
        if name.lower() != "listagg":
            raise self.fail("`within group` gives the order of a listagg", at(meta))
        return n.Call(at(meta), "listagg", tuple(arguments), distinct is not None, order=order)

    def call_of_star(self, meta: Meta, items: list[Any]) -> n.Node:
        name = items[0].lower()
        raise self.fail(
            f"`{name}(*)` does not say what is counted: write {name}(level) for the entries "
            f"of a level, or {name}(path) for its values",
            at(meta),
        )

    def current_date(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Call(at(meta), "current_date", ())

    def substring(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Call(at(meta), "substring", tuple(item for item in items if item is not None))

    def position(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.Call(at(meta), "position", tuple(items))

    def extract(self, meta: Meta, items: list[Any]) -> n.Node:
        unit = n.Literal(items[0].start_pos, items[0].lower())
        return n.Call(at(meta), "extract", (unit, items[1]))

    def trim(self, meta: Meta, items: list[Any]) -> n.Node:
        return self._trim(meta, "both", None, items[0])

    def trim_side(self, meta: Meta, items: list[Any]) -> n.Node:
        return self._trim(meta, items[0].lower(), items[1], items[2])

    def trim_side_from(self, meta: Meta, items: list[Any]) -> n.Node:
        return self._trim(meta, items[0].split()[0].lower(), None, items[1])

    def trim_characters(self, meta: Meta, items: list[Any]) -> n.Node:
        return self._trim(meta, "both", items[0], items[1])

    def _trim(self, meta: Meta, side: str, characters: Any, operand: Any) -> n.Node:
        blank = n.Literal(at(meta), " ")
        arguments = (n.Literal(at(meta), side), characters or blank, operand)
        return n.Call(at(meta), "trim", arguments)

    # ---- paths

    def path(self, meta: Meta, items: list[Any]) -> n.FieldPath:
        first, *segments = items
        if first.type == "NAME":
            segments.insert(0, n.Segment(at(meta), (n.Name(at(meta), str(first)),)))
        return self.field_path(at(meta), tuple(segments))

    def bracketed_path(self, meta: Meta, items: list[Any]) -> n.FieldPath:
        selectors, *segments = items
        return self.field_path(at(meta), (n.Segment(at(meta), selectors), *segments))

    def standard_path(self, meta: Meta, items: list[Any]) -> n.FieldPath:
        return self.field_path(at(meta), tuple(items[1:]))

    def child_name(self, meta: Meta, items: list[Any]) -> n.Segment:
        return n.Segment(at(meta), (n.Name(at(meta), str(items[0][1:])),))

    def child_wildcard(self, meta: Meta, items: list[Any]) -> n.Segment:
        return n.Segment(at(meta), (n.Wildcard(at(meta)),))

    def child(self, meta: Meta, items: list[Any]) -> n.Segment:
        return n.Segment(at(meta), items[0])

    def descendant_name(self, meta: Meta, items: list[Any]) -> n.Segment:
        return n.Segment(at(meta), (n.Name(at(meta), str(items[0][2:])),), descendant=True)

    def descendant_wildcard(self, meta: Meta, items: list[Any]) -> n.Segment:
        return n.Segment(at(meta), (n.Wildcard(at(meta)),), descendant=True)

    def descendant(self, meta: Meta, items: list[Any]) -> n.Segment:
        return n.Segment(at(meta), items[0], descendant=True)

    def selectors(self, meta: Meta, items: list[Any]) -> tuple[Any, ...]:
        return tuple(items)

    def name(self, meta: Meta, items: list[Any]) -> n.Name:
        return n.Name(at(meta), self._json_text(items[0]), bracketed=True)

    def wildcard(self, meta: Meta, items: list[Any]) -> n.Wildcard:
        return n.Wildcard(at(meta))

    def index(self, meta: Meta, items: list[Any]) -> n.Index:
        return n.Index(at(meta), self._index(items[0]))

    def slice(self, meta: Meta, items: list[Any]) -> n.Slice:
        bounds = [item for item in items if item is None or item.type == "INTEGER"]
        start, stop, step = (item if item is None else self._index(item) for item in bounds[:3])
        return n.Slice(at(meta), start, stop, step)

    def filter(self, meta: Meta, items: list[Any]) -> n.Filter:
        return n.Filter(at(meta), self._tests(items)[0])

    def field_path(
        self, position: int, segments: tuple[n.Segment, ...], relative: bool = False
    ) -> n.FieldPath:
        if len(segments) > LONGEST_PATH:
            raise self.fail(n.TOO_MANY_STEPS, position)
        return n.FieldPath(position, segments, relative=relative)

    def _number(self, text: str, whole: bool, position: int) -> int | Decimal:
        """A number; one that nobody writes, and that would fill the memory, is refused."""
        if len(text) > LONGEST_LITERAL:
            message = f"this number has {len(text):,} digits; {LONGEST_LITERAL:,} are the most"
            raise self.fail(message, position)
        number = int(text) if whole else Decimal(text)
        if number and abs(Decimal(number).adjusted()) > LARGEST_EXPONENT:
            raise self.fail("this number is beyond the range of numbers", position)
        return number

    def _index(self, token: Token) -> int:
        if len(token) > LONGEST_INDEX or abs(int(token)) > LARGEST_INDEX:
            raise self.fail(f"{token} is beyond the range of an index", token.start_pos or 0)
        return int(token)

    def _json_text(self, token: Token) -> str:
        try:
            return json_text(str(token))
        except ValueError as error:
            raise self.fail(str(error), token.start_pos or 0) from None

    # ---- filters in paths

    def _tests(self, items: list[Any]) -> tuple[Any, ...]:
        for item in items:
            check_test(item, self.fail)
        return tuple(items)

    def filter_or(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.FilterOr(at(meta), self._tests(items))

    def filter_and(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.FilterAnd(at(meta), self._tests(items))

    def filter_not(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.FilterNot(at(meta), self._tests(items)[0])

    def filter_comparison(self, meta: Meta, items: list[Any]) -> n.Node:
        left, operator, right = items
        hint = {"=": "`==` compares", "<>": "`!=` means unequal"}.get(operator)
        if hint:
            message = f"`{operator}` is not expected here; inside brackets {hint}"
            raise self.fail(message, operator.start_pos)
        check_comparable(left, self.fail)
        check_comparable(right, self.fail)
        return n.FilterComparison(at(meta), str(operator), left, right)

    def test(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.FilterExists(at(meta), items[0])

    def query(self, meta: Meta, items: list[Any]) -> n.FieldPath:
        return self.field_path(at(meta), tuple(items[1:]), relative=items[0].type == "CURRENT")

    def filter_call(self, meta: Meta, items: list[Any]) -> n.Node:
        name, *arguments = items
        present = tuple(item for item in arguments if item is not None)
        return make_call(at(meta), str(name[:-1]), present, self.fail)

    def filter_text(self, meta: Meta, items: list[Any]) -> n.Node:
        return n.FilterLiteral(at(meta), self._json_text(items[0]))

    def filter_number(self, meta: Meta, items: list[Any]) -> n.Node:
        text = str(items[0])
        whole = re.fullmatch(r"-?\d+", text)
        return n.FilterLiteral(at(meta), self._number(text, bool(whole), at(meta)))

    def filter_constant(self, meta: Meta, items: list[Any]) -> n.Node:
        value = {"true": True, "false": False, "null": None}[str(items[0])]
        return n.FilterLiteral(at(meta), value)


# ---- the well-typedness rules of RFC 9535, 2.4.3: which functions there are and what fits where
#
# The standard has three types: a *value*, a *truth* (LogicalType), and *nodes* (NodesType).


Fail = Callable[[str, int], ExpressionError]

# name: (types of the parameters, type of the result)
FUNCTIONS = {
    "length": (("value",), "value"),
    "count": (("nodes",), "value"),
    "match": (("value", "value"), "truth"),
    "search": (("value", "value"), "truth"),
    "value": (("nodes",), "value"),
}


def make_call(position: int, name: str, arguments: tuple[n.Node, ...], fail: Fail) -> n.FilterCall:
    """A call of a known function whose arguments fit its parameters."""
    if name not in FUNCTIONS:
        known = ", ".join(FUNCTIONS)
        raise fail(f"no function `{name}` in a path; there are {known}", position)
    parameters, _ = FUNCTIONS[name]
    if len(arguments) != len(parameters):
        raise fail(f"{name}() takes {len(parameters)} argument(s)", position)
    fitted = []
    for argument, wanted in zip(arguments, parameters, strict=True):
        bare = argument.part if isinstance(argument, n.FilterExists) else argument
        if not _fits(bare, wanted):
            what = {"value": "one value", "nodes": "a path"}[wanted]
            raise fail(f"{name}() takes {what} here", bare.position)
        fitted.append(bare)
    return n.FilterCall(position, name, tuple(fitted))


def _fits(argument: n.Node, wanted: str) -> bool:
    match argument:
        case n.FieldPath():
            return wanted == "nodes" or argument.is_singular()
        case n.FilterLiteral():
            return wanted == "value"
        case n.FilterCall():
            return FUNCTIONS[argument.name][1] == wanted
        case _:
            return False


def check_comparable(side: n.Node, fail: Fail) -> None:
    """Refuse a side of a comparison that is not one value."""
    if isinstance(side, n.FieldPath) and not side.is_singular():
        raise fail("only a path to one value can be compared", side.position)
    if isinstance(side, n.FilterCall) and FUNCTIONS[side.name][1] != "value":
        raise fail(f"{side.name}() is true or false already; don't compare it", side.position)


def check_test(part: n.Node, fail: Fail) -> None:
    """Refuse a function that is neither true nor false where a test is expected.

    A call that is an argument of another comes as a test too, since both are written alike; so
    tests are judged where they are used, not where they are read.
    """
    if isinstance(part, n.FilterExists) and isinstance(part.part, n.FilterCall):
        call = part.part
        if FUNCTIONS[call.name][1] == "value":
            raise fail(f"{call.name}() gives a value; compare it with something", call.position)
