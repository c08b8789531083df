"""What `--verify` sees: each writer's file, broken in many ways, each of which is found."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import flatledger
from flatledger.outputs.places.files import Target

LAYOUT: dict[str, Any] = {
    "columns": [
        {"No": "no"},
        {"Note": "note"},
        {"Amount": {"value": "amount", "decimals": 2, "total": "sum"}},
        {"Day": {"value": "day", "datatype": "date"}},
        {"Rate": {"value": "rate", "format": "0.000"}},
        {"Sent": {"value": "sent", "datatype": "boolean"}},
    ],
}
RECORDS = [
    {"no": n, "note": f"wick {n}", "amount": n * 1.25, "day": f"2026-03-0{n}", "rate": n / 8}
    | {"sent": n % 2 == 0}
    for n in range(1, 5)
]
Break = tuple[str | bytes, str | bytes]
TEXT: list[Break] = [
    *[("wick 2", "'wick 2"), ("wick 2", "wick  2"), ("wick 2", "wick 3"), ("wick 3", "")],
    *[("2.50", "2.51"), ("3.75", "37.5"), ("2026-03-02", "2026-03-20"), ("true", "false")],
    *[("Note", "Amount"), ("12.50", "12.49"), ("5.00", "-5.00"), ("wick 4", "Wick 4")],
]
CSV: list[Break] = [
    *TEXT,
    *[
        ("wick 2", "wick 2,"),
        ("\r\n2,", "\r\n\r\n2,,"),
        ("No,Note", "Note,No"),
        ("true\r\n", "true"),
    ],
    *[
        ("false\r\n", "false,\r\n"),
        ("false\r\n", "false,x\r\n"),
        ("2,wick", '2,"wick'),
        ("\r\n3", "3"),
    ],
]
TSV: list[Break] = [(one, two) for one, two in TEXT] + [
    *[("wick 2", "wick 2\t"), ("No\tNote", "Note\tNo"), ("false\r\n", "false\tx\r\n")],
    *[("\r\n3", "3"), ("2\twick", "wick\t2"), ("3\twick 3", "3"), ("4\twick", "4 wick")],
    ("wick 2", "wick 2\twick 2"),
]
JSON: list[Break] = [
    *TEXT,
    *[('"No":2', '"No":"2"'), ('"wick 2"', "2"), ("2.50", '"2.50"'), ("true", '"true"')],
    *[('"No":2,', '"No":2,"More":1,'), ('"No":2,', ""), ('"No":2', '"No":2,"No":2')],
    *[('"@total":0', '"@total":1'), ('"@total":0,', ""), ('"wick 3"', "null")],
    ('"2026-03-02"', '"2026-03-02T00:00:00"'),
]
HTML: list[Break] = [
    *TEXT,
    *[("</html>", ""), ("0.250", "0.251"), ('"0.25"', '"0.26"')],
    *[(">wick 2</td>", ">wick 2</td><td>x</td>")],
    ("wick 2", "<b>wick</b> 22"),
]
MARKDOWN: list[Break] = [
    *TEXT,
    *[("wick 2 |", "wick 2 | x |"), ("| No | Note |", "| Note | No |"), ("| wick 2", "wick 2")],
    *[
        ("wick 2", "wick\\|2"),
        ("wick 2", "wick<br>2"),
        ("true |\n", "true |"),
    ],
    ("4 | wick 4", "wick 4 | 4"),
]
SHEET: list[Break] = [
    *[("wick 2", "'wick 2"), ("wick 2", "wick  2"), ("wick 2", "wick 3"), ("wick 3", "")],
    *[("<v>2.50</v>", "<v>2.51</v>"), ("<v>3.75</v>", "<v>37.5</v>"), ("Note", "Amount")],
    *[("<v>12.50</v>", "<v>12.49</v>"), ("wick 4", "Wick 4"), ("<v>46083</v>", "<v>46084</v>")],
    (r'<c r="A3" s="3"><v>2</v></c>', r'<c r="A3" t="inlineStr"><is><t>2</t></is></c>'),
    (r'<c r="A3" s="3"><v>2</v></c>', ""),
    (r'<c r="A3" s="3"><v>2</v></c>', r'<c r="A3" t="b"><v>1</v></c>'),
    ('</row><row r="4"', '<c r="K3"><v>1</v></c></row><row r="4"'),
    ('t="b"><v>1</v>', 't="b"><v>0</v>'),
    (' t="b"><v>1</v>', "><v>1</v>"),
    ("<v>0.25</v>", "<v>0.26</v>"),
    ('<row r="4"', '<row r="40"'),
    ('r="C3"', 'r="K3"'),
    ("</sheetData>", '<row r="90"><c r="A90"><v>1</v></c></row></sheetData>'),
]
ODS: list[Break] = [
    *[("wick 2", "'wick 2"), ("wick 2", "wick 3"), ("wick 3", ""), ("Note", "Amount")],
    *[('value="2.50"', 'value="2.51"'), ('value="12.50"', 'value="12.49"'), ("wick 4", "Wick 4")],
    *[('date-value="2026-03-02"', 'date-value="2026-03-20"'), ('value="0.25"', 'value="0.26"')],
    *[('boolean-value="true"', 'boolean-value="false"')],
]
BREAKS = {"csv": CSV, "tsv": TSV, "json": JSON, "jsonl": JSON, "html": HTML, "md": MARKDOWN}
PACKED = {"xlsx": (SHEET, "xl/worksheets/sheet1.xml"), "ods": (ODS, "content.xml")}


def export(place: Path) -> Any:
    return flatledger.export(LAYOUT, RECORDS, place, verify=True, if_there="replace")


def broken_in(monkeypatch: pytest.MonkeyPatch, change: Callable[[bytes], bytes]) -> None:
    whole = Target.whole

    def broken(target: Target) -> Any:
        with whole(target) as file:
            return io.BytesIO(change(file.read()))

    monkeypatch.setattr(Target, "whole", broken)


@pytest.mark.parametrize("suffix", BREAKS)
def test_a_file_of_text_that_is_broken_in_any_way_is_not_verified(
    tmp_path: Path, suffix: str
) -> None:
    place = tmp_path / f"t.{suffix}"
    assert export(place).wrong == []
    text = place.read_bytes().decode()
    unseen, missing = [], []
    for before, after in BREAKS[suffix]:
        assert isinstance(before, str)
        assert isinstance(after, str)
        data = text.replace(before, after, 1)
        if data == text:
            missing.append(before)
            continue
        with pytest.MonkeyPatch.context() as patch:
            broken_in(patch, lambda _, data=data: data.encode())  # type: ignore[misc]
            if not export(place).wrong:
                unseen.append((before, after))
    assert unseen == []
    assert missing in ([], ["true"], ["0.250"])


@pytest.mark.parametrize("suffix", PACKED)
def test_a_workbook_that_is_broken_in_any_way_is_not_verified(tmp_path: Path, suffix: str) -> None:
    place = tmp_path / f"t.{suffix}"
    assert export(place).wrong == []
    breaks, part = PACKED[suffix]
    unseen, missing = [], []
    with zipfile.ZipFile(place) as packed:
        parts = {name: packed.read(name) for name in packed.namelist()}
    for before, after in breaks:
        assert isinstance(before, str)
        assert isinstance(after, str)
        text = parts[part].decode()
        changed = text.replace(before, after, 1)
        if changed == text:
            missing.append(before)
            continue
        file = io.BytesIO()
        with zipfile.ZipFile(file, "w") as packed:
            for name, data in {**parts, part: changed.encode()}.items():
                packed.writestr(name, data)
        with pytest.MonkeyPatch.context() as patch:
            broken_in(patch, lambda _, file=file: file.getvalue())  # type: ignore[misc]
            if not export(place).wrong:
                unseen.append((before, after))
    assert unseen == []
    assert missing == []


@pytest.mark.parametrize("suffix", [*BREAKS, *PACKED])
def test_a_file_that_is_cut_off_anywhere_is_not_verified(tmp_path: Path, suffix: str) -> None:
    place = tmp_path / f"t.{suffix}"
    export(place)
    size = place.stat().st_size
    for cut in {1, 2, 5, 20, size // 3, size // 2}:
        with pytest.MonkeyPatch.context() as patch:
            broken_in(patch, lambda data, cut=cut: data[:-cut])  # type: ignore[misc]
            assert export(place).wrong, cut


@pytest.mark.parametrize("suffix", [*BREAKS, *PACKED])
def test_words_of_patterns_are_read_again_as_they_stand(tmp_path: Path, suffix: str) -> None:
    """Those for truth values, and those for months in the layout's own language."""
    day = {"value": "day", "datatype": "date", "format": "d MMM yyyy"}
    columns = [{"Sent": {"value": "ok", "datatype": "boolean", "format": "yes|"}}, {"Day": day}]
    place = tmp_path / f"t{suffix}"
    records = [{"ok": True, "day": "2008-09-30"}, {"ok": False, "day": "2008-03-01"}, {}]
    layout = {"locale": "en-GB", "columns": columns}
    assert flatledger.export(layout, records, place, verify=True).balanced
