"""Checking what a layout asks for, and that everything asked for is in its list."""

from __future__ import annotations

import datetime as dt
import re
from typing import Any

from ..language import nodes as n
from .asking import DATATYPES, Question, placeholders, read_answer
from .forms import Forms
from .lists import expressions_of
from .model import LayoutModel
from .names import proposal
from .text import Item, Mapping, Scalar

QUESTION_KEYS = ("datatype", "says", "default", "allowed", "heading")
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")


class AskForms(Forms):
    """Reads `ask`."""

    def questions(self, item: Item | None) -> tuple[Question, ...]:
        if item is None:
            return ()
        if not isinstance(item, Mapping):
            self.fault(item, "`ask` takes names with what is asked: from: {datatype: date}")
            return ()
        found = [self.question(name, value) for name, value in item.pairs]
        names = [question.name for question in found]
        for (name, _), place in zip(item.pairs, range(len(names)), strict=True):
            if name.text in names[:place]:
                self.fault(name, f"`{name.text}` is asked for twice; keep one")
        return tuple(found)

    def question(self, name: Scalar, item: Item) -> Question:
        """A question; a datatype alone is enough."""
        where = f"`ask` of `{name.text}`"
        if not _NAME.fullmatch(name.text):
            self.fault(name, f"`{name.text}` can't be asked for: letters, digits and _ only")
        if isinstance(item, Scalar):
            item = Mapping(((Scalar("datatype"), item),) if item.text else ())
        keys = self.mapping(item, where, QUESTION_KEYS)
        found: dict[str, Any] = {}
        if "datatype" in keys:
            found["datatype"] = self.choice(keys["datatype"], "`datatype`", DATATYPES)
        for key in ("says", "default", "heading"):
            if key in keys:
                found[key] = self.text(keys[key], f"`{key}`")
        if "allowed" in keys:
            found["allowed"] = tuple(self.text(one, where) for one in self.items(keys["allowed"]))
        question = Question(name.text, **found, place=name.place(0))
        if question.default is not None:
            try:
                read_answer(question, question.default, dt.date(2000, 1, 1))
            except ValueError as error:
                self.fault(keys["default"], f"the default of `{name.text}`: {error}")
        return question

    def check_asked(self, model: LayoutModel, keys: dict[str, Item]) -> None:
        """Every `:name` and `{name}` is asked for, and stands where its kind can stand."""
        kinds = {question.name: question.datatype for question in model.questions}
        for expression in expressions_of(model):
            wanted: dict[int, str] = {}
            for node in expression.node.walk():
                if isinstance(node, n.InList):
                    wanted[id(node.source)] = "list"
                elif isinstance(node, n.InPeriod):
                    wanted[id(node.period)] = "period"
                elif isinstance(node, n.Asked):
                    message = _problem(node.name, wanted.get(id(node)), kinds)
                    if message:
                        self.problems.append(expression.problem(message, node.position))
        labels = model.totals.label.replace("{group}", "") + model.totals.grand_label
        for key, text in {"output": model.output.file or "", "totals": labels}.items():
            for name in placeholders(text):
                if name not in kinds:
                    self.fault(keys[key], f"`{{{name}}}` is not asked for{_hint(name, kinds)}")


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
