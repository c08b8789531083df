"""Sources: JSON of every form, damaged in its bytes, packed, cut, and in odd encodings."""

from __future__ import annotations

import gzip
import json
import random
from pathlib import Path
from typing import Any

from flatledger import FlatLedgerError, Layout, draft, export, survey

LAYOUT = Layout.from_data(
    {
        "row-per": "l",
        "levels": ["l"],
        "may-lack": ["no", "l", "l.q", "t"],
        "columns": [{"No": "no"}, {"Q": {"value": "l.q", "total": "sum"}}, {"T": "t"}],
    }
)
_TEXTS = ("a", "", "é✓", "\x00\x1b[31m\u202e", "[/]", "=1+1", '"', "x" * 300, "\ud83d\ude00", "\\")


def value(chance: random.Random, depth: int = 3) -> Any:
    """Any value of JSON."""
    kind = chance.randrange(8 if depth else 6)
    plain = (None, True, chance.randrange(10**6), chance.random(), chance.choice(_TEXTS), 10**400)
    if kind < 6:
        return plain[kind]
    if kind == 6:
        return [value(chance, depth - 1) for _ in range(chance.randrange(4))]
    return {chance.choice(_TEXTS): value(chance, depth - 1) for _ in range(chance.randrange(4))}


def data(chance: random.Random) -> bytes:
    """A source, most of the time one that is damaged."""
    records = [
        {"no": value(chance, 1), "l": value(chance), "t": value(chance)}
        if chance.random() < 0.3
        else {"no": n, "l": [{"q": n}], "t": chance.choice(_TEXTS)}
        for n in range(chance.choice((0, 1, 5, 40)))
    ]
    indent = chance.choice((None, None, 1))
    if chance.random() < 0.6:
        text = "\n".join(json.dumps(one, indent=indent) for one in records)
    else:
        text = json.dumps(records, indent=indent)
    found = bytearray(text.encode(chance.choice(("utf-8", "utf-8", "utf-16", "utf-8-sig"))))
    for _ in range(chance.choice((0, 0, 1, 3, 10))):
        if found:
            place = chance.randrange(len(found))
            found[place : place + chance.randrange(3)] = bytes(
                chance.choice(b'{}[]",:\\\n\r \x00\xff0e-tn') for _ in range(chance.randrange(3))
            )
    whole = bytes(found)
    if chance.random() < 0.15:
        whole = gzip.compress(whole)
    return whole[: chance.randrange(len(whole) + 1)] if chance.random() < 0.15 else whole


def run(seed: int, folder: Path) -> str:
    """Read a source in all ways. Anything but an error of the family raises."""
    chance = random.Random(seed)
    source, table = folder / "source.json", folder / "table.csv"
    source.write_bytes(data(chance))
    for way in (survey, draft):
        try:
            way(source, sample=chance.choice((None, 3)))
        except FlatLedgerError as error:
            assert str(error).strip(), "an error without words"
    table.unlink(missing_ok=True)
    try:
        balance = export(LAYOUT, source, table)
    except FlatLedgerError:
        assert not table.exists(), "an error, and a table all the same"
        return "refused"
    assert balance.balanced, "does not balance"
    assert balance.read or not balance.rows, "rows of nothing"
    return "written, with faults" if balance.fault_count else "written"
