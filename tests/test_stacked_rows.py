"""Rows of several levels, one stacked below the other: held against tables of one level each."""

from __future__ import annotations

import io
import json
import pickle
import random
import sqlite3
from decimal import Decimal
from itertools import groupby
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pytest
import python_calamine
from hypothesis import given, settings
from hypothesis import strategies as st
from lxml import html

import flatledger
from flatledger.outputs.cells.arranging import Arrangement
from flatledger.run.families import Families
from flatledger.values.functions import text_of
from tests.by_definition import chosen
from tests.conftest import Tool, table

LEVELS = ["lines", "lines.lots", "pays"]
COLUMNS: list[dict[str, Any]] = [
    {"Level": "level()"},
    {"No": "no"},
    {"Fee": {"value": "fee", "total": "sum"}},
    {"Line": "lines.no"},
    {"Quantity": {"value": "lines.qty", "total": "sum"}},
    {"Weight": {"value": "lines.lots.w", "total": "sum"}},
]
RECORDS: list[dict[str, Any]] = [
    {
        "no": "R-1",
        "site": "Ness",
        "fee": 5,
        "lines": [
            {"no": 1, "qty": 2, "lots": [{"w": 3}, {"w": 1}]},
            {"no": 2, "qty": 9, "lots": []},
        ],
    },
    {"no": "R-2", "site": "Head", "fee": 7, "lines": []},
    {"no": "R-0", "site": "Ness", "fee": None, "lines": [{"no": 1, "qty": 4}]},
]


def layout(*levels: str, **more: Any) -> dict[str, Any]:
    columns = COLUMNS if levels[-1] == "lines.lots" else COLUMNS[:5]
    return {"row-per": [*levels], "levels": LEVELS, "columns": columns, **more}


def test_a_row_of_each_level_below_its_parent() -> None:
    rows, balance = table(layout("record", "lines", "lines.lots"), RECORDS)
    assert rows == [
        ("record", "R-1", 5, None, None, None),
        ("lines", None, None, 1, 2, None),
        ("lines.lots", None, None, None, None, 3),
        ("lines.lots", None, None, None, None, 1),
        ("lines", None, None, 2, 9, None),
        ("record", "R-2", 7, None, None, None),
        ("record", "R-0", None, None, None, None),
        ("lines", None, None, 1, 4, None),
        ("Grand total", None, 12, None, 15, 4),
    ]
    assert [(one.level, one.rows) for one in balance.stacked] == [
        ("record", 3),
        ("lines", 3),
        ("lines.lots", 2),
    ]


def test_parents_are_repeated_if_told_and_added_once() -> None:
    rows, balance = table(layout("record", "lines", **{"repeat-parents": "yes"}), RECORDS)
    assert rows[1] == ("lines", "R-1", 5, 1, 2)
    assert (rows[-1][2], balance.balanced) == (12, True)


def test_a_level_above_the_stack_is_as_in_any_table() -> None:
    """Rule 7 holds for the first level; the record's carriage is on each of its lines."""
    rows, balance = table(layout("lines", "lines.lots"), RECORDS)
    assert [row[:3] for row in rows if row[0] == "lines"] == [
        ("lines", "R-1", 5),
        ("lines", "R-1", 5),
        ("lines", "R-2", 7),
        ("lines", "R-0", None),
    ]
    assert (rows[-1][2], balance.balanced) == (12, True)


@pytest.mark.parametrize(
    ("more", "left"),
    [
        ({}, ["R-1", 2, "R-2", "R-0"]),
        ({"without-entries": "drop"}, ["R-1", 2]),
    ],
)
def test_a_parent_stays_whose_entries_were_filtered_out(more: Any, left: list[Any]) -> None:
    rows, balance = table(layout("record", "lines", only=["lines.qty > 8"], **more), RECORDS)
    assert [row[1] or row[3] for row in rows[:-1]] == left
    assert balance.balanced


def test_sorting_moves_families_and_orders_within_parents() -> None:
    rows, _ = table(layout("record", "lines", sort=["No", "Quantity desc"]), RECORDS)
    assert [row[1] or row[4] for row in rows[:-1]] == ["R-0", 4, "R-1", 9, 2, "R-2"]


def test_groups_take_whole_families() -> None:
    columns = [*COLUMNS[:5], {"Site": "site"}]
    rows, balance = table(
        {**layout("record", "lines"), "columns": columns, "group": ["Site"]}, RECORDS
    )
    assert [row[1] or row[4] or row[5] for row in rows] == [
        *("R-2", "Total Head", "R-1", 2, 9, "R-0", 4, 15, 15)
    ]
    assert [row[2:] for row in rows if row[5] and "otal" in row[5]] == [
        (7, None, None, "Total Head"),
        (5, None, 15, "Total Ness"),
        (12, None, 15, "Grand total"),
    ]
    assert balance.balanced


def test_families_are_taken_whole() -> None:
    rows, balance = table(layout("record", "lines", take={"of": "rows", "first": 1}), RECORDS)
    assert [row[1] or row[4] for row in rows[:-1]] == ["R-1", 2, 9]
    assert (balance.rows_not_taken, balance.balanced) == (3, True)


# ---- held against something else


@settings(max_examples=60)
@given(st.randoms(use_true_random=False))
def test_the_rows_of_each_level_are_those_of_a_table_of_it(seed: random.Random) -> None:
    records = [
        {
            "no": f"R-{number}",
            "site": seed.choice(["Ness", "Head", None]),
            "fee": seed.choice([None, 1, Decimal("2.50")]),
            "lines": [
                {
                    "no": line,
                    "qty": seed.choice([None, 1, 2, Decimal("0.5")]),
                    "lots": [{"w": seed.randint(0, 3)} for _ in range(seed.randint(0, 2))],
                }
                for line in range(seed.randint(0, 3))
            ],
        }
        for number in range(seed.randint(1, 6))
    ]
    more: dict[str, Any] = {"only": ["lines.qty > 1"]} if seed.random() < 0.5 else {}
    kept = more and {"only": [{"keep": "lines", "when": "lines.qty > 1"}]}
    rows, balance = table(layout("record", "lines", "lines.lots", **more), records)
    assert balance.balanced
    widths = {"record": 3, "lines": 5, "lines.lots": 6}
    for level, columns in widths.items():
        only = kept if level == "record" else {**more, "without-entries": "drop"}
        one, _ = table({**layout(level, **only), "columns": COLUMNS[:columns]}, records)
        own = [row for row in rows if row[0] == level]
        width = {"record": [1, 2], "lines": [3, 4], "lines.lots": [5]}[level]
        assert [[row[at] for at in width] for row in own] == [
            [row[at] for at in width] for row in one[:-1]
        ]


@settings(max_examples=60)
@given(st.integers(0, 1_000_000))
def test_lines_of_stacked_rows_are_those_of_their_cells(seed: int) -> None:
    """Alone, delimited text is made straight from the records; beside another file from cells."""
    chance, records = chosen(random.Random(seed))
    given = next(one for one in iter(chance.table, None) if isinstance(one["row-per"], list))
    with TemporaryDirectory() as folder:
        alone, first, beside = (Path(folder, name) for name in ("a.csv", "b.csv", "b.jsonl"))
        try:
            own = flatledger.export(given, records * 3, alone)
        except flatledger.FlatLedgerError:
            return
        both = flatledger.export(given, records * 3, [first, beside])
        assert alone.read_bytes() == first.read_bytes()
    assert own.balanced
    assert both.balanced
    assert own.columns == both.columns


def test_sums_are_those_of_a_database() -> None:
    chance = random.Random(7)
    records = [
        {
            "no": number,
            "site": chance.choice("abc"),
            "fee": chance.randint(0, 9),
            "lines": [{"no": n, "qty": chance.randint(0, 9)} for n in range(chance.randint(0, 4))],
        }
        for number in range(300)
    ]
    base = sqlite3.connect(":memory:")
    base.execute("create table r (no, site, fee)")
    base.execute("create table l (r, no, qty)")
    for one in records:
        base.execute("insert into r values (?, ?, ?)", (one["no"], one["site"], one["fee"]))
        base.executemany(
            "insert into l values (?, ?, ?)", [(one["no"], x["no"], x["qty"]) for x in one["lines"]]
        )
    stacked = """select * from (
        select no, null, fee, null, r.site as s, r.no as f, -1 as at, 0 as q from r union all
        select null, l.no, null, qty, site, r.no, l.no, -qty from l join r on r.no = l.r)
        order by s, f, at >= 0, q, at"""
    totals = """select fees, quantities from
        (select site as s, sum(fee) as fees from r group by site) join
        (select site as t, sum(qty) as quantities from l join r on r.no = l.r group by site)
        on s = t order by s"""
    found, balance = table(
        {
            "row-per": ["record", "lines"],
            "columns": [
                {"No": "no"},
                {"Line": "lines.no"},
                {"Fee": {"value": "fee", "total": "sum"}},
                {"Quantity": {"value": "lines.qty", "total": "sum"}},
            ],
            "group": ["site"],
            "sort": ["no", "lines.qty desc"],
        },
        records,
    )
    assert balance.balanced
    is_total = [isinstance(row[0], str) for row in found]
    rows = [row for row, total in zip(found, is_total, strict=True) if not total]
    assert rows == [row[:4] for row in base.execute(stacked)]
    sums = [row[2:] for row, total in zip(found, is_total, strict=True) if total]
    assert sums[:-1] == base.execute(totals).fetchall()


# ---- broken on purpose


@pytest.mark.parametrize("torn", [lambda rows: rows[::-1], lambda rows: [*rows[1:], rows[0]]])
def test_a_torn_family_does_not_balance(torn: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Families, "arranged", lambda self, rows: torn(rows))
    _, balance = table(layout("record", "lines", sort=["Quantity"]), RECORDS)
    assert "a row of lines does not stand below its own parent" in balance.wrong


def test_a_lost_row_does_not_balance(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Families, "arranged", lambda self, rows: rows[:-1])
    _, balance = table(layout("record", "lines", sort=["Quantity"]), RECORDS)
    assert "3 of lines remained, and 2 rows stand for them" in balance.wrong


# ---- as it is met


def test_rows_say_their_level(tmp_path: Path) -> None:
    stacked = layout("record", "lines")
    rows = list(flatledger.table(stacked, RECORDS).rows())
    assert [row.level for row in rows if isinstance(row, flatledger.StackedRow)] == [
        *("record", "lines", "lines", "record", "record", "lines")
    ]
    assert pickle.loads(pickle.dumps(rows))[1].level == "lines"
    place = tmp_path / "rows.jsonl"
    balance = flatledger.export(stacked, RECORDS, place, verify=True)
    members = [json.loads(line) for line in place.read_text().splitlines()]
    assert [one.get("@level") for one in members] == [*(one[0] for one in rows), None]
    assert balance.balanced
    with pytest.raises(flatledger.OutputError, match="`@level` says the level of a row"):
        flatledger.export(
            {**stacked, "columns": [{"@level": "no"}]}, RECORDS, tmp_path / "other.json"
        )


@pytest.mark.parametrize(
    ("given", "told"),
    [
        (layout("lines", "record"), "record is not below lines"),
        (
            layout("record", "lines", "pays"),
            "pays is beside lines, and stacked levels lie within one another",
        ),
        (layout("record", "record"), "has record twice"),
        (layout("record", "lines.lots"), "`Quantity` is totalled over lines, which has no rows"),
        (layout("record", "lines", sort=["level()"]), "stands in a column that has no path"),
        (layout("record", "lines", sort=["Level"]), "names the level of a row, and families"),
        (layout("record", "lines", group=["lines.no"]), "`group` goes by values of record"),
        (
            {**layout("record", "lines.lots", sort=["lines.no"]), "columns": COLUMNS[:2]},
            "`sort` goes by values of record, a level above it, or one that has rows; lines.no",
        ),
        (layout("record", "lines", only=["level() = 'lines'"]), "in a column that has no path"),
        (
            {**layout("record", "lines"), "columns": [{"N": {"value": "1", "total": "sum"}}]},
            "has no path, so that it stands on rows of every level",
        ),
        (
            {**layout("record", "lines"), "columns": [*COLUMNS, {"X": '"Level" || no'}]},
            'column "Level" names the level of a row: write level()',
        ),
        (
            layout("record", "lines", **{"primary-key": ["No", "Line"]}),
            "`repeat-parents: yes` puts those of parents there, too",
        ),
    ],
)
def test_what_can_not_be_stacked_is_told(given: Any, told: str) -> None:
    with pytest.raises(flatledger.LayoutError) as error:
        flatledger.table(given, RECORDS)
    assert told in str(error.value)


def test_a_primary_key_is_of_the_rows_on_which_all_of_it_stands() -> None:
    more = {"primary-key": ["No", "Line"], "repeat-parents": "yes"}
    _, balance = table(layout("record", "lines", **more), [*RECORDS, RECORDS[0]])
    assert [fault.value for fault in balance.faults] == ["R-1, 1", "R-1, 2"]
    _, balance = table(layout("record", "lines", **{"primary-key": ["No"]}), RECORDS)
    assert not balance.faults


def test_from_the_command_line(tool: Tool, tmp_path: Path) -> None:
    source = tmp_path / "r.jsonl"
    source.write_text("\n".join(json.dumps(one) for one in RECORDS))
    columns = ["--column", "no", "--column", "lines.no"]
    levels = ["--row-per", "record", "--row-per", "lines"]
    done = tool("export", *levels, *columns, str(source), "-o", "-")
    assert done.stdout.splitlines()[:4] == ["no,lines.no", "R-1,", ",1", ",2"]
    assert "3 of record, 3 of lines" in done.stderr
    preview = tool("preview", *levels, *columns, str(source)).stdout
    assert "One row for each record, and below it one for each entry of lines." in preview


def test_blocks_do_not_matter() -> None:
    """Families and their order are those of the records, however many come at once."""
    lines = b"".join(json.dumps(one).encode() + b"\n" for one in RECORDS * 400)
    given = layout("record", "lines", "lines.lots", sort=["No", "Quantity desc", "Weight"])
    rows = list(flatledger.table(given, io.BytesIO(lines)))
    by_record = [list(rows) for _, rows in groupby(rows, key=lambda row: row[0] == "record")]
    assert len(rows) == 8 * 400
    assert rows == list(flatledger.table(given, RECORDS * 400))
    assert max(map(len, by_record)) >= 400


# ---- columns by level

BY_LEVEL: dict[str, Any] = {
    "row-per": ["record", "lines"],
    "levels": LEVELS,
    "columns": {
        "record": [{"No": "no"}, {"Site": "site"}, {"Fee": {"value": "fee", "total": "sum"}}],
        "lines": [
            {"No": "lines.no"},
            {"Of": """"Site" || '/' || "No\""""},
            {"Quantity": {"value": "lines.qty", "total": "sum"}},
            {"Day": {"value": "day", "datatype": "date", "format": "d MMM yyyy"}},
        ],
    },
    "output": {"level-column": "yes"},
}
WRITTEN = """record,No,Site,Fee
lines,,No,Of,Quantity,Day
record,R-1,Ness,5,
lines,,1,Ness/1,2,
lines,,2,Ness/2,9,
record,R-2,Head,7,
record,R-0,Ness,,
lines,,1,Ness/1,4,
record,Grand total,,12,
lines,,Grand total,,15,
""".splitlines()


def written(given: dict[str, Any], place: Path) -> list[str]:
    balance = flatledger.export(given, RECORDS, place, verify=True)
    assert balance.balanced, balance.wrong
    return place.read_text().splitlines()


def test_each_level_has_columns_of_its_own(tmp_path: Path) -> None:
    lines = [line.rstrip(",") for line in written(BY_LEVEL, tmp_path / "t.csv")]
    assert lines == [line.rstrip(",") for line in WRITTEN]
    further = {**BY_LEVEL, "output": {"level-column": "yes", "indent": 0}}
    assert written(further, tmp_path / "u.csv")[3] == "lines,1,Ness/1,2,"
    turned = {**BY_LEVEL, "columns": dict([*BY_LEVEL["columns"].items()][::-1])}
    assert written(turned, tmp_path / "v.csv") == written(BY_LEVEL, tmp_path / "t.csv")


@pytest.mark.parametrize("each", [False, True])
@pytest.mark.parametrize("format", ["xlsx", "ods", "html"])
def test_columns_by_level_in_documents(format: str, each: bool, tmp_path: Path) -> None:
    """What is read again of the document is what was given, each cell below its own heading; the
    headings stand once, or above each family."""
    place = tmp_path / f"t.{format}"
    output = {"headings": "each-family" if each else "once"}
    given = {**BY_LEVEL, "output": output}
    assert flatledger.export(given, RECORDS, place, verify=True).balanced
    if format == "html":
        page: Any = html.parse(str(place))
        rows = [[cell.text_content() for cell in row] for row in page.iterfind(".//tr")]
    else:
        sheet = python_calamine.load_workbook(str(place)).get_sheet_by_index(0)
        rows = [[text_of(cell) for cell in row] for row in sheet.to_python()]
    plain = [[cell.removesuffix(".0") for cell in row] for row in rows]
    lines = headed(WRITTEN) if each else WRITTEN
    expected = [line.split(",")[1:] for line in lines]
    width = max(map(len, expected))
    assert [[*row, *[""] * (width - len(row))] for row in plain] == [
        [*row, *[""] * (width - len(row))] for row in expected
    ]


def headed(lines: list[str]) -> list[str]:
    """The lines with the headings above each family again."""
    found = lines[:3]
    for line in lines[3:]:
        begins = line.startswith("record,R-")
        found += [*lines[:2], line] if begins else [line]
    return found


def test_headings_above_each_family_in_text(tmp_path: Path) -> None:
    given = {**BY_LEVEL, "output": {"level-column": "yes", "headings": "each-family"}}
    lines = [line.rstrip(",") for line in written(given, tmp_path / "t.csv")]
    assert lines == [line.rstrip(",") for line in headed(WRITTEN)]
    with pytest.raises(flatledger.LayoutError, match="goes with columns by level"):
        flatledger.Layout({"columns": [{"No": "no"}], "output": {"headings": "each-family"}})


def test_a_heading_that_is_lost_is_seen(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(
        "flatledger.outputs.text.delimited.DelimitedWriter._headings", lambda *_: []
    )
    given = {**BY_LEVEL, "output": {"level-column": "yes", "headings": "each-family"}}
    assert not flatledger.export(given, RECORDS, tmp_path / "t.csv", verify=True).balanced


def test_a_cell_in_the_wrong_place_is_seen(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    arranged = Arrangement.rows

    def moved(self: Arrangement, row: Any, cells: Any) -> list[tuple[Any, ...]]:
        return [(one[0], *one[2:], one[1]) for one in arranged(self, row, cells)]

    monkeypatch.setattr(Arrangement, "rows", moved)
    balance = flatledger.export(BY_LEVEL, RECORDS, tmp_path / "t.csv", verify=True)
    assert not balance.balanced


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ({"row-per": "lines"}, "columns by level go with stacked rows: `row-per: [record, lines]`"),
        (
            {"row-per": ["record", "pays"]},
            "has some for lines, and `row-per` has it not; it has record, pays",
        ),
        ({"row-per": ["record", "lines", "lines.lots"]}, "`columns` has none for lines.lots"),
        ({"repeat-parents": "yes"}, "`repeat-parents` goes with one list of columns"),
        ({"output": {"second-header": ["paths"]}}, "`second-header` goes with one list of"),
        ({"group": ["site"], "totals": {"detail": "no"}}, "without detail a row stands for a"),
        ({"group": [{"by": "site", "detail": "no"}]}, "without detail a row stands for a group"),
        ({"sort": ["No"]}, "several levels have a column `No`; write its expression"),
        (
            {"columns": {"record": [{"Q": "lines.qty"}], "lines": [{"N": "no"}]}},
            "column `Q` of record is a value of lines, which has several for one of record",
        ),
        (
            {
                "columns": {
                    "record": [{"N": "no"}],
                    "lines": [{"F": {"value": "fee", "total": "sum"}}],
                }
            },
            "column `F` is totalled over record, and stands on rows of lines; put it under record",
        ),
    ],
)
def test_what_columns_by_level_can_not_be(more: dict[str, Any], told: str) -> None:
    with pytest.raises(flatledger.LayoutError) as error:
        flatledger.table({**BY_LEVEL, **more}, RECORDS)
    assert told in str(error.value)


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("t.json", "json has the same columns on every row"),
        ("t.md", "markdown has the same columns on every row"),
        ("t.csv", "`level-column: yes` under `output` puts its level first"),
    ],
)
def test_where_columns_by_level_can_not_go(name: str, told: str, tmp_path: Path) -> None:
    with pytest.raises(flatledger.OutputError, match=told):
        flatledger.export({**BY_LEVEL, "output": {}}, RECORDS, tmp_path / name)
    assert not (tmp_path / name).exists()


@pytest.mark.parametrize("format", ["csv", "html", "xlsx", "ods", "md", "json"])
def test_what_stands_for_nothing_stands_on_rows_of_its_own_level_alone(
    format: str, tmp_path: Path
) -> None:
    """A line's default is no value of the record, nor is the group's name missing on its rows."""
    given: dict[str, Any] = {
        "row-per": ["record", "lines"],
        "levels": LEVELS,
        "columns": [
            {"Site": "site"},
            {"Fee": {"value": "fee", "default": "free"}},
            {"Quantity": {"value": "lines.qty", "default": "none yet"}},
        ],
        "group": [{"by": "Site", "heading": "first"}],
        "output": {"null": "n/a"},
    }
    records = [
        {"site": "Ness", "fee": None, "lines": [{"qty": None}, {"qty": 2}]},
        {"site": "Ness", "fee": 1, "lines": []},
    ]
    place = tmp_path / f"t.{format}"
    assert flatledger.export(given, records, place, verify=True).balanced
    cells = {
        "csv": "Ness,free,\r\n,,none yet\r\n,,2\r\n,1,\r\n",
        "md": "| Ness | free |  |\n|  |  | none yet |\n|  |  | 2 |\n|  | 1 |  |",
    }
    text = place.read_bytes().decode("utf-8", "replace")
    if format in cells:
        assert cells[format] in text
    elif format in ("html", "json"):
        assert (text.count("free"), text.count("none yet"), text.count("n/a")) == (1, 1, 0)
    else:
        sheet = python_calamine.load_workbook(str(place)).get_sheet_by_index(0)
        found = [text_of(cell) for row in sheet.to_python() for cell in row]
        assert (found.count("free"), found.count("none yet"), found.count("n/a")) == (1, 1, 0)


def test_a_layout_that_starts_from_one_with_columns_by_level() -> None:
    """Columns go by their headings within each level; one list takes the place of all."""

    def headings(**more: Any) -> tuple[str, ...]:
        return flatledger.Layout(BY_LEVEL).with_changes(more).headings

    assert headings(**{"leave-out": ["Of", "Site"]}) == ("No", "Fee", "No", "Quantity", "Day")
    changed = {"record": [{"Site": "upper(site)"}, {"Town": "site"}], "lines": ["Of"]}
    assert headings(columns=changed)[:4] == ("No", "Site", "Town", "Fee")
    assert headings(columns=[{"A": "no"}, {"B": "lines.no"}]) == ("A", "B")
    with pytest.raises(flatledger.LayoutError, match="no column `Sight` to leave out"):
        headings(**{"leave-out": ["Sight"]})


def test_columns_for_keys_in_stacked_rows() -> None:
    """They stand on the rows of their own level; the keys are looked for as in any table."""
    records = [{"no": 1, "lines": [{"opts": [{"k": "b", "v": 2}, {"k": "a", "v": 1}]}, {}]}]
    spread = {"columns-from": "lines.opts", "named-by": "lines.opts.k", "value": "lines.opts.v"}
    columns = [{"No": "no"}, {"Line": "ordinal(lines)"}, {"{key}": spread}]
    rows, balance = table({"row-per": ["record", "lines"], "columns": columns}, records)
    assert rows == [(1, None, None, None), (None, 1, "2", "1"), (None, 2, None, None)]
    assert balance.balanced


def test_a_specimen_has_one_list_of_columns(tmp_path: Path) -> None:
    with pytest.raises(flatledger.OutputError, match="one list of columns"):
        flatledger.specimen(BY_LEVEL, tmp_path / "s.xlsx")


def test_a_level_without_columns_is_refused() -> None:
    given = {**layout("record", "lines"), "columns": COLUMNS[1:3]}
    with pytest.raises(flatledger.LayoutError, match="no column is filled on rows of lines"):
        flatledger.table(given, RECORDS)
    assert len(list(flatledger.table({**given, "repeat-parents": "yes"}, RECORDS))) == 6


# ---- families over blocks, texts on every row


@settings(max_examples=12, deadline=None)
@given(st.integers(1, 9), st.integers(1, 4), st.integers(0, 3))
def test_a_family_that_blocks_cut_is_one(first: int, every: int, seed: int) -> None:
    """Rows come sorted in blocks, and a family may be longer than one."""
    rng = random.Random(seed)
    sizes = [rng.choice([0, 1, 1_999, 2_000, 2_500]) for _ in range(9)]
    records = [{"no": at, "lines": [{"no": 1}] * size} for at, size in enumerate(sizes)]
    columns = [{"No": "no"}, {"Line": {"value": "lines.no", "total": "count"}}]
    given = {"row-per": ["record", "lines"], "levels": ["lines"], "columns": columns}
    more = {"sort": ["No desc"], "take": {"of": "rows", "first": first, "every": every}}
    rows, balance = table({**given, **more}, records)
    taken = [*reversed(range(9))][::every][:first]
    wanted = [cell for at in taken for cell in ((at, None), *[(None, 1)] * sizes[at])]
    assert rows == [*wanted, ("Grand total", sum(sizes[at] for at in taken))]
    assert balance.balanced


def test_a_text_stands_on_the_rows_of_each_level(tmp_path: Path) -> None:
    columns = [{"Currency": {"text": "SKC"}}, *COLUMNS, {"Checked by": None}]
    given = {**layout("record", "lines", "lines.lots"), "columns": columns}
    for name in ("t.xlsx", "t.ods", "t.html", "t.csv", "t.jsonl"):
        assert flatledger.export(given, RECORDS, tmp_path / name, verify=True).balanced
    with (tmp_path / "t.xlsx").open("rb") as file:
        rows = python_calamine.load_workbook(file).get_sheet_by_index(0).to_python()
    assert [row[0] for row in rows[1:-1]] == ["SKC"] * 8
    with (tmp_path / "t.ods").open("rb") as file:
        rows = python_calamine.load_workbook(file).get_sheet_by_index(0).to_python()
    assert [row[0] for row in rows[1:-1]] == ["SKC"] * 8
    _, balance = table({**given, "primary-key": ["Currency", "No"]}, [*RECORDS, RECORDS[0]])
    assert [fault.value for fault in balance.faults] == ["SKC, R-1"]
    blank = {**layout("record", "lines"), "columns": [{"No": "no"}, {"Checked by": None}]}
    with pytest.raises(flatledger.LayoutError, match="no column is filled on rows of lines"):
        flatledger.table(blank, RECORDS)
