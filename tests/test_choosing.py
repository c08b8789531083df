"""Choosing records: conditions and their funnel, asked values, periods, words, taking some."""

from __future__ import annotations

import datetime as dt
import json
import os
import subprocess
import sys
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import AnswerError, Layout, LayoutError
from flatledger.reports.balance_text import remark_on
from flatledger.values.literals import Interval
from flatledger.values.periods import parse_period
from tests.conftest import Tool, table

# ---- the funnel

numbers = st.one_of(st.none(), st.integers(-3, 3))
records_strategy = st.lists(
    st.fixed_dictionaries(
        {
            "a": numbers,
            "b": numbers,
            "lines": st.lists(st.fixed_dictionaries({"c": numbers, "d": numbers}), max_size=4),
        }
    ),
    max_size=12,
)
comparisons = st.tuples(st.sampled_from(["<", ">=", "="]), st.integers(-2, 2))
SIGNS = {"<": lambda x, y: x < y, ">=": lambda x, y: x >= y, "=": lambda x, y: x == y}


@given(records_strategy, st.lists(st.tuples(st.sampled_from("abcd"), comparisons), max_size=4))
def test_what_is_kept_and_held_back_is_what_was_met(records: list[Any], wanted: Any) -> None:
    texts = [
        f"{'lines.' if field in 'cd' else ''}{field} {sign} {number}"
        for field, (sign, number) in wanted
    ]
    layout = {"row-per": "lines", "columns": [{"A": "a"}, {"C": "lines.c"}], "only": texts}
    _, balance = table(layout, records)
    assert balance.balanced
    lines = [line for record in records for line in record["lines"]]
    left: dict[bool, list[Any]] = {True: list(lines), False: list(records)}
    for count, (field, (sign, number)) in zip(balance.conditions, wanted, strict=True):
        met = lines if field in "cd" else records
        known = [one for one in met if one[field] is not None]
        kept = [one for one in known if SIGNS[sign](one[field], number)]
        assert (count.tested, count.passed) == (len(met), len(kept))
        assert (count.filtered_out, count.unknown) == (
            len(known) - len(kept),
            len(met) - len(known),
        )
        left[field in "cd"] = [one for one in left[field in "cd"] if any(one is k for k in kept)]
        assert count.remaining == len(left[field in "cd"])


def test_a_condition_that_empties_the_table_says_what_it_met() -> None:
    records = [{"no": n, "status": "open" if n % 3 else "sent"} for n in range(2_500)]
    only = [
        {"name": "numbered", "because": "others are drafts", "when": "no >= 0"},
        {"name": "lost", "when": "status = 'lost'"},
        "no < 2",
    ]
    _, balance = table({"columns": [{"No": "no"}], "only": only}, records)
    numbered, lost, _ = balance.conditions
    assert (numbered.name, numbered.because, remark_on(numbered)) == (
        *("numbered", "others are drafts", "passed all"),
    )
    assert balance.emptied_by == lost
    assert (lost.field, lost.values) == ("status", {"open": 1666, "sent": 834})
    assert [remark_on(one) for one in balance.conditions] == [
        *("passed all", "passed none", "passed fewer than one in a thousand"),
    ]


def test_conditions_say_where_they_came_from(tool: Tool, demo: Path) -> None:
    (demo / "base.yaml").write_text(
        "columns: [{No: no}]\nonly:\n  - {name: state, when: status = 'sent'}\n  - no > 'A'\n"
    )
    (demo / "own.yaml").write_text(
        "from: base.yaml\nonly:\n  - {name: state, when: status = 'received'}\n"
    )
    arguments = ("own.yaml", "requisitions.jsonl", "-o", "out.csv", "--report-to", "b.json")
    assert tool("export", *arguments, "--only", "no < 'Z'").returncode == 0
    conditions = json.loads((demo / "b.json").read_text(encoding="utf-8"))["conditions"]
    assert [(one["text"], one["origin"]) for one in conditions] == [
        *(("no > 'A'", "base"), ("status = 'received'", "")),
        ("no < 'Z'", "command line"),
    ]


# ---- asked values

ASKING = """\
row-per: lines
columns:
  - No: no
  - From: ":from"
  - Qty: {value: "lines.qty * :factor", total: sum}
only:
  - raised between :from and :to
  - no in list(:ids)
  - raised in period(:when)
ask:
  from: {datatype: date, says: First day}
  to: {datatype: date, default: today}
  factor: {datatype: decimal, default: 1, allowed: ["1", "1.5"]}
  ids: {datatype: list, heading: No}
  when: {datatype: period, default: "2026"}
totals: {grand-label: "All from {from}"}
output: {file: "out-{from}-{when}.csv"}
"""


def test_values_are_asked_for_and_put_everywhere(tool: Tool, demo: Path) -> None:
    (demo / "ask.yaml").write_text(ASKING)
    ids = "\ufeffName;No\r\nx;R-0002\r\n\r\ny;R-0015\r\nz;R-9\r\n"
    (demo / "ids.csv").write_bytes(ids.encode())
    (demo / "answers.yaml").write_text("from: 2026-01-01\nids: [R-0015]\nother: x\n")
    export = ("export", "ask.yaml", "requisitions.jsonl")
    done = tool(*export, "--ask", "from=2026-01-01", "--ask", "ids=@ids.csv", "--ask", "factor=1.5")
    assert "agree. No faults." in done.stderr
    assert "Asked: from = 2026-01-01; to = " in done.stderr
    assert "Period 2026: 2026-01-01 to 2026-12-31, both days included" in done.stderr
    assert "list :ids: 1 of 3 values not met: R-9" in done.stderr
    rows = (demo / "out-2026-01-01-2026.csv").read_text(encoding="utf-8").splitlines()
    assert rows[-1] == "All from 2026-01-01,,42.0"
    done = tool(*export, "--answers", "answers.yaml", "-o", "-", "-q")
    assert done.stdout.splitlines()[-1] == "All from 2026-01-01,,12"
    listed = (*export, "--ask", "ids=@-", "-o", "-", "-q")
    done = tool(*listed, stdin=b"R-0002\r\n\r\nR-0002\n", FLATLEDGER_ASK_FROM="2026-01-01")
    assert done.stdout.splitlines()[-1] == "All from 2026-01-01,,16"
    preview = tool("preview", "ask.yaml", "requisitions.jsonl", "--answers", "answers.yaml")
    assert "out-2026-01-01-2026.csv would have" in preview.stdout


def test_on_a_terminal_what_is_open_is_asked_for_until_it_fits(demo: Path) -> None:
    pty = pytest.importorskip("pty")  # where there are no pseudo-terminals, nobody can be asked
    (demo / "ask.yaml").write_text(
        "columns: [{No: no}]\nonly: [raised in period(:when)]\n"
        "ask: {when: {datatype: period, says: Which month, allowed: [2026-01, 2026-02]}}\n"
    )
    ours, theirs = pty.openpty()
    export = ("export", "ask.yaml", "requisitions.jsonl", "-o", "out.csv")
    process = subprocess.Popen(
        [sys.executable, "-m", "flatledger", *export],
        cwd=demo, stdin=theirs, stdout=theirs, stderr=theirs, close_fds=True,
    )  # fmt: skip
    os.close(theirs)
    os.write(ours, b"2027\n2026-02\n")
    said = b""
    while True:
        try:
            said += os.read(ours, 4096)
        except OSError:  # the other side has gone
            break
    os.close(ours)
    assert process.wait() == 0
    assert b"Which month (2026-01, 2026-02)" in said
    assert b"`2027` is not allowed" in said
    assert b"when = 2026-02" in said
    assert (demo / "out.csv").read_text(encoding="utf-8").count("R-") == 12


@pytest.mark.parametrize(
    ("given", "says"),
    [
        ({}, "asks for `from` (First day); the layout asks for `ids`"),
        ({"frm": 1}, "asks for no `frm`; did you mean `from`?"),
        ({"from": "2026-02-30"}, "`from`: `2026-02-30`: a date is wanted, such as 2026-03-31"),
        ({"factor": "2"}, "`factor`: `2` is not allowed; it takes 1, 1.5"),
        ({"when": "2026-05/2026-01"}, "ends before it begins: 2026-05-01 to 2026-01-31"),
        ({"when": "2026-13"}, "there is no '2026-13' in the calendar"),
    ],
)
def test_what_cannot_be_taken_is_told(given: dict[str, Any], says: str) -> None:
    layout = Layout.from_text(ASKING)
    needed = {"from": "2026-01-01", "ids": []} if given else {}
    with pytest.raises(AnswerError) as caught:
        flatledger.table(layout, [], ask={**needed, **given})
    assert says in str(caught.value)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ("only: [a = :b]", "`:b` is not asked for; put it under `ask`"),
        ("only: ['no in list(:when)']\nask: {when: date}", "asked for as date; here a list is"),
        ("only: [a = :w]\nask: {w: period}", "`:w` is a period; it is used as `in period(:w)`"),
        ("ask: {w: {datatype: dat}}", "does not take `dat`; did you mean `date`?"),
        ("ask: {w: {datatype: date, default: x}}", "the default of `w`: `x`: a date is wanted"),
        ("output: {file: '{w}.csv'}", "`{w}` is not asked for"),
        ("totals: {label: '{grup}'}", "`{grup}` is not asked for"),
        ("ask: {w: {datatype: integer, default: 1_000}}", "`1_000`: a whole number is wanted"),
        ("ask: [a]", "`ask` takes names with what is asked"),
        ("ask: {a: date, a: date}", "comes twice"),
    ],
)  # fmt: skip
def test_a_layout_that_asks_wrongly_is_refused(change: str, says: str) -> None:
    with pytest.raises(LayoutError) as caught:
        Layout.from_text(f"columns: [{{A: a}}]\n{change}\n")
    assert says in str(caught.value) or "twice" in str(caught.value)


def test_every_datatype_is_read() -> None:
    kinds = {
        "string": ("x", "x"), "integer": ("12", 12), "decimal": ("1.50", Decimal("1.50")),
        "boolean": ("yes", True), "date": ("2026-03-31", dt.date(2026, 3, 31)),
        "dateTime": ("2026-03-31T10:00", dt.datetime(2026, 3, 31, 10)),
        "time": ("14:30", dt.time(14, 30)),
        "duration": ("P1D", Interval(0, dt.timedelta(days=1))),
    }  # fmt: skip
    layout = Layout.from_data(
        {
            "columns": [{kind: f":{kind}_"} for kind in kinds],
            "ask": {f"{kind}_": kind for kind in kinds},
        }
    )
    given = {f"{kind}_": text for kind, (text, _) in kinds.items()}
    assert list(flatledger.table(layout, [{}], ask=given)) == [tuple(v for _, v in kinds.values())]
    own = {**given, "date_": dt.date(2026, 3, 31), "integer_": 12, "boolean_": True}
    assert list(flatledger.table(layout, [{}], ask=own)) == [tuple(v for _, v in kinds.values())]


# ---- periods, words


@given(st.dates(dt.date(1990, 1, 1), dt.date(2090, 12, 31)), st.sampled_from(
    ["day", "week", "month", "quarter", "year"]
))  # fmt: skip
def test_periods_follow_each_other(today: dt.date, unit: str) -> None:
    before, this, after = (
        parse_period(f"{step} {unit}", today) for step in ("previous", "this", "next")
    )
    assert this.first <= today <= this.last
    assert before.last + dt.timedelta(days=1) == this.first
    assert this.last + dt.timedelta(days=1) == after.first
    assert parse_period(this.name, today) == this
    assert parse_period(f"{before.name}/{after.name}", today)[:2] == (before.first, after.last)


def test_the_last_day_of_a_period_is_whole() -> None:
    days = ["2026-03-31", "2026-03-31T23:59:59", "2026-04-01T00:00", None, "2025-12-31"]
    layout = {"columns": [{"Day": "day"}], "only": ["day in period('2026-Q1')"]}
    rows, balance = table(layout, [{"day": day} for day in days])
    assert [row[0] for row in rows] == days[:2]
    assert [(str(one.first), str(one.last)) for one in balance.periods] == [
        ("2026-01-01", "2026-03-31")
    ]
    layout["only"] = ["day not in period('../2026-03-31')"]
    assert [row[0] for row in table(layout, [{"day": day} for day in days])[0]] == [days[2]]


def test_words_are_found_anywhere() -> None:
    records = [
        {"no": 1, "note": ["The LAMP is out"], "lines": [{"part": "wick"}]},
        {"no": 2, "names": {"sv": "Åses lampa"}, "lines": [{"part": "gas lamp", "qty": 12}]},
        {"no": 3, "note": None, "lines": [{"part": "lamps"}, {"part": "lamp-oil"}]},
    ]
    for condition, kept in {
        "mentions($, 'lamp')": [1, 2, 3],
        "mentions($, 'Lamp*')": [1, 2, 3],
        "mentions(lines, 'gas lamp')": [2],
        "mentions(lines.part, 'lamps')": [3],
        "mentions($, 'ases lam*')": [2],
        "mentions($, '12')": [2],
        "not mentions(note, 'out')": [],
        "mentions($, 'out') or mentions(lines, 'oil')": [1, 3],
    }.items():
        rows, _ = table({"columns": [{"No": "no"}], "only": [condition]}, records)
        assert [row[0] for row in rows] == kept, condition


# ---- taking some


@given(records_strategy, st.integers(0, 6), st.integers(1, 3), st.sampled_from(["rows", "records"]))
def test_what_is_not_taken_is_proved_to_be_the_rest(
    records: list[Any], first: int, every: int, of: str
) -> None:
    layout = {
        "row-per": "lines",
        "columns": [
            {"A": "a"},
            {"C": {"value": "lines.c", "total": "sum"}},
            {"D": {"value": "lines.d", "total": "max"}},
        ],
        "sort": ["C desc"],
        "group": ["A"],
        "totals": {"subtotals": "none", "grand-total": "no"},
    }
    every_row, _ = table(layout, records)
    rows, balance = table({**layout, "take": {"first": first, "every": every, "of": of}}, records)
    assert balance.balanced
    if of == "rows":
        assert rows == every_row[::every][:first]
        assert balance.rows + balance.rows_not_taken == len(every_row)
    else:
        taken, _ = table(layout, records[::every][:first])
        assert rows == taken
        assert balance.remaining + balance.not_taken == len(records)


def test_rows_of_an_entry_that_is_totalled_once_are_not_parted() -> None:
    layout = {
        "row-per": "lines",
        "columns": [{"A": {"value": "a", "total": "sum"}}],
        "take": {"first": 1, "of": "rows"},
    }
    with pytest.raises(LayoutError, match="take `of: records`"):
        table(layout, [{"a": 1, "lines": [{}, {}]}])
    wrong = ({"first": 1}, {"of": "rows"}, {"first": -1, "of": "rows"}, {"every": 0, "of": "rows"})
    for take in wrong:
        with pytest.raises(LayoutError):
            Layout.from_data({"columns": [{"A": "a"}], "take": take})
