"""Quotients and means that nothing rounds: six decimals in texts, whole in cells and balance."""

from __future__ import annotations

import io
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger

RECORDS = [{"no": 1, "kind": "oil", "a": 1}, {"no": 2, "kind": "oil", "a": 1}]
RECORDS += [{"no": 3, "kind": "oil", "a": 2}]


def written(columns: list[dict[str, Any]], records: Any = RECORDS, **others: Any) -> list[str]:
    """What a text has in its last column."""
    to = io.BytesIO()
    flatledger.export({"columns": columns, **others}, records, to)
    return [line.rpartition(",")[2] for line in to.getvalue().decode().splitlines()[1:]]


@given(st.integers(-(10**9), 10**9), st.integers(1, 10**5))
def test_a_quotient_is_rounded_to_six_decimals(a: int, b: int) -> None:
    (cell,) = written([{"Q": "a / b"}], [{"a": a, "b": b}])
    exact = Fraction(a, b)
    if abs(exact) >= Fraction(1, 10_000) or not a:
        assert Fraction(cell) == round(exact, 6)
        assert len(cell.partition(".")[2]) <= 6
    else:  # three digits that count, since it is not nought
        assert abs(Fraction(cell) / exact - 1) <= Fraction(5, 1000)
        assert len(cell.partition(".")[2].lstrip("0")) <= 3


@pytest.mark.parametrize(
    ("columns", "others", "last"),
    [
        ([{"A": {"value": "a", "total": "avg"}}], {}, "1.333333"),
        ([{"M": "avg(a)"}], {"row-per-group": ["kind"]}, "1.333333"),
        ([{"M": "sum(a) / 3"}], {"row-per-group": ["kind"]}, "1.333333"),
        ([{"M": "case when a > 1 then -a / 3 else 0 end"}], {}, "-0.666667"),
        ([{"M": "coalesce(a / 3, 0) + 1"}], {}, "1.666667"),
        ([{"M": "a / 3"}, {"N": '"M" * 10'}], {}, "6.666667"),
        ([{"M": {"value": "a / 3", "decimals": 2}}, {"N": '"M" / 1000000'}], {}, "0.00000067"),
        ([{"M": {"value": "a", "unit": {"from": "minutes", "to": "hours"}}}], {}, "0.033333"),
        ([{"M": {"value": "a / 3", "format": "0.00"}}], {}, "0.67"),
        ([{"M": {"value": "a / 3", "format": "0.0%"}}], {}, "66.7%"),
        ([{"M": {"value": "a / 3", "total": "max"}}], {}, "0.666667"),
        # nothing that somebody wrote or asked for is cut
        ([{"M": "a * 1.123456789"}], {}, "2.246913578"),
        ([{"M": "round(a / 3, 8)"}], {}, "0.66666667"),
        ([{"M": "cast(a / 3 as decimal(10, 8))"}], {}, "0.66666667"),
        ([{"M": {"value": "a / 3", "decimals": 8}}], {}, "0.66666667"),
        ([{"M": "case when a / 3 > 0 then 0.123456789 end"}], {}, "0.123456789"),
    ],
)
def test_what_quotients_are_made_of(columns: Any, others: Any, last: str) -> None:
    assert written(columns, **others)[-1] == last


def test_what_is_added_up_keeps_its_digits_and_foots(tmp_path: Path) -> None:
    columns = [{"No": "no"}, {"Third": {"value": "a / 3", "total": "sum"}}]
    *cells, total = map(Decimal, written(columns))
    assert sum(map(Fraction, cells)) == Fraction(total)
    assert total == Decimal("1.3333333333333333333333333333333333")
    balance = flatledger.export({"columns": columns}, RECORDS, tmp_path / "o.csv", verify=True)
    assert balance.columns[0].source == total
    assert "Third: quotients are added up with all their digits" in " ".join(balance.notes)


@pytest.mark.parametrize("total", ["sum", "avg"])
def test_a_workbook_has_them_as_numbers(tmp_path: Path, total: str) -> None:
    third = {"value": "a / 3", "total": total, "format": "0.00"}
    layout = {"columns": [{"No": "no"}, {"Third": third}]}
    balance = flatledger.export(layout, RECORDS, tmp_path / "o.xlsx", verify=True)
    assert not [note for note in balance.notes if "texts" in note]
    sheet = openpyxl.load_workbook(tmp_path / "o.xlsx").active
    cells = [row[1] for row in sheet.iter_rows(min_row=2, values_only=True)]
    assert cells[:3] == [0.333333333333333, 0.333333333333333, 0.666666666666667]
    assert cells[3] == {"sum": 1.33333333333333, "avg": 0.444444444444444}[total]


def test_typed_cells_are_whole() -> None:
    table = flatledger.table({"columns": [{"Third": "a / 3"}]}, RECORDS)
    assert next(iter(table)) == (Decimal("0." + 34 * "3"),)
