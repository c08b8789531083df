"""Reading layouts: texts as they were typed, and every fault at once with its place."""

from __future__ import annotations

import re

import pytest

import flatledger
from tests.conftest import table


def faults(text: str, records: list[dict[str, object]] | None = None) -> list[str]:
    """The faults of a layout, each as `line:column message`."""
    with pytest.raises(flatledger.LayoutError) as caught:
        list(flatledger.table(flatledger.Layout.from_text(text), records or []))
    return [f"{p.line}:{p.column} {p.message}" for p in caught.value.problems]


def test_every_fault_is_told_with_its_place_and_a_way_out() -> None:
    text = """\
colums: 3
row-per: lines
columns:
  - A: no
  - A: {value: lines.qty *, total: summ}
  - B:
    decimals: 2
  - C: {value: coalesce(a, b)}
  - D: {text: SKC, decimals: x}
  - plain
  - E: a == 2
sort: [A desc, lines.x desc nulls first]
output: {delimiter: semicolons, file: ../x, header: maybe, encoding: base64}
"""
    found = faults(text)
    expected = [
        "1:1 no key `colums` in a layout; did you mean `columns`?",
        "5:5 the heading `A` comes twice (first at line 4); rename one",
        "5:27 column `A`: the expression ends too early",
        "5:36 `total` does not take `summ`; did you mean `sum`?",
        "7:5 `decimals` stands level with the heading `B`; indent it further",
        "8:26 column `C`: the bracket at 9 is not closed",
        "8:28 no key `b)` in column `C`; in braces a comma ends the value",
        "9:30 `decimals` takes a whole number from 0 to 30",
        "10:5 a column is `Heading: expression`",
        "11:10 column `E`: `==` is not expected here; outside brackets one `=` compares",
        "13:21 `delimiter` takes characters or their name, not `semicolons`; did you mean",
        "13:39 `../x` leaves the folder",
        "13:53 `header` is a switch: yes or no",
        "13:70 `base64` does not encode text",
    ]
    assert len(found) == len(expected)
    for message, start in zip(found, expected, strict=True):
        assert message.startswith(start)


def test_faults_that_only_the_data_shows() -> None:
    records = [{"station": {"name": "A"}, "lines": [{"qty": 2, "unit-price": 3}, {"qty": 1}]}]
    text = """\
row-per: record
columns:
  - Station: statoin.name
  - Fixed: 'SKC'
  - Price: lines.unit-price
  - Sum: {value: lines.qty, total: sum}
"""
    told = [
        "3:14 no field `statoin`; did you mean `station`?",
        "4:13 no field `SKC`; for a text that is the same on every row write {text: SKC}",
        "5:12 no field `unit` at level lines; for the field unit-price write lines['unit-price']",
    ]
    assert faults(text, records)[:3] == told
    alone = text.replace("  - Sum: {value: lines.qty, total: sum}\n", "").replace("record", "lines")
    ends = [re.sub(r";? [Ii]f records may lack it.*", "", one) for one in faults(alone, records)]
    assert ends == told
    refused = faults("columns: [{Sum: {value: lines.qty, total: sum}}]", records)
    assert refused[0].startswith("1:25 `lines.qty` has many values here, since lines repeats")
    assert "sum(lines.qty)" in refused[0]


def test_a_missing_field_is_no_fault_by_itself() -> None:
    layout = {"columns": [{"A": "address1"}, {"B": "address2"}, {"C": "$['adress1']"}]}
    assert table(layout, [{"address1": "x"}])[0] == [("x", None, None)]


def test_scalars_are_the_texts_that_were_typed() -> None:
    text = """\
layout: no
columns:
  - no: {text: 020}
  - "yes": {text: 2026-01-01}
  - ~: {text: no}
  - 'a|b': {text: '#,##0.00'}
output: {delimiter: '|', header: off, quote-char: "'"}
"""
    layout = flatledger.Layout.from_text(text)
    assert layout.name == "no"
    assert layout.headings == ("no", "yes", "~", "a|b")
    assert list(flatledger.table(layout, [{}])) == [("020", "2026-01-01", "no", "#,##0.00")]
    assert layout.request.output.header is False


@pytest.mark.parametrize(
    ("text", "start"),
    [
        ("", "0:0 the layout is empty"),
        (
            "columns: [1\nb: 2",
            "2:2 what stands in braces or brackets is separated by commas, and closed: b: 2",
        ),
        ("row-per: lines", "1:1 `columns` is missing"),
        ("columns: [{A: {value: }}]", "1:22 column `A` has no value"),
        ('columns: [{A: a, "": b}]', "1:18 `` stands in the column `A`"),
        ("columns: [{A: a}]\noutput: {delimiter: tab, quote-char: tab}", "2:9 the delimiter and"),
    ],
)
def test_slips_of_form(text: str, start: str) -> None:
    assert faults(text)[0].startswith(start)


def test_places_whose_names_look_alike_are_kept_apart() -> None:
    columns = [{"A": "a.b.c"}, {"B": "a_b.c"}, {"C": "['a-b'].c"}, {"D": "['1'].x"}, {"E": "f"}]
    record = {"a": {"b": {"c": 1}}, "a_b": {"c": 2}, "a-b": {"c": 3}, "1": {"x": 4}, "f": 5}
    assert table({"columns": columns}, [record])[0] == [(1, 2, 3, 4, 5)]


def test_aggregates_over_what_is_missing_this_month() -> None:
    values = {"S": "sum(pay.a)", "N": "count(pay)", "Any": "any(pay.m = 'c')", "L": "lines.q"}
    layout = {"row-per": "lines", "columns": [{name: value} for name, value in values.items()]}
    without = [{"lines": [{"q": 1}]}]
    assert table(layout, without)[0] == [(None, 0, False, 1)]
    later = [{"lines": [{"q": 1}]}] * 400 + [{"lines": [{"q": 2}], "pay": [{"a": 3, "m": "c"}]}]
    assert table(layout, later)[0][-1] == (3, 1, True, 2)
    assert table({"columns": layout["columns"][:3]}, [])[0] == []
