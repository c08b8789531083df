"""Exact types and loose ones give the same: rows, counts, control sums, faults, whatever comes."""

from __future__ import annotations

import copy
import datetime as dt
import io
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import mock

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.compile.expressions.as_they_came import walked_trees
from flatledger.compile.runtime.plain_values import casts_to
from flatledger.errors import SourceError
from flatledger.plan.making import make_plan
from flatledger.plan.plan import Plan
from flatledger.run.balancing import balance_of
from flatledger.run.pipeline import last_step
from flatledger.run.sorting import Sorter
from flatledger.run.state import RunState
from flatledger.run.step import Stepper
from flatledger.sources.files.options import Options
from flatledger.sources.files.reading import Bytes
from flatledger.sources.json.json_source import JsonReader
from flatledger.structure.levels import LevelsDifferError
from flatledger.structure.structure import observe
from flatledger.values.field_values import FieldDeclaration
from flatledger.values.text_values import NUMERALS, TextValues
from tests.conftest import settled

TODAY = dt.date(2026, 3, 31)


def requisition(number: int) -> dict[str, Any]:
    """A record as most are; numbers with a fraction as texts between marks."""
    return {
        "no": f"R-{number:03d}",
        "raised": f"2026-0{number % 9 + 1}-1{number % 7}",
        "urgent": number % 3 == 0,
        "count": number,
        "weight": f"{number}.5{number % 3}",
        "station": {"code": f"S{number % 4}", "address": {"town": f"Town {number}"}},
        "tags": ["lamp", "urgent", "paint"][: number % 4],
        "names": {"en": "lamp", "cy": "lamp"} if number % 2 else {"en": "wick"},
        "payments": [
            {"method": "cash", "amount": f"§{number}.50§", "by": {"keeper": f"K{number % 2}"}},
            {"method": "card", "amount": number, "by": None},
        ][: number % 3],
        "parts": tree(number),
        "lines": [
            {
                "part": {"code": f"P{line}", "title": "Part"},
                "qty": line + number % 3,
                "price": f"§{line}.25§",
                "size": f"{line + 1}" if number % 2 else f"{line}.75",
                "options": [
                    {"key": "colour", "value": "red"},
                    {"key": "cap", "value": f"cap {line}"},
                ][: (line + number) % 3],
                "lots": [{"lot": line, "marks": ["a", "b"][:line]} for _ in range(line)],
            }
            for line in range(number % 4)
        ],
    }


def tree(number: int, depth: int = 1) -> list[dict[str, Any]]:
    """Parts that hold parts, of several depths."""
    return [
        {
            "code": f"P{number}-{depth}-{at}",
            "qty": at + 1,
            "cost": f"§{depth}.{at}0§",
            "checks": [{"by": f"K{at}", "hours": depth}, {"by": "K9", "hours": number}][: at + 1],
            **({"parts": tree(number, depth + 1)} if (number + at) % 3 and depth < 4 else {}),
        }
        for at in range(number * depth % 3)
    ]


REGULAR = [requisition(number) for number in range(1, 25)]
VALUES: dict[str, Any] = {
    "No": "no",
    "Raised": {"value": "raised", "datatype": "date"},
    "Urgent": "urgent",
    "Count": {"value": "count", "total": "sum"},
    "Town": "station.address.town",
    "Station": {"value": "station.code || '/' || upper(station.address.town)"},
    "Tags": {"value": "tags", "separator": "; "},
    "Methods": {"value": "payments.method", "separator": ", "},
    "Keepers": {"value": "payments.by.keeper", "separator": "+"},
    "Amounts": {"value": "payments.amount", "separator": "; "},
    "Paid": {"value": "sum(payments.amount)", "decimals": 2, "total": "sum"},
    "Cash": {"value": "payments[?@.method=='cash'].amount", "decimals": 2, "total": "sum"},
    "Ways": "count(payments)",
    "Any": "any(payments.amount > 3)",
    "List": "listagg(distinct payments.method, '/')",
    "Most": "max(payments.amount)",
    "First": "first(tags)",
    "Of texts": "tags[?@.key=='a'].value",
    "Below texts": "tags.key",
    "Whole": "payments[?@.method=='cash']",
    "All": "payments[*].method",
    "Second": "payments[1].method",
    "Names": "count(names.*)",
    "Welsh": "names.cy",
    "Place": "station",
    "Places": "payments",
    "Last": "listagg(payments.by.keeper, '/') within group (order by payments.amount desc)",
    "Kinds": "count(distinct payments.method)",
    "Lines": "count(lines)",
    "Weight": {"value": "weight", "datatype": "decimal", "total": "sum"},
    "Heavier": {"value": "cast(weight as decimal) * 2 + weight", "total": "sum"},
    "Whole weight": "case when count > 3 then cast(weight as integer) end",
    "Worth": {"value": "sum(lines.qty * lines.price)", "decimals": 2},
}
OF_LINES: dict[str, Any] = {
    "Code": "lines.part.code",
    "Qty": {"value": "lines.qty", "total": "sum"},
    "Price": "lines.price",
    "Amount": {"value": "lines.qty * lines.price", "decimals": 2, "total": "sum"},
    "Colour": "lines.options[?@.key=='colour'].value",
    "Keys": {"value": "lines.options.key", "separator": "; "},
    "Marks": {"value": "lines.lots.marks", "separator": "; "},
    "Lots": "sum(lines.lots.lot)",
    "Options": {
        "columns-from": "lines.options",
        "named-by": "lines.options.key",
        "value": "lines.options.value",
        "keys": ["colour", "cap"],
    },
    "Case": "case when lines.qty > 2 then lines.part.title when lines.qty > 1 then '' end",
    "Ordinal": "ordinal(lines)",
    "Dear": "count(case when lines.options.key = 'cap' then 1 end)",
    "Same": "lines[?@.qty>1].part.code",
    "All lines": "sum(lines.qty) / count(lines)",
    "Size": {"value": "lines.size * weight", "decimals": 3, "total": "sum"},
    "Sizes": {"value": "cast(lines.size as decimal) + cast(weight as decimal)", "total": "sum"},
    "Largest": "case when lines.qty > 1 then cast(lines.size as decimal) end",
}
OF_LOTS: dict[str, Any] = {
    "Lot": {"value": "lines.lots.lot", "total": "sum"},
    "Mark": {"value": "lines.lots.marks", "separator": "+"},
    "Lot's line": "lines.part.code",
    "In all": {"value": "lines.qty", "total": "sum"},
}
OF_PARTS: dict[str, Any] = {
    "Code": "parts.code",
    "Qty": {"value": "parts.qty", "total": "sum"},
    "Cost": {"value": "parts.cost", "total": {"sum": "tops"}},
    "Number": "numbering()",
    "Up": "parent(parts.code)",
    "Trail": "trail(parts.code, '/')",
    "Needed": {"value": "chain_product(parts.qty)", "total": "max"},
    "Below": "sum(below(parts.cost))",
    "Least": "min(from_here(parts.cost))",
    "Leaf": "is_leaf()",
    "Share": "parts.qty / sum(parts.qty)",
}
ON_THE_WAY: dict[str, Any] = {  # what is known of a node by what is above it
    "No": "no",
    "Code": "parts.code",
    "Qty": {"value": "parts.qty", "total": {"sum": "tops"}},
    "Least": {"value": "parts.qty", "total": "min"},
    "Cost": {"value": "parts.cost", "total": "sum"},
    "Depth": {"value": "depth()", "total": "sum"},
    "Place": {"value": "ordinal()", "total": {"sum": "all"}},
    "Number": "numbering()",
    "Leaf": {"value": "case when is_leaf() then 1 end", "total": "sum"},
    "Up": "parent(parts.code)",
    "Two up": "parent(upper(parent(parts.code)))",
    "Above": {"value": "parent(parts.cost) + depth()", "total": {"sum": "all"}},
    "Top": {"value": "root(parts.qty * parts.cost)", "decimals": 1, "total": "sum"},
    "Way": "trail(parts.code)",
    "Ways": {"value": "trail(lower(parts.code), '/')", "total": "count"},
    "Text": "indented(parts.code, '. ')",
    "Needed": {"value": "chain_product(parts.qty)", "total": "max"},
    "Price": {"value": "chain_product(parts.qty) * parts.cost", "decimals": 2, "total": "sum"},
}
OF_PARTS_ALONE: dict[str, Any] = {
    "Hours": {"value": "sum(parts.checks.hours)", "total": "sum"},
    "By": {"value": "parts.checks.by", "separator": "; "},
    "Up by": "parent(sum(parts.checks.hours))",
}
OF_RECORDS: dict[str, Any] = {
    "No": "no",
    "Parts": {"value": "count(parts)", "total": "sum"},
    "Leaves": "count(case when is_leaf() then parts.code end)",
    "Deepest": "max(depth() + 0 * parts.qty)",
    "Worth": {"value": "sum(chain_product(parts.qty) * parts.cost)", "total": "sum"},
    "Numbers": "listagg(numbering() || parts.code, ' ')",
    "Tree": "listagg(parent(parts.code) || '>' || parts.code, ' ')",
    "Hours": {"value": "sum(parts.checks.hours)", "total": "sum"},
    "Codes": {"value": "parts.code", "separator": " "},
    "By": {"value": "parts.checks.by", "separator": " "},
}
OF_CHECKS: dict[str, Any] = {
    "Check": {"value": "parts.checks.hours", "total": "sum"},
    "Keeper": "parts.checks.by",
    "On the way": {"value": "parts.checks.hours * chain_product(parts.qty)", "total": "sum"},
}
CONDITIONS = [
    "count > 3",
    "no in ('R-001', 'R-002', 'R-007')",
    "urgent or station.code = 'S1'",
    "any(payments.method = 'cash')",
    "raised between date '2026-03-01' and date '2026-07-31'",
    "no like '%2'",
]
OF_PART = ["parts.qty > 1", "depth() < 3", "is_leaf()", "sum(below(parts.qty)) > 2"]
OF_LINE = ["lines.qty > 1", "any(lines.options.key in ('cap'))", "lines.part.code <> 'P1'"]
LEVELS = [
    "parts",
    "parts.checks",
    "lines",
    "lines.options",
    "lines.lots",
    "lines.lots.marks",
    "payments",
    "tags",
]


@st.composite
def in_order(draw: st.DrawFn, columns: list[str]) -> dict[str, Any]:
    """By what a layout groups or sorts, if it does."""
    if columns and draw(st.booleans()):
        return {"group": columns[:1], "totals": {"detail": draw(st.booleans())}}
    return {"sort": columns[:2]} if columns and draw(st.booleans()) else {}


@st.composite
def layouts(draw: st.DrawFn) -> dict[str, Any]:
    level = draw(st.sampled_from(["", "lines", "lines.lots", "parts"]))
    own = {"": {}, "lines": OF_LINES, "lines.lots": OF_LOTS, "parts": OF_PARTS}
    known = {**VALUES, "Parts": "sum(parts.cost)", **own[level]}
    names = draw(st.lists(st.sampled_from(list(known)), min_size=1, max_size=6, unique=True))
    layout: dict[str, Any] = {"columns": [{name: known[name]} for name in names]}
    tests = [*CONDITIONS, *(OF_PART if level == "parts" else OF_LINE if level else [])]
    layout["only"] = draw(st.lists(st.sampled_from(tests), max_size=2, unique=True))
    if level:
        layout["row-per"] = level
    if draw(st.booleans()):
        layout["levels"] = LEVELS
    plain = [name for name in names if isinstance(known[name], str)]
    layout |= draw(in_order(plain))
    if not {"group", "sort"} & layout.keys() and "No" in names and draw(st.booleans()):
        layout["primary-key"] = ["No"]
    if level == "" and "group" not in layout and draw(st.booleans()):
        layout["take"] = {"every": 2, "of": "records"}
    return layout


@st.composite
def layouts_on_the_way(draw: st.DrawFn) -> dict[str, Any]:
    """Layouts whose trees can be walked where they stand."""
    level = draw(st.sampled_from(["", "parts", "parts.checks"]))
    own = {"": OF_RECORDS, "parts": ON_THE_WAY | OF_PARTS_ALONE}
    known = own.get(level, ON_THE_WAY | OF_CHECKS)
    names = draw(st.lists(st.sampled_from(list(known)), min_size=1, max_size=6, unique=True))
    layout: dict[str, Any] = {"columns": [{name: known[name]} for name in names]}
    if level:
        layout["row-per"] = level
    plain = [name for name in names if isinstance(known[name], str)]
    layout |= draw(in_order(plain))
    return layout


@pytest.fixture(autouse=True, scope="module")
def few_texts_kept() -> Iterator[None]:
    """So few that columns of texts are read at once."""
    with mock.patch.object(TextValues, "_most", 3):
        yield


NUMERAL_TEXTS = st.sampled_from(
    ["0", "7", "12", "007", "-3", "1.5", "12.50", "-0.0", "-2.25", "0.000001", "0.0000001", ".5",
     "1e3", " 4 ", "4.", "+1", "1234567890123456", "1.2345678", "", "x", "١٢", "1_0", "1\n2", "1\n"]
)  # fmt: skip
READERS = [
    *(casts_to("decimal", ()), casts_to("integer", ()), casts_to("decimal", (6, 1)), NUMERALS),
    *(FieldDeclaration(datatype).reader().quick for datatype in ("decimal", "integer", "string")),
    FieldDeclaration("decimal", nulls=("7", "12.50")).reader().quick,
]


@pytest.mark.parametrize("values", READERS)
@given(st.lists(st.none() | NUMERAL_TEXTS, min_size=1, max_size=5))
def test_texts_of_a_column_are_what_each_of_them_is(values: Any, texts: list[str | None]) -> None:
    alone = TextValues(values._make)
    for text in "abcde":
        values[text]  # more than are kept
    found = [None if text is None else alone[text] for text in texts]
    assert list(map(repr, values.column(texts))) == list(map(repr, found))


ODD = st.sampled_from(
    [None, "", " ", "x", "7", "0x", 0, 3, "§1e3§", "§2.0§", True, [], [1, 2], ["a", "b"], ["p; q"],
     [None, "r"], {}, {"key": "cap"}, [{"key": "cap", "value": 9}], [[{"qty": 1}]], ["", "s"],
     "§1e999§", {"town": ["t", "u"]}, [{"method": "cash"}, None], "\ud83d"[:0] + "é", "=1+1"]
)  # fmt: skip


def changed(draw: st.DrawFn, record: Any) -> Any:
    """A record with something odd at one place, however deep."""
    place = record
    while True:
        keys = list(place) if isinstance(place, dict) else range(len(place))
        key = draw(st.sampled_from(list(keys)))
        below = place[key]
        if not isinstance(below, dict | list) or not below or draw(st.integers(0, 3)) == 0:
            if isinstance(place, dict) and draw(st.booleans()):
                del place[key]
            else:
                place[key] = copy.deepcopy(draw(ODD))
            return record
        place = below


@st.composite
def texts(draw: st.DrawFn) -> bytes:
    """Records as JSON Lines, odd ones among them."""
    numbers = draw(st.lists(st.integers(1, 40), min_size=1, max_size=8))
    records = [copy.deepcopy(requisition(number)) for number in numbers]
    for at in draw(st.lists(st.integers(0, len(records) - 1), max_size=3)):
        records[at] = changed(draw, records[at])
    return b"".join(as_line(record) for record in records)


def as_line(record: Any) -> bytes:
    text = json.dumps(record, ensure_ascii=False)
    return text.replace('"§', "").replace('§"', "").encode() + b"\n"


def plan_of(layout: dict[str, Any]) -> Plan:
    first = JsonReader(Bytes("x", io.BytesIO(b"".join(map(as_line, REGULAR)))), Options()).peek()
    return make_plan(settled(layout), observe(first), TODAY)


def outcome(plan: Plan, text: bytes, exact: Any) -> Any:
    """All that becomes of some records."""
    state = RunState(plan)
    state.gathered = last_step(plan, state).gathers() or Sorter(())
    stepper, used = Stepper(plan), 0
    reader = JsonReader(Bytes("x", io.BytesIO(text)), Options())
    try:
        for batch in reader.batches(plan.record_types.record_type, exact):
            used += batch.exact
            state.absorb(stepper.step(batch))
    except (LevelsDifferError, SourceError) as error:
        return str(error), used
    last = last_step(plan, state)
    rows = [tuple(map(repr, row)) for block in last.blocks(state.gathered) for row in block]
    state.close()
    balance = balance_of(plan, state, last.proof)
    last.complete(balance)
    assert balance.balanced, balance.wrong
    return (rows, msgspec.to_builtins(balance, enc_hook=str)), used


@settings(max_examples=150)
@given(layouts(), texts())
def test_exact_types_give_what_loose_ones_give(layout: dict[str, Any], text: bytes) -> None:
    plan = plan_of(layout)
    assert plan.exactly is not None
    exactly, _ = outcome(plan, text, plan.exactly.record_types.record_type)
    loosely, _ = outcome(plan, text, None)
    assert exactly == loosely


@settings(max_examples=150)
@given(layouts_on_the_way(), texts())
def test_trees_give_where_they_stand_what_they_give_laid_flat(
    layout: dict[str, Any], text: bytes
) -> None:
    """The loose types are laid flat."""
    plan = plan_of(layout)
    assert plan.exactly is not None
    taken_apart = any(names[:1] == ("parts",) and len(names) > 1 for names in plan.places)
    assert walked_trees(plan.exactly) or not taken_apart
    exactly, _ = outcome(plan, text, plan.exactly.record_types.record_type)
    loosely, _ = outcome(plan, text, None)
    assert exactly == loosely


@pytest.mark.parametrize("lines", [False, True])
def test_regular_records_are_taken_in_exact_types(lines: bool) -> None:
    columns = {**VALUES, **(OF_LINES if lines else {})}
    layout = {"columns": [{name: value} for name, value in columns.items()]}
    plan = plan_of({**layout, "row-per": "lines"} if lines else layout)
    assert plan.exactly is not None
    text = b"".join(map(as_line, REGULAR))
    assert outcome(plan, text, plan.exactly.record_types.record_type)[1] == 1


@pytest.mark.parametrize("share", [1, 2, 40])
def test_a_list_of_one_on_the_way_is_the_object(tmp_path: Path, share: int) -> None:
    """Whichever of many records have it so, and whatever lies below it."""
    plain = [
        {
            "no": no,
            "w": {
                "name": f"n{no % 7}",
                "t": [{"q": no, "v": {"x": no}, "t": [{"q": 1}]}, {"q": 2, "v": {"x": 0}}],
                "s": [{"a": no}, {"a": 1}],
            },
        }
        for no in range(9_000)
    ]
    odd = copy.deepcopy(plain)
    for record in odd[::share]:
        inner: Any = record["w"]
        for node in inner["t"]:
            node["v"] = [node["v"]]
        record["w"] = [inner]
    columns: list[Any] = [{"No": "no"}, {"Name": "upper(w.name)"}, {"X": "w.t.v.x"}]
    columns += [{"Q": {"value": "w.t.q", "total": {"sum": "all"}}}, {"Up": "parent(w.t.q)"}]
    columns += [{"A": {"value": "sum(w.s.a)", "total": "sum"}}, {"Below": "sum(below(w.t.q))"}]
    tables = []
    for records in (plain, odd):
        source = tmp_path / "records.jsonl"
        source.write_text("".join(f"{json.dumps(one)}\n" for one in records))
        few: dict[str, Any] = {"columns": [columns[1], columns[5]]}
        for layout in ({"row-per": "w.t", "columns": columns}, few):
            table = flatledger.table(layout, source)
            tables.append(list(table))
            assert table.balance.balanced
            assert not table.balance.faults
    assert tables[:2] == tables[2:]
