"""What group keys say for themselves: headings, where totals stand, labels, detail."""

from __future__ import annotations

import json
import random
from decimal import Decimal
from itertools import groupby
from pathlib import Path
from typing import Any
from zipfile import ZipFile

import openpyxl
import pytest

import flatledger
from flatledger.run.totalling import TotalMade, TotalRowMaker
from tests.conftest import table

RECORDS: list[dict[str, Any]] = [
    {"site": "Ness", "kind": "oil", "qty": 3},
    {"site": "Ness", "kind": "wick", "qty": 2},
    {"site": "Head", "kind": "oil", "qty": 5},
    {"site": "Ness", "kind": "oil", "qty": 4},
    {"site": None, "kind": "oil", "qty": 1},
]
COLUMNS: list[dict[str, Any]] = [
    {"Site": "site"},
    {"Kind": "kind"},
    {"Quantity": {"value": "qty", "total": "sum"}},
]


def layout(*keys: Any, **more: Any) -> dict[str, Any]:
    return {"columns": COLUMNS, "group": [*keys], **more}


def test_a_heading_on_a_row_of_its_own_and_one_on_the_first_row() -> None:
    site = {"by": "Site", "heading": "row", "label": "{group}, {rows} rows"}
    kind = {"by": "Kind", "heading": "first", "subtotals": "none"}
    rows, balance = table(layout(site, kind), RECORDS)
    assert rows == [
        ("Head", None, None),
        (None, "oil", 5),
        ("Head, 1 rows", None, 5),
        ("Ness", None, None),
        (None, "oil", 3),
        (None, None, 4),
        (None, "wick", 2),
        ("Ness, 3 rows", None, 9),
        ("(blank)", None, None),
        (None, "oil", 1),
        ("(blank), 1 rows", None, 1),
        ("Grand total", None, 15),
    ]
    assert (balance.heading_rows, balance.total_rows, balance.balanced) == (3, 4, True)


def test_totals_of_some_keys_before_their_groups() -> None:
    kind = {"by": "Kind", "subtotals": "none"}
    rows, balance = table(layout({"by": "Site", "subtotals": "before"}, kind), RECORDS)
    assert [row[0] for row in rows] == [
        *("Grand total", "Total Head", "Head", "Total Ness", "Ness", "Ness", "Ness"),
        *("Total (blank)", None),
    ]
    assert balance.balanced


def test_no_detail_below_a_key() -> None:
    rows, balance = table(
        layout({"by": "Site", "heading": "row"}, {"by": "Kind", "detail": "no"}), RECORDS
    )
    assert rows[:7] == [
        ("Head", None, None),
        (None, "oil", 5),
        ("Total Head", None, 5),
        ("Ness", None, None),
        (None, "oil", 7),
        (None, "wick", 2),
        ("Total Ness", None, 9),
    ]
    assert balance.balanced


def test_labels_count_entries_and_rows() -> None:
    """A record without lines has a row and no entry; of stacked rows the first level counts."""
    records = [{"site": "N", "lines": [{"q": 1}, {"q": 2}]}, {"site": "N", "lines": []}]
    columns = [{"Site": "site"}, {"Q": {"value": "lines.q", "total": "sum"}}]
    totals = {"label": "{rows}/{entries}", "grand-label": "all {entries}"}
    base = {"columns": columns, "group": ["Site"], "totals": totals}
    for row_per, labels in (("lines", ["3/2", "all 2"]), (["record", "lines"], ["4/2", "all 2"])):
        rows, _ = table({**base, "row-per": row_per}, records)
        assert [row[0] for row in rows[-2:]] == labels
        totals_before = {**totals, "subtotals": "before"}
        rows, _ = table({**base, "row-per": row_per, "totals": totals_before}, records)
        assert [row[0] for row in rows[:2]] == labels[::-1]


def test_subtotals_are_those_of_plain_loops() -> None:
    chance = random.Random(3)
    records = [
        {"site": chance.choice("abc"), "kind": chance.choice("xyz"), "qty": chance.randint(0, 9)}
        for _ in range(500)
    ]
    expected: list[tuple[Any, ...]] = []
    ordered = sorted(records, key=lambda one: (one["site"], one["kind"]))
    for site, of_site in groupby(ordered, key=lambda one: one["site"]):
        listed = list(of_site)
        expected.append((site, None, None))
        for kind, of_kind in groupby(listed, key=lambda one: one["kind"]):
            quantities = [one["qty"] for one in of_kind]
            expected += [(None, kind if not at else None, q) for at, q in enumerate(quantities)]
            expected.append((None, f"{len(quantities)} of {kind}", sum(quantities)))
        expected.append((f"Total {site}", None, sum(one["qty"] for one in listed)))
    expected.append(("Grand total", None, sum(one["qty"] for one in records)))
    kind = {"by": "Kind", "heading": "first", "label": "{rows} of {group}"}
    rows, balance = table(layout({"by": "Site", "heading": "row"}, kind), records)
    assert [(None if "of" in str(row[1]) else row[0], *row[1:]) for row in rows] == expected
    assert balance.balanced


@pytest.mark.parametrize("what", ["headings", "subtotal"])
def test_what_stands_over_the_wrong_group_does_not_balance(
    what: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = getattr(TotalRowMaker, what)

    def wrong(self: TotalRowMaker, group: Any, *more: Any) -> Any:
        return made(self, ("Head", *group[1:]), *more)

    monkeypatch.setattr(TotalRowMaker, what, wrong)
    _, balance = table(layout({"by": "Site", "heading": "row"}), RECORDS)
    assert not balance.balanced
    monkeypatch.setattr(TotalRowMaker, what, made)


def test_a_total_that_another_group_has_is_seen(monkeypatch: pytest.MonkeyPatch) -> None:
    """Where the inner key has no totals, the outer one still knows which rows are its own."""
    made = TotalRowMaker.subtotal
    met: list[TotalMade] = []

    def swapped(self: TotalRowMaker, group: Any, tallies: Any) -> TotalMade:
        met.append(made(self, group, tallies))
        return met[0]

    monkeypatch.setattr(TotalRowMaker, "subtotal", swapped)
    kind = {"by": "Kind", "subtotals": "none"}
    _, balance = table(layout("Site", kind), RECORDS)
    assert "a total row names another group than that of its rows" in balance.wrong


def test_in_json_and_in_python_a_heading_says_what_it_is(tmp_path: Path) -> None:
    given = layout({"by": "Site", "heading": "row"})
    place = tmp_path / "t.jsonl"
    assert flatledger.export(given, RECORDS, place, verify=True).balanced
    lines = [json.loads(line) for line in place.read_text().splitlines()]
    assert lines[0] == {"@group": 1, "Site": "Head", "Kind": None, "Quantity": None}
    found = flatledger.table(given, RECORDS)
    assert len(list(found)) == 5
    rows = list(flatledger.table(given, RECORDS).rows(totals=True))
    assert [row for row in rows if isinstance(row, flatledger.GroupHeading)][1] == (
        *("Ness", None, None),
    )
    totals = list(flatledger.table(given, RECORDS).totals())
    assert [row[2] for row in totals] == [5, 9, 1, 15]


@pytest.mark.parametrize("format", ["csv", "xlsx", "ods", "html", "md", "json"])
def test_headings_of_groups_are_read_again(format: str, tmp_path: Path) -> None:
    given = layout({"by": "Site", "heading": "row"}, {"by": "Kind", "heading": "first"})
    given["output"] = {"null": "none"}
    balance = flatledger.export(given, RECORDS, tmp_path / f"t.{format}", verify=True)
    assert balance.balanced, balance.wrong


@pytest.mark.parametrize(
    ("keys", "subtotals", "pages"),
    [
        ([{"by": "Site", "heading": "row", "page-break": "yes"}], "none", 3),
        ([{"by": "Site", "page-break": "yes"}], "after", 3),
        ([{"by": "Site", "page-break": "yes"}], "before", 3),
        ([{"by": "Site", "heading": "row"}, {"by": "Kind", "page-break": "yes"}], "after", 4),
        ([{"by": "Site", "heading": "row", "page-break": "yes"}, "Kind"], "after", 3),
        (["Site"], "after", 1),
    ],
)
def test_groups_begin_pages(keys: list[Any], subtotals: str, pages: int, tmp_path: Path) -> None:
    given = layout(*keys, totals={"subtotals": subtotals})
    files = [tmp_path / f"t.{format}" for format in ("html", "xlsx", "ods")]
    flatledger.export(given, RECORDS, files)
    assert files[0].read_text().count('data-page="new"') == pages - 1
    sheet: Any = openpyxl.load_workbook(files[1]).active
    assert len(sheet.row_breaks.brk) == pages - 1
    with ZipFile(files[2]) as packed:
        assert packed.read("content.xml").count(b'style-name="ro-page"') == pages - 1


@pytest.mark.parametrize(
    ("keys", "more", "told"),
    [
        ([{"heading": "row"}], {}, "a key of `group` has at least `by`"),
        ([{"by": "Site", "subtotals": "after"}], {"totals": {"subtotals": "before"}}, "all after"),
        (
            [{"by": "Site", "subtotals": "after"}, {"by": "Kind", "subtotals": "before"}],
            {},
            "stand before their groups, or all after them; a key may have none",
        ),
        (
            [{"by": "Site", "detail": "no"}, "Kind"],
            {},
            "of Site no detail is written, so that Kind would not be seen",
        ),
        ([{"by": "upper(site)", "heading": "first"}], {}, "`heading: first` goes with a heading"),
        (
            [{"by": "Site", "page-break": "yes", "subtotals": "none"}],
            {},
            "nothing would tell in print where its groups begin; add `heading: row`, or a total",
        ),
        ([{"by": "Site", "label": "{row} rows"}], {}, "`{row}` is not asked for; did you mean"),
        (["Site"], {"totals": {"grand-label": "{group}"}}, "`{group}` is not asked for"),
        ([{"by": "Site", "heading": "twice"}], {}, "does not take `twice`"),
        ([{"by": "Site", "head": "row"}], {}, "did you mean `heading`?"),
    ],
)
def test_what_keys_can_not_say(keys: list[Any], more: dict[str, Any], told: str) -> None:
    with pytest.raises(flatledger.LayoutError) as error:
        flatledger.table(layout(*keys, **more), RECORDS)
    assert told in str(error.value)


def test_a_group_is_called_as_in_the_record_that_comes_first() -> None:
    records = [{"a": Decimal("1.0"), "b": "y", "q": 1}, {"a": 1, "b": "x", "q": 2}]
    columns = [{"A": "a"}, {"B": "b"}, {"Q": {"value": "q", "total": "sum"}}]
    given = {"columns": columns, "group": ["A", {"by": "B", "detail": "no"}]}
    rows, balance = table(given, records)
    assert [row[0] for row in rows] == [1, Decimal("1.0"), "Total 1.0", "Grand total"]
    assert balance.balanced


# ---- several totals of a column


SEVERAL: dict[str, Any] = {
    "columns": [
        {"Site": "site"},
        {"Quantity": {"value": "qty", "total": ["sum", "avg"], "decimals": 1}},
        {"Number": {"value": "qty", "total": ["count"]}},
    ],
    "group": ["Site"],
    "totals": {"labels": {"avg": "Mean: {group} ({rows})"}},
}


def test_each_total_row_holds_totals_of_one_kind() -> None:
    rows, balance = table(SEVERAL, RECORDS)
    totals = [row for row in rows if row[0] and ("Total" in row[0] or "Mean" in row[0])]
    assert totals == [
        ("Total Head", Decimal("5.0"), 1),
        ("Mean: Head (1)", Decimal("5.0"), None),
        ("Total Ness", Decimal("9.0"), 3),
        ("Mean: Ness (3)", Decimal("3.0"), None),
        ("Total (blank)", Decimal("1.0"), 1),
        ("Mean: (blank) (1)", Decimal("1.0"), None),
        ("Mean: all (5)", Decimal("3.0"), None),
    ]
    assert rows[-2] == ("Grand total", Decimal("15.0"), 5)
    assert (balance.total_rows, balance.balanced) == (8, True)
    assert [(one.heading, one.aggregate) for one in balance.columns] == [
        *(("Quantity", "sum"), ("Number", "count"), ("Quantity", "avg")),
    ]


def test_further_totals_stand_below_the_row_of_a_group() -> None:
    given = {**SEVERAL, "group": [{"by": "Site", "detail": "no"}]}
    rows, balance = table(given, RECORDS)
    assert rows[:4] == [
        ("Head", Decimal("5.0"), 1),
        ("Mean: Head (1)", Decimal("5.0"), None),
        ("Ness", Decimal("9.0"), 3),
        ("Mean: Ness (3)", Decimal("3.0"), None),
    ]
    assert balance.balanced
    found = flatledger.table(given, RECORDS)
    assert [row[0] for row in found] == ["Head", "Ness", None]


def test_means_that_nothing_rounds_are_shown_as_others_are(tmp_path: Path) -> None:
    given = {"columns": [{"No": "no"}, {"Q": {"value": "q", "total": ["sum", "avg"]}}]}
    place = tmp_path / "t.csv"
    records = [{"no": 1, "q": 1}, {"no": 2, "q": 1}, {"no": 3, "q": 0}]
    assert flatledger.export(given, records, place, verify=True).balanced
    assert place.read_text().splitlines()[-2:] == ["Grand total,2", "Mean of all,0.666667"]


def test_a_further_total_says_of_which_kind_it_is(tmp_path: Path) -> None:
    found = list(flatledger.table(SEVERAL, RECORDS).totals())
    assert [one.aggregate for one in found[-2:]] == ["", "avg"]
    place = tmp_path / "t.jsonl"
    flatledger.export(SEVERAL, RECORDS, place, verify=True)
    lines = [json.loads(line) for line in place.read_text().splitlines()]
    assert [(one["@total"], one.get("@aggregate")) for one in lines if "@total" in one][-4:] == [
        *((1, None), (1, "avg"), (0, None), (0, "avg")),
    ]


def test_a_further_total_that_is_wrong_does_not_balance(monkeypatch: pytest.MonkeyPatch) -> None:
    made = TotalRowMaker._figures

    def wrong(self: TotalRowMaker, tallies: Any, at: int, *more: Any) -> Any:
        row = made(self, tallies, at, *more)
        return [*row[:1], row[1] + 1, *row[2:]] if at else row

    monkeypatch.setattr(TotalRowMaker, "_figures", wrong)
    _, balance = table(SEVERAL, RECORDS)
    assert "a total of Quantity (avg) is wrong" in balance.wrong


@pytest.mark.parametrize(
    ("more", "told"),
    [
        (
            {"columns": [*COLUMNS, {"Q": {"value": "qty", "total": ["sum", "sum"]}}]},
            "has sum twice",
        ),
        (
            {
                "columns": [
                    {"Q": {"value": "qty", "total": ["sum", "avg"]}},
                    {"R": {"value": "qty", "total": ["sum", "max"]}},
                ]
            },
            "total row 2 holds totals of one kind, since it has one label: Q has avg; R has max",
        ),
        ({"totals": {"labels": {"max": "Most"}}}, "`labels` has max, of which no total row is"),
        ({"totals": {"labels": {"mean": "M"}}}, "`labels` does not take `mean`"),
        ({"totals": {"labels": {"avg": "{n}"}}}, "`{n}` is not asked for"),
        ({"row-per-group": ["site"], "group": []}, "not where a row stands for a group"),
    ],
)
def test_what_several_totals_can_not_be(more: dict[str, Any], told: str) -> None:
    given = {**SEVERAL, **more}
    if not given["group"]:
        del given["group"]
    if "columns" in more:
        given |= {"group": [], "totals": {}}
    with pytest.raises(flatledger.LayoutError) as error:
        flatledger.table(given, RECORDS)
    assert told in str(error.value)


def test_headings_of_groups_are_no_records_of_a_survey(tmp_path: Path) -> None:
    place = tmp_path / "t.json"
    flatledger.export(layout({"by": "Site", "heading": "row"}), RECORDS, place)
    notices = " ".join(flatledger.survey(place).notices)
    assert "4 records are total rows of a table (`@total`)" in notices
    assert "3 records are headings of groups of a table (`@group`)" in notices
    drafted = flatledger.draft(place)
    rows = list(flatledger.table(flatledger.Layout.from_text(drafted), place))
    assert len(rows) == len(RECORDS)


@pytest.mark.parametrize("take", [{}, {"take": {"of": "rows", "first": 2}}])
def test_the_label_of_a_table_of_groups_counts_its_rows(take: dict[str, Any]) -> None:
    """{rows} are those of the table, {entries} what they stand for: a station without lines has a
    row and no entry."""
    lines = {"a": [1, 2], "b": [], "c": [1]}
    records = [{"site": site, "lines": [{"q": q} for q in own]} for site, own in lines.items()]
    for by, rows, entries in (("site", 3, 3), ("lines.q", 3, 3)):
        given = {
            "levels": ["lines"],
            "row-per-group": [by],
            **take,
            "columns": [{"By": by}, {"Q": {"value": "count(lines.q)", "total": "sum"}}],
            "totals": {"grand-label": "not this", "labels": {"sum": "{rows} of {entries}"}},
        }
        found, balance = table(given, records)
        shown, stand = (2, 2 if by == "site" else 3) if take else (rows, entries)
        assert (found[-1][0], balance.balanced) == (f"{shown} of {stand}", True)
