"""What a layout asks for: from the command line, a file, the environment, or a person."""

from __future__ import annotations

import datetime as dt
import os
import sys
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import Any, TextIO

import click

from ..api.layout_files import read_items, read_list, values_of
from ..errors import AnswerError
from ..layout.model.asking import Question, read_answer
from ..layout.model.text import ItemList, ItemMap, Scalar
from ..sources.files.reading import standard_input

VARIABLE = "FLATLEDGER_ASK_"


def answers_for(
    questions: Sequence[Question],
    given: Sequence[str],
    file: str | None,
    source: str | list[str],
) -> dict[str, Any]:
    """The answers by name: those of ``--ask`` first, then the file's, then the environment's.

    What is still open is asked for on a terminal; where there is none, defaults are left to the
    layout. Raises AnswerError.
    """
    answers: dict[str, Any] = {
        question.name: os.environ[variable]
        for question in questions
        if (variable := VARIABLE + question.name.upper()) in os.environ
    }
    names = {question.name for question in questions}
    answers |= {n: v for n, v in _of_file(file).items() if n in names} if file else {}
    typed = [_pair(text) for text in given]
    twice = [name for name, count in Counter(name for name, _ in typed).items() if count > 1]
    if twice:
        raise AnswerError(f"--ask gives {', '.join(twice)} twice; keep one")
    answers |= dict(typed)
    for question in questions:
        text = answers.get(question.name)
        if question.datatype == "list" and isinstance(text, str) and text.startswith("@"):
            answers[question.name] = _list(text[1:], question, source)
    if _on_terminal(sys.stdin) and _on_terminal(sys.stderr):
        for question in questions:
            if question.name not in answers:
                answers[question.name] = _asked(question)
    return answers


def _on_terminal(stream: TextIO | None) -> bool:
    return stream is not None and stream.isatty()


def _pair(text: str) -> tuple[str, Any]:
    name, sign, value = text.partition("=")
    if not sign:
        raise AnswerError(f"--ask takes NAME=VALUE, not `{text}`")
    return name.strip(), value


def _of_file(file: str) -> dict[str, Any]:
    """The answers of a YAML file: names with texts, or with lists of texts.

    One file may serve several layouts, so that names nobody asks for are let through.
    """
    item = read_items(Path(file))
    found: dict[str, Any] = {}
    for key, value in item.pairs if isinstance(item, ItemMap) else ():
        entries = value.items if isinstance(value, ItemList) else (value,)
        texts = [entry.text for entry in entries if isinstance(entry, Scalar)]
        if len(texts) != len(entries):
            raise AnswerError(f"{file}, line {key.line}: `{key.text}` takes a text or a list")
        found[key.text] = texts if isinstance(value, ItemList) else texts[0]
    if not found:
        raise AnswerError(f"{file} holds no answers; it takes names with values, such as from: …")
    return found


def _list(place: str, question: Question, source: str | list[str]) -> tuple[str, ...]:
    if place != "-":
        return read_list(Path(place), question.heading)
    if source == "-":
        raise AnswerError("standard input can't be both the source and a list")
    return values_of(standard_input().read().decode("utf-8-sig", "replace").splitlines())


def _asked(question: Question) -> str:
    """Ask on the terminal until the answer can be taken."""

    def read(text: str) -> str:
        try:
            read_answer(question, text, dt.date.today())
        except ValueError as error:
            raise click.BadParameter(str(error)) from None
        return text

    wording = question.says or question.name
    choices = f" ({', '.join(question.allowed)})" if question.allowed else ""
    return str(
        click.prompt(f"{wording}{choices}", default=question.default, value_proc=read, err=True)
    )
