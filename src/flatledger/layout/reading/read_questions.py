"""Reading `ask`, and whether everything that is asked for is in its list."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping

from ...language import nodes as n
from ..model.asking import COUNTS, DATATYPES, OF_THE_RUN, Question, placeholders, read_answer
from ..model.model import LayoutRequest
from ..model.names import proposal
from ..model.text import Item, ItemMap, Scalar
from .expressions import expressions_of
from .forms import TEXT, choice, list_of
from .reading import BLANK, Form, Key, Reading, Section, either, object_schema, read_keys

_QUESTION_KEYS: Section = {
    "datatype": Key(choice(DATATYPES), "What is asked for."),
    "says": Key(TEXT, "The question, as it is put to a person."),
    "default": Key(TEXT, "What is taken where nothing is given."),
    "allowed": Key(list_of(TEXT), "What can be given."),
    "heading": Key(TEXT, "Of a list that is a table: the column to take."),
}
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")


def _questions(item: Item, _: str, reading: Reading) -> tuple[Question, ...]:
    if not isinstance(item, ItemMap):
        reading.fault(item, "`ask` takes names with what is asked: from: {datatype: date}")
        return ()
    found = [_question(name, value, reading) for name, value in item.pairs]
    names = [question.name for question in found]
    for at, (name, _value) in enumerate(item.pairs):
        if name.text in names[:at]:
            reading.fault(name, f"`{name.text}` is asked for twice; keep one")
    return tuple(found)


def _question(name: Scalar, item: Item, reading: Reading) -> Question:
    """A question; a datatype alone is enough."""
    if not _NAME.fullmatch(name.text):
        reading.fault(name, f"`{name.text}` can't be asked for: letters, digits and _ only")
    if isinstance(item, Scalar):
        item = ItemMap(((Scalar("datatype"), item),) if item.text else ())
    keys = reading.mapping(item, f"`ask` of `{name.text}`", _QUESTION_KEYS)
    found = read_keys(keys, _QUESTION_KEYS, reading)
    question = Question(name.text, **found, place=name.place(0))
    if question.default is not None:
        try:
            read_answer(question, question.default, dt.date(2000, 1, 1))
        except ValueError as error:
            reading.fault(keys["default"], f"the default of `{name.text}`: {error}")
    return question


_ONE = either(_QUESTION_KEYS["datatype"].form.schema, BLANK, object_schema(_QUESTION_KEYS))
ASK = Form(_questions, {"type": "object", "additionalProperties": _ONE})

# ---- what is asked for, where it is used -----------------------------------------------------


def check_asked(request: LayoutRequest, keys: Mapping[str, Item], reading: Reading) -> None:
    """Every `:name` and `{name}` is asked for, and stands where its kind can stand."""
    kinds = {question.name: question.datatype for question in request.questions}
    for expression in expressions_of(request):
        wanted: dict[int, str] = {}
        for node in expression.node.walk():
            if isinstance(node, n.InList):
                wanted[id(node.source)] = "list"
            elif isinstance(node, n.InPeriod):
                wanted[id(node.period)] = "period"
            elif isinstance(node, n.Asked):
                message = _problem(node.name, wanted.get(id(node)), kinds)
                if message:
                    reading.problems.append(expression.problem(message, node.position))
    of_kinds = " ".join(label for _, label in request.totals.labels)
    of_keys = " ".join(key.label or "" for key in request.group)
    named = " ".join((*request.output.files, *request.output.preamble))
    for key, text, known in (
        ("output", named, OF_THE_RUN),
        ("totals", request.totals.label, ("group", *COUNTS)),
        ("totals", request.totals.grand_label, COUNTS),
        ("totals", of_kinds, ("group", *COUNTS)),
        ("group", of_keys, ("group", *COUNTS)),
    ):
        for name in placeholders(text):
            if name not in kinds and name not in known:
                hint = proposal(name, known) or _hint(name, kinds)
                more = "; one file for each group can't be written yet" if key == "output" else ""
                reading.fault(keys[key], f"`{{{name}}}` is not asked for{hint}{more}")


def _problem(name: str, wanted: str | None, kinds: dict[str, str]) -> str:
    if name not in kinds:
        return f"`:{name}` is not asked for{_hint(name, kinds)}"
    if wanted is None and kinds[name] in ("list", "period"):
        form = f"in {kinds[name]}(:{name})"
        return f"`:{name}` is a {kinds[name]}; it is used as `{form}`"
    if wanted is not None and kinds[name] != wanted:
        return f"`:{name}` is asked for as {kinds[name]}; here a {wanted} is wanted"
    return ""


def _hint(name: str, kinds: dict[str, str]) -> str:
    return proposal(name, kinds) or f"; put it under `ask`: {name}: {{datatype: string}}"
