"""Levels that nest in themselves, held against SQLite's recursive queries."""

from __future__ import annotations

import json
import random
import sqlite3
import sys
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.compile.runtime.tree import NodePlaces

Node = dict[str, Any]
SEEDS = st.integers(0, 10**9)
COLUMNS = [
    {"Id": "parts.id"},
    {"Depth": "depth()"},
    {"Number": "numbering()"},
    {"Place": "ordinal()"},
    {"Leaf": "is_leaf()"},
    {"Parent": "parent(parts.id)"},
    {"Root": "root(parts.id)"},
    {"Second": "ancestor(parts.id, 2)"},
    {"Trail": "trail(parts.name, '/')"},
    {"Product": "chain_product(parts.qty)"},
    {"Below": "sum(below(all_nodes(parts.cost)))"},
    {"Leaves": "sum(from_here(parts.cost))"},
    {"Count": "count(below(parts))"},
    {"Least": "min(below(parts.cost))"},
    {"Names": "listagg(from_here(parts.name), ' ')"},
    {"Kinds": "count(distinct below(parts.kind))"},
]
ORACLE = """
with recursive
  tree as (select id, within, seq, name, qty, cost, kind, 1 as depth, id as root,
                  name as trail, qty as product, printf('%06d', seq) as way
           from node where within is null
           union all
           select n.id, n.within, n.seq, n.name, n.qty, n.cost, n.kind, t.depth + 1, t.root,
                  t.trail || '/' || n.name, t.product * n.qty, t.way || printf('.%06d', n.seq)
           from node n join tree t on n.within = t.id),
  under as (select id as top, id from node
            union all select u.top, n.id from under u join node n on n.within = u.id),
  leaf as (select id from node where id not in (select within from node where within is not null))
select t.id, t.depth, null,
       (select count(*) from node s where s.within is t.within and s.seq <= t.seq),
       t.id in leaf, t.within, t.root,
       (select u.top from under u join tree a on a.id = u.top where u.id = t.id and a.depth = 2),
       t.trail, t.product,
       (select sum(n.cost) from under u join node n using (id) where u.top = t.id and n.id <> t.id),
       (select sum(n.cost) from under u join node n using (id)
        where u.top = t.id and n.id in leaf),
       (select count(*) - 1 from under u where u.top = t.id),
       (select min(n.cost) from under u join node n using (id) where u.top = t.id and n.id <> t.id),
       (select group_concat(name, ' ') from (select n.name from under u join tree n using (id)
        where u.top = t.id order by n.way)),
       (select count(distinct n.kind) from under u join node n using (id)
        where u.top = t.id and n.id <> t.id)
from tree t order by t.way
"""


def some_rows(chance: random.Random, most: int = 14) -> list[Node]:
    """Flat rows of some trees: each with the identifier of the one above it, in any order."""
    rows: list[Node] = []
    for at in range(chance.randrange(most)):
        within = chance.choice([None, *(row["id"] for row in rows[-4:])])
        rows.append({"id": f"n{at}", "within": within, "name": f"N{at}"})
        rows[-1]["qty"] = chance.choice([1, 2, 3, None])
        rows[-1]["cost"] = chance.choice([None, 0, 5, 7])
        rows[-1]["kind"] = chance.choice("abc")
    chance.shuffle(rows)
    return rows


def nested(rows: list[Node], lone: bool = False) -> list[Node]:
    """The same rows as objects within each other; with ``lone`` a list of one is the object."""

    def below(name: str | None) -> Any:
        found = []
        for row in (row for row in rows if row["within"] == name):
            inner = below(row["id"])
            node = {key: value for key, value in row.items() if key != "within"}
            found.append({**node, **({"parts": inner} if inner else {})})
        return found[0] if lone and len(found) == 1 else found

    return [{"no": 1, "parts": below(None)}]


def by_sqlite(rows: list[Node]) -> list[tuple[Any, ...]]:
    with closing(sqlite3.connect(":memory:")) as database:
        database.execute("create table node (seq, id, within, name, qty, cost, kind)")
        fields = ("id", "within", "name", "qty", "cost", "kind")
        values = [(seq, *(row[field] for field in fields)) for seq, row in enumerate(rows)]
        database.executemany("insert into node values (?, ?, ?, ?, ?, ?, ?)", values)
        return database.execute(ORACLE).fetchall()


def table(layout: dict[str, Any], source: Any) -> tuple[list[tuple[Any, ...]], flatledger.Balance]:
    made = flatledger.table(layout, source)
    rows = list(made.rows(totals=True))
    assert made.balance.balanced, made.balance.wrong
    return rows, made.balance


@settings(max_examples=150)
@given(SEEDS)
def test_what_is_told_of_nodes_is_what_sqlite_finds(seed: int) -> None:
    """Whatever the shape in which the tree comes."""
    chance = random.Random(seed)
    rows = some_rows(chance)
    wanted = by_sqlite(rows)
    layout: dict[str, Any] = {"row-per": "parts", "columns": COLUMNS}
    flat = {**layout, "nest": {"into": "parts", "key": "id", "parent": "within"}}
    shapes = [(layout, nested(rows)), (layout, nested(rows, lone=True)), (flat, rows)]
    for how, source in shapes:
        found, _ = table(how, source)
        found = [row for row in found if row[0] is not None]
        assert [(*row[:2], None, *row[3:]) for row in found] == wanted
        assert [row[2] for row in found] == numbers(found)


def numbers(rows: list[tuple[Any, ...]]) -> list[str]:
    """The numbers by place, from depths and places among siblings."""
    way: list[str] = []
    found = []
    for row in rows:
        way[row[1] - 1 :] = [str(row[3])]
        found.append(".".join(way))
    return found


# ---- plain loops


def preorder(rows: list[Node], within: str | None = None, depth: int = 1) -> Iterator[Node]:
    for row in (row for row in rows if row["within"] == within):
        yield {**row, "depth": depth}
        yield from preorder(rows, row["id"], depth + 1)


def total(nodes: list[Node], field: str = "cost") -> int | None:
    values = [node[field] for node in nodes if node[field] is not None]
    return sum(values) if values else None


# ---- flat rows, definitions, and what is wrong with them


def told(balance: flatledger.Balance) -> list[tuple[str, str, tuple[int, ...]]]:
    return [(fault.path, fault.value, fault.ordinals) for fault in balance.faults]


@settings(max_examples=150)
@given(SEEDS)
def test_rows_in_any_order_lose_nothing_and_go_in_no_circle(seed: int) -> None:
    """Each row is one node, whatever its parent says; what no other explains is a fault."""
    chance = random.Random(seed)
    names = ["a", "b", "c", "d", 1, "1", None, ""]
    count, pick = chance.randrange(9), chance.choice
    rows = [{"id": pick(names), "up": pick(names), "q": at} for at in range(count)]
    nest = {"into": "parts", "key": "id", "parent": "up"}
    columns: list[Any] = [{"Q": {"value": "parts.q", "total": {"sum": "all"}}}]
    columns += [{"Up": "parent(parts.q)"}, {"Depth": "depth()"}]
    layout = {"row-per": "parts", "nest": nest, "columns": columns, "totals": {"grand-total": "no"}}
    found, balance = table(layout, rows)
    found = [row for row in found if row[0] is not None]
    assert sorted(row[0] for row in found) == list(range(count))
    first = {text(row["id"]): row["q"] for row in reversed(rows) if text(row["id"])}
    roots = 0
    for q, up, depth in found:
        wanted = first.get(text(rows[q]["up"]))
        assert up in (None, wanted)
        roots += up is None and text(rows[q]["up"]) != ""
        assert (depth == 1) == (up is None)
    doubles = count - len([row for row in rows if not text(row["id"])]) - len(first)
    assert balance.fault_count == roots + doubles


def text(value: Any) -> str:
    return "" if value is None else str(value)


def test_depths_and_numbers_by_place_make_trees() -> None:
    columns: list[Any] = [{"Id": "parts.id"}, {"No": "numbering()"}]
    layout: dict[str, Any] = {"row-per": "parts", "columns": columns}
    by_depth = {**layout, "nest": {"into": "parts", "depth": "d"}}
    rows = [{"id": at, "d": depth} for at, depth in enumerate([0, 1, "2", 2, 1, 3, 0, "x", 1.5])]
    found, balance = table(by_depth, rows)
    wanted = "1 1.1 1.1.1 1.1.2 1.2 1.2.1 2 3 4"
    assert [row[1] for row in found] == wanted.split()
    assert [fault[2] for fault in told(balance)] == [(6,), (8,), (9,)]
    numbers = ["1", "2", "1.1", "1.10", "1.2.", "3.1", "1.2.1"]
    by_number = {**layout, "nest": {"into": "parts", "numbering": "id"}}
    found, balance = table(by_number, [{"id": one} for one in numbers])
    assert [row[0] for row in found] == ["1", "1.1", "1.10", "1.2.", "1.2.1", "2", "3.1"]
    assert told(balance) == [("parts.id", "3", (6,))]


@pytest.mark.parametrize(
    "way", [{"key": "idd", "parent": "up"}, {"depth": "d"}, {"numbering": "N"}]
)
def test_a_tree_is_not_made_by_a_field_that_no_row_has(way: dict[str, str]) -> None:
    layout: dict[str, Any] = {"row-per": "parts", "nest": {"into": "parts", **way}, "sort": ["Id"]}
    layout |= {"columns": [{"Id": "parts.id"}]}
    with pytest.raises(flatledger.LayoutError, match="so that there is no tree"):
        list(flatledger.table(layout, [{"id": 1}, {"id": 2, "up": 1}]))


@pytest.mark.parametrize(
    ("said", "wanted"),
    [
        ({"nests": {"tasks": "subtask"}}, "did you mean `tasks.subtasks`"),
        ({"nests": {"tasks": "children"}}, "no record has tasks.children"),
        ({"nests": {"taks": "subtasks"}}, "did you mean `tasks`"),
        ({"opens-by": {"key": "tasks.idd", "named-by": "no"}}, "no record has tasks.idd"),
        ({"open": {"tassks": {"to-depth": 1}}}, "did you mean `tasks`"),
    ],
)
def test_names_of_trees_that_no_record_has_are_told(said: dict[str, Any], wanted: str) -> None:
    source = [{"no": 1, "tasks": [{"id": 1, "subtasks": [{"id": 2}]}, {"id": 3}]}]
    layout: dict[str, Any] = {"row-per": "tasks", "columns": [{"Id": "tasks.id"}], **said}
    try:
        said_of_it = table(layout, source)[1].notices
    except flatledger.LayoutError as refused:
        said_of_it = [str(refused)]
    assert any(wanted in one for one in said_of_it)


def test_a_survey_and_a_draft_show_how_rows_make_a_tree() -> None:
    rows = max((some_rows(random.Random(seed), 40) for seed in range(9)), key=len)
    survey = flatledger.survey(rows)
    (remark, *_) = survey.field("within").remarks
    assert "`nest: {into: nodes, key: id, parent: within}`" in remark
    others = (field.remarks for field in survey.fields if field.path != "within")
    assert not any("makes a tree" in remark for remarks in others for remark in remarks)
    (tree,) = nested(rows)
    survey = flatledger.survey([tree])
    depths = [node["depth"] for node in preorder(rows)]
    assert survey.field("parts").nested == [depths.count(at) for at in range(1, max(depths) + 1)]
    assert survey.field("parts.id").filled == len(rows)
    draft = flatledger.draft([tree])
    assert "nests: {parts: parts}\n" in draft
    found, _ = table(draft.layout, [tree])
    assert [row[draft.layout.headings.index("Number")] for row in found[:-1]] == [
        row[0] for row in table({"row-per": "parts", "columns": [{"N": "numbering()"}]}, [tree])[0]
    ]


def test_rows_of_each_project_and_of_each_record_make_trees_of_their_own(tmp_path: Path) -> None:
    lines = ["project,id,up", "A,1,", "B,1,", "A,2,1", "B,2,1", "B,3,2", ",4,1"]
    (tmp_path / "rows.csv").write_text("\n".join(lines))
    nest = {"into": "tasks", "key": "id", "parent": "up", "per": "project"}
    columns: list[Any] = [{"P": "project"}, {"No": "numbering()"}]
    layout: dict[str, Any] = {"row-per": "tasks", "nest": nest, "columns": columns}
    found, balance = table(layout, tmp_path / "rows.csv")
    wanted = [("A", "1"), ("A", "1.1"), ("B", "1"), ("B", "1.1"), ("B", "1.1.1"), (None, "1")]
    assert found == wanted
    assert balance.fault_count == 1
    rows = [{"id": 1}, {"id": 2, "up": 1}]
    nest = {"of": "job.tasks", "key": "id", "parent": "up"}
    layout = {"row-per": "job.tasks", "nest": nest, "columns": [{"No": "numbering()"}]}
    found, _ = table(layout, [{"job": {"tasks": rows}}, {"job": {"tasks": rows[::-1]}}])
    assert [row[0] for row in found] == ["1", "1.1", "1", "1.1"]


ASSEMBLIES: list[Node] = [
    {"no": "A", "parts": [{"part": "B", "qty": 2}, {"part": "C", "qty": 3}]},
    {"no": "B", "parts": [{"part": "C", "qty": 4}, {"part": "A", "qty": 1}]},
    {"no": "C", "parts": [{"part": "x", "qty": 5}, {"part": "y", "qty": None, "parts": []}]},
    {"no": "C", "parts": [{"part": "z", "qty": 9}]},
]


@pytest.mark.parametrize("own", [False, True])
def test_definitions_are_opened_where_they_are_named(tmp_path: Path, own: bool) -> None:
    file, top = tmp_path / "assemblies.json", tmp_path / "top.jsonl"
    file.write_text(json.dumps(ASSEMBLIES))
    top.write_text("".join(f"{json.dumps(one)}\n" for one in ASSEMBLIES[: 4 if own else 1]))
    (tmp_path / "names.csv").write_text("Part,Name\nx,Screw\nC,Crate\n")
    by = {"key": "parts.part", "named-by": "no", **({} if own else {"definitions": file.name})}
    lookup = {"listed": {"file": "names.csv", "matched-by": "parts.part", "key": "Part"}}
    columns: list[Any] = [{"Way": "trail(parts.part, '')"}, {"Q": "chain_product(parts.qty)"}]
    columns += [{"Name": "parts.listed.Name"}]
    layout = {"row-per": "parts", "opens-by": by, "lookup": lookup, "columns": columns}
    layout |= {"only": ["no = 'A'"]}
    made = flatledger.Layout.from_text(json.dumps(layout), folder=tmp_path)
    rows = flatledger.table(made, top)
    wanted = [
        *[("B", 2, None), ("BC", 8, "Crate"), ("BCx", 40, "Screw"), ("BCy", None, None)],
        *[("BA", 2, None)][:own],
    ]
    found = list(rows)
    assert found[: len(wanted)] == wanted
    assert rows.balance.balanced
    opened = rows.balance.opened_by
    assert opened is not None
    assert (opened.definitions, opened.double, opened.first_double) == (3, 1, ["C"])
    reasons = [fault.reason for fault in rows.balance.faults]
    assert any("holds itself" in reason for reason in reasons)


@pytest.mark.parametrize("group", [False, True])
def test_columns_for_keys_of_nodes_that_are_opened(group: bool) -> None:
    records: list[Node] = [
        {"no": "A", "parts": [{"part": "B", "tags": [{"k": "x", "v": 1}]}, {"part": "z"}]},
        {"no": "B", "parts": [{"part": "C", "tags": [{"k": "y", "v": 2}, {"k": "x", "v": 3}]}]},
        {"no": "C", "parts": [{"part": "q", "tags": {"k": "w", "v": 4}}, {"part": "r"}]},
    ]
    spread = {"columns-from": "parts.tags", "named-by": "parts.tags.k"}
    layout: dict[str, Any] = {"opens-by": {"key": "parts.part", "named-by": "no"}}
    layout |= {"only": ["no = 'A'"]}
    if group:
        spread |= {"value": "sum(all_nodes(parts.tags.v))"}
        layout |= {"row-per-group": ["no"], "columns": [{"No": "no"}, {"{key}": spread}]}
        rows = flatledger.table(layout, records)
        assert rows.headings == ("No", "x", "y", "w")
        assert list(rows) == [("A", 4, 2, 4)]
    else:
        layout |= {"row-per": "parts"}
        layout["columns"] = [{"P": "parts.part"}, {"{key}": {**spread, "value": "parts.tags.v"}}]
        rows = flatledger.table(layout, records)
        assert rows.headings == ("P", "x", "y", "w")
        found = {row[0]: row[1:] for row in rows}
        assert found["C"] == ("3", "2", None)
        assert found["q"] == (None, None, "4")


def test_a_million_times_one_definition_is_as_many_rows(tmp_path: Path) -> None:
    """Ten in ten in ten in ten: each definition is held once, and opened wherever it is named."""
    file = tmp_path / "nested.jsonl"
    levels = [{"no": f"L{at}", "parts": [{"part": f"L{at + 1}", "qty": 1}] * 10} for at in range(5)]
    file.write_text("".join(f"{json.dumps(one)}\n" for one in levels))
    by = {"key": "parts.part", "named-by": "no"}
    layout: dict[str, Any] = {"opens-by": by, "only": ["no = 'L0'"]}
    layout |= {"columns": [{"Leaves": "sum(chain_product(parts.qty))"}, {"All": "count(parts)"}]}
    found, _ = table(layout, file)
    assert found == [(100_000, 111_110)]
    shallow = {**layout, "open": {"parts": {"to-depth": 2}}}
    assert table(shallow, file)[0] == [(100, 110)]
    until = {**layout, "open": {"parts": {"until": "parts.part = 'L3' or depth() > 4"}}}
    assert table(until, file)[0] == [(1_000, 1_110)]


@pytest.mark.parametrize("which", ["leaves", "tops"])
@pytest.mark.parametrize("detail", ["yes", "no"])
@pytest.mark.parametrize("side", [0, 1])
def test_a_wrong_choice_of_nodes_does_not_balance(
    monkeypatch: pytest.MonkeyPatch, which: str, detail: str, side: int
) -> None:
    """Either side of the balance finds the nodes that are added up in its own way."""
    cost = {"Cost": {"value": "parts.cost", "total": {"sum": which}}}
    layout: dict[str, Any] = {"row-per": "parts", "columns": [{"Kind": "parts.kind"}, cost]}
    layout |= {"group": ["Kind"], "totals": {"detail": detail}}
    source = [{"parts": [{"kind": "a", "cost": 3, "parts": [{"kind": "b", "cost": 5}]}] * 2}]
    assert table(layout, source)[1].balanced
    names = {"leaves": ("leaves", "childless"), "tops": ("tops", "parentless")}
    wrong = names["tops" if which == "leaves" else "leaves"][side]
    monkeypatch.setattr(NodePlaces, names[which][side], property(lambda self: getattr(self, wrong)))
    rows = flatledger.table(layout, source)
    list(rows)
    assert not rows.balance.balanced


def test_groups_by_where_nodes_stand() -> None:
    chance = random.Random(5)
    rows = some_rows(chance, 40)
    nodes = list(preorder(rows))
    columns: list[Any] = [{"D": "depth()"}, {"Nodes": "count(parts)"}]
    columns += [{"Most": "max(parts.qty)"}, {"Cost": "sum(all_nodes(parts.cost))"}]
    found, _ = table({"row-per-group": ["depth()"], "columns": columns}, nested(rows))
    by_depth = {depth: [one for one in nodes if one["depth"] == depth] for depth in range(1, 41)}
    wanted = [
        (depth, len(some), max((o["qty"] for o in some if o["qty"]), default=None), total(some))
        for depth, some in by_depth.items()
        if some
    ]
    assert found == wanted


def test_a_chain_of_definitions_is_opened_for_the_records_that_take_part(tmp_path: Path) -> None:
    """Each of the others would be opened too, all the way down."""
    count, file = 20_000, tmp_path / "chain.jsonl"
    lines = ({"no": f"L{at}", "parts": [{"part": f"L{at + 1}"}]} for at in range(count))
    file.write_text("".join(f"{json.dumps(one)}\n" for one in lines))
    by = {"key": "parts.part", "named-by": "no"}
    layout: dict[str, Any] = {"row-per": "parts", "opens-by": by}
    layout |= {"columns": [{"D": "depth()"}], "only": ["no in ('L0', 'L19999')", "depth() > 0"]}
    found, balance = table(layout, file)
    assert [row[0] for row in found] == [*range(1, count + 1), 1]
    assert (balance.remaining, balance.levels[0].met) == (2, 2 * count - 1)


# ---- deep, odd and hostile trees


def test_a_lone_node_that_is_no_list_is_a_tree_of_one() -> None:
    records = [
        {"x": {"lines": [{"p": "T", "q": "1", "lines": "9"}, {"p": "2", "lines": "b"}]}},
        {"x": {"lines": {"p": "10", "lines": "5 kg"}}, "names": {"cy": "1", "en": ["10", "b"]}},
        {"x": {"lines": {"p": "P", "lines": {"w": "b", "lots": "1.5"}}}, "names": {"cy": "1"}},
        {"site": "10", "x": {"lines": {"p": "9"}}, "names": {"q": "9", "p": ["0", "T", "9"]}},
    ]
    layout = {
        "row-per": "names.*",
        "columns": [{"S": "site"}],
        "only": [{"keep": "x.lines", "when": "depth() = 2", "with": "ancestors"}],
        "open": {"x.lines": {"to-depth": 2}},
    }
    rows, balance = table(layout, records * 60)
    assert (len(rows), balance.balanced) == (360, True)


def test_trees_are_as_deep_as_there_are_rows() -> None:
    count = 30_000
    rows = [{"id": at, "up": at - 1 if at else None, "q": 1} for at in range(count)]
    nest = {"into": "parts", "key": "id", "parent": "up"}
    columns: list[Any] = [{"D": "depth()"}, {"R": "root(parts.id)"}, {"B": "sum(below(parts.q))"}]
    columns += [{"P": {"value": "chain_product(parts.q)", "total": "sum"}}, {"L": "is_leaf()"}]
    found, _ = table({"row-per": "parts", "nest": nest, "columns": columns}, rows)
    assert found[-2] == (count, 0, None, 1, True)
    assert found[-1][3] == 1


NEWER = pytest.mark.skipif(sys.version_info >= (3, 12), reason="a newer Python decodes deeper")


@pytest.mark.parametrize(
    ("depth", "lines"),
    [(995, False), (995, True), pytest.param(1_200, False, marks=NEWER), (20_000, False)],
)
def test_documents_nest_a_thousand_deep(tmp_path: Path, depth: int, lines: bool) -> None:
    step = '{"parts": [\n' if lines else '{"parts": ['
    text = step * depth + "]}" * depth
    file = tmp_path / "deep.json"
    file.write_text(f'[{text}, {{"parts": [{{}}]}}]')
    layout = {"row-per": "parts", "columns": [{"D": "depth()"}], "without-entries": "drop"}
    rows = flatledger.table(layout, file)
    found = [row[0] for row in rows]
    assert found == ([1] if depth > 1_000 else [*range(1, depth), 1])
    assert rows.balance.fault_count == (depth > 1_000)


def test_a_later_record_can_show_that_a_level_nests(tmp_path: Path) -> None:
    """Or that it is one by its nested lists; the order of the records changes nothing."""
    plain = [{"no": at, "parts": [{"q": 1}, {"q": 2}], "one": {"q": 1}} for at in range(3_000)]
    nests: dict[str, Any] = {"no": 3_000, "parts": [{"q": 5, "parts": {"q": 7}}]}
    nests["one"] = {"q": 1, "one": [{}, {"q": 3}]}
    columns: list[Any] = [{"No": "no"}, {"Parts": {"value": "sum(parts.q)", "total": "sum"}}]
    columns += [{"Ones": {"value": "sum(one.q)", "total": "sum"}}]
    for stated in ({}, {"levels": ["parts"]}):
        stated_apart = 2 if stated else 0  # then `one` is no level, and its own value counts: 1
        sums = set()
        for records in ([*plain, nests], [nests, *plain]):
            source, to = tmp_path / "source.jsonl", tmp_path / "table.csv"
            source.write_text("".join(f"{json.dumps(one)}\n" for one in records))
            balance = flatledger.export({"columns": columns, **stated}, source, to)
            sums.add(tuple(column.source for column in balance.columns))
            again = [(one.record, one.level, one.nests) for one in balance.begun_again]
            assert again == ([] if records[0] is nests else [(3_001, "parts", True)])
        assert sums == {(3_000 * 3 + 7, 3_000 + 3 - stated_apart)}
    with pytest.raises(flatledger.LevelsError, match=r"parts within parts.*nests: \{parts: parts}"):
        list(flatledger.table({"row-per": "parts", "columns": columns[:1]}, [*plain, nests]))


def test_an_object_of_the_same_name_on_the_way_can_be_kept_apart() -> None:
    records = [{"data": {"n": 1, "data": [{"x": 1}, {"x": 2}]}}]
    layout: dict[str, Any] = {"row-per": "data.data", "columns": [{"X": "data.data.x"}]}
    with pytest.raises(flatledger.LayoutError, match=r"names data\.data keeps the two apart"):
        list(flatledger.table(layout, records))
    assert table({**layout, "levels": ["data.data"]}, records)[0] == [(1,), (2,)]
    two = [{"data": [{"data": [{"x": 1}, {"x": 2, "data": {"x": 3}}]}, {"data": {"x": 4}}]}]
    found, _ = table({**layout, "levels": ["data", "data.data"]}, two)
    assert found == [(1,), (2,), (3,), (4,)]  # within the second level its own member nests


def test_side_lists_and_selectors_reach_every_node(tmp_path: Path) -> None:
    (tmp_path / "bays.csv").write_text("Part,Bay\nx,A1\ny,B2\n")
    parts = [{"p": "x", "q": 1, "parts": [{"p": "y", "q": 2, "parts": {"p": "x", "q": 3}}]}]
    layout = """
lookup: {place: {file: bays.csv, matched-by: parts.p, key: Part}}
nests: {parts: parts}
columns:
  - Bays: {value: parts.place.Bay, separator: comma}
  - First: parts[0].q
  - Third: "{parts[2].q}"
  - Some: "{listagg(parts[?@.q > 1].p, '')}"
  - All: "{sum(all_nodes(parts.q))}"
""".replace('"{', '"').replace('}"', '"')
    made = flatledger.Layout.from_text(layout, folder=tmp_path)
    records = [{"parts": parts}]
    assert list(flatledger.table(made, records)) == [("A1,B2,A1", 1, 3, "yx", 6)]
    assert records == [{"parts": parts}]  # a caller's records stay as they were
    assert parts[0]["parts"][0]["parts"] == {"p": "x", "q": 3}  # type: ignore[index]


@pytest.mark.parametrize(
    ("layout", "wanted"),
    [
        ({"row-per": "parts.parts"}, "`levels` that names parts.parts keeps the two apart"),
        ({"row-per": "parts", "columns": [{"Q": "parts.parts.q"}]}, "write parts.q; below"),
        ({"columns": [{"D": "depth()"}]}, "`row-per` names the level that nests"),
        ({"columns": [{"B": "below(parts.q)"}]}, "sum(below(…))"),
        ({"columns": [{"B": "sum(below(parts.q))"}]}, "on a row for each node"),
        ({"row-per": "parts", "columns": [{"M": "is_match()"}]}, "with: ancestors"),
        ({"row-per": "parts", "only": ["is_match()"]}, "is in none"),
        ({"row-per": "parts", "only": [{"when": "parts.q > 1", "with": "branch"}]}, "`keep`"),
        ({"columns": [{"N": {"value": "no", "total": {"sum": "leaves"}}}]}, "record has none"),
        ({"nest": {"into": "parts"}}, "says where a row belongs"),
        ({"nest": {"of": "parts", "into": "all", "depth": "q"}}, "`into` is for the rows"),
        ({"nest": {"of": "parts", "per": "no", "depth": "q"}}, "`per` is for the rows"),
        ({"opens-by": {"key": "parts.p"}}, "names a definition"),
        ({"open": {"parts": {"until": "no > 1"}}}, "its own fields, and depth()"),
        ({"open": {"parts": {"until": "is_leaf()"}}}, "its own fields, and depth()"),
    ],
)
def test_what_can_not_be_asked_of_a_tree_is_said(layout: dict[str, Any], wanted: str) -> None:
    records = [{"no": 1, "parts": [{"q": 1, "parts": [{"q": 2}, {"q": 3}]}, {"q": 4}]}]
    with pytest.raises(flatledger.LayoutError) as refused:
        list(flatledger.table({"columns": [{"No": "no"}], **layout}, records))
    assert any(part in str(refused.value) for part in wanted.split("|"))
