"""Damaged workbooks as forms: bytes flipped or cut off, parts missing, odd XML."""

from __future__ import annotations

import io
import random
import re
from pathlib import Path
from zipfile import ZIP_DEFLATED, BadZipFile, ZipFile

from flatledger import FlatLedgerError, Layout, export

FORM = Path(__file__).parents[1] / "src" / "flatledger" / "demo" / "drill-form.xlsx"
RECORDS = [{"station": "Tarven", "n": number, "day": "2026-03-31"} for number in range(3)]
LAYOUT = {
    "columns": [
        {"station": "station"},
        {"Drill": {"value": "n", "total": "sum"}},
        {"Date": {"value": "day", "datatype": "date"}},
    ]
}


def mutant(chance: random.Random) -> bytes:
    """The form, damaged in one way or another."""
    data = FORM.read_bytes()
    way = chance.randrange(4)
    if way == 0:
        damaged = bytearray(data)
        for _ in range(chance.choice((1, 3, 20))):
            damaged[chance.randrange(len(damaged))] = chance.randrange(256)
        return bytes(damaged)
    if way == 1:
        return data[: chance.randrange(len(data))]
    with ZipFile(io.BytesIO(data)) as old:
        parts = {name: old.read(name) for name in old.namelist()}
    name = chance.choice(list(parts))
    if way == 2 and chance.random() < 0.3:
        del parts[name]
    else:
        for _ in range(chance.choice((1, 1, 2, 5))):
            parts[name] = _odd_xml(parts[name], chance)
    new = io.BytesIO()
    with ZipFile(new, "w", ZIP_DEFLATED) as out:
        for one, content in parts.items():
            out.writestr(one, content)
    return new.getvalue()


def _odd_xml(content: bytes, chance: random.Random) -> bytes:
    """XML with an attribute, a text or an element changed, doubled or left out."""
    text = content.decode("utf-8", "replace")
    found = list(re.finditer(r'\s[\w:]+="[^"]*"|>[^<]+<|<[^>]+>', text))
    if not found:
        return b""
    one = chance.choice(found)
    whole = one[0]
    odd = ("", "0", "-1", "x", "99999999999999999999", "A0", "ZZZZ9", "1e9", "&#0;", "é", "../../x")
    if whole.startswith("<"):
        instead = chance.choice(("", whole * 2, "<x/>", "</x>"))
    elif whole.startswith(">"):
        instead = f">{chance.choice(odd)}<"
    else:
        name = whole.split("=")[0]
        instead = chance.choice(("", f'{name}="{chance.choice(odd)}"'))
    return (text[: one.start()] + instead + text[one.end() :]).encode()


def run(seed: int, folder: Path) -> str:
    """Fill a damaged form. Anything but an error of the family raises."""
    chance = random.Random(seed)
    form, filled = folder / "form.xlsx", folder / "filled.xlsx"
    form.write_bytes(mutant(chance))
    filled.unlink(missing_ok=True)
    try:
        balance = export(Layout.from_data(LAYOUT).fitted_to(form), RECORDS, filled)
    except FlatLedgerError:
        assert not filled.exists(), "an error, and a file all the same"
        return "refused"
    assert balance.balanced
    try:
        with ZipFile(filled) as found:
            assert found.testzip() is None
    except BadZipFile as error:
        raise AssertionError("what was written is no workbook") from error
    return "filled"
