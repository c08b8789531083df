"""Levels that nest in themselves, held against SQLite's recursive queries and plain loops."""

from __future__ import annotations

import random
import sqlite3
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger

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
    with sqlite3.connect(":memory:") as database:
        database.execute("create table node (seq, id, within, name, qty, cost, kind)")
        fields = ("id", "within", "name", "qty", "cost", "kind")
        values = [(seq, *(row[field] for field in fields)) for seq, row in enumerate(rows)]
        database.executemany("insert into node values (?, ?, ?, ?, ?, ?, ?)", values)
        return database.execute(ORACLE).fetchall()


def table(layout: dict[str, Any], source: Any) -> tuple[list[tuple[Any, ...]], flatledger.Balance]:
    made = flatledger.table(layout, source)
    rows = list(made)
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
