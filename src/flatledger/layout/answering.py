"""Putting answers into a layout's model: after this, nothing in it is asked for any more."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from pathlib import PurePath
from typing import Any

import msgspec

from ..errors import AnswerError
from ..language import nodes as n
from .asking import Answer, Question, filled, fit_for_file, read_answer
from .column import Expression
from .model import LayoutModel, NamedList
from .names import proposal


def answered(model: LayoutModel, given: Mapping[str, Any], today: dt.date) -> LayoutModel:
    """The model with what was given for its questions, and defaults for the rest.

    Raises AnswerError, with all that is missing or wrong.
    """
    problems = [
        f"the layout asks for no `{name}`{proposal(name, _names(model)) or _known(model)}"
        for name in given
        if name not in _names(model)
    ]
    answers: dict[str, Answer] = {}
    for question in model.questions:
        value = given.get(question.name, question.default)
        if value is None:
            problems.append(
                f"the layout asks for `{question.name}`{_says(question)}; give it "
                f"with --ask {question.name}=…"
            )
            continue
        try:
            answers[question.name] = read_answer(question, value, today)
        except ValueError as error:
            problems.append(f"`{question.name}`: {error}")
    if problems:
        raise AnswerError("; ".join(problems))
    return _put_in(model, answers) if answers else model


def _named(pattern: str, answers: Mapping[str, Answer]) -> str:
    """The name of a file with the answers in it. Raises AnswerError where it would be hidden."""
    name = filled(pattern, answers)
    was, found = (PurePath(text).name for text in (pattern, name))
    if found.startswith(".") and not was.startswith("."):
        raise AnswerError(f"the table would go to `{name}`, which begins with a dot")
    return name


def _names(model: LayoutModel) -> list[str]:
    return [question.name for question in model.questions]


def _known(model: LayoutModel) -> str:
    return f"; it asks for {', '.join(_names(model)) or 'nothing'}"


def _says(question: Question) -> str:
    return f" ({question.says})" if question.says else ""


def _put_in(model: LayoutModel, answers: dict[str, Answer]) -> LayoutModel:
    lists: dict[tuple[str, str | None], NamedList] = {}

    def literal(node: n.Node) -> n.Node | None:
        if isinstance(node, n.InList) and isinstance(node.source, n.Asked):
            values = answers[node.source.name].value
            lists[node.name, node.heading] = NamedList(node.name, node.heading, values)
            operand = n.rebuilt(node.operand, literal)
            return msgspec.structs.replace(
                node, operand=operand, source=n.Literal(node.position, node.name)
            )
        if isinstance(node, n.Asked):
            return n.Literal(node.position, answers[node.name].value)
        return None

    def put(value: Any) -> Any:
        """Anything of a model with its expressions answered."""
        if isinstance(value, Expression):
            return Expression(value.scalar, n.rebuilt(value.node, literal))
        if isinstance(value, tuple):
            return tuple(map(put, value))
        if isinstance(value, msgspec.Struct) and not isinstance(value, Answer | Question):
            fields = {name: put(getattr(value, name)) for name in value.__struct_fields__}
            return msgspec.structs.replace(value, **fields)
        return value

    parts = ("columns", "conditions", "row_per", "row_per_group", "sort", "group")
    changed = {part: put(getattr(model, part)) for part in parts}
    totals = msgspec.structs.replace(
        model.totals,
        label=filled(model.totals.label, answers),
        grand_label=filled(model.totals.grand_label, answers),
    )
    output = model.output
    if output.file:
        fit = {
            name: msgspec.structs.replace(answer, text=fit_for_file(answer.text))
            for name, answer in answers.items()
        }
        output = msgspec.structs.replace(output, file=_named(output.file, fit))
    return msgspec.structs.replace(
        model,
        **changed,
        totals=totals,
        output=output,
        lists=(*model.lists, *lists.values()),
        questions=(),
        answers=tuple(answers.values()),
    )
