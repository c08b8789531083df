"""Telling a mistyped name from a field that is merely absent (docs/rules.md, 25).

It is judged when all records have been read, never by the first of them alone.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Set
from itertools import islice
from typing import NamedTuple

from ..errors import Problem
from ..language.nodes import FieldPath
from ..layout.model.column import Expression
from .levels import Chain, KnownLevels, Names, level_name, plain_steps
from .structure import MEMBERS, Place

PLACES_SHOWN = 5
TREE_FIELD = "field of a tree"  # by which flat rows are arranged: without it there is none
SHORTEST = 3  # letters of a name in which a slip can be told


class MissingPath(NamedTuple):
    """A path that the first records lack: where it was typed, and whether in brackets."""

    names: Names
    expression: Expression | None = None
    position: int = 0
    exact: bool = False
    what: str = "field"
    compared: bool = False  # it stands beside a comparison, where a text may have been meant

    def problem(self, message: str) -> Problem:
        """A fault of the path, placed in the layout."""
        if self.expression is None:
            return Problem(message)
        return self.expression.problem(message, self.position)


class Judgement(NamedTuple):
    """Slips, which end the run, what is merely pointed out, and the places that both are about."""

    problems: list[Problem]
    notices: list[str]
    told: set[Names]


def judged(
    missing: Iterable[MissingPath],
    structure: Place,
    levels: KnownLevels,
    used: Set[Names],
    allowed: Iterable[str] | None = None,
) -> Judgement:
    """Judge paths that no record had. ``levels`` are what the layout says of levels, and ``used``
    the places that it uses.

    ``allowed`` are the paths that records may lack; a problem then says how to allow another.
    """
    found = Judgement([], [], set())
    met: set[Names] = set()
    may_lack, called = set(allowed or ()), levels.called
    for one in missing:
        names = one.names[: one.names.index(MEMBERS)] if MEMBERS in one.names else one.names
        if not names or structure.find(names) is not None:
            continue
        known, name = _split(names, structure)
        parent = structure.find(known)
        top = (*known, name)
        if parent is None or dict not in parent.kinds or top in met:
            continue
        met.add(top)
        if {called(top), called(one.names)} & may_lack:
            continue
        found.told.add(top)
        near = _near(one, known, name, parent, used, levels)
        if one.what == TREE_FIELD:
            message = f"`nest`: no entry of {called(known)} has a field `{name}`"
            hint = f"; did you mean `{near.rpartition('.')[2]}`?" if near else ""
            found.problems.append(one.problem(f"{message}, so that there is no tree{hint}"))
        elif near:
            message = _refused(one, levels.called(known) if known else "", name, near)
            if allowed is not None:
                start = " If" if message.endswith("?") else "; if"
                message += f"{start} records may lack it, write `may-lack: [{called(top)}]`"
            found.problems.append(one.problem(message))
        else:
            found.notices.append(_notice(top, structure, levels, one.compared))
    return found


def _near(
    one: MissingPath,
    known: Names,
    name: str,
    parent: Place,
    used: Set[Names],
    levels: KnownLevels,
) -> str:
    """What was probably meant, as it is to be written; blank where nothing is near.

    A field that the layout uses elsewhere is not proposed: `address2` beside `address1` is no slip.
    Of a level it is, since its fields are used by who means it.
    """
    level = one.what == "level"
    there = sorted(child for child in parent.names() if level or (*known, child) not in used)
    expression = one.expression
    if expression and expression.quoted and isinstance(expression.node, FieldPath):
        return f"{{text: {expression.text}}}"
    if one.exact:
        return ""
    for field in sorted(there, key=len, reverse=True):
        typed = expression.text if expression else ""
        if re.match(re.escape(name) + r"\W", field) and field in typed:
            return f"{'.'.join(known)}['{field}']"
    slips = [field for field in there if one_slip(name, field)]
    return levels.called((*known, slips[0])) if slips else ""


def _refused(one: MissingPath, level: str, name: str, near: str) -> str:
    start = f"no {one.what} `{name}`" + (f" at level {level}" if level else "")
    if near.startswith("{"):
        return f"{start}; for a text that is the same on every row write {near}"
    if near.endswith("']") and one.expression and near[near.rindex("['") + 2 : -2] != name:
        field = near[near.rindex("['") + 2 : -2]
        if not one_slip(name, field):
            return f"{start}; for the field {field} write {near}"
    return f"{start}; did you mean `{near}`?"


def _notice(top: Names, structure: Place, levels: KnownLevels, compared: bool) -> str:
    places = [levels.called(place) for place in places_of(top[-1], structure)]
    more = len(places) - PLACES_SHOWN
    others = f", and in {more:,} places more" if more > 0 else ""
    where = f"; there is {', '.join(places[:PLACES_SHOWN])}{others}" if places else ""
    path = levels.called(top)
    if compared and not places and len(top) == 1:
        return f"no record has a field {path}; a text stands in single quotes: '{top[0]}'"
    return f"no record has {path}{where} (if that is right: `may-lack: [{path}]`)"


def places_of(name: str, structure: Place, at: Names = ()) -> Iterator[Names]:
    """The places where a name occurs, from the outermost."""
    for child, place in structure.children.items():
        if child == name:
            yield (*at, child)
        yield from places_of(name, place, (*at, child))


def one_slip(typed: str, name: str) -> bool:
    """Whether names differ by one slip: a letter more, less, other or swapped, or only by case.

    Digits tell things apart: `address2` is no slip for `address1`. Names of one or two letters are
    too short to tell a slip of a letter.

    >>> [one_slip("statoin", x) for x in ("station", "stations", "status")]
    [True, False, False]
    >>> one_slip("Qty", "qty"), one_slip("line1", "line2"), one_slip("line", "line2")
    (True, False, False)
    """
    if typed.casefold() == name.casefold():
        return typed != name
    shorter, longer = sorted((typed, name), key=len)
    if len(longer) - len(shorter) > 1 or len(shorter) < SHORTEST:
        return False
    start = next((i for i, (a, b) in enumerate(zip(shorter, longer, strict=False)) if a != b), None)
    if start is None:
        return not longer[-1].isdigit()
    if len(longer) > len(shorter):
        return shorter[start:] == longer[start + 1 :] and not longer[start].isdigit()
    if shorter[start + 1 :] == longer[start + 1 :]:
        return not (shorter[start].isdigit() or longer[start].isdigit())
    swapped = longer[start + 1 : start + 2] + longer[start : start + 1]
    return shorter[start : start + 2] == swapped and shorter[start + 2 :] == longer[start + 2 :]


def _split(names: Names, structure: Place) -> tuple[Names, str]:
    """The names that lead to a known place, and the first that does not."""
    for length in range(len(names)):
        if structure.find(names[: length + 1]) is None:
            return names[:length], names[length]
    return names[:-1], names[-1]


# ---- a layout none of whose fields the records have: run on the wrong file (docs/rules.md, 28)


_SHOWN = 12


def named_places(expressions: Iterable[Expression], chain: Chain) -> set[Names]:
    """The places that the paths of some expressions lead to; of a whole record there is none."""
    found = set()
    for expression in expressions:
        for part in expression.node.walk():
            if isinstance(part, FieldPath) and not part.relative:
                names = plain_steps(part, chain)[0]
                found.add(names[: names.index(MEMBERS)] if MEMBERS in names else names)
    return found


def nothing_met(places: Collection[Names], structure: Place) -> bool:
    """Whether no record had any of some places, nor a level or an object on the way that is empty
    or null. Records that have nothing at all are empty themselves."""
    some = bool(structure.children) and bool(places)
    return some and not any(_was_had(names, structure) for names in places)


def _was_had(names: Names, structure: Place) -> bool:
    if structure.find(names) is not None:
        return True
    around = (structure.find(names[:length]) for length in range(1, len(names)))
    return any(place is not None and _is_empty(place) for place in around)


def _is_empty(place: Place) -> bool:
    """Whether nothing stood there at some time: null, a list of none, an object without members."""
    some = place.empty or place.kinds[type(None)] > 0
    return some or (place.kinds[dict] > 0 and not place.children)


def what_is_there(structure: Place) -> str:
    """The names that the records have, the first of them."""
    names = [level_name((name,)) for name in islice(structure.names(), _SHOWN + 1)]
    more = ", …" if len(names) > _SHOWN else ""
    return ", ".join(names[:_SHOWN]) + more if names else "no fields"
