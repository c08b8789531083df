"""Holding generated text to a rule: what is loaded from a record into a variable stays there.

A variable that two loads are bound to would be read with the wrong one's value. Whoever writes into
a function takes names from one place (`emission.Variables`); this looks at what came of it, in the
text alone.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator, Sequence

_LOADED = re.compile(r"(?:raw|part)\d+")  # the variables that paths are loaded into
_BOUND = re.compile(rf"(?m)({_LOADED.pattern}) = ")


class LoadedTwiceError(AssertionError):
    """A variable of generated code is bound from two loads, which is an error of this program."""


def check_loads(source: str) -> None:
    """Raise LoadedTwiceError where a function binds one variable from two loads.

    The branches of one `if` are one load, and what a variable makes of its own value is none.

    >>> check_loads("def f(a):\\n    if a: raw1 = a.b\\n    else: raw1 = None")
    >>> check_loads("def f(a):\\n    raw1 = a.b\\n    for c in a.d: raw1 = c.e")
    Traceback (most recent call last):
    flatledger.compile.functions.loads_checked.LoadedTwiceError: f: raw1 is loaded twice
    """
    for text in re.split(r"(?m)^(?=def )", source):
        bound = _BOUND.findall(text)
        if len({*bound}) < len(bound):  # else none is bound twice in any way
            _check_function(text)


def _check_function(text: str) -> None:
    for function in ast.parse(text).body:
        if isinstance(function, ast.FunctionDef):
            _check(function.name, function.body)


def _check(function: str, statements: Sequence[ast.stmt]) -> set[str]:
    """The variables that statements load; none of them twice."""
    found: set[str] = set()
    for statement in statements:
        loaded = set(_loaded_by(statement))
        for block in _blocks(statement):
            loaded |= _check(function, block)
        if twice := found & loaded:
            raise LoadedTwiceError(f"{function}: {', '.join(sorted(twice))} is loaded twice")
        found |= loaded
    return found


def _loaded_by(statement: ast.stmt) -> Iterator[str]:
    if isinstance(statement, ast.Assign):
        read = {one.id for one in ast.walk(statement.value) if isinstance(one, ast.Name)}
        for target in statement.targets:
            if isinstance(target, ast.Name) and _LOADED.fullmatch(target.id):
                yield from {target.id} - read


def _blocks(statement: ast.stmt) -> Iterator[Sequence[ast.stmt]]:
    """The blocks of a statement; of a chain of `elif`, all its branches."""
    if isinstance(statement, ast.If | ast.For | ast.While):
        yield statement.body
        yield statement.orelse
