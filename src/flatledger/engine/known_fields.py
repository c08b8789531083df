"""Telling a slip of the pen from a field that is merely absent."""

from __future__ import annotations

import re

from ..errors import Problem
from ..language.nodes import Path
from ..layout.column import Expression
from ..layout.names import nearest
from .levels import Names, level_name
from .structure import Place


def field_problem(
    expression: Expression,
    names: Names,
    structure: Place,
    used: set[Names],
    what: str,
    position: int = 0,
) -> Problem:
    """That no record read so far has a field, with the nearest that some have.

    A near field that the layout uses elsewhere is not proposed: `address2` beside `address1` is
    no slip.
    """
    known, missing = _split(names, structure)
    parent = structure.find(known)
    there = {name for name in parent.children if (*known, name) not in used} if parent else set()
    at_level = level_name(known)
    start = f"no {what} `{missing}` at level {at_level}" if known else f"no {what} `{missing}`"
    if expression.quoted and isinstance(expression.node, Path):
        return expression.problem(
            f"{start}; for a text that is the same on every row write {{text: {expression.text}}}"
        )
    for name in sorted(there, key=len, reverse=True):
        if re.match(re.escape(missing) + r"\W", name) and name in expression.text:
            bracketed = f"{'.'.join(known)}['{name}']"
            return expression.problem(f"{start}; for the field {name} write {bracketed}", position)
    near = nearest(missing, there)
    if near:
        whole = ".".join((*known, near))
        return expression.problem(f"{start}; did you mean `{whole}`?", position)
    among = f"; there are {', '.join(sorted(there)[:12])}" if there else ""
    return expression.problem(start + among, position)


def _split(names: Names, structure: Place) -> tuple[Names, str]:
    """The names that lead to a known place, and the first that does not."""
    for length in range(len(names)):
        if structure.find(names[: length + 1]) is None:
            return names[:length], names[length]
    return names[:-1], names[-1]
