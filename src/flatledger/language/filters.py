"""The well-typedness rules of RFC 9535, 2.4.3: which functions there are and what fits where.

The standard has three types: a *value*, a *truth* (LogicalType), and *nodes* (NodesType).
"""

from __future__ import annotations

from collections.abc import Callable

from ..errors import ExpressionError
from . import nodes as n

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
