"""Rows of a table that are totals of others: found, pointed out, left out, and never more."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.structure.total_rows import TotalRowsLook
from tests.conftest import Tool

HEADINGS = ["Part", "Supplier", "Year", "Qty", "Cost"]
LAYOUT: dict[str, Any] = {
    "columns": [
        *({name: name} for name in ("Part", "Supplier")),
        {"Qty": {"value": "Qty", "total": "sum"}},
        {"Cost": {"value": "Cost", "total": "sum"}},
    ]
}
Row = list[Any]


@st.composite
def grouped(draw: st.DrawFn) -> tuple[list[Row], list[Row]]:
    """Rows of data, and the same with totals of groups among them and perhaps one of all, after
    what they sum up."""
    data: list[Row] = []
    shown: list[Row] = []
    cells = st.integers(-50, 500), st.decimals(-9, 99, places=2)
    each = draw(st.booleans())  # a total that lacks one before it would sum up its rows too
    for name in draw(st.lists(st.sampled_from("ABC"), min_size=1, max_size=4)):
        quantities = [[draw(one) for one in cells] for _ in range(draw(st.integers(1, 4)))]
        rows = [[f"{name}{at}", "Acme", 2026, *two] for at, two in enumerate(quantities)]
        data += rows
        shown += rows
        if each:
            label = draw(st.sampled_from(["Total", "Sum of " + name, name + " total", "Summe"]))
            label = "Total" if label.startswith("Sum of") else label
            shown.append([label, None, None, *sums(rows)])
    if not each or draw(st.booleans()):
        shown.append(["Grand total", None, None, *sums(data)])
    return data, shown


def sums(rows: list[Row]) -> list[Any]:
    return [sum(row[3] for row in rows), sum((row[4] for row in rows), Decimal(0))]


def as_csv(rows: list[Row]) -> bytes:
    text = io.StringIO()
    csv.writer(text).writerows([HEADINGS, *rows])
    return text.getvalue().encode()


def as_workbook(rows: list[Row]) -> bytes:
    stream = io.BytesIO()
    with xlsxwriter.Workbook(stream) as book:
        sheet = book.add_worksheet()
        for at, row in enumerate([HEADINGS, *rows]):
            sheet.write_row(at, 0, [float(one) if isinstance(one, Decimal) else one for one in row])
    return stream.getvalue()


def totals(source: bytes, **keys: Any) -> tuple[list[Any], Any]:
    """The grand total of a table, and its balance."""
    rows = flatledger.table({**LAYOUT, "source": keys}, io.BytesIO(source))
    return [*list(rows.rows(totals=True))[-1][2:]], rows.balance


@settings(max_examples=80)
@given(made=grouped(), form=st.sampled_from([as_csv, as_workbook]), turned=st.booleans())
def test_total_rows_are_found_and_left_out(
    made: tuple[list[Row], list[Row]], form: Callable[[list[Row]], bytes], turned: bool
) -> None:
    """However they are nested, before or after what they sum up: the table is that of the data."""
    data, shown = made
    shown = shown[::-1] if turned else shown
    source, count = form(shown), len(shown) - len(data)
    says = {"drop": ["Supplier", "Year"], **({"subtotals": "before"} if turned else {})}
    for said in ("drop", says):
        found, balance = totals(source, **{"total-rows": said})
        assert [Decimal(str(one)) for one in found] == sums(data)
        assert balance.totals_left_out.many == count
        assert balance.balanced
        assert not balance.fault_count
    drafted = flatledger.draft(io.BytesIO(source))
    assert "sum up others" in drafted or "sums up others" in drafted


@settings(max_examples=60)
@given(
    made=grouped(),
    place=st.integers(0, 30),
    off=st.integers(1, 9),
    more=st.lists(st.tuples(st.integers(0, 30), st.sampled_from(["", "Part"])), max_size=3),
)
def test_nothing_but_total_rows_is_ever_left_out(
    made: tuple[list[Row], list[Row]], place: int, off: int, more: list[tuple[int, str]]
) -> None:
    """A row that is no sum stays and is a fault, one without label or blanks is one like others;
    further rows change nothing of it."""
    shown = made[1]
    wrong = [*shown]
    wrong.insert(place % len(shown), ["Total", None, None, 10_000 + off, Decimal("0.01")])
    for at, label in more:  # filled where a total is blank, or without a word
        wrong.insert(at % len(wrong), [label or "Total X", "Acme", 2026, off, Decimal(off)])
    stays = [row for row in wrong if row[1] is not None or row[3] > 10_000]
    _, balance = totals(as_csv(wrong), **{"total-rows": {"drop": ["Supplier", "Year"]}})
    left = balance.totals_left_out.many
    assert balance.read + left == len(wrong)
    assert balance.read >= len(stays)
    assert any("sums up no rows" in str(one.reason) for one in balance.faults)
    kept, untouched = totals(as_csv(wrong), **{"total-rows": "keep"})
    assert kept == [sum(row[3] for row in wrong), sum((row[4] for row in wrong), Decimal(0))]
    assert not any("total" in one for one in untouched.notices)
    assert not untouched.fault_count


@pytest.mark.parametrize(
    ("rows", "blank", "candidates"),
    [
        ([["a", "x", 1], ["b", "x", 2], ["Total", None, 3]], ("Supplier",), [2]),
        ([["a", "x", 1], ["b", "x", 2], ["Total", "x", 3]], (), []),  # filled: a row like others
        ([["a", "x", 1], ["Sum insured", "x", 2], ["Total", None, 3]], ("Supplier",), [2]),
        ([["a", "x", 1], ["b", "x", 2], ["Total", None, 4]], ("Supplier",), [0]),
        ([["a", None, 1], ["b", None, 2], ["TOTAL", None, 3]], (), [2]),  # told, never left out
        (
            [["a", "x", "1,200.50"], ["b", "x", "0.50"], ["Total", "", "1,201.00"]],
            ("Supplier",),
            [2],
        ),
        (
            [["a", "x", "1.200,50"], ["b", "x", "0,50"], ["Summe", "", "1.201,00"]],
            ("Supplier",),
            [2],
        ),
        ([["Total", None, 3], ["a", "x", 1], ["b", "x", 2]], ("Supplier",), [2]),
        ([["Totally", None, 3], ["a", "x", 1], ["b", "x", 2]], (), []),
        ([["a", "x", 2024], ["b", "x", 2025], ["Total", None, 4049]], (), []),  # years
    ],
)
def test_what_is_a_candidate(rows: list[Row], blank: Any, candidates: list[int]) -> None:
    looked_at(("Part", "Supplier", "Qty"), rows, blank, candidates)


@pytest.mark.parametrize(
    ("rows", "blank", "candidates"),
    [
        ([["a", 12, 1], ["b", 6, 2], ["Total", 18, 3]], (), [2]),  # as many, whatever it is called
        ([["a", 12, 1], ["b", 6, 2], ["Total", 17, 3]], (), [0]),
        ([["a", 12, 1], ["b", 6, 2], ["Total", None, 3]], ("Number",), [2]),
    ],
)
def test_a_column_called_like_an_identifier(
    rows: list[Row], blank: Any, candidates: list[int]
) -> None:
    looked_at(("Part", "Number", "Qty"), rows, blank, candidates)


def looked_at(names: tuple[str, ...], rows: list[Row], blank: Any, candidates: list[int]) -> None:
    look = TotalRowsLook()
    records = [dict(zip(names, row, strict=True)) for row in rows]
    for cut in (records[:2], records[2:]):
        look.add(cut, lambda place: place)
    found = look.found()
    assert [one.rows for one in found.rows] == candidates
    assert found.blank == blank


def test_survey_preview_and_balance_name_them(tool: Tool, tmp_path: Path) -> None:
    data: list[Row] = [[f"P{at}", "Acme", 2026, at, Decimal(at)] for at in range(1, 41)]
    rows = [*data, ["TOTAL", None, None, *sums(data)]]
    (tmp_path / "inv.xlsx").write_bytes(as_workbook(rows))
    (tmp_path / "inv.csv").write_bytes(as_csv(rows))
    (tmp_path / "l.yaml").write_text(
        "columns:\n  - Part: Part\n  - Qty: {value: Qty, total: sum}\n", encoding="utf-8"
    )
    says = "row 42 (TOTAL) sums up others, and it is counted with them"
    drop = "`source: {total-rows: {drop: [Supplier, Year]}}` leaves it out"
    for name in ("inv.xlsx", "inv.csv"):
        for command in (f"survey {name}", f"preview l.yaml {name}", f"export l.yaml {name}"):
            done = tool(*command.split())
            told = done.stdout + done.stderr
            assert says in told
            assert drop in told
        assert tool("export", "l.yaml", name, "--strict").returncode == 3
        drafted = tool("draft", name).stdout
        assert "total-rows:" in drafted
        (tmp_path / "d.yaml").write_text(drafted, encoding="utf-8")
        done = tool("export", "d.yaml", name, "-o", "out.csv")
        assert "total rows" in done.stderr
        assert "of the source, left out: " in done.stderr
        assert "Totals agree. No faults." in done.stderr
        made = (tmp_path / "out.csv").read_bytes().decode()
        assert made.splitlines()[-1] == "Grand total,820,820,,"
    piped = tool("export", "d.yaml", "-", "-o", "-", stdin=(tmp_path / "inv.csv").read_bytes())
    assert piped.stdout.splitlines() == made.splitlines()


def test_the_total_rows_of_our_own_json_are_known(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "s.jsonl").write_text('{"no":"a","qty":2} {"no":"b","qty":3}', encoding="utf-8")
    column = "Qty: {value: qty, total: sum}"
    assert tool("export", "s.jsonl", "--column", column, "-o", "t.jsonl").returncode == 0
    says = "1 record is a total row of a table (`@total`)"
    assert says in tool("survey", "t.jsonl").stderr
    drafted = tool("draft", "t.jsonl", "-o", "d.yaml")
    assert drafted.returncode == 0
    done = tool("export", "d.yaml", "t.jsonl", "-o", "-")
    assert done.stdout.splitlines() == ["Qty", "2", "3", "5"]


@pytest.mark.parametrize("said", ["drop", {"drop": ["By"]}])
def test_rows_that_are_left_out_as_faulty_are_in_no_sum(said: Any) -> None:
    """One bad line among the others changes nothing of what the total rows are held against."""
    text = b'Part,By,Cost\na,x,5\nbad\n"oops,y,1\nb,y,5\nTOTAL,,10\nc,z,1,9,9\nGrand total,,10\n'
    layout = {
        "source": {"format": "csv", "total-rows": said},
        "columns": [{"C": {"value": "Cost", "total": "sum"}}],
    }
    rows = flatledger.table(layout, io.BytesIO(text))
    assert list(rows.rows(totals=True)) == [(5,), (5,), (10,)]
    assert rows.balance.totals_left_out.where == ("line 6", "line 8")


def test_where_no_column_tells_them_nothing_is_left_out() -> None:
    text = b"Part,Cost\nTotal care,5\nb,5\nSubtotal kit,10\n"
    layout = {
        "source": {"total-rows": "drop"},
        "columns": [{"C": {"value": "Cost", "total": "sum"}}],
    }
    rows = flatledger.table(layout, io.BytesIO(text))
    assert list(rows.rows(totals=True)) == [(5,), (5,), (10,), (20,)]
    assert "no column that others fill is blank in it" in rows.balance.notices[0]
