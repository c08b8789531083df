"""The same records, however they come: lines, a list, a document; plain, gzip, standard input."""

from __future__ import annotations

import gzip
import io
import json
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.sources import reading
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
        expected = list(flatledger.rows(LAYOUT, data))
        forms = [
            (LAYOUT, b"\xef\xbb\xbf" + listed),
            (LAYOUT, gzip.compress(listed)),
            (DOCUMENT, document),
            *([(LAYOUT, lines)] if len(data) > 1 else []),
        ]
        for layout, form in forms:
            assert list(flatledger.rows(layout, io.BytesIO(form))) == expected
    finally:
        reading.CHUNK = before


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
    assert list(flatledger.rows(layout, [{"n": 0.1}, {"n": float("nan")}])) == [
        (Decimal("0.1"),),
        ("nan",),
    ]


def test_a_large_list_is_streamed(tmp_path: Path) -> None:
    """Records come before the end of the list has been read."""
    file = tmp_path / "large.json"
    file.write_text("[" + ",".join(f'{{"a": {n}}}' for n in range(60_000)) + ', {"a": ')
    rows = flatledger.rows(LAYOUT, file)
    assert next(rows) == (0, None, None)
    with pytest.raises(flatledger.SourceError, match="not a whole JSON document"):
        list(rows)


def test_standard_input_and_output(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "l.yaml").write_text("columns: [{A: a}]")
    for source in (
        b'{"a": 1}\n{"a": 2}\n',
        b'[{"a": 1}, {"a": 2}]',
        gzip.compress(b'[{"a":1},{"a":2}]'),
    ):
        done = tool("export", "l.yaml", "-", stdin=source)
        assert (done.returncode, done.stdout) == (0, "A\r\n1\r\n2\r\n")
        assert "It balances." in done.stderr
    assert tool("export", "l.yaml", "-", "-q", stdin=b"").stderr == ""


def test_records_for_lines_are_refused(tmp_path: Path) -> None:
    (tmp_path / "a.jsonl").write_text('{"a": 1}')
    with pytest.raises(flatledger.SourceError, match="has a record on each line"):
        flatledger.rows(DOCUMENT, tmp_path / "a.jsonl")


@pytest.mark.parametrize("packed", [False, True])
def test_a_callers_file_stays_open(packed: bool) -> None:
    data = b'{"no": 1}\n{"no": 2}\n'
    file = io.BytesIO(gzip.compress(data) if packed else data)
    layout = flatledger.Layout.from_data({"columns": [{"No": "no"}]})
    assert list(flatledger.rows(layout, file)) == [(1,), (2,)]
    assert not file.closed
