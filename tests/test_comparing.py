"""Comparing numbers with texts, names that no record has, and what is pointed out."""

from __future__ import annotations

import json
import operator
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import Layout, LayoutError
from flatledger.structure.missing_fields import one_slip
from tests.conftest import Tool, table

SIGNS = {"=": operator.eq, "<>": operator.ne, "<": operator.lt, "<=": operator.le, ">": operator.gt}
texts = st.sampled_from(["9", "10", "100", "1.0", "007", "-3", "A1", "b", "1e2"])
values = texts | st.integers(-5, 200) | st.sampled_from([Decimal("1.0"), Decimal("10.5"), None])


def as_number(value: Any) -> Any:
    try:
        return Decimal(value) if not isinstance(value, str) or value[0] not in "Ab" else None
    except TypeError:
        return None


def expected(left: Any, sign: str, right: Any) -> bool | None:
    """By rule 13: a number and a text that is one as numbers, two texts as texts."""
    if left is None or right is None:
        return None
    if isinstance(left, str) and isinstance(right, str):
        return bool(SIGNS[sign](left, right))
    numbers = as_number(left), as_number(right)
    if None not in numbers:
        return bool(SIGNS[sign](*numbers))
    return {"=": False, "<>": True}.get(sign)


@given(values, st.sampled_from(sorted(SIGNS)), values, texts)
def test_a_number_and_a_text_that_is_one_compare_as_numbers(
    left: Any, sign: str, right: Any, text: str
) -> None:
    columns = {
        f"x {sign} y": expected(left, sign, right),
        f"x in ('{text}', '8')": None
        if left is None
        else bool(expected(left, "=", text) or expected(left, "=", "8")),
        f"case x when '{text}' then true else false end": bool(expected(left, "=", text)),
    }
    if as_number(text) is not None:  # another text is compared as a text is
        columns[f"x {sign} '{text}'"] = expected(left, sign, text)
    rows, _ = table({"columns": [{one: one} for one in columns]}, [{"x": left, "y": right}])
    assert rows[0] == tuple(columns.values())


LONG = "values are compared as texts, and all are numerals of different length (9, 10)"
MIXED = "2 values are numbers and 1 texts of digits"
NINES = [{"ref": "9", "n": 1}, {"ref": "10", "n": 2}, {"ref": "100", "n": 3}]


@pytest.mark.parametrize(
    ("layout", "says"),
    [
        ({"columns": [{"M": "max(ref)"}], "row-per-group": []}, LONG),
        ({"columns": [{"R": "ref"}], "sort": ["R"]}, LONG),
        ({"columns": [{"R": "ref"}], "sort": ["ref desc"]}, LONG),
        (
            {"columns": [{"N": "n"}], "only": ["ref >= other"]},
            "numerals of different length (9, 10)",
        ),
        ({"columns": [{"R": {"value": "ref", "datatype": "string"}}], "sort": ["R"]}, ""),
        ({"columns": [{"R": {"value": "ref", "datatype": "integer"}}], "sort": ["R"]}, ""),
        ({"columns": [{"R": "ref"}], "sort": ["R collate natural"]}, ""),
        ({"columns": [{"R": "ref"}]}, ""),
    ],
)
def test_numerals_that_are_compared_as_texts_are_pointed_out(layout: Any, says: str) -> None:
    source = [{**one, "other": "10"} for one in NINES]
    if "row-per-group" in layout:
        layout = {"levels": ["l"], "columns": [{"M": "max(l.ref)"}]}
        source = [{"l": NINES}]
    _, balance = table(layout, source)
    assert [says in one for one in balance.notices] == ([True] if says else [])
    _, balance = table(layout, [{**one, "l": [{"ref": "A1"}], "ref": "A1"} for one in source])
    assert [one for one in balance.notices if "compared" in one] == []


def test_numbers_and_texts_of_digits_side_by_side_are_pointed_out() -> None:
    source = [{"ref": 9}, {"ref": "10"}, {"ref": 100}]
    for way in ({"sort": ["R"]}, {"group": ["R"]}, {"group": ["R"], "totals": {"detail": "no"}}):
        _, balance = table({"columns": [{"R": "ref"}], **way}, source)
        assert MIXED in balance.notices[0]
    _, balance = table({"columns": [{"R": "ref"}], "group": ["R"]}, NINES)
    assert balance.notices == []


# ---- names that no record had

USUAL = {"period": {"from": "a"}, "contains": {"period": 1, "qty": 2}, "lines": [{"part": "x"}]}
RARE: dict[str, Any] = {"contains": {"quantity": 5}}


@pytest.mark.parametrize("place", [0, 1, 500, 1200])
def test_a_slip_is_told_wherever_the_field_first_occurs(tmp_path: Path, place: int) -> None:
    source: list[Any] = [{"contains": {"qty": 1}}] * 1200
    source.insert(place, RARE)
    (tmp_path / "s.jsonl").write_text("\n".join(map(json.dumps, source)))
    layout = {"columns": [{"Q": "contains.quantty"}, {"O": "contains.qty"}]}
    (tmp_path / "out.csv").write_text("good")
    with pytest.raises(LayoutError) as told:
        flatledger.export(Layout.from_data(layout), tmp_path / "s.jsonl", tmp_path / "out.csv")
    assert "no field `quantty` at level contains; did you mean `contains.quantity`?" in str(
        told.value
    )
    assert "`may-lack: [contains.quantty]`" in str(told.value)
    assert (tmp_path / "out.csv").read_text() == "good"
    allowed = Layout.from_data({**layout, "may-lack": ["contains.quantty"]})
    balance = flatledger.export(allowed, tmp_path / "s.jsonl", tmp_path / "out.csv")
    assert balance.rows == 1201
    assert [one for one in balance.notices if "equal to the one" not in one] == []


@pytest.mark.parametrize(
    ("path", "says"),
    [
        ("from", "no record has from; there is period.from"),
        ("contains.colour", "no record has contains.colour (if that is right: `may-lack: ["),
        ("gone.deeper.still", "no record has gone (if that is right: `may-lack: [gone]`)"),
        ("lines.period", "no record has lines.period; there is period, contains.period ("),
        ("lines.parts1", "no record has lines.parts1"),
        ("contains.qty", ""),
        ("period.from.x", "no row has a value in `A`"),  # nothing could have it
    ],
)
def test_other_names_that_no_record_had_are_pointed_out(path: str, says: str) -> None:
    layout: dict[str, Any] = {"row-per": "lines", "columns": [{"A": path}, {"Part": "lines.part"}]}
    _, balance = table(layout, [USUAL] * 2)
    assert [one.startswith(says) for one in balance.notices] == ([True] if says else [])
    assert table(layout, [])[1].notices == []


def test_notices_end_a_strict_run_with_3_and_stand_above_the_last_line(
    tool: Tool, tmp_path: Path
) -> None:
    (tmp_path / "s.json").write_text(json.dumps([USUAL]))
    (tmp_path / "l.yaml").write_text("columns: [{A: from}, {B: contains.qty}]")
    export = ("export", "l.yaml", "s.json", "-o", "out.csv")
    done = tool(*export)
    assert done.returncode == 0
    assert "no record has from; there is period.from" in done.stderr
    assert "no record has from" in tool(*export, "-q").stderr
    assert tool(*export, "--strict").returncode == 3
    (tmp_path / "l.yaml").write_text("may-lack: [from]\ncolumns: [{A: from}, {B: contains.qty}]")
    assert tool(*export, "--strict").returncode == 0
    look = tool("preview", "l.yaml", "s.json", "--column", "C: gone")
    assert "no record has gone" in look.stdout + look.stderr


@given(st.text("abc1", min_size=3, max_size=6), st.data())
def test_one_slip_is_one_edit(name: str, data: st.DataObject) -> None:
    place = data.draw(st.integers(0, len(name) - 1))
    letter = data.draw(st.sampled_from("abcd"))
    edits = {
        name[:place] + letter + name[place:],
        name[:place] + name[place + 1 :],
        name[:place] + letter + name[place + 1 :],
        name[:place] + name[place : place + 2][::-1] + name[place + 2 :],
    }
    for edit in edits - {name}:
        digits = [sorted(c for c in text if c.isdigit()) for text in (name, edit)]
        if digits[0] == digits[1] and min(len(name), len(edit)) >= 3:
            assert one_slip(edit, name)
            assert one_slip(name, edit)
    assert one_slip(name.upper(), name) == (name.upper() != name)
    assert not one_slip(name + "xx", name)
