"""Any properties of a column over any values give a table and a balance, or a refusal."""

from __future__ import annotations

import datetime as dt
import io
from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger import Layout, LayoutError, OutputError, SourceError
from flatledger.values.literals import Interval
from flatledger.values.numbers import PlainDecimal

plain = st.sampled_from(
    [
        *(None, "", " ", "x", "yes", 0, 1, -7, 10**30, True, False, Decimal("2.50"), 0.1),
        *("2.5", "1e3", "5 kg", "500 g", "£1,200.50", "(3)", "7 %", "2026-03-31", "31.3.26"),
        *("2026-03-31T09:30:00", "2026-03-31T09:30:00Z", "09:30", "PT90M", "3 days", "5 mars 2026"),
        *("a; b", 'a "b"', "<b>a</b>\n b", "\ud800", "a\x00b", "１２", "∞", "NaN", "--", "=1"),
    ]
)
value = st.recursive(
    plain,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.just("k"), inner),
    max_leaves=4,
)
VALUES = [
    *("v", "v", "v", "lines.v", "v + 1", "v || 'x'", "first(side.v)", "listagg(side.v)"),
    *("sum(side.v)", "coalesce(v, 'y')", "cast(v as decimal(9, 2))", "v[0]", "count(side)"),
    *("case when v > 1 then v end", "working_time(v, 'hours')", "v is null", "1", "'t'"),
]
KINDS: list[dict[str, list[Any]]] = [  # properties that go together
    {
        "datatype": ["integer", "decimal"],
        "reads": ["amount"],
        "unit": [
            *("kg", {"from": "minutes", "to": "hours"}, {"to": "kg", "factor": "1/3"}),
            {"from": "minor-unit", "to": "GBP"},
        ],
        "total": ["sum", "avg", "count", "min", "max", {"sum": "exact"}],
        "format": ["0.0", "#,##0"],
    },
    {"decimals": ["0", "2", "9"], "total": ["sum", "max", {"avg": "exact"}], "unit": ["kg"]},
    {"datatype": ["date", "dateTime"], "reads": ["d.M.yy", "d MMMM yyyy"], "format": ["d/M y"]},
    {"datatype": ["boolean"], "format": ["Y|N"], "total": ["count"]},
    {"datatype": ["time", "duration", "string"], "total": ["count"]},
    {
        "clean": ["trim", ["collapse", "nfc"], "single-line", "strip-markup"],
        "separator": ["; ", "|", "a"],
        "separator-in-value": ["quote", "replace", "report"],
        "aligned": ["yes"],
    },
]
WRITING: dict[str, list[Any]] = {
    "translate": [{"x": "X"}, {"codes": {"x": "X"}, "otherwise": "fault"}],
    "locale": ["sv", "de"],
    "default": ["none"],
}
CELLS = {str, int, Decimal, PlainDecimal, type(None)}


def one_of(options: dict[str, list[Any]]) -> st.SearchStrategy[dict[str, Any]]:
    """The datatype, if there is one, and some of the other properties."""
    choices = {name: st.sampled_from(values) for name, values in options.items()}
    needed = {name: choices.pop(name) for name in ("datatype",) if name in choices}
    return st.fixed_dictionaries({"value": st.sampled_from(VALUES), **needed}, optional=choices)


columns = st.sampled_from(KINDS).flatmap(lambda kind: one_of({**kind, **WRITING}))
records = st.lists(
    st.fixed_dictionaries(
        {
            "v": value,
            "lines": st.lists(st.fixed_dictionaries({"v": value}), max_size=2),
            "side": st.lists(st.fixed_dictionaries({"v": plain}), max_size=2) | value,
        }
    ),
    max_size=4,
)


@settings(max_examples=120)
@given(st.lists(columns, min_size=1, max_size=3), records, st.booleans(), st.booleans())
def test_nothing_stops_a_run_but_a_refusal(
    properties: list[Any], source: list[Any], lines: bool, grouped: bool
) -> None:
    layout: dict[str, Any] = {
        "columns": [{f"C{place}": one} for place, one in enumerate(properties)],
        **({"row-per": "lines"} if lines else {}),
        **({"group": ["C0"], "sort": ["C0 desc"]} if grouped else {}),
    }
    table = io.BytesIO()
    try:
        parsed = Layout.from_data(layout)
        rows = flatledger.table(parsed, source)
        cells = list(rows.rows(totals=True))
        flatledger.export(parsed, source, table)
    except (LayoutError, OutputError):
        return
    except SourceError as error:  # no `side` has what is asked for
        sides = [one["side"] for one in source if isinstance(one["side"], list)]
        had = any(
            not side or any(isinstance(entry, dict) and "v" in entry for entry in side)
            for side in sides
        )
        if had or "none of the fields" not in str(error):
            raise
        return
    balance = rows.balance
    assert balance.balanced
    assert len(cells) == balance.rows + balance.total_rows
    allowed = (str, int, Decimal, dt.date, dt.time, Interval, type(None))
    assert all(isinstance(cell, allowed) for row in cells for cell in row)
    assert table.getvalue().decode("utf-8")
