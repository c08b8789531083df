"""The table in a program: what it is made from, its rows, its misuse, and handing it on."""

from __future__ import annotations

import datetime as dt
import sys
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger import Interval, Layout, TotalRow
from flatledger.outputs import formats
from flatledger.values.functions import text_of

LAYOUT: dict[str, Any] = {
    "row-per": "lines",
    "columns": [
        {"No": "no"},
        {"Day": {"value": "day", "datatype": "date"}},
        {"Sum": {"value": "lines.q * 1.5", "decimals": 2, "total": "sum", "unit": "SKC"}},
        {"State": {"value": "state", "translate": {"s": "Sent"}, "default": "-"}},
    ],
}
RECORDS = [
    {"no": "R1", "day": "2026-03-31", "state": "s", "lines": [{"q": 2}, {"q": "odd"}]},
    {"no": "R2", "day": "soon", "lines": [{"q": 1}]},
]
DAY = dt.date(2026, 3, 31)


def test_rows_totals_columns_and_the_balance() -> None:
    with flatledger.table(LAYOUT, RECORDS) as table:
        rows = list(table.rows(totals=True))
    assert rows == [
        *(("R1", DAY, Decimal("3.00"), "Sent"), ("R1", DAY, None, "Sent")),
        *(("R2", "soon", Decimal("1.50"), "-"), ("Grand total", None, Decimal("4.50"), None)),
    ]
    assert [isinstance(row, TotalRow) for row in rows] == [False, False, False, True]
    assert table.balance.balanced
    assert table.balance.fault_count == 2
    assert [(one.heading, one.type, one.level, one.unit) for one in table.columns] == [
        *(("No", "", "record", ""), ("Day", "DATE", "record", "")),
        *(("Sum, SKC", "NUMERIC", "lines", "SKC"), ("State", "", "record", "")),
    ]
    assert list(flatledger.table(LAYOUT, RECORDS)) == rows[:3]
    assert list(flatledger.table(LAYOUT, RECORDS).rows()) == rows[:3]
    assert list(flatledger.table(LAYOUT, RECORDS).totals()) == rows[3:]
    named = list(flatledger.table(LAYOUT, RECORDS).dicts(totals=True))
    assert named == [dict(zip(table.headings, row, strict=True)) for row in rows]
    for totals, expected in ((False, rows[:3]), (True, rows)):
        batches = list(flatledger.table(LAYOUT, RECORDS).batches(totals=totals))
        assert all(batches)
        assert [row for block in batches for row in block] == expected


def test_what_sums_up_rows_is_in_no_sum_of_them() -> None:
    columns = [{"Site": "site"}, {"Day": "day"}, {"Q": {"value": "q", "total": "sum"}}]
    records = [{"site": "NS"[n % 2], "day": n % 3, "q": n} for n in range(20)]
    for layout in (
        {"columns": columns, "group": ["Site", "Day"]},
        {"columns": columns, "group": ["Site", "Day"], "totals": {"detail": "no"}},
        {"columns": columns, "group": ["Site"], "totals": {"subtotals": "before"}},
        {"columns": columns, "totals": {"grand-total": "no"}},
        {
            "row-per-group": ["site"],
            "columns": [columns[0], {"Q": {"value": "sum(q)", "total": "sum"}}],
        },
    ):
        rows = flatledger.table(layout, records)
        assert sum(row[-1] for row in rows) == 190
        assert flatledger.table(layout, records).to_arrow()["Q"].to_pylist() == [
            row["Q"] for row in flatledger.table(layout, records).dicts()
        ]


def test_threads_have_a_table_each() -> None:
    begun, go_on = threading.Event(), threading.Event()

    def slowly() -> Iterator[dict[str, int]]:
        yield from ({"no": n} for n in range(1_000))
        begun.set()
        go_on.wait(60)
        yield {"no": 1_000}

    rows = flatledger.table({"levels": [], "columns": [{"No": "no"}]}, slowly())
    with ThreadPoolExecutor(1) as pool:
        other = pool.submit(list, rows)
        begun.wait(60)
        for use in (lambda: next(rows), rows.close):
            with pytest.raises(flatledger.TableReadError, match="another thread is taking rows"):
                use()
        go_on.set()
        assert len(other.result()) == 1_001


def test_what_is_taken_twice_or_too_early_has_an_error_of_its_own() -> None:
    table = flatledger.table(LAYOUT, RECORDS)
    with pytest.raises(flatledger.TableNotReadError, match="comes after the last row"):
        _ = table.balance
    next(table)
    for again in (table.batches, table.to_pandas):
        with pytest.raises(flatledger.TableReadError, match="taken already"):
            again()
    assert len(list(table)) == 2
    for again in (lambda: list(table), table.rows, table.totals, table.dicts, table.batches):
        with pytest.raises(flatledger.TableReadError, match="ask for"):
            again()
    slip = flatledger.table({"columns": [{"No": "numbre"}]}, [{"number": 1}])
    with pytest.raises(flatledger.LayoutError):
        list(slip)
    with pytest.raises(flatledger.TableClosedError, match="ended in an error"):
        list(slip)
    for rows_taken in (0, 1):
        with flatledger.table(LAYOUT, RECORDS) as closed:
            for _ in range(rows_taken):
                next(closed)
        for use in (lambda: list(closed), lambda: next(closed)):
            with pytest.raises(flatledger.TableClosedError):
                use()


def test_every_verb_takes_what_a_person_has(tmp_path: Path) -> None:
    layout = Layout.from_data(LAYOUT)
    path = tmp_path / "own.yaml"
    path.write_text(layout.to_text(), encoding="utf-8")
    verbs: list[Callable[[Any], Any]] = [
        lambda given: list(flatledger.table(given, RECORDS)),
        lambda given: flatledger.preview(given, RECORDS).first,
        lambda given: (
            flatledger.export(given, RECORDS, tmp_path / "t.csv").rows,
            (tmp_path / "t.csv").read_bytes(),
        ),
    ]
    for verb in verbs:
        expected = verb(layout)
        assert verb(LAYOUT) == verb(path) == verb(str(path)) == expected
        for wrong, says in (
            (path.read_text(encoding="utf-8"), "goes to Layout.from_text"),
            (["columns"], "a layout is a path, a name on the shelf, a mapping"),
        ):
            with pytest.raises(flatledger.LayoutError, match=says):
                verb(wrong)
        with pytest.raises(flatledger.ShelfError):
            verb("no-such-name")


# ---- handed on -------------------------------------------------------------------------------

moments = st.datetimes(dt.datetime(1900, 1, 1), dt.datetime(2100, 1, 1))
decimals = st.decimals(
    allow_nan=False, allow_infinity=False, places=3, min_value=-(10**9), max_value=10**9
)
kinds = {
    "whole": st.integers(-(2**62), 2**62),
    "long": st.integers(-(10**60), 10**60),
    "decimal": decimals,
    "text": st.text(st.characters(exclude_categories=["Cs"]), min_size=1).filter(str.strip),
    "truth": st.booleans(),
    "mixed": st.integers(0, 9) | st.sampled_from(["a", "b"]) | st.booleans(),
}


@settings(max_examples=100)
@given(st.data())
def test_arrow_and_pandas_hold_the_cells_that_the_rows_have(data: st.DataObject) -> None:
    shape = {name: st.none() | of for name, of in kinds.items()}
    records = data.draw(st.lists(st.fixed_dictionaries(shape), max_size=6))
    layout = {"columns": [{name: name} for name in kinds]}
    rows = list(flatledger.table(layout, records))
    found = pa.table(flatledger.table(layout, records))
    table = flatledger.table(layout, records)
    frame = table.to_pandas()
    assert pa.table(table).equals(found)
    assert pa.table(table).equals(found)  # as often as it is asked for
    assert found.column_names == list(frame.columns) == list(kinds)
    for at, name in enumerate(kinds):
        cells = [row[at] for row in rows]
        held = found.column(name).to_pylist()
        if pa.types.is_string(found.schema.field(name).type):
            cells = [None if cell is None else text_of(cell) for cell in cells]
        assert held == cells, name
        taken = [
            None if cell is None or cell is frame[name].dtype.na_value else cell
            for cell in frame[name]
        ]
        assert taken == cells, name


def test_days_moments_times_and_faults_in_arrow() -> None:
    layout = {
        "columns": [
            {"Day": {"value": "a", "datatype": "date"}},
            {"At": {"value": "b", "datatype": "dateTime"}},
            {"Time": {"value": "c", "datatype": "time"}},
            {"Span": {"value": "d", "datatype": "duration"}},
            {"Amount": {"value": "e", "decimals": 2, "format": "#,##0.00", "total": "sum"}},
            {"None": {"value": "f", "datatype": "date"}},
        ]
    }
    record = {"a": "2026-03-31", "b": "2026-03-31T10:00:00Z", "c": "09:30", "d": "PT90M", "e": 1234}
    records = [record, {**record, "a": "soon", "e": None}]
    found = pa.table(flatledger.table(layout, records))
    assert list(map(str, found.schema.types)) == [
        *("date32[day]", "timestamp[us, tz=UTC]", "time64[us]", "string", "decimal128(38, 2)"),
        "date32[day]",
    ]
    assert found.to_pylist()[1] == {
        "Day": None,
        "At": dt.datetime(2026, 3, 31, 10, tzinfo=dt.UTC),
        "Time": dt.time(9, 30),
        "Span": str(Interval(0, dt.timedelta(minutes=90))),
        "Amount": None,
        "None": None,
    }
    with_totals = flatledger.table(layout, records).to_pandas(totals=True)
    assert len(with_totals) == 3
    assert with_totals["Amount"].iloc[-1] == Decimal("1234.00")
    for value, says in ((10**79, "numbers of 80 digits"), ("\ud800", "half a character")):
        with pytest.raises(flatledger.OutputError, match=says):
            pa.table(flatledger.table({"columns": [{"A": "a"}]}, [{"a": value}]))


def test_a_missing_extra_says_what_to_install(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delitem(sys.modules, "flatledger.outputs.documents.arrow", raising=False)
    monkeypatch.setitem(sys.modules, "pyarrow", None)
    with pytest.raises(flatledger.MissingExtraError, match=r"pip install 'flatledger\[arrow\]'"):
        flatledger.table(LAYOUT, RECORDS).__arrow_c_stream__()
    wanting = formats.TableFormat("arrow", (), "documents.arrow", "arrow")
    with pytest.raises(flatledger.MissingExtraError, match="writing ARROW needs a package"):
        wanting.load()
    with pytest.raises(flatledger.SourceError, match="no format `cvs`; there are"):
        list(flatledger.table({**LAYOUT, "source": {"format": "cvs"}}, "-"))
    with pytest.raises(
        flatledger.OutputError, match="no format `cvs`; there are csv, tsv, fixed-width, xlsx"
    ):
        flatledger.export({**LAYOUT, "output": {"format": "cvs"}}, RECORDS, "-")
    with pytest.raises(flatledger.OutputError, match="format is csv, and such a name is for xlsx"):
        flatledger.export({**LAYOUT, "output": {"format": "csv"}}, RECORDS, "table.xlsx")


def test_every_result_shows_itself_in_a_notebook(tmp_path: Path) -> None:
    records = [{"no": 1, "fee": Decimal("1.5")}, {"no": "<i>", "fee": "x"}]
    layout = {"columns": [{"No": "no"}, {"Fee": {"value": "fee", "total": "sum"}}]}
    rows = flatledger.table(layout, records)
    results = [
        (rows, "Fee"),
        (flatledger.export(layout, records, tmp_path / "o.csv"), "1 fault in fee"),
        (flatledger.survey(records), "fee"),
        (flatledger.draft(records), "columns:"),
        (flatledger.preview(layout, records), "1.5"),
        (flatledger.evaluate("no", records), "&lt;i&gt;"),
        (flatledger.distinct_values("no", records), "&lt;i&gt;"),
        (flatledger.Layout.of(layout), "Fee:"),
        (flatledger.Shelf([tmp_path]), "what it is for"),
    ]
    for result, held in results:
        page = result._repr_html_()  # type: ignore[attr-defined]
        assert held in page, result
        assert "<i>" not in page
        if not isinstance(result, str | list):
            assert len(repr(result)) < 140, result
    assert next(rows) == (1, Decimal("1.5"))
