"""What is fed in is bounded: sizes, depths, times, keys that are data."""

from __future__ import annotations

import gzip
import io
import json
import random
import time
from pathlib import Path
from typing import Any

import pytest
from fuzz import sources
from fuzz.hostile import LETTERS
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger import Layout, LayoutError, SourceError
from flatledger.sources import open_source
from flatledger.sources.files import reading
from flatledger.sources.files.options import Options
from flatledger.sources.json import json_text
from tests.conftest import Tool, table


def read(data: bytes, names: tuple[str, ...] = (), **ways: Any) -> tuple[list[Any], list[str]]:
    records: list[Any] = []
    faults: list[str] = []
    for batch in open_source(io.BytesIO(data), Options(names, **ways)).open().batches():
        records += batch.records
        faults += [fault.reason for fault in (*batch.faults, *batch.remarks)]
    return records, faults


# ---- sizes -----------------------------------------------------------------------------------


@pytest.mark.parametrize("packed", [False, True])
@pytest.mark.parametrize("start", [b'{"a": "', b'{"a": [', b'{"a": 1', b'[{"b": 1}, {"a": "', b'"'])
def test_a_record_without_end_is_an_error_and_fills_no_memory(start: bytes, packed: bool) -> None:
    data = start + b"1,1," * 600_000
    source = io.BytesIO(gzip.compress(data) if packed else data)
    with pytest.raises(SourceError, match=r"line 1: a record of more than 1 MB\. If records lie"):
        for _ in open_source(source, Options(largest=1 << 20)).open().batches():
            pass
    stated = {"columns": [{"B": "b"}], "source": {"largest-record": "1"}}
    with pytest.raises(SourceError, match="more than 1 MB"):
        list(flatledger.table(Layout.from_data(stated), io.BytesIO(data)))


def test_long_values_are_read_in_linear_time() -> None:
    """A hundred times the size takes about a hundred times as long, and never thousands."""
    long = "x" * 6_000_000
    shapes: dict[str, tuple[bytes, tuple[str, ...]]] = {
        "skipped text": (f'{{"meta": "{long}", "r": [{{"b": 1}}]}}'.encode(), ("r",)),
        "skipped number": (b'{"meta": ' + b"1" * 6_000_000 + b', "r": [{"b": 1}]}', ("r",)),
        "skipped key": (f'{{"{long}": 1, "r": [{{"b": 1}}]}}'.encode(), ("r",)),
        "a text": (f'{{"b": 1, "c": "{long}"}}'.encode(), ()),
        "a list": (b'{"b": 1, "c": [' + b"1," * 3_000_000 + b"1]}", ()),
        "over lines": (b'{"b": 1,\n"c": [' + b"1,\n" * 2_000_000 + b"1]}", ()),
    }
    for name, (data, names) in shapes.items():
        start = time.process_time()
        records, faults = read(data, names)
        assert [record["b"] for record in records] == [1], name
        assert faults == []
        assert time.process_time() - start < 20, name  # quadratic, it took minutes


@settings(max_examples=300)
@given(st.integers(0, 10**9), st.sampled_from([1, 7, 40]), st.sampled_from([1, 2, 5, 64, 1 << 18]))
def test_long_values_are_those_that_short_ones_are(seed: int, checked: int, chunk: int) -> None:
    """The way for long values, taken for all, finds what the way for short ones finds: in sound
    and in damaged sources, however the bytes come."""
    data = sources.data(random.Random(seed))
    with pytest.MonkeyPatch.context() as patch:
        short = _told(data)
        patch.setattr(json_text, "_CHECKED", checked)
        patch.setattr(reading, "CHUNK", chunk)
        assert _told(data) == short


@settings(max_examples=300)
@given(st.lists(st.sampled_from([*LETTERS["json"], *LETTERS["jsonl"]]), max_size=150))
def test_what_is_remembered_of_brackets_changes_nothing(parts: list[str]) -> None:
    """Without it each line is gone through again for each bracket before it, and says the same."""
    for start in (b"", b"["):
        data = start + "".join(parts).encode()
        remembered = _told(data)
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(json_text.JsonText, "_fails_at", lambda *_: None)
            assert _told(data) == remembered


def _told(data: bytes) -> Any:
    """The records, and all that is told of the others: by its place, not by how it was batched."""
    try:
        records, faults = read(data)
    except SourceError as error:
        return str(error)
    return repr(records), sorted(faults)


def test_aliases_are_bounded() -> None:
    bomb = "a: &a [x, x, x, x, x, x, x, x, x, x]\n"
    for name, before in zip("bcdefghi", "abcdefgh", strict=True):
        bomb += f"{name}: &{name} [{', '.join([f'*{before}'] * 10)}]\n"
    with pytest.raises(LayoutError, match="its aliases stand for too much"):
        Layout.from_text(bomb + "columns: [{A: *i}]\n")
    for itself in ("columns: &a [{A: no}, *a]", "columns: &a\n  - A: *a", "a: &a\n  <<: *a"):
        with pytest.raises(LayoutError, match="this refers to itself"):
            Layout.from_text(itself)


def test_a_slow_pattern_is_given_up_by_name(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("flatledger.compile.runtime.runtime.MOST_SECONDS", 1)
    records = [{"a": "a" * 40 + "!", "b": [{"c": "a" * 40 + "!"}]} for _ in range(100)]
    for condition in ("a like_regex '^(a|aa)+$'", "b[?match(@.c, '(a|aa)+')].c = 'x'"):
        with pytest.raises(flatledger.FlatLedgerError, match="has taken more than 1 s on texts"):
            table({"columns": [{"A": "a"}], "only": [condition]}, records)


def test_cells_too_long_for_a_spreadsheet_are_pointed_out(tool: Tool, tmp_path: Path) -> None:
    records = [{"n": 1, "a": "short"}, {"n": 2, "a": "x" * 40_000}, {"n": 3, "a": 'y"' * 20_000}]
    (tmp_path / "s.jsonl").write_text("".join(json.dumps(one) + "\n" for one in records))
    (tmp_path / "l.yaml").write_text("columns: [{N: n}, {Text: a}]\noutput: {file: t.csv}\n")
    told = (
        "2 cells hold more than 32,767 characters, which a spreadsheet cuts off; the first is row"
    )
    assert f"{told} 2, Text (40,000)" in tool("export", "l.yaml", "s.jsonl").stderr
    assert told in " ".join(tool("preview", "l.yaml", "s.jsonl").stdout.split())
    many = [{"n": n, "tags": [f"tag {k}" for k in range(2_000)]} for n in range(5)]
    draft = str(flatledger.draft(many))
    assert "# - Tags: {value: tags" in draft
    assert "up to 2,000 values in one cell" in draft
    rows = list(flatledger.table(Layout.from_text(draft), many))
    assert rows == [(n,) for n in range(5)]


# ---- keys that are data ----------------------------------------------------------------------

WORDS = "amber beacon cask drift ebb fathom gale harbour isle jetty keel lamp mast net oar".split()  # noqa: SIM905


def keyed(members: int) -> tuple[dict[str, Any], int]:
    """A document whose objects are keyed by the names of things, at several depths."""
    chance = random.Random(3)

    def name() -> str:
        return f"{chance.choice(WORDS)}-{chance.choice(WORDS)}-{chance.randrange(10_000)}"

    things: dict[str, Any] = {}
    count = 0
    while count < members:
        versions: dict[str, Any] = {}
        for _ in range(chance.randrange(3, 30)):
            needs = {name(): f"{chance.randrange(9)}.0" for _ in range(chance.randrange(4))}
            versions[f"{chance.randrange(9)}.{chance.randrange(999)}"] = {"n": 1, "needs": needs}
            count += 2 + len(needs)
        things[name()] = versions
    return {"about": "x", "things": things}, sum(map(len, things.values()))


def test_keys_that_are_data_are_one_place_at_any_depth(tmp_path: Path) -> None:
    document, versions = keyed(20_000)
    paths = [field.path for field in flatledger.survey([document]).fields]
    assert paths == [
        *("about", "things", "things.*", "things.*.*", "things.*.*.n", "things.*.*.needs"),
        "things.*.*.needs.*",
    ]
    result = flatledger.survey([document])
    told = result.field("things").remarks[0]
    assert f"its keys are data ({len(document['things']):,} different, such as" in told
    assert next(iter(document["things"])) in told
    draft = flatledger.draft([document], row_per="things.*.*")
    rows = list(flatledger.table(Layout.from_text(draft), [document]))
    assert len(rows) == versions
    assert {row[:2] for row in rows} == {
        (thing, version) for thing, found in document["things"].items() for version in found
    }


def test_objects_keyed_in_every_record_are_short_in_a_survey() -> None:
    chance = random.Random(7)
    codes = [first + second for first in "abcdefghij" for second in "klmnopqrst"]
    records = [
        {
            "no": number,
            "names": {
                code: {"label": "x", "seen": number, "by": {"who": "y"}}
                for code in chance.sample(codes, chance.randrange(5, 60))
            },
        }
        for number in range(300)
    ]
    paths = [field.path for field in flatledger.survey(records).fields]
    assert paths == [
        *("no", "names", "names.*", "names.*.label", "names.*.seen", "names.*.by"),
        "names.*.by.who",
    ]


def test_fields_of_wide_records_stay_fields() -> None:
    wide = [{f"q{k}": k for k in range(400)} for _ in range(20)]
    assert len(flatledger.survey(wide).fields) == 400
    parts = ("home", "away", "billing", "contact")
    same = [{part: {"street": "x", "town": "y"} for part in parts}] * 5
    assert len(flatledger.survey(same).fields) == 12


def test_a_name_among_thousands_is_found_wherever_it_stands() -> None:
    record = {"m": {f"k{number}": {"v": number} for number in range(5_000)}}
    layout: dict[str, Any] = {
        "columns": [{"Last": "m.k4999.v"}, {"Sum": "sum(m.*.v)"}, {"None": "m.k5000.v"}]
    }
    rows, balance = table(layout, [record])
    assert rows == [(4_999, sum(range(5_000)), None)]
    assert [one for one in balance.notices if "m.k5000" in one]
