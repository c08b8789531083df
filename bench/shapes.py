"""Jobs of many shapes: what the records are, the layout, and the plain script's rows.

    python bench/shapes.py NAME SOURCE TABLE [--exact]

runs the script that a programmer would write for a shape: json, loops, csv; binary floats, or exact
decimals. Each shape states its job on its own, so that nothing can be tuned to one of them.
"""

from __future__ import annotations

import csv
import json
import random
import sys
from collections.abc import Callable, Iterable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any, NamedTuple

CENT = Decimal("0.01")
Rows = Iterator[list[Any]]


class Shape(NamedTuple):
    """A job: how a record is made, the layout, and what the plain script makes of all records."""

    record: Callable[[random.Random, int], dict[str, Any]]
    layout: dict[str, Any]
    rows: Callable[[Iterable[dict[str, Any]]], Rows]


def money(chance: random.Random, most: int = 20_000) -> str:
    return f"§{chance.randrange(1, most) / 100:.2f}§"


def rounded(value: Any) -> Any:
    return value.quantize(CENT) if isinstance(value, Decimal) else round(value, 2)


def day(chance: random.Random) -> str:
    return f"2026-{chance.randint(1, 12):02d}-{chance.randint(1, 28):02d}"


# ---- requisitions: a filter in a path and a joined list; options; groups ----------------------


def requisition(chance: random.Random, number: int) -> dict[str, Any]:
    keys = ("voltage", "cap", "finish", "colour", "length")
    return {
        "no": f"R-{number:07d}",
        "raised": day(chance),
        "station": {"code": f"S{number % 40:02d}", "address": {"town": f"Town {number % 40}"}},
        "tags": chance.sample(["lamp", "urgent", "paint", "summer"], chance.randint(0, 3)),
        "payments": [{"method": "cash", "amount": money(chance)}] * chance.randint(0, 2),
        "lines": [
            {
                "line": line,
                "part": {"code": f"P-{chance.randint(1, 400):04d}", "title": "Part of the lamp"},
                "qty": chance.randint(1, 24),
                "unit_price": money(chance),
                "options": [
                    {"key": key, "value": f"{key} {chance.randint(1, 9)}"}
                    for key in chance.sample(keys, chance.randint(0, 3))
                ],
            }
            for line in range(1, chance.randint(1, 7) + 1)
        ],
    }


def detail_rows(records: Iterable[dict[str, Any]]) -> Rows:
    for record in records:
        tags = "; ".join(record["tags"])
        for line in record["lines"]:
            colour = next((o["value"] for o in line["options"] if o["key"] == "colour"), "")
            yield [
                *(record["no"], record["raised"], record["station"]["code"]),
                *(record["station"]["address"]["town"], line["part"]["code"]),
                *(line["qty"], line["unit_price"], rounded(line["qty"] * line["unit_price"])),
                *(colour, tags),
            ]


def keyed_rows(records: Iterable[dict[str, Any]]) -> Rows:
    """The same, with a look whether a key comes twice."""
    met: set[tuple[str, int]] = set()
    for record in records:
        for line, row in zip(record["lines"], detail_rows([record]), strict=True):
            key = record["no"], line["line"]
            if key in met:
                raise SystemExit(f"{key} comes twice")
            met.add(key)
            yield [row[0], line["line"], *row[1:]]


def stacked_rows(records: Iterable[dict[str, Any]]) -> Rows:
    """A row for the record, and one for each of its lines below it."""
    for record in records:
        town = record["station"]["address"]["town"]
        yield [record["no"], record["raised"], record["station"]["code"], town, *[""] * 4]
        for line in record["lines"]:
            amount = rounded(line["qty"] * line["unit_price"])
            part = line["part"]["code"]
            yield [*[""] * 4, part, line["qty"], line["unit_price"], amount]


def options_rows(records: Iterable[dict[str, Any]]) -> Rows:
    for record in records:
        for line in record["lines"]:
            options = {option["key"]: option["value"] for option in line["options"]}
            if "voltage" in options or "cap" in options:
                names = ("voltage", "cap", "finish", "colour", "length")
                yield [record["no"], line["part"]["code"], *(options.get(n, "") for n in names)]


def sorted_rows(records: Iterable[dict[str, Any]]) -> Rows:
    found = [
        (r["station"]["code"], r["raised"], r["no"], line["qty"] * line["unit_price"])
        for r in records
        if "2026-03-01" <= r["raised"] <= "2026-09-30"
        for line in r["lines"]
    ]
    found.sort(key=lambda row: row[:3])
    group, subtotal, total = None, 0, 0
    for code, raised, no, amount in found:
        if code != group and group is not None:
            yield [f"Total {group}", "", "", rounded(subtotal)]
            subtotal = 0
        group = code
        subtotal, total = subtotal + rounded(amount), total + rounded(amount)
        yield [code, raised, no, rounded(amount)]
    yield [f"Total {group}", "", "", rounded(subtotal)]
    yield ["Grand total", "", "", rounded(total)]


def summary_rows(records: Iterable[dict[str, Any]]) -> Rows:
    sums: dict[str, list[Any]] = {}
    for record in records:
        for line in record["lines"]:
            one = sums.setdefault(line["part"]["code"], [0, 0])
            one[0] += line["qty"]
            one[1] += rounded(line["qty"] * line["unit_price"])
    for code in sorted(sums):
        yield [code, sums[code][0], rounded(sums[code][1])]


def side_rows(records: Iterable[dict[str, Any]]) -> Rows:
    for record in records:
        paid, lines = record["payments"], record["lines"]
        worth = sum(line["qty"] * line["unit_price"] for line in lines)
        yield [
            *(record["no"], len(lines), len(paid)),
            *(rounded(sum(p["amount"] for p in paid)) if paid else "", rounded(worth)),
        ]


def few_rows(records: Iterable[dict[str, Any]]) -> Rows:
    for record in records:
        if record["no"].endswith("77"):
            for line in record["lines"]:
                yield [record["no"], line["part"]["code"], line["qty"]]


DETAIL: dict[str, Any] = {
    "row-per": "lines",
    "columns": [
        *({"No": "no"}, {"Raised": "raised"}, {"Station": "station.code"}),
        *({"Town": "station.address.town"}, {"Part": "lines.part.code"}, {"Qty": "lines.qty"}),
        {"Price": "lines.unit_price"},
        {"Amount": {"value": "lines.qty * lines.unit_price", "decimals": 2}},
        {"Colour": "lines.options[?@.key=='colour'].value"},
        {"Tags": {"value": "tags", "separator": "; "}},
    ],
}
KEYED = {
    "row-per": "lines",
    "columns": [DETAIL["columns"][0], {"Line": "lines.line"}, *DETAIL["columns"][1:]],
    "primary-key": ["No", "Line"],
}
STACKED = {"row-per": ["record", "lines"], "columns": DETAIL["columns"][:8]}
OPTIONS = {
    "row-per": "lines",
    "columns": [
        *({"No": "no"}, {"Part": "lines.part.code"}),
        {
            "{key}": {
                "columns-from": "lines.options",
                "named-by": "lines.options.key",
                "value": "lines.options.value",
                "keys": ["voltage", "cap", "finish", "colour", "length"],
            }
        },
    ],
    "only": ["any(lines.options.key in ('voltage', 'cap'))"],
}
SORTED = {
    "row-per": "lines",
    "columns": [
        *({"Station": "station.code"}, {"Raised": {"value": "raised", "datatype": "date"}}),
        {"No": "no"},
        {"Amount": {"value": "lines.qty * lines.unit_price", "decimals": 2, "total": "sum"}},
    ],
    "only": ["raised between date '2026-03-01' and date '2026-09-30'"],
    "group": ["Station"],
    "sort": ["Raised", "No"],
}
SUMMARY = {
    "row-per": "lines",
    "columns": [
        {"Part": "lines.part.code"},
        {"Qty": {"value": "lines.qty", "total": "sum"}},
        {"Amount": {"value": "lines.qty * lines.unit_price", "decimals": 2, "total": "sum"}},
    ],
    "group": ["Part"],
    "totals": {"detail": "no", "grand-total": "no"},
}
SIDE = {
    "columns": [
        *({"No": "no"}, {"Lines": "count(lines)"}, {"Payments": "count(payments)"}),
        {"Paid": {"value": "sum(payments.amount)", "decimals": 2}},
        {"Worth": {"value": "sum(lines.qty * lines.unit_price)", "decimals": 2}},
    ],
}
FEW = {
    "row-per": "lines",
    "columns": [{"No": "no"}, {"Part": "lines.part.code"}, {"Qty": "lines.qty"}],
    "only": ["no like '%77'"],
}

# ---- flat and odd shapes -----------------------------------------------------------------------


def wide(count: int) -> Shape:
    """Records of many fields, of all of which there are columns."""
    names = [f"field_{at}" for at in range(count)]

    def record(chance: random.Random, number: int) -> dict[str, Any]:
        return {name: number if at % 3 else f"v{number % 97}" for at, name in enumerate(names)}

    def rows(records: Iterable[dict[str, Any]]) -> Rows:
        return ([one[name] for name in names] for one in records)

    return Shape(record, {"columns": [{name: name} for name in names]}, rows)


def deep_record(chance: random.Random, number: int) -> dict[str, Any]:
    rooms = [
        {"no": room, "racks": [{"id": f"{number}-{room}-{n}", "load": n * 3} for n in range(3)]}
        for room in range(chance.randint(1, 3))
    ]
    return {"site": {"name": {"short": f"S{number % 50}"}}, "floor": {"rooms": rooms}}


def deep_rows(records: Iterable[dict[str, Any]]) -> Rows:
    for record in records:
        for room in record["floor"]["rooms"]:
            for rack in room["racks"]:
                yield [record["site"]["name"]["short"], room["no"], rack["id"], rack["load"]]


def odd_record(chance: random.Random, number: int) -> dict[str, Any]:
    """Many nulls, and in one of a hundred a text where a number is meant."""
    value: Any = chance.randint(1, 99) if chance.random() < 0.5 else None
    return {
        "no": number,
        "a": "n/a" if chance.random() < 0.01 else value,
        "b": value,
        **({"note": "seen"} if chance.random() < 0.2 else {}),
        "c": money(chance),
    }


def odd_rows(records: Iterable[dict[str, Any]]) -> Rows:
    for record in records:
        a, b = record["a"], record["b"]
        both = "" if a is None or b is None or isinstance(a, str) else a + b
        yield [
            record["no"],
            *("" if x is None else x for x in (a, b)),
            both,
            record.get("note", ""),
        ]


def text_record(chance: random.Random, number: int) -> dict[str, Any]:
    words = chance.choices(["lamp", "wick", "oil", "gallery", "tower", "log, kept"], k=60)
    return {"no": number, "text": " ".join(words), "by": f"Keeper {number % 30}"}


def text_rows(records: Iterable[dict[str, Any]]) -> Rows:
    return ([one["no"], one["by"].upper(), one["text"]] for one in records)


def dated_record(chance: random.Random, number: int) -> dict[str, Any]:
    return {"no": number, "from": day(chance), "to": day(chance), "state": chance.choice("abc")}


def dated_rows(records: Iterable[dict[str, Any]]) -> Rows:
    states = {"a": "Open", "b": "Closed", "c": "Void"}
    for one in records:
        if one["from"] <= one["to"]:
            shown = f"{one['from'][8:]}/{one['from'][5:7]}/{one['from'][:4]}"
            yield [one["no"], shown, one["to"], states[one["state"]]]


def assembly(chance: random.Random, number: int) -> dict[str, Any]:
    """An assembly of some thirty parts, up to six deep."""

    def parts(depth: int) -> list[dict[str, Any]]:
        found = []
        for _ in range(chance.randint(2, 4) if depth < 3 else chance.randint(0, 3)):
            part: dict[str, Any] = {"code": f"P-{chance.randint(1, 900):04d}", "name": "A part"}
            part |= {"qty": chance.randint(1, 9), "cost": money(chance, 2_000)}
            inner = parts(depth + 1) if depth < 6 and chance.random() < 0.5 else []
            found.append({**part, **({"parts": inner} if inner else {})})
        return found

    return {"no": f"A-{number:06d}", "station": f"S{number % 40:02d}", "parts": parts(1)}


def nodes(
    parts: list[dict[str, Any]], above: str = "", of: str = "", each: int = 1
) -> Iterator[tuple[str, str, int, dict[str, Any]]]:
    for place, part in enumerate(parts, 1):
        number, needed = f"{above}{place}", each * part["qty"]
        yield number, of, needed, part
        yield from nodes(part.get("parts", ()), f"{number}.", part["code"], needed)


def tree_rows(records: Iterable[dict[str, Any]]) -> Rows:
    total = 0
    for record in records:
        for number, of, needed, part in nodes(record["parts"]):
            cost = rounded(needed * part["cost"])
            total += 0 if part.get("parts") else cost
            yield [record["no"], number, number.count(".") + 1, of, part["code"], needed, cost]
    yield ["Grand total", "", "", "", "", "", rounded(total)]


def leaf_rows(records: Iterable[dict[str, Any]]) -> Rows:
    for record in records:
        leaves = [node for node in nodes(record["parts"]) if not node[3].get("parts")]
        costs = [needed * part["cost"] for _, _, needed, part in leaves]
        yield [record["no"], len(leaves), rounded(sum(costs)) if costs else ""]


TREE = {
    "row-per": "parts",
    "columns": [
        *({"No": "no"}, {"Number": "numbering()"}, {"Depth": "depth()"}),
        *({"Of": "parent(parts.code)"}, {"Part": "parts.code"}),
        {"Needed": "chain_product(parts.qty)"},
        {"Cost": {"value": "chain_product(parts.qty) * parts.cost", "decimals": 2, "total": "sum"}},
    ],
}
LEAVES = {
    "columns": [
        {"No": "no"},
        {"Leaves": "count(case when is_leaf() then parts.code end)"},
        {"Cost": {"value": "sum(chain_product(parts.qty) * parts.cost)", "decimals": 2}},
    ],
}
DEEP = {
    "row-per": "floor.rooms.racks",
    "columns": [
        *({"Site": "site.name.short"}, {"Room": "floor.rooms.no"}),
        *({"Rack": "floor.rooms.racks.id"}, {"Load": "floor.rooms.racks.load"}),
    ],
}
ODD = {"columns": [{"No": "no"}, {"A": "a"}, {"B": "b"}, {"Both": "a + b"}, {"Note": "note"}]}
TEXTS = {"columns": [{"No": "no"}, {"By": "upper(by)"}, {"Text": "text"}]}
DATED = {
    "columns": [
        {"No": "no"},
        {"From": {"value": '$["from"]', "datatype": "date", "format": "dd/MM/yyyy"}},
        {"To": {"value": "to", "datatype": "date"}},
        {"State": {"value": "state", "translate": {"a": "Open", "b": "Closed", "c": "Void"}}},
    ],
    "only": ['cast($["from"] as date) <= cast(to as date)'],
}
SHAPES = {
    "detail": Shape(requisition, DETAIL, detail_rows),
    "detail with a key": Shape(requisition, KEYED, keyed_rows),
    "stacked rows": Shape(requisition, STACKED, stacked_rows),
    "options as columns": Shape(requisition, OPTIONS, options_rows),
    "grouped and sorted": Shape(requisition, SORTED, sorted_rows),
    "summary": Shape(requisition, SUMMARY, summary_rows),
    "side levels": Shape(requisition, SIDE, side_rows),
    "1 in 100 kept": Shape(requisition, FEW, few_rows),
    "60 columns": wide(60),
    "200 columns": wide(200),
    "deep": Shape(deep_record, DEEP, deep_rows),
    "assemblies": Shape(assembly, TREE, tree_rows),
    "leaves of assemblies": Shape(assembly, LEAVES, leaf_rows),
    "nulls, odd values": Shape(odd_record, ODD, odd_rows),
    "long texts": Shape(text_record, TEXTS, text_rows),
    "dates": Shape(dated_record, DATED, dated_rows),
}


def write_source(name: str, path: Path, size: int) -> None:
    """Write JSON Lines of about so many bytes, the same every time."""
    chance, written, number = random.Random(name), 0, 0
    with path.open("w", encoding="utf-8") as file:
        while written < size:
            number += 1
            text = json.dumps(SHAPES[name].record(chance, number), ensure_ascii=False)
            written += file.write(text.replace('"§', "").replace('§"', "") + "\n")


def headings(name: str) -> list[str]:
    """The headings of a shape's table."""
    found: list[str] = []
    for column in SHAPES[name].layout["columns"]:
        ((heading, value),) = column.items()
        keys = value.get("keys") if isinstance(value, dict) else None
        found += keys or [heading]
    return found


def run_plain(name: str, source: str, table: str, number: Any) -> None:
    """The plain script of a shape."""
    with (
        open(source, encoding="utf-8") as lines,
        open(table, "w", encoding="utf-8", newline="") as file,
    ):
        writer = csv.writer(file)
        writer.writerow(headings(name))
        writer.writerows(SHAPES[name].rows(json.loads(x, parse_float=number) for x in lines))


if __name__ == "__main__":
    run_plain(*sys.argv[1:4], Decimal if "--exact" in sys.argv else float)
