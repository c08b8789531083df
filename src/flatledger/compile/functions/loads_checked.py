"""Holding generated text to a rule: what is loaded from a record into a variable stays there.

A variable that two loads are bound to would be read with the wrong one's value. Whoever writes into
a function takes names from one place (`emission.Variables`); this looks at what came of it, in the
text alone.
"""

from __future__ import annotations

import re
from typing import NamedTuple

_LOADED = re.compile(r"\b(?:raw|part)\d+")  # the variables that paths are loaded into
_BOUND = re.compile(rf"(?m)({_LOADED.pattern}) = ")
_LINE = re.compile(r"( *)(\w*)")
_OTHERWISE = ("else", "elif", "except")
_HEADS = ("if", "for", "while", "with", "try", "def", *_OTHERWISE)


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


class _Block(NamedTuple):
    """A block of lines: how far its head stands to the right, and which ``branch`` of a statement
    it is."""

    indent: int
    statement: int
    branch: int


def _check_function(text: str) -> None:
    name = text[4 : text.index("(")]
    loads: dict[str, list[list[_Block]]] = {}
    opened: list[_Block] = []
    for number, line in enumerate(text.splitlines()):
        found = _LINE.match(line)
        assert found is not None
        indent, word = len(found[1]), found[2]
        if not word:  # a line that goes on, or a remark
            continue
        before = None
        while opened and opened[-1].indent >= indent:
            before = opened.pop()
        if word in _HEADS:
            block = _Block(indent, number, 0)
            if word in _OTHERWISE and before is not None:
                block = before._replace(branch=before.branch + 1)
            opened.append(block)
        for load in _BOUND.finditer(line):
            if load[1] not in _LOADED.findall(line, load.end()):
                earlier = loads.setdefault(load[1], [])
                if not all(_are_branches(one, opened) for one in earlier):
                    raise LoadedTwiceError(f"{name}: {load[1]} is loaded twice")
                earlier.append(opened.copy())


def _are_branches(one: list[_Block], other: list[_Block]) -> bool:
    """Whether two places stand in two branches of one statement."""
    apart = (pair for pair in zip(one, other, strict=False) if pair[0] != pair[1])
    mine, others = next(apart, (None, None))
    return mine is not None and others is not None and mine.statement == others.statement
