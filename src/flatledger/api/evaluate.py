"""Trying an expression on the first records of a source, to feel the way to a path."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import Any

import msgspec

from ..bounds import LARGEST_RECORD
from ..errors import ExpressionError, LayoutError
from ..language import parse_expression
from ..language.notations import Notation
from ..layout.model.column import Column, Expression
from ..layout.model.model import SettledLayout
from ..layout.model.source_options import NAMED_BY_A_STANDARD, SourceOptions
from ..layout.model.text import Scalar
from ..layout.reading.with_files import lists_of
from ..plan.making import make_plan
from ..plan.plan import Plan, reads_everything
from ..run.decoding import decoded, structure_met
from ..run.protocols import Batch, Reader
from ..run.step import Stepper
from ..sources import AnySource
from ..structure.missing_fields import judged
from ..structure.wanted import names_wanted
from ..values.faults import Fault
from ..values.functions import text_of
from .arguments import check_count, check_given
from .declaring import declared_fields
from .layout_files import FilesOf
from .opening import notation_for, open_as
from .shelf_folders import ShelfFolders

LONGEST = 400  # letters of a value that a notebook shows


class Evaluated(msgspec.Struct, frozen=True):
    """What an expression gives for one row: the record's number, the value, and its faults.

    >>> evaluate("qty * 2", [{"qty": "few"}])
    [Evaluated(record=1, value=None, fault='is not a number: few')]
    """

    record: int
    value: Any
    fault: str = ""


class EvaluatedRows(list[Evaluated]):
    """What an expression gives for some rows; a notebook shows them as a table."""

    def _repr_html_(self) -> str:
        from ..reports.notebook import table_fragment
        from ..reports.words import kind_of_value

        rows = [
            (one.record, _short(one.value), kind_of_value(one.value), one.fault) for one in self
        ]
        return table_fragment(("record", "value", "type", "fault"), rows)


def _short(value: Any) -> str:
    return "" if value is None else text_of(value)[:LONGEST]


def evaluate(
    expression: str,
    source: AnySource,
    *,
    row_per: str | None = None,
    records: str | None = None,
    first: int = 10,
    largest_record: int = LARGEST_RECORD,
    reading: Mapping[str, Any] | None = None,
    fields: Mapping[str, Any] | None = None,
) -> EvaluatedRows:
    """Evaluate an expression on the first records of a source.

    ``row_per`` is the level that a row stands for, ``records`` the path to the records within a
    document, and ``largest_record`` bounds each, in MB. Values come as they are, lists and mappings
    included, or as ``fields`` declares them. Raises ExpressionError, with the position, where the
    expression cannot be evaluated, and SourceError.

    >>> for found in evaluate("lines.qty", [{"lines": [{"qty": 2}, {"qty": 3}]}]):
    ...     print(found.record, found.value)
    1 [2, 3]
    """
    check_given(reading=reading, fields=fields)
    check_count("first", first)
    opened = opened_for(
        expression,
        source,
        row_per=row_per,
        records=records,
        largest_record=largest_record,
        reading=reading,
        fields=fields,
    )
    with opened as (plan, reader):
        return EvaluatedRows(_evaluated(plan, reader, first))


@contextmanager
def opened_for(
    expression: str,
    source: AnySource,
    *,
    row_per: str | None = None,
    records: str | None = None,
    largest_record: int = LARGEST_RECORD,
    reading: Mapping[str, Any] | None = None,
    fields: Mapping[str, Any] | None = None,
) -> Iterator[tuple[Plan, Reader]]:
    """The plan for an expression over a source, and a reading of that."""
    notation = notation_for(source, reading)
    level = _expression(row_per, notation) if row_per and row_per != "record" else None
    columns = (Column(expression, _expression(expression, notation)),)
    declared = declared_fields(fields, notation=notation)
    layout = SettledLayout(
        "expression",
        columns,
        row_per=() if level is None else (level,),
        fields=declared,
        today=dt.date.today(),
        source=SourceOptions(format=notation.format if notation else ""),
    )
    opened = open_as(
        source,
        records,
        largest_record,
        reading,
        asked=names_wanted(layout),
        reads_all=reads_everything(layout),
    )
    with opened.open() as reader:
        try:
            plan = _plan(layout, reader, lenient=layout.source.format in NAMED_BY_A_STANDARD)
        except LayoutError as error:
            problem = error.problems[0]
            at_level = level is not None and problem.message.startswith("no level")
            text = row_per if at_level else expression
            position = max(problem.column - 1, 0)
            raise ExpressionError(problem.message, str(text), position) from None
        yield plan, reader


def _plan(layout: SettledLayout, reader: Reader, lenient: bool) -> Plan:
    """The plan for one expression; a list is one on the shelf, or a file beside where we are."""
    lists = lists_of(layout, FilesOf(Path(), ShelfFolders()))
    layout = msgspec.structs.replace(layout, lists=lists)
    structure = structure_met(reader, names_wanted(layout))
    assert layout.today is not None
    plan = make_plan(layout, structure, layout.today)
    slips = judged(plan.missing, structure, plan.chain.known, plan.used).problems
    if slips and not lenient:
        raise LayoutError(layout.name, slips)
    return plan


def _evaluated(plan: Plan, reader: Reader, first: int) -> list[Evaluated]:
    stepper = Stepper.of_raw(plan)
    values: list[Evaluated] = []
    for batch in decoded(reader, plan.record_types.record_type):
        rows = batch.origin.rows() if batch.origin.rows else [None] * len(batch.records)
        for number, record, row in zip(batch.numbers, batch.records, rows, strict=True):
            if number > first:
                return values
            origin = batch.origin._replace(rows=None if row is None else partial(list, [row]))
            found = stepper.step(Batch([record], [number], [], origin=origin))
            faults = "; ".join(map(_what, (*found.judged, *found.filled)))
            values += [Evaluated(number, row[0], faults) for row in found.rows]
    return values


def _what(fault: Fault) -> str:
    return f"{fault.reason}: {_short(fault.value)}" if fault.value else fault.reason


def _expression(text: str, notation: Notation | None) -> Expression:
    node = parse_expression(text, notation)
    return Expression(Scalar(text, line=1, column=1), node)
