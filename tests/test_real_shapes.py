"""Small files in the shapes that real ones have: each is drafted, and its table is its source."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from lxml import etree

import flatledger
from flatledger.reports.screen import Screen
from flatledger.reports.survey_text import print_survey

FILES: dict[str, tuple[str, list[str]]] = {
    # name: its text, and what stands in its draft
    "coordinates.csv": ("Name,Lat\nA,51.515056\nB,51.5150561234\n", ["Lat: {datatype: decimal}"]),
    "codes.csv": ("Code,N\n1737,1\n09005,2\n", ["Code: {datatype: string}", "N: {datatype: int"]),
    "signed.csv": ("D,T\n+2,a\n-3,b\n", ["#   D: {datatype: integer, reads: numeral}"]),
    "words.csv": ("Note\n3209324 This\n12 is\n", ["- Note: Note\n"]),
    "currency.csv": ("Fee,N\nUSD 0.00,1\nUSD 1.50,2\n", ["reads: amount, unit: USD}"]),
    "moments.jsonl": ('{"t":"2026-01-05T20:15:00Z"}\n', ["#   t: {datatype: dateTime}"]),
    "days-and-moments.jsonl": ('{"t":"2026-01-05"}\n{"t":"2026-01-05T20:15:00"}\n', ["#   t: "]),
    "exposures.jsonl": ('{"exposure":"1/200"}\n{"exposure":"1/32"}\n', ["- Exposure: exposure"]),
    "thousands.csv": ("Part,Sum\na,1.200\nb,3.400\n", ["# is it 1.200 or 1200?"]),
    "comma.csv": ("Part;Sum\na;4,95\nb;0,08\n", ["reads: amount, locale: de}"]),
    "noise.jsonl": ('{"x":0.30000000000000004}\n{"x":1.1}\n', ["`decimals: 1` rounds it"]),
    "american.csv": ("On,N\n03/31/2026,1\n04/01/2026,2\n", ["reads: MM/dd/yyyy}"]),
    "unpadded.csv": ("On,N\n1.4.2026,1\n31.3.2026,2\n", ["reads: d.M.yyyy}", "format: d.M.yyyy"]),
    "either.csv": ("On,N\n03/04/2026,1\n05/06/2026,2\n", ["# which is the day?"]),
    "packed.csv": ("On,N\n20260331,1\n20260401,2\n", ["reads: yyyyMMdd}"]),
    "short-year.csv": ("On,N\n31/03/26,1\n01/04/26,2\n", ["reads: dd/MM/yy}"]),
    "clock.csv": ("At,N\n07:30,1\n19:05,2\n", ["datatype: time, reads: HH:mm}"]),
    "hours.csv": ("Took,N\n30:00,1\n7:15,2\n", ["- Took: Took"]),
    "yes-no.csv": ("Ok,N\nTRUE,1\nno,2\n", ["- Ok: Ok"]),
    "isbn.csv": ("ISBN,N\n9780306406157,1\n0306406152,2\n", ["ISBN: {datatype: string}"]),
    "versions.csv": ("Version,N\n1.2,1\n1.10,2\n", ["Version: {datatype: decimal}"]),
    "ids-with-points.csv": ("Id,N\n1.2,1\n1.10,2\n", ["Id: {datatype: string}"]),
    "blanks.csv": ("N,T\n 12,a\n13 ,b\n", ["#   N: {datatype: integer, reads: numeral}"]),
    "minus-nothing.csv": ("N,T\n-0,a\n1,b\n", ["#   N: {datatype: integer, reads: numeral}"]),
    "dot-first.csv": ("N,T\n.5,a\n1.5,b\n", ["#   N: {datatype: decimal, reads: numeral}"]),
    "months.csv": ("On,N\n3 March 2026,1\n1 April 2026,2\n", ["- On: On"]),
    "years.csv": ("Station,2024,2025\nHolm,5,7\nTarn,6,8\n", ['"2024": "$[\'2024\']"']),
    "two-lines.csv": ('No,"Unit\nprice"\n1,2.50\n2,3.00\n', ["$['Unit price']"]),
    "comment.csv": ("# made on Monday, by hand, for you\nno,name\n1,Lind\n2,Rua\n", ["- No: no"]),
    "hash-heading.csv": ("#no,name\n1,Lind\n2,Rua\n", ["$['#no']"]),
    "no-headings.csv": ("12,2026-01-01,oak\n13,2026-01-02,elm\n", ["header-row-count: 0"]),
    "short-rows.csv": ("No,Part,Note\n1,wick\n2,lamp\n3,oil,x\n", ["short-rows: blank"]),
    "total.csv": ("Part,By,Qty\na,x,2\nb,x,3\nTOTAL,,5\n", ["total-rows:", "- By"]),
    "not-a-total.csv": ("Part,By,Qty\na,x,2\nb,x,3\nTOTAL,,6\n", ["no rows before add up to that"]),
    "list.json": ('{"count":2,"items":[{"id":1,"v":"a"},{"id":2,"v":"b"}]}', ["records: items"]),
    "wrapped.json": ('{"data":{"rows":[{"v":"a"},{"v":"b"}]}}', ["records: data.rows"]),
    "two-lists.json": ('{"a":[{"v":1},{"v":2}],"b":[{"w":1},{"w":2}]}', ["repeats most"]),
    "tree.json": (
        '{"plan":[{"n":"a","sub":[{"n":"b","sub":[{"n":"c"}]}]},{"n":"d"}]}',
        ["nests: {plan: sub}", "row-per: plan"],
    ),
    "versioned.json": (
        json.dumps({"no": 1, "uses": {f"{n}.0": {"on": f"2026-01-0{n}"} for n in range(1, 5)}}),
        ['row-per: "uses.*"', "key(uses.*)"],
    ),
    "members.json": (
        json.dumps(
            [{"id": n, **{k: {"code": n, "text": k} for k in "abcdefghijkl"}} for n in (1, 2)]
        ),
        ["- A code: a.code", "- L text: l.text"],
    ),
    "stations.jsonl": (
        '{"id":7,"station":{"station":"Holm","id":"H"}}\n{"id":8,"station":{"station":"Tarn"}}\n',
        ["- ID: id", "- Station: station.station", "- Station ID: station.id"],
    ),
    "same-everywhere.csv": ("Kind,No\nlamp,1\nlamp,2\n", ["  - No: No\n  - Kind: Kind\n"]),
    "feed.xml": (
        "<feed><title>T</title><link href='x'/><link href='y'/><entry><id>1</id></entry>"
        "<entry><id>2</id></entry><entry><id>3</id></entry></feed>",
        ["records: feed", "entry repeats most (3 times)"],
    ),
    "orders.xml": (
        "<order><head><no>7</no></head><lines><line><q>1</q></line><line><q>2</q></line></lines>"
        "</order>",
        ["records: line", "- Q: q"],
    ),
}


@pytest.mark.parametrize("name", FILES)
def test_what_is_drafted_is_what_stands_there(name: str, tmp_path: Path) -> None:
    text, expected = FILES[name]
    (tmp_path / name).write_text(text, encoding="utf-8")
    drafted = flatledger.draft(tmp_path / name, sample=None)
    for one in expected:
        assert one in drafted, drafted
    assert "# refused:" not in drafted
    check_cells(drafted, tmp_path / name)
    lines = io.StringIO()
    print_survey(flatledger.survey(tmp_path / name), Screen(lines))
    assert len(lines.getvalue().splitlines()) < 100


SAMPLES = [
    *("requisitions.jsonl", "requisitions.xml", "stations.csv", "bays.csv", "drills.json"),
    *("assemblies.json", "equipment.json", "restoration-plan.json"),
]


@pytest.mark.parametrize("name", SAMPLES)
def test_every_sample_is_drafted_as_it_stands(name: str, demo: Path) -> None:
    check_cells(flatledger.draft(demo / name, sample=None), demo / name)


def check_cells(drafted: flatledger.api.draft.DraftedLayout, source: Path) -> None:
    """Each column of one plain path has the values that stand there, letter for letter."""
    stream = io.BytesIO()
    layout = flatledger.Layout.from_text(drafted + "totals: {grand-total: no}\n")
    assert not flatledger.export(layout, source, stream).fault_count
    rows = list(csv.DictReader(io.StringIO(stream.getvalue().decode(), newline="")))
    records = list(records_in(source, layout))
    assert rows
    looked_at = 0
    for column in layout.request.columns:
        path = column.value.text
        if (
            f"{{value: {path}, separator" not in drafted
            and path.replace(".", "").replace("_", "").isalnum()
        ):
            looked_at += 1
            met = {cell for row in rows if (cell := row[column.heading])}
            there = {one for record in records for one in values_at(record, path.split("."))}
            guarded = {one.removeprefix("'") for one in met}
            assert there in (met, guarded), (column.heading, drafted)
    assert looked_at or source.suffix == ".xml" or "$['" in drafted or ".*" in drafted


def records_in(source: Path, layout: flatledger.Layout) -> Iterator[Any]:
    """The records by readers that are not ours, each value as its text."""
    places = layout.request.source.records or ((),)
    text = source.read_text(encoding="utf-8")
    if source.suffix == ".csv":
        delimiter = ";" if ";" in text.partition("\n")[0] else ","
        lines = [line for line in text.splitlines() if not line.startswith("# ")]
        totals = layout.request.source.table.total_rows.said == "drop"
        for row in csv.DictReader(io.StringIO("\n".join(lines)), delimiter=delimiter):
            if not (totals and str(next(iter(row.values()))).startswith("TOTAL")):
                yield {str(key).replace("\n", " "): value for key, value in row.items()}
        return
    if source.suffix == ".xml":
        for name in places[0]:
            yield from (as_data(one) for one in etree.parse(source).getroot().iter(name))
        return
    values = text.splitlines() if source.suffix == ".jsonl" else [text]
    for value in values:
        read = json.loads(value, parse_float=str, parse_int=str)
        for name in places[0]:
            read = read[name]
        yield from read if isinstance(read, list) else [read]


def as_data(element: Any) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for one in element:
        found.setdefault(one.tag, []).append(as_data(one) if len(one) else one.text or "")
    return found


def values_at(value: Any, names: list[str]) -> Iterator[str]:
    if isinstance(value, list):
        for one in value:
            yield from values_at(one, names)
    elif names and isinstance(value, dict):
        yield from values_at(value.get(names[0]), names[1:])
        for inner in ("sub", "subtasks"):  # the nodes of a tree
            yield from values_at(value.get(inner), names)
    elif not names and value is not None and str(value).strip():
        yield str(value).lower() if isinstance(value, bool) else str(value)
