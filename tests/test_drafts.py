"""The law of drafts: a drafted table shows every value that it takes as it stands in the source."""

from __future__ import annotations

import csv
import io
from decimal import Decimal
from typing import Any

from hypothesis import example, given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.structure.typings import TYPINGS
from flatledger.values.parts import BLANKS

SHAPES = {
    "whole": st.integers(-9_999, 99_999).map(str),
    "codes": st.from_regex(r"[0-9]{3,6}", fullmatch=True),
    "decimal": st.decimals(-99, 99, places=2).map(str),
    "position": st.from_regex(r"-?5[0-9]\.[0-9]{6,12}", fullmatch=True),
    "odd number": st.sampled_from(
        ["+2", "-0", "007", ".5", "5.", "1e5", "1_0", "-0.00", " 12", "12 ", "٣", "−5", "--5"]
    ),
    "amount": st.sampled_from(["1,200.00", "4,95", "USD 0.00", "£3", "5 kg", "12 %", "1.200"]),
    "day": st.dates().map(str),
    "day in digits": st.dates().map(lambda day: day.strftime("%d/%m/%Y")),
    "day unpadded": st.dates().map(lambda day: f"{day.day}.{day.month}.{day.year}"),
    "packed day": st.dates().map(lambda day: day.strftime("%Y%m%d")),
    "short year": st.dates().map(lambda day: f"{day:%m/%d/%y}"),
    "moment": st.datetimes().map(lambda moment: moment.replace(microsecond=0).isoformat()),
    "zoned": st.datetimes().map(lambda moment: f"{moment.replace(microsecond=0).isoformat()}Z"),
    "time": st.times().map(lambda time: f"{time:%H:%M}"),
    "duration": st.sampled_from(["PT30H", "P1DT6H", "30:00", "3 days", "1/200", "1/32"]),
    "words": st.text(max_size=6),
    "language": st.sampled_from(["yes", "no", "true", "null", "NULL", "n/a", "2024.0", "1 is"]),
    "number": st.one_of(st.integers(-99, 99), st.decimals(-99, 99, places=3)),
    "truth": st.booleans(),
}
_FIELDS = ("no", "station.id", "lines.qty", "lines.part.code")


@st.composite
def columns(draw: st.DrawFn) -> list[Any]:
    """The values of one field: of one shape, with another that may come late."""
    usual, late = (SHAPES[draw(st.sampled_from(sorted(SHAPES)))] for _ in range(2))
    return [*draw(st.lists(usual, min_size=1, max_size=6)), *draw(st.lists(late, max_size=2))]


@st.composite
def sources(draw: st.DrawFn) -> list[Any]:
    """Records with values of all shapes on two levels."""
    values = {name: draw(columns()) for name in _FIELDS}

    def at(name: str, number: int) -> Any:
        return values[name][number] if number < len(values[name]) else None

    return [
        {
            "no": at("no", number),
            "station": {"id": at("station.id", number)},
            "lines": [
                {"qty": at("lines.qty", one), "part": {"code": at("lines.part.code", one)}}
                for one in (2 * number, 2 * number + 1)
            ],
        }
        for number in range(max(map(len, values.values())))
    ]


def a_record(*codes: str) -> Any:
    """A record with a line for each of two codes."""
    lines = [{"qty": "1", "part": {"code": code}} for code in codes]
    return {"no": "1", "station": {"id": "S"}, "lines": lines}


def as_text(value: Any) -> str:
    """A value as it stands in a source; what is blank shows nothing."""
    if value is None or (isinstance(value, str) and not value.strip(BLANKS)):
        return ""
    if isinstance(value, bool):
        return str(value).lower()
    return format(value, "f") if isinstance(value, Decimal) else str(value)


def by_path(record: Any, line: Any, path: str) -> Any:
    within = line if path.startswith("lines.") else record
    for name in path.removeprefix("lines.").split("."):
        within = within[name]
    return within


def table_of(drafted: str, source: Any, *, faults: bool) -> list[dict[str, str]]:
    """The rows of a drafted table as they stand in the file, without a total row."""
    layout = flatledger.Layout.from_text(drafted + "totals: {grand-total: no}\n")
    stream = io.BytesIO()
    balance = flatledger.export(layout, source, stream)
    assert faults or not balance.fault_count
    return list(csv.DictReader(io.StringIO(stream.getvalue().decode(), newline="")))


@settings(max_examples=150)
@given(records=sources(), sample=st.sampled_from([None, 1, 2]))
@example([a_record("2000-01-01", "\x1f"), a_record("2000-01-01", "\u00a0")], None)
def test_a_drafted_table_shows_every_value_as_it_stands(
    records: list[Any], sample: int | None
) -> None:
    """Whatever of the records the draft has seen; what comes later is the same or a fault."""
    try:
        drafted = flatledger.draft(records, row_per="lines", sample=sample)
    except flatledger.SourceError:  # no value was met
        return
    shown = {column.value.text: column.heading for column in drafted.layout.request.columns}
    rows = list(table_of(drafted, records, faults=sample is not None))
    assert len(rows) == 2 * len(records)
    for number, row in enumerate(rows):
        record = records[number // 2]
        line = record["lines"][number % 2]
        for path, heading in shown.items():
            meant, cell = as_text(by_path(record, line, path)), row[heading]
            guarded = cell.startswith("'") and cell[1:] == meant
            assert cell == meant or guarded, (path, drafted)


@settings(max_examples=300)
@given(text=st.one_of(*(one for name, one in SHAPES.items() if name not in ("number", "truth"))))
def test_each_typing_gives_back_what_it_takes(text: str) -> None:
    """Read and written by the engine itself, as a draft has it."""
    for typing in TYPINGS:
        if text.strip() and typing.gives_back(text):
            keys = {"format": typing.format} if typing.format else {}
            layout = {
                "fields": {"x": typing.keys},
                "columns": [{"X": {"value": "x", **keys}}],
                "output": {"formula-guard": False, "line-terminator": "\n"},
            }
            stream = io.BytesIO()
            assert not flatledger.export(layout, [{"x": text}], stream).fault_count
            assert stream.getvalue().decode() == f"X\n{text}\n", typing
