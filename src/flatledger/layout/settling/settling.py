"""From what was typed to what is settled: answers, known fields, columns for keys and for a form.

There is one order of these steps, and it is here.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from pathlib import PurePath
from typing import Any

import msgspec

from ...errors import AnswerError
from ...language import nodes as n
from ..model.asking import OF_THE_RUN, Answer, Question, filled, fit_for_file, read_answer
from ..model.column import Column, Expression
from ..model.model import LayoutParts, LayoutRequest, NamedList, SettledLayout
from ..model.names import proposal
from ..model.note import Note
from ..model.output_options import Output
from ..reading.spreading import spread
from .fitting import fitted


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


# ---- putting answers into a layout: after this, nothing in it is asked for any more


def answered(request: LayoutRequest, given: Mapping[str, Any], now: dt.datetime) -> SettledLayout:
    """The layout with what was given for its questions, and defaults for the rest.

    Raises AnswerError, with all that is missing or wrong.
    """
    today = now.date()
    problems = [
        f"the layout asks for no `{name}`{proposal(name, _names(request)) or _known(request)}"
        for name in given
        if name not in _names(request)
    ]
    answers: dict[str, Answer] = {}
    asked: list[str] = []
    for question in request.questions:
        value = given.get(question.name, question.default)
        if value is None:
            problems.append(f"the layout asks for `{question.name}`{_says(question)}")
            asked.append(f"--ask {question.name}=…")
            continue
        try:
            answers[question.name] = read_answer(question, value, today)
        except ValueError as error:
            problems.append(f"`{question.name}`: {error}")
    if problems:
        raise AnswerError("; ".join(problems)).typing(" ".join(asked))
    parts = {name: getattr(request, name) for name in LayoutParts.__struct_fields__}
    settled = SettledLayout(**parts, today=today, answers=tuple(answers.values()))
    return _put_in(settled, answers, now) if answers or _names_output(request) else settled


def _names(request: LayoutRequest) -> list[str]:
    return [question.name for question in request.questions]


def _known(request: LayoutRequest) -> str:
    return f"; it asks for {', '.join(_names(request)) or 'nothing'}"


def _says(question: Question) -> str:
    return f" ({question.says})" if question.says else ""


def _put_in(settled: SettledLayout, answers: dict[str, Answer], now: dt.datetime) -> SettledLayout:
    """The layout with literals for what its expressions ask for, and texts in its names."""
    putting = _Putting(answers)
    parts = ("columns", "conditions", "row_per", "row_per_group", "sort", "group", "openings")
    changed = {part: putting.put(getattr(settled, part)) for part in parts}
    totals = msgspec.structs.replace(
        settled.totals,
        label=filled(settled.totals.label, answers),
        grand_label=filled(settled.totals.grand_label, answers),
        labels=tuple((kind, filled(one, answers)) for kind, one in settled.totals.labels),
    )
    changed["group"] = tuple(
        msgspec.structs.replace(key, label=filled(key.label, answers)) if key.label else key
        for key in changed["group"]
    )
    output = settled.output
    named = {**answers, **_of_the_run(now)}
    files = tuple(_named(file, named) for file in output.files)
    preamble = tuple(filled(line, named) for line in output.preamble)
    output = msgspec.structs.replace(output, files=files, preamble=preamble)
    lists = (*settled.lists, *putting.lists.values())
    return msgspec.structs.replace(settled, **changed, totals=totals, output=output, lists=lists)


def _names_output(request: LayoutRequest) -> bool:
    return bool(request.output.files or request.output.preamble)


def _of_the_run(now: dt.datetime) -> dict[str, Answer]:
    """The day and the time of day of a run, as names of files can have them."""
    texts = zip(OF_THE_RUN, (now.date().isoformat(), now.strftime("%H%M%S")), strict=True)
    return {name: Answer(name, text, text) for name, text in texts}


def _named(pattern: str, answers: Mapping[str, Answer]) -> str:
    """The name of a file with the answers in it. Raises AnswerError where it would be hidden."""
    fit = {
        name: msgspec.structs.replace(answer, text=fit_for_file(answer.text))
        for name, answer in answers.items()
    }
    name = filled(pattern, fit)
    was, found = (PurePath(text).name for text in (pattern, name))
    if found.startswith(".") and not was.startswith("."):
        raise AnswerError(f"the table would go to `{name}`, which begins with a dot")
    return name


class _Putting:
    """Puts answers into expressions; those that are lists are in ``lists`` then."""

    def __init__(self, answers: Mapping[str, Answer]) -> None:
        self._answers = answers
        self.lists: dict[tuple[str, str | None], NamedList] = {}

    def put(self, value: Any) -> Any:
        """Anything of a layout with its expressions answered."""
        if isinstance(value, Expression):
            return Expression(value.scalar, n.rebuilt(value.node, self._literal))
        if isinstance(value, tuple):
            return tuple(map(self.put, value))
        if isinstance(value, msgspec.Struct):
            fields = {name: self.put(getattr(value, name)) for name in value.__struct_fields__}
            return msgspec.structs.replace(value, **fields)
        return value

    def _literal(self, node: n.Node) -> n.Node | None:
        if isinstance(node, n.InList) and isinstance(node.source, n.Asked):
            values = self._answers[node.source.name].value
            self.lists[node.name, node.heading] = NamedList(node.name, node.heading, values)
            operand = n.rebuilt(node.operand, self._literal)
            source = n.Literal(node.position, node.name)
            return msgspec.structs.replace(node, operand=operand, source=source)
        if isinstance(node, n.Asked):
            return n.Literal(node.position, self._answers[node.name].value)
        return None
