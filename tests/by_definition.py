"""Random layouts over random records, held against what they mean by definition.

Each check takes a source of chance, and says whether the layout was refused.
"""

from __future__ import annotations

import copy
import decimal
import io
import json
import random
from collections import Counter
from decimal import Decimal
from typing import Any

import flatledger
from flatledger.plan.making import make_plan
from flatledger.plan.plan import Plan
from flatledger.reference.groups import Groups
from flatledger.reference.reading import Reading
from flatledger.reference.tables import Table
from flatledger.run.decoding import convert
from flatledger.run.pipeline import Run
from flatledger.run.protocols import Batch, RunServices
from flatledger.run.step import Stepper
from flatledger.run.tables_run import TablesRun
from flatledger.sources import open_source
from flatledger.structure.structure import observe
from flatledger.values.functions import text_of
from flatledger.values.numbers import EXACT
from tests.conftest import TODAY, settled, table
from tests.random_layouts import Chance

SHARES = [0.0, 0.0, 0.03, 0.1]  # of odd values


def shown(value: Any) -> Any:
    """A value with its kind and all its digits; numbers of either class are alike."""
    if isinstance(value, int | Decimal) and not isinstance(value, bool):
        return "number", text_of(value)
    return str if isinstance(value, str) else type(value), text_of(value)


def planned(layout: Any, records: list[Any]) -> Plan:
    return make_plan(settled(layout), observe(records), TODAY, complete=True)


def readings(plan: Plan, records: list[Any]) -> list[Reading]:
    with decimal.localcontext(EXACT):
        return [Reading(plan, record, number) for number, record in enumerate(records, 1)]


def chosen(seed: random.Random) -> tuple[Chance, list[Any]]:
    chance = Chance(seed, seed.choice(SHARES))
    return chance, [*chance.some(chance.record, 4), chance.record()]


def check_rows(seed: random.Random) -> str:
    """Rows, verdicts of conditions and faults, record by record."""
    chance, records = chosen(seed)
    try:
        plan = planned(chance.by_level(chance.layout()), records)
    except flatledger.FlatLedgerError:
        return "refused"
    batch = Batch(copy.deepcopy(records), range(1, len(records) + 1), [])
    found = Stepper(plan).step(convert(batch, plan.record_types.record_type))
    read = readings(plan, records)
    with decimal.localcontext(EXACT):
        rows = [row.cells for one in read for row in one.rows()]
    width = len(plan.columns) + len(plan.extra_keys)
    assert [[*map(shown, row[:width])] for row in found.rows] == [[*map(shown, r)] for r in rows]
    assert list(found.passed) == [n for n, one in enumerate(read, 1) if one.passes]
    counts: Counter[str] = sum((one.filtering.counts for one in read), Counter())
    if plan.conditions:
        told = {key: count for key, count in found.counts.items() if key in counts}
        assert told == {key: count for key, count in counts.items() if key in found.counts}
    # a value of a higher level is converted once for all that may be below, so that it is told of
    # where nothing is below it too
    faults = {(one.record, one.path, one.value) for one in (*found.judged, *found.filled)}
    needed = {
        (number, one.path, one.value)
        for number, record in enumerate(read, 1)
        for one in record.faults.told.values()
    }
    assert needed <= faults, needed - faults
    return "agree"


def check_table(seed: random.Random) -> str:
    """A table with its order, groups and totals."""
    chance, records = chosen(seed)
    layout = chance.by_level(chance.table())
    try:
        rows, balance = table(layout, records)
    except flatledger.FlatLedgerError:
        return "refused"
    plan = planned(layout, records)
    with decimal.localcontext(EXACT):
        own = Table(plan, readings(plan, records))
        expected, figures = own.table(), own.figures()
    assert [[*map(shown, row)] for row in rows] == [[*map(shown, row)] for row in expected]
    assert balance.balanced, balance.wrong
    for column in balance.columns if balance.rows_not_taken == 0 else []:
        if column.aggregate in ("sum", "min", "max"):
            further = f"{column.heading} ({column.aggregate})"
            figure = figures[further if further in figures else column.heading]
            assert column.source == (figure or 0 if column.aggregate == "sum" else figure)
    return "agree"


def check_groups(seed: random.Random) -> str:
    """A table in which a row stands for a group."""
    chance, records = chosen(seed)
    layout = chance.grouped()
    try:
        rows, balance = table(layout, records)
    except flatledger.FlatLedgerError:
        return "refused"
    plan = planned(layout, records)
    with decimal.localcontext(EXACT):
        expected = Groups(plan, readings(plan, records)).table()
    assert [[*map(shown, row)] for row in rows] == [[*map(shown, row)] for row in expected]
    assert balance.balanced, balance.wrong
    return "agree"


def check_tables(seed: random.Random) -> str:
    """Several tables from one reading are those that each layout gives alone, with its faults; a
    pass of decoder and exact types, or of plain data."""
    chance, records = chosen(seed)
    made = [chance.by_level(chance.table()), chance.grouped(), chance.table()]
    alone, layouts = [], []
    for one in seed.sample(made, 3):
        lines = io.BytesIO(
            "\n".join(json.dumps(record, default=str) for record in records).encode()
        )
        try:
            found = Run(settled(one), open_source(lines), structure=observe(records))
            rows = [row for block in found.blocks() for row in block]
            alone.append((rows, told(found.balance())))
            layouts.append(one)
        except flatledger.FlatLedgerError:
            continue
    if len(layouts) < 2:
        return "refused"
    lines = io.BytesIO("\n".join(json.dumps(record, default=str) for record in records).encode())
    models = [settled(one) for one in layouts]
    services = [RunServices() for _ in models]
    run = TablesRun(models, open_source(lines), services, structure=observe(records))
    together: list[list[Any]] = [[] for _ in models]
    for place, block in run.blocks():
        together[place] += block
    for rows, one, (alone_rows, balance) in zip(together, run.runs, alone, strict=True):
        assert [[*map(shown, row)] for row in rows] == [[*map(shown, row)] for row in alone_rows]
        assert told(one.balance()) == balance
    return "agree" if run.runs[0].stepper.exact_type is None else "agree exactly"


def told(balance: Any) -> Any:
    faults = [(one.record, one.path, one.value, one.reason) for one in balance.faults]
    return balance.wrong, balance.fault_count, sorted(map(str, faults)), balance.conditions
