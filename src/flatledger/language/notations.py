"""Notations: how paths are written where a trade does not write the standard's names and dots, and
what follows from that. A format of records brings one; the core asks it, and names no format."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING

from .nodes import FieldPath

if TYPE_CHECKING:
    from .actions import Actions

Names = tuple[str, ...]


class Notation:
    """A notation for the paths of one ``format``, as `format` under `source` calls it. A package
    that brings a format makes a subclass, and says what is of its own.

    ``paths`` are further ways to write a path, as alternatives of the grammar's rule `path`, and
    ``rules`` what these need (in the form of the grammar, `language/grammar.py`); what they become
    is said by the ``actions``. The paths of the standard can always be written, too.
    """

    format = ""
    paths = ""
    rules = ""

    def actions(self) -> type[Actions]:
        """What becomes of each rule: those of the language, and of the notation."""
        from .actions import Actions

        return Actions

    def called(self, names: Names) -> str:
        """How a place is called; blank where it is not by this notation."""
        return ""

    def has(self, path: FieldPath) -> bool:
        """Whether a path is one of this notation. Where several values stand at such a path and one
        is needed, that is a fault of the record, and not of the layout."""
        return False

    def lists(self, path: FieldPath, *, in_aggregate: bool) -> Iterable[Names]:
        """The places on the way of a path of this notation that count as lists, however many are
        there; ``in_aggregate`` it is the argument of one."""
        return ()

    def hint(self, text: str) -> str:
        """What to say of a text that is no expression, if it looks as if it was written in this
        notation; else blank."""
        return ""

    def without_path(self, heading: str, text: str) -> str:
        """What to say of a column that is a mere number, if it would be a path in this notation;
        else blank. It is asked where records are in this notation and the layout is not."""
        return ""


_known: dict[str, Notation | None] = {}  # None: of a format that has none
_finders: list[Callable[[str], Notation | None]] = []


def add(notation: Notation) -> None:
    """Know a notation from now on."""
    _known[notation.format] = notation


def find_further_by(finder: Callable[[str], Notation | None]) -> None:
    """Ask for the notation of a format that is not known, from now on."""
    _finders.append(finder)


def notation_of(format: str) -> Notation | None:
    """The notation of a format; None where its paths are those of the standard.

    >>> notation_of("json") is None
    True
    """
    if format and format not in _known:
        found = filter(None, (finder(format) for finder in _finders))
        _known[format] = next(found, None)
    return _known.get(format)


def hint(text: str) -> str:
    """What to say of a text that is no expression, and looks as if it was in a notation."""
    return next(filter(None, (one.hint(text) for one in _known.values() if one)), "")
