"""Numbers as senders write them: every mark, sign and unit, and no two units in one column."""

from __future__ import annotations

import random
from decimal import Decimal
from typing import Any

import pytest
from babel.numbers import format_decimal, list_currencies
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import Layout, LayoutError
from flatledger.values.amounts import amount_reader
from flatledger.values.numbers import ValueFaultError
from tests.conftest import table

AROUND = {  # what stands around a number, what it is worth, and the unit that it is in
    "{}": (1, ""),
    "{} kg": (1, "kg"),
    "{}kg net": (1, "kg"),
    "kg {}": (1, "kg"),
    "£{}": (1, "GBP"),
    "GBP {}": (1, "GBP"),
    "GBP{} net": (1, "GBP"),
    "£ -{}": (-1, "GBP"),
    "-£{}": (-1, "GBP"),
    "({})": (-1, ""),
    "−{}": (-1, ""),
    "{}-": (-1, ""),
    "ca. {} SKC": (1, "SKC"),
    "{} %": (Decimal("0.01"), ""),
    "{}‰": (Decimal("0.001"), ""),
    "{} km/h": (1, "km per h"),
    "£{} per week": (1, "GBP per week"),
}


@given(
    st.decimals(0, 9_999_999, places=2),
    st.sampled_from(["en", "de", "sv", "fr_CH", "en_IN"]),
    st.sampled_from(sorted(AROUND)),
    st.booleans(),
)
def test_an_amount_is_what_was_written(n: Decimal, locale: str, around: str, led: bool) -> None:
    pattern = "#,###.00" if led else "#,##0.00"  # without a zero before the mark
    factor, unit = AROUND[around]
    written = format_decimal(n, pattern, locale)
    if written[0].isdigit() or not around[around.index("{") - 1 : around.index("{")].isalpha():
        assert amount_reader(locale)(around.format(written)) == (n * factor, unit)


@pytest.mark.parametrize(
    "text", ["H2O", "m2", "A-5", "5 of 12", "1,23", ".5.5", "..5", "Rs.500", "$5 EUR", "٥", "many"]
)
def test_what_is_no_single_amount_is_a_fault(text: str) -> None:
    with pytest.raises(ValueFaultError):
        amount_reader("en")(text)


def test_each_currency_is_a_unit_before_and_after_its_number() -> None:
    read = amount_reader("en")
    for code in list_currencies():
        assert {read(f"{code} 5"), read(f"5 {code}"), read(f"{code.lower()}5")} == {(5, code)}


TEXTS = ["5 kg", "2 KG", "3", *["1 g"] * 2, "£4", "GBP 6"]


def layout(unit: Any = None, **more: Any) -> Any:
    column = {"value": "x", "datatype": "decimal", "reads": "amount", "total": "sum", **more}
    return {"columns": [{"X": {**column, **({"unit": unit} if unit else {})}}]}


@given(st.randoms(use_true_random=False))
def test_mixed_units_end_the_run_in_any_order_of_the_records(shuffle: random.Random) -> None:
    texts = TEXTS.copy()
    shuffle.shuffle(texts)
    with pytest.raises(LayoutError) as told:
        table(layout(), [{"x": text} for text in texts])
    first = {text: texts.index(text) + 1 for text in TEXTS}
    kilos, pounds = min(first["5 kg"], first["2 KG"]), min(first["£4"], first["GBP 6"])
    for count, where in ((2, kilos), (2, first["1 g"]), (2, pounds)):
        assert f"({count}, first in record {where})" in str(told.value)
    assert "holds amounts in 3 units" in str(told.value)


def test_a_stated_unit_makes_the_others_faults_and_what_is_filtered_out_has_none() -> None:
    rows, balance = table(layout("kg"), [{"x": text} for text in TEXTS])
    assert [row[0] for row in rows] == [5, 2, 3, "1 g", "1 g", "£4", "GBP 6", 10]
    assert balance.fault_count == 4
    assert balance.balanced
    kept = {**layout(), "only": ["lower(x) like '%g'", "x <> '1 g'"]}
    assert table(kept, [{"x": text} for text in TEXTS])[0][-1] == (7,)
    pounds = layout("£"), [{"x": "GBP 6"}, {"x": "£4"}, {"x": 1}]
    assert table(*pounds)[0][-1] == (11,)


def test_nothing_is_written_over_a_good_table_when_units_are_mixed(tmp_path: Any) -> None:
    (tmp_path / "table.csv").write_text("good")
    records = [{"x": text} for text in TEXTS]
    with pytest.raises(LayoutError):
        flatledger.export(Layout.from_data(layout()), records, tmp_path / "table.csv")
    assert (tmp_path / "table.csv").read_text() == "good"
    assert len(list(tmp_path.iterdir())) == 1
