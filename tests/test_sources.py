"""The same records, however they come: lines, a list, a document; plain, packed, standard input."""

from __future__ import annotations

import bz2
import gzip
import io
import json
import lzma
from decimal import Decimal
from functools import partial
from pathlib import Path
from typing import Any

import pytest
from backports import zstd
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger import Layout
from flatledger.sources import open_source
from flatledger.sources.files import reading
from flatledger.sources.files.packing import LOOK
from tests.conftest import Tool

LAYOUT = flatledger.Layout.from_data({"columns": [{"A": "a"}, {"B": "b.c"}, {"L": "l"}]})
DOCUMENT = flatledger.Layout.from_data(
    {"source": {"records": "x.y"}, "columns": [{"A": "a"}, {"B": "b.c"}, {"L": "l"}]}
)
values = st.recursive(
    st.one_of(st.text(max_size=6), st.integers(), st.booleans(), st.none()),
    lambda inner: st.lists(inner, max_size=3),
    max_leaves=4,
)
records = st.lists(
    st.fixed_dictionaries(
        {"a": st.text('"\\[]{}, \n\té', max_size=6)}, optional={"b": values, "l": values}
    ),
    max_size=6,
)


@settings(max_examples=60)
@given(records, st.integers(4, 12), st.sampled_from([None, 2]))
def test_every_form_gives_the_same_rows(data: list[Any], chunk: int, indent: int | None) -> None:
    lines = "\n\n".join(json.dumps(record) for record in data).encode()
    listed = json.dumps(data, indent=indent).encode()
    document = json.dumps({"w": ["}", {"y": 1}], "x": {"z": '"', "y": data}, "t": 1}).encode()
    before, reading.CHUNK = reading.CHUNK, chunk
    try:
        expected = list(flatledger.table(LAYOUT, data))
        forms = [
            (LAYOUT, b"\xef\xbb\xbf" + listed),
            (LAYOUT, gzip.compress(listed)),
            (DOCUMENT, document),
            *([(LAYOUT, lines)] if len(data) > 1 else []),
        ]
        for layout, form in forms:
            assert list(flatledger.table(layout, io.BytesIO(form))) == expected
    finally:
        reading.CHUNK = before


PACKINGS = {
    "gzip": gzip.compress,
    "bzip2": bz2.compress,
    "xz": lzma.compress,
    "zstd": partial(zstd.compress, options={zstd.CompressionParameter.checksum_flag: 1}),
}


@pytest.mark.parametrize("packing", PACKINGS)
def test_packed_sources_are_read_whole_or_not_at_all(packing: str) -> None:
    pack = PACKINGS[packing]
    plain = "\n".join(json.dumps({"no": n, "half": n / 2}) for n in range(90)).encode()
    packed, whole = pack(plain), found_in(plain)
    assert found_in(packed, 7) == whole
    in_three = pack(plain[:500]) + pack(b"") + pack(plain[500:])  # streams may follow each other
    assert found_in(in_three, 100) == whole
    assert found_in(packed + bytes(8)) == whole
    damaged = f"open file: the {packing} data is damaged or cut off: "
    for cut in range(LOOK, len(packed)):
        assert str(found_in(packed[:cut])).startswith(damaged), cut
    second = packed[:20] + packed[24:]
    assert str(found_in(packed + second)).startswith(damaged)
    assert str(found_in(packed + b"no stream")).startswith(damaged)
    for place in range(len(packed)):
        changed = bytes([*packed[:place], packed[place] ^ 0x55, *packed[place + 1 :]])
        assert found_in(changed) == whole or isinstance(found_in(changed), str), place
    with pytest.raises(flatledger.SourceError, match="is empty"):
        list(flatledger.table(LAYOUT, io.BytesIO(pack(b""))))


@pytest.mark.parametrize("pack", [bytes, *PACKINGS.values()])
@pytest.mark.parametrize("data", [b'{"a": 1}', b"a,l,the last heading of three\n1,,\n"])
def test_a_pipe_may_give_a_byte_at_a_time(pack: Any, data: bytes) -> None:
    class Dripping(io.RawIOBase):
        left = b"".join(pack(data[at : at + 3]) for at in range(0, len(data), 3))

        def readable(self) -> bool:
            return True

        def readinto(self, buffer: Any) -> int:
            one, self.left = self.left[:1], self.left[1:]
            buffer[: len(one)] = one
            return len(one)

    layout = {
        "may-lack": ["l"],
        "columns": [{"A": {"value": "a", "datatype": "integer"}}, {"L": "l"}],
    }
    assert list(flatledger.table(layout, Dripping())) == [(1, None)]


def test_numbers_keep_the_digits_they_came_with() -> None:
    layout = flatledger.Layout.from_data({"columns": [{"N": "n"}], "output": {"header": False}})
    texts = ["10.00", "0.0000001", "1e3", "123456789012345678901234", "0.10", "-0.5", "1E-9"]
    source = "\n".join(f'{{"n": {text}}}' for text in texts).encode()
    table = io.BytesIO()
    flatledger.export(layout, io.BytesIO(source), table)
    assert table.getvalue().decode().split() == [
        *("10.00", "0.0000001", "1000", "123456789012345678901234", "0.10", "-0.5"),
        "0.000000001",
    ]
    assert list(flatledger.table(layout, [{"n": 0.1}, {"n": float("nan")}])) == [
        (Decimal("0.1"),),
        ("nan",),
    ]


def test_a_large_list_is_streamed(tmp_path: Path) -> None:
    """Records come before the end of the list has been read."""
    file = tmp_path / "large.json"
    file.write_text("[" + ",".join(f'{{"a": {n}}}' for n in range(60_000)) + ', {"a": ')
    rows = flatledger.table(LAYOUT, file)
    assert next(rows) == (0, None, None)
    assert len(list(rows)) == 59_999
    assert [fault.reason[:50] for fault in rows.balance.faults] == [
        "the record ends too early (element 60,001 of the l",
        "the list that begins on line 1 has no end: `]` is ",
    ]


def test_standard_input_and_output(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "l.yaml").write_text("columns: [{A: a}]")
    for source in (
        b'{"a": 1}\n{"a": 2}\n',
        b'[{"a": 1}, {"a": 2}]',
        gzip.compress(b'[{"a":1},{"a":2}]'),
    ):
        done = tool("export", "l.yaml", "-", stdin=source)
        assert (done.returncode, done.stdout) == (0, "A\r\n1\r\n2\r\n")
        assert "agree. No faults." in done.stderr
    assert tool("export", "l.yaml", "-", "-q", stdin=b'{"a": 1}').stderr == ""
    assert "standard input is empty" in tool("export", "l.yaml", "-", "-q", stdin=b"").stderr


def test_each_line_can_be_a_document(tmp_path: Path) -> None:
    lines = ['{"x": {"y": [{"a": 1}], "y": [{"a": 2}]}}', '{"z": 1}', '{"x": {"y": {"a": 3}}}']
    (tmp_path / "a.jsonl").write_text("\n".join(lines))
    rows = flatledger.table(DOCUMENT, tmp_path / "a.jsonl")
    assert [row[0] for row in rows] == [1, 2, 3]
    told = [fault.reason for fault in rows.balance.faults]
    assert told == ["no records at `x`; there are z (line 2)"]
    (tmp_path / "b.jsonl").write_text('{"a": 1}')
    with pytest.raises(flatledger.SourceError, match="no records at `x`; there are a"):
        list(flatledger.table(DOCUMENT, tmp_path / "b.jsonl"))


def test_nothing_stays_open(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """However far a source was read, and whatever became of it."""
    opened: set[int] = set()
    begin, end = reading.Bytes.__init__, reading.Bytes.close

    def noting(data: Any, *arguments: Any, **ways: Any) -> None:
        begin(data, *arguments, **ways)
        opened.add(id(data))

    def closing(data: Any) -> None:
        opened.discard(id(data))
        end(data)

    monkeypatch.setattr(reading.Bytes, "__init__", noting)
    monkeypatch.setattr(reading.Bytes, "close", closing)
    source = tmp_path / "s.jsonl"
    lines = [{"no": n, "x": {"y": n}} for n in range(30_000)]
    source.write_text("\n".join(map(json.dumps, [*lines, {"x": [{"y": 1}, {"y": 2}]}])))
    layout = Layout.from_data({"columns": [{"No": "no"}]})
    with flatledger.table(layout, source) as rows:
        assert (next(rows), len(opened)) == ((0,), 1)
    assert not opened
    flatledger.table(layout, source).close()
    refused = [{"columns": [{"N": "nothing(no)"}]}, {"columns": [{"X": "x.y * 2"}]}]
    for one in refused:
        with pytest.raises(flatledger.LayoutError):
            flatledger.export(Layout.from_data(one), source, tmp_path / "t.csv")
    flatledger.export(Layout.from_data({"columns": [{"X": "x.y"}]}), source, tmp_path / "t.csv")
    flatledger.survey(source, sample=10)
    flatledger.distinct_values("no", source, sample=10)
    flatledger.evaluate("no", source, first=2)
    flatledger.preview(layout, source, sample=True)
    flatledger.draft(source)
    keyed = {"columns-from": "x", "named-by": "x.y", "value": "no", "at-most": 3}
    with pytest.raises(flatledger.LayoutError, match="at-most"):
        flatledger.export(Layout.from_data({"columns": [{"K": keyed}]}), source, tmp_path / "t.csv")
    assert not opened


Found = tuple[list[Any], list[tuple[int, str]]]


def found_in(data: bytes, chunk: int = reading.CHUNK, **ways: Any) -> Found | str:
    """The records in some bytes with their numbers, and the faults; or what is said instead."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(reading, "CHUNK", chunk)
        if ways.get("one_by_one"):
            patch.setattr(
                "flatledger.sources.json.json_source._Decoding.lines", lambda own, text: None
            )
        try:
            batches = list(open_source(io.BytesIO(data)).open().batches())
        except flatledger.SourceError as error:
            return str(error)
    faults = [fault for batch in batches for fault in (*batch.faults, *batch.remarks)]
    records = [pair for batch in batches for pair in zip(batch.numbers, batch.records, strict=True)]
    return records, sorted((fault.record, fault.reason) for fault in faults)


FORMS: list[Any] = [
    lambda data, indent: "\n".join(json.dumps(one, indent=indent) for one in data),
    lambda data, indent: " ".join(json.dumps(one, indent=indent) for one in data),
    lambda data, indent: "\r".join(json.dumps(one) for one in data),
    lambda data, indent: "".join(json.dumps(one, indent=indent) for one in data),
    lambda data, indent: json.dumps(data, indent=indent),
    lambda data, indent: "\n".join(json.dumps([one, one]) for one in data),
    lambda data, indent: json.dumps(data, indent=indent) + json.dumps(data),
    lambda data, indent: "".join(f"\x1e{json.dumps(one, indent=indent)}\n" for one in data),
]
DAMAGE = [
    b"",
    b"\n",
    b"\x1e",
    b"{",
    b"}",
    b"[",
    b"]",
    b'"',
    b",",
    b":",
    b"\\",
    b"\xff",
    b"x",
    b"1",
    b"null",
]


@settings(max_examples=300)
@given(records, st.sampled_from(FORMS), st.sampled_from([None, 0, 2]), st.data())
def test_what_is_read_does_not_depend_on_how_the_bytes_come(
    data: list[Any], form: Any, indent: int | None, draw: st.DataObject
) -> None:
    text = form(data, indent).encode()
    whole = found_in(text)
    if whole != "open file is empty (0 bytes)":
        read = [record for _, record in whole[0]]
        assert read in (data, [one for one in data for _ in "ab"], data * 2)
        assert whole[1] == []
    for _ in range(draw.draw(st.integers(0, 3))):
        place, cut = draw.draw(st.integers(0, len(text))), draw.draw(st.integers(0, 4))
        text = text[:place] + draw.draw(st.sampled_from(DAMAGE)) + text[place + cut :]
    whole = found_in(text)
    for chunk in (1, 3, 8):
        assert found_in(text, chunk) == whole
    assert found_in(text, 5, one_by_one=True) == whole


@given(st.integers(2, 6), st.sampled_from(["\n", "\x1e", "\n\x1e"]), st.data())
def test_one_bad_line_costs_no_other(count: int, between: str, data: st.DataObject) -> None:
    lines = [json.dumps({"no": number, "l": [{"q": "}"}]}) for number in range(count)]
    bad = data.draw(st.integers(0, count - 1))
    line = lines[bad]
    lines[bad] = data.draw(
        st.sampled_from(["<r>", "x", '"', "]", line[:-1] + ",", '{"no": 9 "a": []}', "\xff"])
        | st.integers(1, len(line) - 1).map(lambda cut: line[:cut])
    )
    records, faults = found_in(between.join(lines).encode("latin-1"))
    assert [record["no"] for _, record in records] == [n for n in range(count) if n != bad]
    assert len(faults) >= 1
    assert {number for number, _ in faults} <= {bad + 1, bad + 2}


@pytest.mark.parametrize("encoding", ["utf-16", "utf-32", "utf-8-sig", "utf-16-be"])
@pytest.mark.parametrize("chunk", [1, 7])
def test_unicode_by_its_byte_order_mark(encoding: str, chunk: int) -> None:
    text = '{"a": "é€\U0001f6a2"}\n[{"a": 2}]\n'
    mark = "\ufeff" if encoding == "utf-16-be" else ""
    records, faults = found_in((mark + text).encode(encoding), chunk)
    assert ([record["a"] for _, record in records], faults) == (["é€\U0001f6a2", 2], [])


@pytest.mark.parametrize("form", FORMS)
def test_a_name_that_comes_twice_is_told_where_it_is_looked_for(
    tool: Tool, tmp_path: Path, form: Any
) -> None:
    data = [{"a": 1, "l": [{"x": 1, "TWICE": 2}]}, {"a": 2, "b": {"c": 1}}]
    (tmp_path / "d.json").write_text(form(data, 1).replace("TWICE", "x"))
    (tmp_path / "l.yaml").write_text("columns: [{A: a}, {X: l.x}]")
    export = ("export", "l.yaml", "d.json", "-o", "-")
    assert tool(*export).returncode == 0
    strict = tool(*export, "--strict")
    assert strict.returncode == 3
    assert "this name comes twice in one object; the last counts" in strict.stderr
    assert ",2\r\n" in strict.stdout or ",2\n" in strict.stdout
    look = tool("survey", "d.json", "--all")
    assert "record 1, l.x: this name comes twice" in look.stderr


@pytest.mark.parametrize("packed", [False, True])
def test_a_callers_file_stays_open(packed: bool) -> None:
    data = b'{"no": 1}\n{"no": 2}\n'
    file = io.BytesIO(gzip.compress(data) if packed else data)
    layout = flatledger.Layout.from_data({"columns": [{"No": "no"}]})
    assert list(flatledger.table(layout, file)) == [(1,), (2,)]
    assert not file.closed
