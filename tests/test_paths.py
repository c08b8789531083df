"""Paths exactly as RFC 9535 has them: its own examples, what it calls invalid, and its order."""

from __future__ import annotations

import json
import re
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import flatledger
from flatledger import ExpressionError
from flatledger.language import nodes as n
from flatledger.language import parse_expression, parse_path
from flatledger.language.selecting import compile_path

TREE = {"o": {"j": 1, "k": 2}, "a": [5, 3, [{"j": 4}, {"k": 6}]]}  # 2.5.2.3
ARRAY = ["a", "b", "c", "d", "e", "f", "g"]  # 2.3.4.3
FILTERS: dict[str, Any] = {  # 2.3.5.3
    "a": [3, 5, 1, 2, 4, 6, {"b": "j"}, {"b": "k"}, {"b": {}}, {"b": "kilo"}],
    "o": {"p": 1, "q": 2, "r": 3, "s": 5, "t": {"u": 6}},
    "e": "f",
}
COMPARED: dict[str, Any] = {"obj": {"x": "y"}, "arr": [2, 3]}


@pytest.mark.parametrize(
    ("query", "value", "expected"),
    [
        ("$.o['j']", {"o": {"j": 5}}, [5]),
        ("$.o['j j']['k.k']", {"o": {"j j": {"k.k": 3}}}, [3]),
        ("$[\"'\"]['@']", {"'": {"@": 2}}, [2]),
        ("$[1]", ["a", "b"], ["b"]),
        ("$[-2]", ["a", "b"], ["a"]),
        ("$[1:3]", ARRAY, ["b", "c"]),
        ("$[5:]", ARRAY, ["f", "g"]),
        ("$[1:5:2]", ARRAY, ["b", "d"]),
        ("$[5:1:-2]", ARRAY, ["f", "d"]),
        ("$[::-1]", ARRAY, list(reversed(ARRAY))),
        ("$[::0]", ARRAY, []),
        ("$[0, 3]", ARRAY, ["a", "d"]),
        ("$[0:2, 5]", ARRAY, ["a", "b", "f"]),
        ("$[0, 0]", ARRAY, ["a", "a"]),
        ("$.a[*, 0]", {"a": [1, 2]}, [1, 2, 1]),
        ("$..j", TREE, [1, 4]),
        ("$..[0]", TREE, [5, {"j": 4}]),
        ("$..o", TREE, [{"j": 1, "k": 2}]),
        ("$.o..[*, *]", TREE, [1, 2, 1, 2]),
        ("$.a..[0, 1]", TREE, [5, 3, {"j": 4}, {"k": 6}]),
        ("$.a[?@.b == 'kilo']", FILTERS, [{"b": "kilo"}]),
        ("$.a[?(@.b == 'kilo')]", FILTERS, [{"b": "kilo"}]),
        ("$.a[?@>3.5]", FILTERS, [5, 4, 6]),
        ("$.a[?@.b]", FILTERS, [{"b": "j"}, {"b": "k"}, {"b": {}}, {"b": "kilo"}]),
        ("$[?@.*]", FILTERS, [FILTERS["a"], FILTERS["o"]]),
        ("$[?@[?@.b]]", FILTERS, [FILTERS["a"]]),
        ("$.o[?@<3, ?@<3]", FILTERS, [1, 2, 1, 2]),
        ('$.a[?@<2 || @.b == "k"]', FILTERS, [1, {"b": "k"}]),
        ('$.a[?match(@.b, "[jk]")]', FILTERS, [{"b": "j"}, {"b": "k"}]),
        ('$.a[?search(@.b, "[jk]")]', FILTERS, [{"b": "j"}, {"b": "k"}, {"b": "kilo"}]),
        ("$.o[?@>1 && @<4]", FILTERS, [2, 3]),
        ("$.o[?@.u || @.x]", FILTERS, [{"u": 6}]),
        ("$.a[?@.b == $.x]", FILTERS, [3, 5, 1, 2, 4, 6]),
        ("$.a[?@ == @]", FILTERS, FILTERS["a"]),
        ("$.arr[?length($.obj) == 1]", COMPARED, [2, 3]),
        ("$[?count(@.*) == 2]", COMPARED, [[2, 3]]),
        ("$[?value(@..x) == 'y']", COMPARED, [{"x": "y"}]),
        ("$[?@ == true]", [True, 1, "true"], [True]),
        ("$[?@ == 1]", [True, 1, 1.0, "1"], [1, 1.0]),
        ("$[?@ < 'b']", ["a", 1, None, "b"], ["a"]),
        ("$[?@.x == null]", [{"x": None}, {}, {"x": 0}], [{"x": None}]),
        ("$[?match(@, 'a.c')]", ["abc", "a\nc", "abcd"], ["abc"]),
        (r"$[?match(@, '\\p{Lu}+')]", ["AB", "Ab"], ["AB"]),
        ("$[?match(@, 'a(?=b)')]", ["a", "ab"], []),
        ("$[?match(@, '^ab.*')]", ["abc", "axc", "ab", "xab"], ["abc", "ab"]),
        ("$[?match(@, '.*bc$')]", ["abc", "axc", "ab", "abcx"], ["abc"]),
        ("$[?search(@, '^ab')]", ["abc", "xab"], ["abc"]),
        ("$[?search(@, 'bc$')]", ["abc", "abcx"], ["abc"]),
        ("$[?search(@, '^a|c$')]", ["ab", "bc", "cb"], ["ab", "bc"]),
        ("$[?search(@, '[ab]$')]", ["bb", "ac", "a$"], ["bb"]),
        (r"$[?search(@, 'a\\\\$')]", ["a\\", "a\\b"], ["a\\"]),
        ("$[?search(@, 'a^b$c')]", ["a^b$c", "abc"], ["a^b$c"]),
        ("$[?@.x == 1.1]", [{"x": 1.1}, {"x": "1.1"}], [{"x": 1.1}]),
        ("$[?@ <= 0.3]", [0.3, 0.1 + 0.2, float("nan"), Decimal("0.3")], [0.3, Decimal("0.3")]),
        ("$[?@ == $[0]]", [0.1, Decimal("0.1"), [0.1]], [0.1, Decimal("0.1")]),
    ],
)
def test_the_standard_s_nodelists(query: str, value: Any, expected: list[Any]) -> None:
    assert parse_path(query).find(value) == expected


COMPARISONS = r"""
$.absent1 == $.absent2: yes   $.absent1 <= $.absent2: yes  $.absent == 'g': no
$.absent1 != $.absent2: no    $.absent != 'g': yes         1 <= 2: yes
1 > 2: no                     13 == '13': no               'a' <= 'b': yes
'a' > 'b': no                 $.obj == $.arr: no           $.obj != $.arr: yes
$.obj == $.obj: yes           $.obj != $.obj: no           $.arr == $.arr: yes
$.arr != $.arr: no            $.obj == 17: no              $.obj != 17: yes
$.obj <= $.arr: no            $.obj < $.arr: no            $.obj <= $.obj: yes
$.arr <= $.arr: yes           1 <= $.arr: no               1 >= $.arr: no
1 > $.arr: no                 true <= true: yes            true > true: no
"""


@pytest.mark.parametrize("line", [p for p in re.split(r"\s{2,}|\n", COMPARISONS) if p])
def test_the_standard_s_comparisons(line: str) -> None:
    comparison, verdict = line.strip().rsplit(": ", 1)
    found = parse_path(f"$[?{comparison}]").find(COMPARED)
    assert bool(found) == (verdict == "yes")


@pytest.mark.parametrize(
    "query",
    [
        *(
            "",
            " $",
            "$ ",
            "a",
            "$.",
            "$..",
            "$. a",
            "$.1a",
            "$[]",
            "$[01]",
            "$[-0]",
            "$['a'",
            "$[1.0]",
        ),
        *("$[9007199254740992]", "$['\\uD800']", "$['\\x']", '$["\\\'"]', "$['\t']", "$[?true]"),
        *(
            "$[?'a']",
            "$[?1 == @[*]]",
            "$[?@..a == 1]",
            "$[?!@.a == 1]",
            "$[?length(@)]",
            "$[?@.a = 1]",
        ),
        *("$[?length(@.*) < 3]", "$[?count(1) == 1]", "$[?count(foo(@.*)) == 1]", "$[?bar(@.a)]"),
        *(
            "$[?match(@.a, 'b') == true]",
            "$[?value(@..a)]",
            "$[?length (@) > 1]",
            "$[?@.a and @.b]",
        ),
        *("$[?@.a == 01]", "$[?@.a == 1.]", "$[?(@.a == 1) == true]", "$[?match(@.a)]", "$[? ]"),
    ],
)
def test_what_the_standard_calls_invalid_is_refused(query: str) -> None:
    with pytest.raises(ExpressionError):
        parse_path(query)


names = st.text(max_size=4)
values = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(-9, 9), names),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(names, inner, max_size=3)),
    max_leaves=12,
)


@given(values)
def test_a_normalised_path_leads_back_to_its_node(value: Any) -> None:
    everything = parse_path("$..*")
    paths, nodes = everything.paths(value), everything.find(value)
    assert len(set(paths)) == len(paths)
    for path, node in zip(paths, nodes, strict=True):
        assert parse_path(path).find(value) == [node]
        assert parse_path(path).paths(value) == [path]


@given(names)
def test_any_name_can_be_quoted(name: str) -> None:
    query = f"$[{json.dumps(name)}]"
    assert parse_path(query).find({name: 1}) == [1]


keyed = st.dictionaries(
    st.sampled_from(["key", "value"]), st.sampled_from(["a", "b", 1, None, [1]])
)


@given(st.lists(keyed | st.sampled_from(["a", None, 1]) | st.lists(keyed, max_size=2), max_size=5))
def test_the_short_way_to_choose_finds_what_the_standard_does(entries: list[Any]) -> None:
    for text in ("[?@.key=='a']", "[?@.key=='a'].value", "[?'b'==@.key].value", "[?@.key!='a']"):
        path = parse_expression(f"x{text}")
        assert isinstance(path, n.FieldPath)
        chosen = compile_path(path.segments[1:], is_level=lambda names: False)
        assert chosen.find(entries) == [value for _, value in chosen.nodes(entries)], text


@pytest.mark.parametrize(
    ("path", "values"),
    [
        ("x[0]['a-b']", [1, 3]),
        ("x[1]['a-b']", [2, None]),
        ("x[?@['a-b']==2]['a-b']", [2, None]),
        ("x[0].y[0]['z']", [5, 6]),
        ("x[0]['y'][0].z", [5, 6]),
        ("x[*]['a-b']", ["1; 2", 3]),
    ],
)
def test_a_bracketed_name_follows_the_entry_that_a_selector_chose(
    path: str, values: list[Any]
) -> None:
    records = [
        {"x": [{"a-b": 1, "y": {"z": 5}}, {"a-b": 2}]},
        {"x": {"a-b": 3, "y": [{"z": 6}]}},
    ]
    layout = {"levels": ["x", "x.y"], "columns": [{"A": path}]}
    assert [row[0] for row in flatledger.table(layout, records)] == values
