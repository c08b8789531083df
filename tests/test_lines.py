"""Rows that are no cells: lines made straight from the records, and what groups add up to."""

from __future__ import annotations

import io
import json
import random
from collections.abc import Iterator
from contextlib import contextmanager
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.compile.functions.lines import LineUnfolding
from flatledger.compile.functions.tallying import Tallying
from flatledger.run import line_rows, pipeline
from flatledger.sources.files import reading
from tests.random_layouts import Chance

SPECIAL = ["a,b", 'a "b"', "a\r\nb", "a\nb", "=1+1", "-a", "@x", "True", "None", " ", "'=x", "\t"]
SPECIAL += ["{}", "a;b", "%s", "x" * 32_768, "é", "", "-5", "\\", "+44 20", "0"]
DIALECTS: list[dict[str, Any]] = [
    *({}, {}, {}, {"delimiter": ";"}, {"delimiter": "|'", "line-terminator": "\n"}),
    *({"null": "n/a"}, {"null": "-", "quote-char": "'"}, {"decimal-char": "comma"}),
    *({"escape-char": "\\"}, {"formula-guard": False}, {"line-break": " "}, {"quote": "all"}),
    *({"encoding": "iso-8859-1", "unencodable": "replace"}, {"delimiter": "{"}),
]


def with_specials(value: Any, chance: Chance, share: float) -> Any:
    """A record some of whose texts are others, whose numbers are those of JSON."""
    if isinstance(value, dict):
        return {name: with_specials(one, chance, share) for name, one in value.items()}
    if isinstance(value, list):
        return [with_specials(one, chance, share) for one in value]
    if isinstance(value, Decimal):
        return float(value)
    return chance.one(*SPECIAL) if isinstance(value, str) and chance.maybe(share) else value


def with_more(layout: dict[str, Any], chance: Chance) -> dict[str, Any]:
    """A layout with a dialect, and now and then a primary key or a column that is written else."""
    further: list[Any] = [
        {"Site": "site"},
        {"Fixed": {"text": chance.one("a,b", "{x}", "it's")}},
        {"Day": {"value": "day", "datatype": "date", "format": "dd/MM/yyyy"}},
        {"Coded": {"value": "site", "translate": {"a": "Alpha, the first", "b": "Beta"}}},
        {"Fee": {"value": "fee", "default": "none"}},
        {"Share": "fee / 3"},
    ]
    columns = [*layout["columns"], *chance.some(lambda: chance.one(*further), 3)]
    unique = {next(iter(one)): one for one in columns}
    layout = {**layout, "columns": [*unique.values()], "output": chance.one(*DIALECTS)}
    if chance.maybe(0.3) and "take" not in layout:
        layout["primary-key"] = chance.one(*unique)
    return layout


def many(chance: Chance, seed: random.Random, share: float) -> bytes:
    """JSON Lines of some hundred records, which come in several batches."""
    few = [with_specials(chance.record(), chance, share) for _ in range(60)]
    return "".join(json.dumps(seed.choice(few)) + "\n" for _ in range(900)).encode()


@contextmanager
def small_batches(seed: random.Random) -> Iterator[pytest.MonkeyPatch]:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(reading, "CHUNK", seed.choice([1 << 14, 1 << 16]))
        patch.setattr(reading, "_FIRST_CHUNK", 1 << 13)
        yield patch


def exported(layout: Any, data: bytes, *to: Any) -> Any:
    """The bytes of a table with what its balance says of it, or what refused it."""
    try:
        balance = flatledger.export(layout, io.BytesIO(data), to if len(to) > 1 else to[0])
    except flatledger.FlatLedgerError as error:
        return str(error).replace("or-cells.csv", "lines.csv")
    said = json.loads(balance.to_json())
    for own in ("seconds", "files", "bytes"):
        said.pop(own, None)
    return Path(to[0]).read_bytes(), said


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 1_000_000))
def test_lines_are_those_of_cells(tmp_path_factory: Any, number: int) -> None:
    """Two outputs at once are given cells; so the same layout with one alone is held to that."""
    seed = random.Random(number)
    folder, chance = tmp_path_factory.mktemp("lines"), Chance(seed, seed.choice([0, 0, 0.02]))
    layout = with_more(chance.table(), chance)
    data = many(chance, seed, seed.choice([0, 0.002, 0.05]))
    with small_batches(seed):
        cells = exported(layout, data, folder / "or-cells.csv", io.BytesIO())
        lines = exported(layout, data, folder / "lines.csv")
    assert lines == cells


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 1_000_000))
@example(17882)  # two columns that describe a group differ in one row
def test_tallies_are_those_of_rows(tmp_path_factory: Any, number: int) -> None:
    """What groups add up to is the same where their rows are made."""
    seed = random.Random(number)
    folder, chance = tmp_path_factory.mktemp("tallies"), Chance(seed, seed.choice([0, 0, 0.02]))
    layout = chance.grouped() if chance.maybe(0.5) else chance.table()
    if "row-per-group" not in layout:
        totals = {**layout.get("totals", {}), "detail": "no"}
        layout |= {"totals": totals, "group": layout.get("group") or ["site"]}
        layout.pop("take", None)
    data = many(chance, seed, seed.choice([0, 0.002]))
    with small_batches(seed) as patch:
        tallies = exported(layout, data, folder / "lines.csv")
        patch.setattr(pipeline, "takes_tallies", lambda plan: False)
        rows = exported(layout, data, folder / "or-cells.csv")
    assert tallies == rows


def test_lines_are_made(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What the property compares with cells is made in the other way, but for the first records
    and those that hold something special."""
    made: list[tuple[int, int]] = []
    of = line_rows.LineSteps.of

    def noted(self: Any, *arguments: Any) -> Any:
        result = of(self, *arguments)
        made.append((len(result.rows), sum(type(row) is str for row in result.rows)))
        return result

    monkeypatch.setattr(line_rows.LineSteps, "of", noted)
    monkeypatch.setattr(reading, "CHUNK", 1 << 14)
    data = "".join(
        f'{{"no": {n}, "by": "{"a, b" if n % 50 == 0 else "c"}"}}\n' for n in range(9_000)
    )
    layout = {"columns": [{"No": "no"}, {"By": "by"}]}
    flatledger.export(layout, io.BytesIO(data.encode()), tmp_path / "table.csv")
    rows, lines = map(sum, zip(*made, strict=True))
    assert rows > 8_800
    assert lines > rows * 0.8
    assert (tmp_path / "table.csv").read_bytes().count(b'"a, b"') == 180


def twelve_thousand(tmp_path: Path, layout: Any) -> Any:
    """The balance of a table over more records than come in one batch."""
    lines = (f'{{"no": {n}, "by": "k{n % 7}", "q": {n % 5}}}\n' for n in range(12_000))
    source = io.BytesIO("".join(lines).encode())
    return flatledger.export(layout, source, tmp_path / "table.csv")


def test_a_line_that_is_wrong_does_not_balance(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A cell of which there is no total is in its line alone: the sample sees it."""
    layout = {"columns": [{"No": "no"}, {"By": "by"}]}
    assert twelve_thousand(tmp_path, layout).balanced
    text = LineUnfolding._text
    monkeypatch.setattr(
        LineUnfolding, "_text", lambda self, place: text(self, place) if place == 0 else "k1"
    )
    found = twelve_thousand(tmp_path, layout)
    assert not found.balanced
    assert "the line is" in found.wrong[0]


def test_a_tally_that_is_wrong_does_not_balance(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is added twice to a group is not what came in."""
    layout: dict[str, Any] = {
        "columns": [{"By": "by"}, {"Q": {"value": "q", "total": "sum"}}],
        "group": ["By"],
        "totals": {"detail": "no"},
    }
    assert twelve_thousand(tmp_path, layout).balanced
    adding = Tallying._adding
    monkeypatch.setattr(
        Tallying, "_adding", lambda self, *given: [*adding(self, *given), *adding(self, *given)]
    )
    assert not twelve_thousand(tmp_path, layout).balanced
