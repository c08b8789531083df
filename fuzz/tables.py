"""Damaged tables as sources: delimited text in every dialect and workbooks (XLSX, ODS), with bytes
changed, cut off, doubled or put in; parts of a workbook missing, their XML odd."""

from __future__ import annotations

import io
import random
from pathlib import Path
from zipfile import ZIP_DEFLATED, ZipFile

from flatledger import FlatLedgerError, export, survey, table

RECORDS = [
    {"No": number, "Part": f"P-{number}", "Note": note, "Day": "2026-03-01", "Sent": number > 2}
    for number, note in enumerate(("two\nlines", 'a "quote"', "semi;colon", "", "é\t'", "=1+1"))
]
LAYOUT = {
    "levels": [],
    "columns": [
        {"No": {"value": "No", "total": "sum"}},
        {"Note": "Note"},
        {"Day": {"value": "Day", "datatype": "date"}},
    ],
    "group": ["Day"],
}
DELIMITERS = ("comma", "semicolon", "tab", "||", "unit-separator")
ENDS = ("crlf", "lf")
ODD = (b'"', b"'", b",", b";", b"\n", b"\r", b"\0", b"\xff", b"\\", b"||", b"\xef\xbb\xbf")
_XML = (
    (b"<table:", b"<tabel:"),
    (b' r="', b' r="XFD9'),
    (b">", b"/>"),
    (b'="', b'="-'),
    (b"<", b""),
)


def run(seed: int, folder: Path) -> str:
    """Read a damaged table; what came of it."""
    chance = random.Random(seed)
    kind = chance.choice(("csv", "xlsx", "ods"))
    data = _damaged(_written(kind, chance), chance, packed=kind != "csv")
    try:
        how = {"format": kind if kind == "csv" else "xlsx"}
        survey(io.BytesIO(data), reading=how)
        layout = {**LAYOUT, "source": how, "may-lack": ["No", "Note", "Day"]}
        rows = table(layout, io.BytesIO(data))
        list(rows)
    except FlatLedgerError:
        return f"{kind} refused"
    assert rows.balance.balanced, seed
    return f"{kind} read with faults" if rows.balance.fault_count else f"{kind} read"


def _written(kind: str, chance: random.Random) -> bytes:
    dialect = {"delimiter": chance.choice(DELIMITERS), "line-terminator": chance.choice(ENDS)}
    columns = [{name: name} for name in RECORDS[0]]
    output = {"format": kind, **(dialect if kind == "csv" else {})}
    written = io.BytesIO()
    export({"columns": columns, "levels": [], "output": output}, RECORDS, written)
    return written.getvalue()


def _damaged(data: bytes, chance: random.Random, *, packed: bool) -> bytes:
    if packed and chance.random() < 0.6:
        return _parts_damaged(data, chance)
    damaged = bytearray(data)
    for _ in range(chance.choice((1, 2, 5, 20))):
        at = chance.randrange(len(damaged) or 1)
        way = chance.randrange(4)
        if way == 0 and damaged:
            damaged[at] = chance.randrange(256)
        elif way == 1:
            damaged[at:at] = chance.choice(ODD)
        elif way == 2:
            del damaged[at : at + chance.randrange(1, 40)]
        else:
            damaged[at:at] = damaged[at : at + chance.randrange(1, 80)]
    return bytes(
        damaged[: chance.randrange(len(damaged) + 1)] if chance.random() < 0.1 else damaged
    )


def _parts_damaged(data: bytes, chance: random.Random) -> bytes:
    with ZipFile(io.BytesIO(data)) as old:
        parts = {name: old.read(name) for name in old.namelist()}
    name = chance.choice(list(parts))
    if chance.random() < 0.2:
        del parts[name]
    else:
        content = parts[name]
        for _ in range(chance.choice((1, 1, 3))):
            before, after = chance.choice(_XML)
            places = content.count(before)
            if places:
                at = -1
                for _ in range(chance.randrange(places) + 1):
                    at = content.find(before, at + 1)
                content = content[:at] + after + content[at + len(before) :]
        parts[name] = content
    new = io.BytesIO()
    with ZipFile(new, "w", ZIP_DEFLATED) as out:
        for one, part in parts.items():
            out.writestr(one, part)
    return new.getvalue()
