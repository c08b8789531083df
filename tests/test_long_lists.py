"""A long list comes in stretches of whole elements, and nothing of what is read depends on that."""

from __future__ import annotations

import io
import json
from typing import Any
from unittest.mock import patch

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from flatledger.errors import SourceError
from flatledger.sources.files import reading
from flatledger.sources.files.options import Options
from flatledger.sources.json import json_pieces
from flatledger.sources.json.json_source import JsonReader


class Record(msgspec.Struct):
    no: Any = None
    lines: Any = None


class Exact(msgspec.Struct):
    no: int | None = None
    lines: list[Any] | None = None


lines = st.lists(
    st.fixed_dictionaries(
        {"no": st.integers(0, 3), "q": st.sampled_from([1, '},\n{"no":', "x", "}, {"])}
    ),
    max_size=3,
)
records = st.lists(
    st.fixed_dictionaries({"no": st.sampled_from([1, 2, "x", None]), "lines": lines}),
    min_size=1,
    max_size=12,
)
styles = st.sampled_from(
    [{}, {"indent": 1}, {"indent": 2}, {"separators": (",", ":")}, {"separators": (" , ", " : ")}]
)
damages = st.lists(
    st.tuples(
        st.integers(0, 600), st.sampled_from(["", ",", "]", "}", '{"no":', '"', "x"]), st.booleans()
    ),
    max_size=2,
)


def read(text: bytes, chunk: int, names: tuple[str, ...]) -> Any:
    reader = JsonReader(reading.Bytes("x", io.BytesIO(text)), Options(records=names))
    found: list[Any] = []
    told: list[Any] = []
    try:
        with patch.object(reading, "CHUNK", chunk), patch.object(reading, "_FIRST_CHUNK", chunk):
            for batch in reader.batches(Record, Exact):
                found += [
                    (n, r.no, r.lines) for n, r in zip(batch.numbers, batch.records, strict=True)
                ]
                told += sorted([*batch.remarks, *batch.faults], key=lambda fault: fault.record)
    except SourceError as error:
        return str(error)
    return found, told


@settings(max_examples=150)
@given(records, styles, damages, st.sampled_from([60, 200, 2_000]), st.sampled_from([7, 90, 5_000]))
def test_stretches_of_a_list_are_read_as_its_elements_are(
    source: list[Any], style: Any, damaged: Any, stretch: int, chunk: int
) -> None:
    names = ("data",) if len(source) % 3 == 0 else ()
    text = json.dumps({"a": 1, "data": source, "z": [1]} if names else source, **style)
    for place, put, over in damaged:
        at = place % len(text)
        text = text[:at] + put + text[at + over :]
    with patch.object(json_pieces, "_STRETCH", stretch):
        together = read(text.encode(), chunk, names)
    with patch.object(json_pieces.Pieces, "_stretch", lambda pieces: None):
        one_by_one = read(text.encode(), chunk, names)
    assert together == one_by_one


def test_long_lists_do_come_in_stretches() -> None:
    text = json.dumps([{"no": number, "lines": [{"no": 1}]} for number in range(500)]).encode()
    reader = JsonReader(reading.Bytes("x", io.BytesIO(text)), Options())
    sizes = [len(batch.records) for batch in reader.batches(Record, Exact)]
    assert sum(sizes) == 500
    assert max(sizes) > 400
