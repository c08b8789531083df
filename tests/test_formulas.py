"""Texts that a spreadsheet would take for formulas, in delimited text."""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import Layout
from flatledger.values.formulas import looks_like_formula, without_guard

DANGEROUS = (
    *("=1+1", "=", "\t=1", "\rx", "+cmd|' /C calc'!A0", "-2+3+cmd|x", "@SUM(1+1)", "-sum(A1)"),
    *("+A1!B2", "-Sheet1!$A$1", "@x.y(1)", "'=1", "''=1", "'@sum(1)", "=\n1", "+1+1", "-1-1"),
    *('+HYPERLINK ("x")', "+A1", "-A1*2", "@A1", '+"a"&A1', "-well done!", "-3 (spare)", "-TRUE"),
    *("-B:B", "+{1}", "-#N/A", "-1~2", "-5%%", "- 3/4", "+44-20-7946", "-well-known", "\uff1d1+1"),
    *("-2026-01-01", "+ (0)", "\uff0b1+1", "-a\nB2", '-"a"', "-e1", "-$A", "-a\\b"),
)
HARMLESS = (
    *("-20 °C", "+44 20 7946 0000", "+44 (0)20 7946", "- replaced wick", "@keeper", "-", "+", "@"),
    *("a=1", " =1", "O'Brien", "'quoted'", "-1", "+1.5e3", "-well done.", "x|y", "", "--", "-----"),
    *(
        "-12 SKC",
        "-12.50 SKC/kg",
        "-£5",
        "+€ 3",
        "-SKC 12",
        "-1,234.50",
        "-1.234,50",
        "- .5",
        "-5%",
    ),
    *("-31.12.2026", "-1 January 2026", "-5 m/s", "-5km", "-5 % of it", "@a b", "-‘a’", "(1+1)"),
)


def written(layout: dict[str, Any], records: list[Any]) -> tuple[list[list[str]], Any]:
    file = io.BytesIO()
    balance = flatledger.export(Layout.from_data(layout), records, file)
    delimiter = {"tab": "\t", "|": "|"}.get(layout.get("output", {}).get("delimiter"), ",")
    text = io.StringIO(file.getvalue().decode(), newline="")
    return list(csv.reader(text, delimiter=delimiter)), balance


@pytest.mark.parametrize("delimiter", ["comma", "tab", "|"])
def test_which_texts_get_an_apostrophe(delimiter: str) -> None:
    layout = {
        "columns": [{"A": "a"}, {"B": {"text": "b"}}],
        "output": {"delimiter": delimiter, "header": "no"},
    }
    rows, balance = written(layout, [{"a": text} for text in (*HARMLESS, *DANGEROUS)])
    assert [row[0] for row in rows] == [*HARMLESS, *(f"'{text}" for text in DANGEROUS)]
    note = next(note for note in balance.notes if "apostrophe" in note)
    first = f"row {len(HARMLESS) + 1}, A: =1+1"
    assert note.startswith(f"{len(DANGEROUS)} texts that a spreadsheet would take for a formula")
    assert first in note
    bare, untouched = written(
        {**layout, "output": {**layout["output"], "formula-guard": "no"}},
        [{"a": text} for text in DANGEROUS],
    )
    assert [row[0] for row in bare] == list(DANGEROUS)
    assert untouched.notes == []


def test_headings_labels_and_what_can_t_be_read_are_texts_and_numbers_are_none() -> None:
    layout = {
        "columns": [
            {"=Head": "a"},
            {"N": {"value": "n", "total": "sum"}},
            {"D": {"value": "d", "datatype": "date", "format": "'='yyyy"}},
        ],
        "group": ["=Head"],
        "totals": {"label": "={group}", "grand-label": "@all(x)"},
    }
    rows, _ = written(layout, [{"a": "-x", "n": -5, "d": "2026-01-02"}, {"a": "-x", "n": "=1"}])
    assert rows == [
        ["'=Head", "N", "D"],
        ["-x", "-5", "=2026"],
        ["-x", "'=1", ""],
        ["'=-x", "-5", ""],
        ["'@all(x)", "-5", ""],
    ]


texts = st.lists(
    st.one_of(
        st.text(alphabet="=+-@'|!(\t\r\n\"a1 ,", max_size=6),
        st.sampled_from([*DANGEROUS, *HARMLESS]),
    ),
    min_size=1,
    max_size=8,
)


@given(texts, st.sampled_from(["needed", "all"]))
def test_what_was_added_can_be_taken_off_again(cells: list[str], quote: str) -> None:
    layout = {"columns": [{"A": "a"}, {"B": {"text": "b"}}], "output": {"quote": quote}}
    rows, _ = written(layout, [{"a": cell} for cell in cells])
    for cell, (found, _) in zip(cells, rows[1:], strict=True):
        cell = cell if cell.strip() else ""  # blank text is null
        assert found == (f"'{cell}" if looks_like_formula(cell) else cell)
        assert without_guard(found) == cell
