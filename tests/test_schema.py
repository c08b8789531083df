"""The JSON Schema of a layout, held against what reads a layout."""

from __future__ import annotations

import copy
import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from ruamel.yaml import YAML

import flatledger
from flatledger import Layout, LayoutError
from tests.conftest import Tool

SCHEMA = flatledger.layout_schema()
VALIDATOR = Draft202012Validator(SCHEMA)
SHIPPED = Path(flatledger.__file__).with_name("layout") / "reading" / "layout.schema.json"
DEMO = sorted(Path(flatledger.__file__).with_name("demo").glob("layouts/*.yaml"))
WHOLE: dict[str, Any] = {  # each key of a layout, and each form that its value can have
    "layout": "whole",
    "about": "All that there is",
    "locale": "en-GB",
    "source": {
        "records": ["data.items", "data.more"],
        "namespaces": {"s": "urn:stores"},
        "file-order": "as-named",
        "unreadable-files": "skip",
        "broken-records": "in-part",
        "format": "json",
        "largest-record": 12,
        "delimiter": "||",
        "quote-char": "none",
        "escape-char": "backslash",
        "line-terminator": "record-separator",
        "encoding": "utf-8-bom",
        "header-row-count": 2,
        "skip-rows": 3,
        "short-rows": "blank",
        "total-rows": {"drop": ["Part"], "subtotals": "before"},
        "comment-prefix": "hash",
        "headings": "paths",
        "widths": {"No": 6},
        "formula-guard": "yes",
        "sheet": "Stores",
        "range": "A4:H90",
        "fill-merged": "no",
        "hidden-rows": "drop",
        "largest-unpacked": 100,
    },
    "nests": {"tasks": "subtasks"},
    "nest": {"into": "parts", "key": "id", "parent": "within", "per": "project"},
    "open": {"parts": {"to-depth": 2}, "tasks": "no", "jobs": {"until": "jobs.bought"}},
    "opens-by": {"key": "units.part", "named-by": "no", "source": {"records": "units"}},
    "levels": ["lines", "lines.options", "crew", "payments"],
    "may-lack": "remarks",
    "row-per": "lines",
    "without-entries": "keep",
    "repeat-parents": "no",
    "primary-key": ["No", "Line"],
    "columns": [
        {"No": "no"},
        {"Line": {"value": "lines.no", "datatype": "integer", "total": "count"}},
        {"Checked by": None},
        {"Same": {"text": "SKC"}},
        {"Paid": {"value": "fee", "decimals": 2, "rounding": "half-up", "total": {"sum": "exact"}}},
        {"Cost": {"value": "parts.cost", "total": {"sum": ["exact", "tops"]}}},
        {"Raised": {"value": "raised", "datatype": "date", "reads": "dd.MM.yyyy", "format": "d M"}},
        {"Tags": {"value": "tags", "separator": "pipe", "separator-in-value": "quote"}},
        {"Crew": {"value": "crew", "separator": "; ", "aligned": True, "titles": ["Hands"]}},
        {"Kind": {"value": "kind", "translate": {"a": "A"}, "default": "-", "clean": ["trim"]}},
        {"Code": {"value": "kind", "translate": {"codes": {"b": "B"}, "otherwise": "blank"}}},
        {"Time": {"value": "spent", "unit": {"from": "minutes", "to": "hours"}, "null": "none"}},
        {"Mass": {"value": "mass", "reads": "amount", "datatype": "decimal", "unit": "kg"}},
        {"Hidden": {"value": "x", "suppress-output": "yes", "locale": "sv"}},
        {"Wide": {"value": "x", "width": 9, "align": "right", "fill": "0", "required": "yes"}},
        {"One of": {"value": "x", "allowed": ["a", "b"]}},
        {
            "{key}": {
                "columns-from": "lines.options",
                "named-by": "lines.options.key",
                "values": {"Value": "lines.options.value"},
                "keys": ["voltage", "cap"],
                "labels": {"cap": "Cap"},
                "at-most": 9,
            }
        },
    ],
    "only": [
        "no > 1",
        {"keep": "payments", "when": "payments.paid", "name": "paid", "because": "x"},
        {"keep": "parts", "when": "parts.kind = 'pump'", "with": "ancestors"},
    ],
    "ask": {
        "from": {"datatype": "date", "says": "First day", "default": "today"},
        "least": "decimal",
    },
    "expects-order": ["no desc", {"entry": "lines.no", "after": "lines.needs"}],
    "take": {"first": 5, "every": 2, "of": "rows"},
    "sort": ["No desc", "raised"],
    "group": {
        "by": ["Kind", {"by": "No", "page-break": "no", "label": "{rows}"}],
        "order": "as-met",
        "reopened": "allowed",
    },
    "totals": {"subtotals": "after", "detail": True, "grand-total": "no", "label": "{group}"},
    "calendar": {"hours-per-day": 7.5, "days-per-week": 5},
    "split": {"crew": {"by": "semicolon", "pair": {"name": "names", "post": "posts"}}},
    "output": {"file": "a-{from}.csv", "format": "csv", "delimiter": "tab", "quote-char": "none"},
}
WHOLE["output"] |= {"quote": "all", "header": True, "second-header": "units", "if-there": "number"}
WHOLE["output"] |= {"line-terminator": "lf", "encoding": "utf-8", "formula-guard": False}
WHOLE["output"] |= {"escape-char": "backslash", "preamble": ["Lines"], "line-break": "keep"}
WHOLE["output"] |= {"decimal-char": "comma", "null": "none", "unencodable": "refuse"}
WHOLE["output"] |= {"too-long": "cut", "beyond": "continue", "sheet": "Lines", "csvw": True}
WHOLE["output"] |= {"with-balance": "no", "level-column": "no", "indent": 2}
WHOLE["fields"] = {
    "raised": "date",
    "fee": {"datatype": "decimal", "reads": "amount", "locale": "de", "null": ["n/a"]},
    "weight": {
        "datatype": "decimal",
        "reads": ["amount"],
        "unit": {"to": "kg", "factors": {"g": "0.001"}},
    },
    "note": {"clean": "trim", "datatype": "string"},
}


def reads(layout: Any) -> bool:
    """Whether a layout can be read."""
    try:
        Layout.from_data(layout)
    except LayoutError:
        return False
    return True


def places(value: Any, at: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Where there is something in a layout."""
    found = [at]
    pairs = (
        value.items()
        if isinstance(value, dict)
        else enumerate(value)
        if isinstance(value, list)
        else ()
    )
    return [*found, *(place for key, one in pairs for place in places(one, (*at, key)))]


def changed(layout: Any, at: tuple[Any, ...], value: Any) -> Any:
    """A layout with another value at a place."""
    if not at:
        return value
    layout = copy.deepcopy(layout)
    inner = layout
    for step in at[:-1]:
        inner = inner[step]
    inner[at[-1]] = value
    return layout


def test_the_schema_that_ships_is_the_one_that_is_read_by(tool: Tool) -> None:
    Draft202012Validator.check_schema(SCHEMA)
    assert json.loads(SHIPPED.read_text(encoding="utf-8")) == SCHEMA, "make schema writes it anew"
    assert json.loads(tool("schema").stdout) == SCHEMA
    assert tool("schema", "-o", "layout.json").returncode == 0


def test_a_whole_layout_and_the_samples_are_valid() -> None:
    assert reads(WHOLE)
    assert not list(VALIDATOR.iter_errors(WHOLE))
    for file in DEMO:
        data = YAML(typ="safe", pure=True).load(file.read_text(encoding="utf-8"))
        assert not list(VALIDATOR.iter_errors(data)), file


def test_each_key_of_the_schema_is_read() -> None:
    """What is a key there is one for the reader, and stands in the layout above or needs a file."""
    here = {str(step) for place in places(WHOLE) for step in place}
    keys = {
        key for place in places(SCHEMA) if place[-2:-1] == ("properties",) for key in place[-1:]
    }
    elsewhere = {"from", "leave-out", "row-per-group", "fit-to", "form", "header-row", "first-row"}
    elsewhere |= {"lookup", "file", "matched-by", "key", "many", "of", "factor", "factors", "avg"}
    elsewhere |= {"definitions", "count", "min", "max", "depth", "numbering"}
    elsewhere |= {"allowed", "heading", "grand-label", "folded", "value", "text", "tables"}
    assert keys - here <= elsewhere


@settings(max_examples=300)
@given(
    st.sampled_from(places(WHOLE)),
    st.sampled_from(
        ["", "x", "no", "all", 3, -1, 1.5, True, None, [], ["x"], {}, {"zzz": "x"}, {"value": "x"}]
    ),
)
def test_what_is_read_is_valid(at: tuple[Any, ...], value: Any) -> None:
    layout = changed(WHOLE, at, value)
    if reads(layout):
        assert not list(VALIDATOR.iter_errors(layout)), (at, value)


@pytest.mark.parametrize("at", [place for place in places(WHOLE) if place])
def test_neither_takes_an_unknown_key(at: tuple[Any, ...]) -> None:
    inner: Any = WHOLE
    for step in at:
        inner = inner[step]
    own_names = {"ask", "split", "translate", "codes", "labels", "values", "pair", "columns"}
    own_names |= {"nests", "open", "namespaces", "fields", "factors"}
    if isinstance(inner, dict) and not own_names & {at[-1], *at[-2:-1][: at[-1].__class__ is int]}:
        layout = changed(WHOLE, at, {**inner, "zzz": "x"})
        assert not reads(layout)
        assert list(VALIDATOR.iter_errors(layout))
