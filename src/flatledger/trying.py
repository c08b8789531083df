"""Trying an expression on the first records of a source, to feel the way to a path."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from decimal import Decimal
from pathlib import Path
from typing import Any

import msgspec

from .compile.program import generate
from .errors import ExpressionError, LayoutError
from .language import parse_expression
from .layout.column import Column, Expression
from .layout.lists import lists_of
from .layout.model import LayoutModel
from .layout.shelf import Shelf
from .layout.text import Scalar
from .plan.planner import make_plan
from .run.decoding import decoded
from .run.protocols import Batch, Reader
from .run.step import Stepper
from .sources import LARGEST_RECORD, AnySource, open_source
from .structure.missing_fields import judged
from .structure.structure import observe
from .structure.wanted import names_wanted
from .values.numbers import Unreadable


class Trial(msgspec.Struct, frozen=True):
    """What an expression gives for one row: the record's number, the value, its kind, a fault."""

    record: int
    value: Any
    kind: str
    fault: str = ""


def try_expression(
    expression: str,
    source: AnySource,
    *,
    row_per: str | None = None,
    records: str | None = None,
    first: int = 10,
    largest_record: int = LARGEST_RECORD,
) -> list[Trial]:
    """Evaluate an expression on the first records of a source.

    ``row_per`` is the level that a row stands for, ``records`` the path to the records within a
    document, and ``largest_record`` bounds each, in MB. Values come as they are, lists and mappings
    included. Raises ExpressionError, with the position, where the expression cannot be evaluated,
    and SourceError.

    >>> for trial in try_expression("lines.qty", [{"lines": [{"qty": 2}, {"qty": 3}]}]):
    ...     print(trial.record, trial.value, trial.kind)
    1 [2, 3] a list of 2
    """
    names = tuple(records.split(".")) if records else ()
    opened = open_source(source, names, largest_record=largest_record)
    level = _expression(row_per) if row_per and row_per != "record" else None
    model = LayoutModel(
        name="expression",
        columns=(Column(expression, _expression(expression)),),
        row_per=level,
    )
    with opened.open() as reader:
        return _trials(model, reader, expression, row_per, first)


def _trials(
    model: LayoutModel, reader: Reader, expression: str, row_per: str | None, first: int
) -> list[Trial]:
    try:  # a list is one on the shelf, or a file beside where we are
        lists = lists_of(model, Path(), Shelf())
        model = msgspec.structs.replace(model, lists=lists)
        structure = observe(reader.peek(), names_wanted(model))
        plan = make_plan(model, structure, dt.date.today())
        slips = judged(plan.missing, structure, plan.used).problems
        if slips:
            raise LayoutError(model.name, slips)
    except LayoutError as error:
        problem = error.problems[0]
        at_level = model.row_per is not None and problem.message.startswith("no level")
        text = row_per if at_level else expression
        raise ExpressionError(problem.message, str(text), max(problem.column - 1, 0)) from None
    stepper = Stepper(plan, generate(plan, raw=True))
    trials: list[Trial] = []
    for batch in decoded(reader, plan.shape.record_type):
        for number, record in zip(batch.numbers, batch.records, strict=True):
            if number > first:
                return trials
            found = stepper.step(Batch([record], [number], []))
            faults = "; ".join(fault.reason for fault in (*found.judged, *found.filled))
            trials += [Trial(number, row[0], kind_of_value(row[0]), faults) for row in found.rows]
    return trials


def _expression(text: str) -> Expression:
    return Expression(Scalar(text, line=1, column=1), parse_expression(text))


def kind_of_value(value: Any) -> str:
    """The kind of a value in plain words.

    >>> kind_of_value(Decimal("1.50")), kind_of_value([1, 2])
    ('a number with 2 decimals', 'a list of 2')
    """
    match value:
        case None:
            return "nothing"
        case bool():
            return "true or false"
        case int():
            return "a whole number"
        case Decimal():
            exponent = value.as_tuple().exponent
            places = max(-exponent, 0) if isinstance(exponent, int) else 0
            return f"a number with {places} decimals" if places else "a number"
        case str():
            return "blank text" if not value.strip() else "text"
        case dt.datetime():
            return "a timestamp"
        case dt.date():
            return "a date"
        case dt.time():
            return "a time"
        case list() | tuple():
            return f"a list of {len(value)}"
        case Mapping():
            return f"an object of {len(value)} fields"
        case Unreadable():
            return "a number out of range"
        case _:
            return "a duration"
