"""Levels that nest in themselves, held against SQLite's recursive queries and plain loops."""

from __future__ import annotations

import random
import sqlite3
from collections.abc import Iterator
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


# ---- filters and totals, by plain loops


def preorder(rows: list[Node], within: str | None = None, depth: int = 1) -> Iterator[Node]:
    for row in (row for row in rows if row["within"] == within):
        yield {**row, "depth": depth}
        yield from preorder(rows, row["id"], depth + 1)


def above(node: Node, nodes: dict[str, Node]) -> Iterator[Node]:
    while node["within"] is not None:
        node = nodes[node["within"]]
        yield node


def kept(rows: list[Node], test: Any, kept_with: str) -> list[Node]:
    """The nodes that a condition keeps, by what it keeps with those for which it is true."""
    nodes = {node["id"]: node for node in preorder(rows)}
    true = {name for name, node in nodes.items() if test(node)}
    ways = {name: {one["id"] for one in above(node, nodes)} for name, node in nodes.items()}
    if kept_with == "branch":
        return [node for name, node in nodes.items() if (ways[name] | {name}) & true]
    if kept_with == "ancestors":
        more = set().union(*(ways[name] for name in true))
        return [node for name, node in nodes.items() if name in true | more]
    return [node for name, node in nodes.items() if name in true]


def taken(nodes: list[Node], rows: list[Node], which: str) -> list[Node]:
    """Of kept nodes those that a total takes."""
    every = {node["id"]: node for node in preorder(rows)}
    left = {node["id"] for node in nodes}
    ways = {name: {one["id"] for one in above(every[name], every)} for name in left}
    if which == "leaves":
        covered = set().union(*ways.values())
        return [node for node in nodes if node["id"] not in covered]
    return [node for node in nodes if which == "all" or not ways[node["id"]] & left]


def total(nodes: list[Node], field: str = "cost") -> int | None:
    values = [node[field] for node in nodes if node[field] is not None]
    return sum(values) if values else None


CONDITIONS = {
    "parts.cost > 0": lambda node: node["cost"] is not None and node["cost"] > 0,
    "depth() <= 2": lambda node: node["depth"] <= 2,
    "parts.kind = 'a'": lambda node: node["kind"] == "a",
    "parts.kind <> 'b' and parts.qty is not null": (
        lambda node: node["kind"] != "b" and node["qty"] is not None
    ),
}


@settings(max_examples=200)
@given(
    SEEDS,
    st.sampled_from(sorted(CONDITIONS)),
    st.sampled_from(["", "branch", "ancestors"]),
    st.sampled_from(["leaves", "tops", "all"]),
)
def test_what_is_kept_and_added_is_what_plain_loops_find(
    seed: int, text: str, kept_with: str, which: str
) -> None:
    chance = random.Random(seed)
    rows = some_rows(chance)
    nodes = kept(rows, CONDITIONS[text], kept_with)
    added = taken(nodes, rows, which)
    condition = {"keep": "parts", "when": text, "with": kept_with} if kept_with else text
    cost = {"Cost": {"value": "parts.cost", "total": {"sum": which}}}
    kind = {"Kind": "parts.kind"}
    match = [{"Match": "is_match()"}] if kept_with else []
    layout: dict[str, Any] = {"row-per": "parts", "only": [condition], "columns": [kind, cost]}
    layout["without-entries"] = "drop"
    for source in (nested(rows), nested(rows, lone=True)):
        found, balance = table({**layout, "columns": [kind, *match, cost]}, source)
        assert [row[0] for row in found[:-1]] == [node["kind"] for node in nodes]
        assert found[-1][-1] == total(added)
        assert balance.columns[0].passed_over == (0 if which == "all" else len(nodes) - len(added))
        if match:
            matched = [CONDITIONS[text](node) for node in nodes]
            assert [row[1] for row in found[:-1]] == matched
            assert balance.conditions[0].more == matched.count(False)
        groups = sorted({node["kind"] for node in nodes})
        by_kind = {one: total([node for node in added if node["kind"] == one]) for one in groups}
        found, _ = table({**layout, "group": ["Kind"], "totals": {"detail": "no"}}, source)
        assert dict(found[:-1]) == by_kind
        side = {"keep": "parts", "when": text, **({"with": kept_with} if kept_with else {})}
        if "depth" not in text:
            check_from_the_record(side, source, nodes, rows)


def check_from_the_record(
    side: dict[str, Any], source: list[Node], nodes: list[Node], rows: list[Node]
) -> None:
    """The same tree as a side level, and in rows for groups."""
    values = ["sum(parts.cost)", "sum(all_nodes(parts.cost))", "count(parts)"]
    values += ["listagg(parts.id || '.' || parts.kind, ' ')", "max(parts.qty)"]
    columns = [{value: value} for value in values]
    found, _ = table({"columns": columns, "only": [side]}, source)
    leaves = taken(nodes, rows, "leaves")
    wanted = (total(leaves), total(nodes), len(nodes))
    names = " ".join(f"{node['id']}.{node['kind']}" for node in nodes) or None
    most = max((node["qty"] for node in nodes if node["qty"] is not None), default=None)
    assert found == [(*wanted, names, most)]
    only = side if "with" in side else side["when"]
    layout: dict[str, Any] = {"row-per-group": ["parts.kind"]}
    layout["columns"] = [{"K": "parts.kind"}, *columns]
    layout["nests"] = {"parts": "parts"}  # which a chain of lone objects does not show
    found, _ = table({**layout, "only": [only], "without-entries": "drop"}, source)
    for kind, *cells in found:
        own = [node for node in nodes if node["kind"] == kind]
        some = [node for node in leaves if node["kind"] == kind]
        assert cells[:3] == [total(some), total(own), len(own)]
    assert [row[0] for row in found] == sorted({node["kind"] for node in nodes})
