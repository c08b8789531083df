"""How an expression comes to its value on the first records of a source, step by step."""

from __future__ import annotations

import decimal
from collections.abc import Mapping
from typing import Any

import msgspec

from ..reference.reading import Reading
from ..reference.steps import Step
from ..sources import AnySource
from ..values.numbers import EXACT
from .evaluate import opened_for


class Trace(msgspec.Struct, frozen=True):
    """What an expression gives for one row, with the steps on the way: what was read where, then
    what each part made of it; and what could not be taken, in words."""

    record: int
    value: Any
    steps: list[Step]
    faults: list[str] = []


def trace(
    expression: str,
    source: AnySource,
    *,
    row_per: str | None = None,
    first: int = 10,
    records: str | None = None,
    reading: Mapping[str, Any] | None = None,
    fields: Mapping[str, Any] | None = None,
    **options: Any,
) -> list[Trace]:
    """Evaluate an expression by definition, and keep each step.

    The options are those of `evaluate`, and so are the errors.

    >>> (found,) = trace("sum(lines.qty) * 2", [{"lines": [{"qty": 2}, {"qty": 3}]}])
    >>> for step in found.steps:
    ...     print(step.text, step.value)
    lines[0].qty 2
    lines[1].qty 3
    sum(lines.qty) 5
    sum(lines.qty) * 2 10
    """
    options |= {"row_per": row_per, "records": records, "reading": reading, "fields": fields}
    with opened_for(expression, source, **options) as (plan, reader):
        found: list[Trace] = []
        column = plan.columns[0].column
        assert column.value is not None
        for number, plain in enumerate(reader.peek()[:first], 1):
            if not isinstance(plain, dict):
                continue
            with decimal.localcontext(EXACT):
                read = Reading(plan, plain, number)
                home = read.home(column)
                for here in read.entries_of_rows():
                    read.expressions.steps.taken = {}
                    told = len(read.faults.told)
                    value = None
                    if home < len(here):
                        value = read.expressions.value(column.value.node, here)
                    steps = [*read.expressions.steps.taken.values()]
                    faults = [*read.faults.told.values()][told:]
                    words = [f"{one.path}: {one.reason}: {one.value}" for one in faults]
                    found.append(Trace(number, value, steps, words))
                    read.expressions.aggregates.forget()
        return found
