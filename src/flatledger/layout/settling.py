"""From what was typed to what is settled: answers, known fields, columns for keys and for a form.

There is one order of these steps, and it is here.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from .answering import answered
from .column import Column
from .fitting import fitted
from .model import LayoutRequest, SettledLayout
from .note import Note
from .output_options import Output
from .spreading import spread


class Given(msgspec.Struct, frozen=True):
    """What is known when a run begins: the ``answers`` as they were given, the time, and the
    ``note`` beside the layout, if there is one. ``strict`` refuses a form that does not fit.
    """

    answers: Mapping[str, Any]
    now: dt.datetime
    note: Note | None = None
    strict: bool = False


def settle(
    request: LayoutRequest, given: Given, keys: Mapping[str, Sequence[str]] | None = None
) -> SettledLayout:
    """The layout with nothing open. ``keys`` are those of columns that are made for keys, by
    heading; they are left out where it has none such.

    Raises AnswerError, with all that is missing or wrong, and LayoutError where keys make a heading
    that another column has, or where columns do not fit their form and that is strict.
    """
    settled = answered(request, given.answers, given.now)
    if given.note is not None:
        settled = msgspec.structs.replace(settled, known=given.note.fields)
    return fitted(spread(settled, keys or {}), given.strict)


def unknown_keys(request: LayoutRequest, given: Given, *, learn: bool = False) -> list[Column]:
    """The columns for keys that have to be looked for: neither a list nor the note knows them."""
    columns = [column for column in request.columns if column.spread is not None]
    return [one for one in columns if learn or not known_keys(one, given)]


def known_keys(column: Column, given: Given) -> tuple[str, ...]:
    """The keys that the note knows for a column that is made for keys."""
    assert column.spread is not None
    return given.note.keys.get(column.spread.name, ()) if given.note is not None else ()


def output_of(request: LayoutRequest, given: Given) -> Output:
    """How the table is written, with the answers in the name of its file. Raises AnswerError."""
    return answered(request, given.answers, given.now).output
