"""Drift: what a layout expects and the data lacks, and what the data has that is new."""

from __future__ import annotations

import gzip
import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import Layout
from flatledger.api.notes import note_of
from tests.conftest import Tool, table

LAYOUT = {
    "row-per": "lines",
    "columns": [
        {"No": "no"},
        {"Colour": "lines.colour"},
        {"Voltage": "lines.options[?@.key == 'voltage'].value"},
        {"Checked by": None},
        {"Note": "note"},
    ],
    "only": ["deleted is null"],
}


def test_blank_columns_and_paths_that_were_never_found() -> None:
    records: list[Any] = [{"no": n, "lines": [{"qty": n}], "note": " "} for n in range(400)]
    drift = table(LAYOUT, records)[1].drift
    assert drift.blank_columns == ["Colour", "Voltage", "Note"]
    assert drift.unmatched == ["lines.colour", "lines.options", "deleted"]
    assert (drift.new_fields, drift.looked_at) == ([], 0)
    late = {"no": 1, "lines": {"colour": "red", "options": [{"key": "voltage", "value": 9}]}}
    drift = table(LAYOUT, [*records, late, {"deleted": True}])[1].drift
    assert (drift.blank_columns, drift.unmatched) == (["Note"], [])
    assert not table(LAYOUT, [])[1].drift
    grouped = {"row-per-group": ["no"], "columns": [{"No": "no"}, {"Sum": "sum(lines.vat)"}]}
    drift = table(grouped, records[:3])[1].drift
    assert (drift.blank_columns, drift.unmatched) == (["Sum"], ["lines.vat"])


@given(st.lists(st.sampled_from(["a", "b", "c"]), max_size=4, unique=True), st.integers(0, 700))
def test_a_column_is_blank_when_no_row_has_it(names: list[str], late: int) -> None:
    records = [{"no": n} for n in range(late)] + [dict.fromkeys(names, 1)]
    layout = {"columns": [{name: name} for name in "abc"], "only": ["no is null or no >= 0"]}
    rows, balance = table(layout, records)
    blank = [name for place, name in enumerate("abc") if all(row[place] is None for row in rows)]
    assert balance.drift.blank_columns == blank
    assert [one for one in balance.drift.unmatched if one != "no"] == blank


@pytest.mark.parametrize("form", ["lines", "document", "packed"])
def test_new_fields_are_told_until_they_are_learnt(tmp_path: Path, form: str) -> None:
    path, source = tmp_path / "own.yaml", tmp_path / f"source.json{'l' * (form != 'document')}"
    path.write_text("columns: [{No: no}]", encoding="utf-8")
    known: list[Any] = [{"no": n, "names": {"en": "x", "cy": "y"}} for n in range(20_000)]
    new = {"no": 1, "names": {"en": "x", "gd": "z"}, "lines": [{"unit-price": 1}]}

    def write(records: list[Any]) -> None:
        lines = "\n".join(map(json.dumps, records)).encode()
        data = json.dumps(records).encode() if form == "document" else lines
        source.write_bytes(gzip.compress(data) if form == "packed" else data)

    def drift(learn: bool = False) -> Any:
        layout = Layout.from_file(path)
        return flatledger.export(layout, source, tmp_path / "out.csv", learn=learn).drift

    write(known)
    assert drift().looked_at == 0
    assert drift(learn=True).new_fields == []
    assert note_of(path).read_text(encoding="utf-8").splitlines()[1:] == ["names", "names.*", "no"]
    write([*known, new])  # the last of all, far from the first
    found = drift()
    assert found.new_fields == ["lines", "lines['unit-price']"]
    assert 300 < found.looked_at < 2_500
    assert not drift(learn=True)
    assert not drift()
    one = Layout.from_file(path)  # the same layout, used again, knows what was learnt meanwhile
    note_of(path).unlink()
    for learn in (True, False):
        again = flatledger.export(one, [known[0]], tmp_path / "out.csv", learn=learn)
        assert (again.drift.new_fields, again.drift.looked_at) == ([], 2)


def test_learning_from_the_command_line(tool: Tool, demo: Path) -> None:
    source = demo / "requisitions.jsonl"
    assert tool("draft", source.name, "-o", "own.yaml", "--learn").returncode == 0
    assert "that are new" not in tool("export", "own.yaml", source.name, "-o", "out.csv").stderr
    text = source.read_text(encoding="utf-8")
    source.write_text(text.replace('"carriage"', '"haulage"'), encoding="utf-8")
    said = tool("export", "own.yaml", source.name, "-o", "out.csv", "--report-to", "b.json").stderr
    assert "Fields that are new: haulage\n" in said
    assert "no row has a value in `Carriage`" in said
    report = json.loads((demo / "b.json").read_text(encoding="utf-8"))
    assert report["drift"]["new_fields"] == ["haulage"]
    typed = tool("export", source.name, "--column", "no", "--learn", "-o", "out.csv")
    assert "a layout learns when it is in a file" in typed.stderr
    assert tool("draft", source.name, "--learn").returncode == 2
