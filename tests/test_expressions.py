"""Expressions: the reference page, SQLite as an independent oracle, and hostile texts."""

from __future__ import annotations

import json
import re
import sqlite3
import time
from contextlib import closing
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.reports.words import kind_of_value
from flatledger.values.functions import text_of
from tests.conftest import Tool, table

PAGE = (Path(__file__).parents[1] / "docs" / "expressions.md").read_text(encoding="utf-8")
RECORD = json.loads(re.search(r"```json\n(.*?)```", PAGE, re.DOTALL)[1], parse_float=Decimal)  # type: ignore[index]
EXAMPLES = [
    (row or "record", *(part.strip() for part in line.split("→")))
    for row, block in re.findall(r"```examples(?: row per (\w+))?\n(.*?)```", PAGE, re.DOTALL)
    for line in block.strip().split("\n")
]
REFUSED = [
    tuple(part.strip() for part in pair.split("\n    "))
    for block in re.findall(r"```refused\n(.*?)```", PAGE, re.DOTALL)
    for pair in re.split(r"\n(?! )", block.strip())
]


def evaluate(expression: str, record: Any, row_per: str = "record") -> list[Any]:
    """What an expression gives on one record: a value for each row. Faults fail the test."""
    there = {"There": {"value": "there", "suppress-output": "yes"}}  # so that one field is
    layout = {"row-per": row_per, "columns": [{"X": expression}, there]}
    rows, balance = table(layout, [{**record, "there": 1}])
    assert balance.faults == []
    return [row[0] for row in rows]


@pytest.mark.parametrize(("row_per", "expression", "gives"), EXAMPLES)
def test_examples_of_the_reference_page(row_per: str, expression: str, gives: str) -> None:
    values = evaluate(expression, RECORD, row_per)
    assert " · ".join("null" if value is None else text_of(value) for value in values) == gives


@pytest.mark.parametrize(("expression", "message"), REFUSED)
def test_refusals_of_the_reference_page(expression: str, message: str) -> None:
    with pytest.raises(flatledger.LayoutError) as caught:
        evaluate(expression, RECORD)
    assert str(caught.value).endswith(message)


# ---- SQLite as an oracle ---------------------------------------------------------------------

Pair = tuple[str, str]  # the same expression for us and for SQLite


def both(ours: str, theirs: str | None = None) -> Any:
    """Fill the same operands into both forms."""
    return lambda *parts: (
        ours.format(*(part[0] for part in parts)),
        (theirs or ours).format(*(part[1] for part in parts)),
    )


substring = both("substring({} from {} for {})", "kept(substr({}, {}, {}))")
numbers: Any = st.deferred(
    lambda: st.one_of(
        st.sampled_from([("a", "a"), ("b", "b"), ("null", "null")]),
        st.integers(-20, 20).map(lambda n: (f"({n})", f"({n})")),
        st.builds(both("({} + {})"), numbers, numbers),
        st.builds(both("({} - {})"), numbers, numbers),
        st.builds(both("({} * {})"), numbers, numbers),
        st.builds(both("mod({}, {})", "({} % nullif({}, 0))"), numbers, nonzero),
        st.builds(both("abs({})"), numbers),
        st.builds(both("char_length({})", "length({})"), texts),
        st.builds(both("position({} in {})", "instr({1}, {0})"), texts, texts),
        st.builds(both("coalesce({}, {})"), numbers, numbers),
        st.builds(both("nullif({}, {})"), numbers, numbers),
        st.builds(both("case when {} then {} else {} end"), conditions, numbers, numbers),
        st.builds(both("case {} when {} then {} end"), numbers, numbers, numbers),
    )
)
nonzero: Any = st.integers(1, 9).map(lambda n: (str(n), str(n)))
texts: Any = st.deferred(
    lambda: st.one_of(
        st.sampled_from([("s", "s"), ("t", "t"), ("'Skerry'", "'Skerry'"), ("'it''s'", "'it''s'")]),
        st.builds(both("upper({})"), texts),
        st.builds(both("lower({})"), texts),
        st.builds(both("trim(both ' ' from {})", "kept(trim({}))"), texts),
        st.builds(both("replace({}, 'e', 'xy')", "kept(replace({}, 'e', 'xy'))"), texts),
        st.builds(substring, texts, nonzero, nonzero),
        st.builds(both("({} || '.' || {})"), texts, texts),
        st.builds(both("case when {} then {} else {} end"), conditions, texts, texts),
    )
)


def compared(sign: str) -> Any:
    return both(f"({{}} {sign} {{}})")


conditions: Any = st.deferred(
    lambda: st.one_of(
        *(
            st.builds(both(f"({{}} {sign} {{}})"), numbers, numbers)
            for sign in ("=", "<>", "<", ">=")
        ),
        *(st.builds(both(f"({{}} {sign} {{}})"), texts, texts) for sign in ("=", "<>", "<", "<=")),
        st.builds(both("({} and {})"), conditions, conditions),
        st.builds(both("({} or {})"), conditions, conditions),
        st.builds(both("(not {})"), conditions),
        st.builds(both("({} between {} and {})"), numbers, numbers, numbers),
        st.builds(both("({} not between {} and {})"), numbers, numbers, numbers),
        st.builds(both("({} in ({}, {}))"), numbers, numbers, numbers),
        st.builds(both("({} not in ({}, 3))"), numbers, numbers),
        st.builds(both("({} in ('Skerry', {}))"), texts, texts),
        st.builds(both("({} is null)"), numbers),
        st.builds(both("({} is not null)"), texts),
        st.builds(both("({} like 'S%r_')"), texts),
        st.builds(both("({} like '%!%%' escape '!')"), texts),
    )
)
rows = st.fixed_dictionaries({
    "a": st.one_of(st.none(), st.integers(-9, 9)),
    "b": st.one_of(st.none(), st.integers(-9, 9)),
    "s": st.one_of(st.none(), st.sampled_from(["Skerry", "Sker", "a%b", "e"])),
    "t": st.one_of(st.none(), st.text("Ser y%_.", min_size=1, max_size=5).filter(str.strip)),
})  # fmt: skip


@st.composite
def pairs(draw: Any) -> Pair:
    """The same expression twice, no larger than the language allows, as plain texts."""
    ours, theirs = draw(st.one_of(numbers, texts, conditions))
    assume(len(ours) < 1_500 and theirs.count("(") < 25)
    return str(ours), str(theirs)


@settings(max_examples=150, suppress_health_check=[HealthCheck.filter_too_much])
@given(rows, pairs())
def test_sqlite_agrees(row: dict[str, Any], pair: Pair) -> None:
    ours, theirs = pair
    with closing(sqlite3.connect(":memory:")) as database:
        # blank text is null here (rule 12)
        database.create_function("kept", 1, lambda text: text if text and text.strip() else None)
        database.execute("pragma case_sensitive_like = on")
        database.execute("create table r (a integer, b integer, s text, t text)")
        database.execute("insert into r values (:a, :b, :s, :t)", row)
        expected = database.execute(f"select {theirs} from r").fetchone()[0]
    columns = [{"X": ours}, {"T": f"case when {ours} is null then 'null' end"}]
    result, balance = table({"columns": columns}, [row])
    value = result[0][0]
    assert balance.faults == []
    if value in ("true", "false"):
        value = int(value == "true")
    assert value == expected


def test_where_sqlite_leaves_the_standard() -> None:
    """The same text, what SQLite says, and the standard's answer."""
    differences: list[tuple[str, Any, Any]] = [
        ("7 / 2", 3, Decimal("3.5")),  # SQLite divides whole numbers
        ("1 / 3 * 3", 0, Decimal("0.9999999999999999999999999999999999")),
        ("0.1 + 0.2", 0.30000000000000004, Decimal("0.3")),  # binary floats
        ("round(2.5)", 3.0, 2),  # half away from zero; ours is half-even, by rule 11
        ("cast(2.7 as integer)", 2, 3),  # truncates; the standard leaves it open
        ("cast('x' as integer)", 0, None),  # a wrong text is 0; ours is a fault
        ("'a' like 'A'", 1, "false"),  # SQLite folds case
        ("9223372036854775807 + 1", 9.223372036854775807e18, 9223372036854775808),
    ]
    database = sqlite3.connect(":memory:")
    for expression, theirs, standard in differences:
        assert database.execute(f"select {expression}").fetchone()[0] == theirs
        result, _ = table({"columns": [{"X": expression}]}, [{}])
        assert text_of(result[0][0]) == str(standard)
    database.close()


# ---- faults at run time ----------------------------------------------------------------------


def test_what_cannot_be_taken_is_a_fault_of_its_value() -> None:
    record = {"d": "31.3.2026", "n": "x", "z": 0, "l": [1, 2], "w": "soon", "p": "(a"}
    expressions = [
        *("extract(year from d)", "n + 1", "1 / z", "mod(1, z)", "l[0:2] + 1", "power(10, 5000)"),
        *("working_time(w, 'days')", "cast(1234 as decimal(3,0))", "'a' like_regex p"),
        *("date '9999-12-31' + interval '1' day", "substring('x' from 1 for z - 1)"),
    ]
    for expression in expressions:
        result, balance = table({"columns": [{"X": expression}]}, [record])
        assert result == [(None,)], expression
        assert balance.fault_count == 1, expression


def test_a_bad_value_read_twice_is_one_fault() -> None:
    layout = {
        "columns": [{"N": "n"}, {"Twice": "n * 2"}, {"Thrice": "n * 3"}],
        "only": ["n > 1 or n is not null"],
    }
    result, balance = table(layout, [{"n": "x"}, {"n": 2}])
    assert result == [("x", None, None), (2, 4, 6)]
    assert [str(fault) for fault in balance.faults] == ["record 1, n: is not a number: x"]


# ---- hostile texts ---------------------------------------------------------------------------


@pytest.mark.parametrize(
    "expression",
    [
        "(" * 10_000 + "1" + ")" * 10_000,
        "a" + "[?@" * 3_000,
        "'" + "x" * 1_000_000 + "'",
        "not " * 4_000 + "true",
        "- " * 5_000 + "1",
        "1" + " + 1" * 4_000,
        " || ".join(["a"] * 300),
        " * ".join(["a"] * 300),
    ],
)
def test_monstrous_expressions_are_refused_at_once(expression: str) -> None:
    started = time.monotonic()
    with pytest.raises(flatledger.LayoutError, match=r"deeply|characters|more than 200"):
        table({"columns": [{"X": expression}]}, [{}])
    assert time.monotonic() - started < 20  # bounded, not timed: minutes would be the failure


@pytest.mark.parametrize("pattern", ["(a*)*b", "(a|a)*b", "((a+)+)+b", "(a|aa)+$b"])
def test_a_pattern_that_would_run_for_ever_is_a_fault(pattern: str) -> None:
    texts = [{"t": "a" * 5_000, "u": ["a" * 5_000]}] * 2
    result, balance = table({"columns": [{"X": f"t like_regex '^{pattern}$'"}]}, texts)
    assert all(row[0] in (None, False) for row in result)
    assert balance.fault_count in (0, 2) or "I-Regexp" in balance.faults[0].reason
    table({"columns": [{"X": f"u[?match(@, '{pattern}')]"}]}, texts)


def test_a_chain_of_headings_cannot_grow_without_bound() -> None:
    columns = [{"C0": "a"}, *({f"C{i}": f'"C{i - 1}" * "C{i - 1}"'} for i in range(1, 40))]
    with pytest.raises(flatledger.LayoutError, match="more than 200 values"):
        table({"columns": columns}, [{"a": 10**400}])


nasty = st.sampled_from([
    *("__class__", "__import__('os')", "'); import os; ('", "\\", "{0}", "%s", "a\nb", "None"),
    *("record", "20", "2nd"),
    *("kept", "f_x", "__struct_fields__", "number", '"""', "ﬁ", "²", "lambda", "", " "),
])  # fmt: skip


@given(st.lists(nasty, min_size=1, max_size=4, unique=True), st.data())
def test_no_text_reaches_python(keys: list[str], data: Any) -> None:
    """Whatever keys, headings and texts say, they are only ever data."""
    record = {key: {other: f"{key}|{other}" for other in keys} for key in keys}
    pairs = data.draw(st.lists(st.tuples(st.sampled_from(keys), st.sampled_from(keys)), min_size=1))
    columns: list[Any] = []
    for place, (key, other) in enumerate(pairs):
        path = f"[{json.dumps(key)}][{json.dumps(other)}]"
        text = key.replace("'", "''")
        columns += [{f"{key}{place}H": path}, {f"{place}J": f"{path} || '{text}'"}]
    result, balance = table({"columns": columns}, [record])
    expected = [cell for k, o in pairs for cell in (f"{k}|{o}", f"{k}|{o}{k}")]
    assert list(result[0]) == expected
    assert balance.balanced


# ---- the command -----------------------------------------------------------------------------


def test_try_shows_values_and_points_at_slips(tool: Tool, demo: Path) -> None:
    done = tool("try", "station.name", "requisitions.jsonl", "--first", "2")
    assert done.returncode == 0
    assert [line.split() for line in done.stdout.splitlines()] == [
        ["record", "value", "type"],
        ["1", "Corran", "Point", "text"],
        ["2", "Brae", "Sound", "text"],
    ]
    assert '{"code":"COR"' in tool("try", "station", "requisitions.jsonl").stdout
    slip = tool("try", "upper(statoin.name)", "requisitions.jsonl")
    assert slip.returncode == 1
    assert "did you mean `station`?\nupper(statoin.name)\n      ^" in slip.stderr
    lines = tool("try", "lines.qty * 2", "requisitions.jsonl", "--row-per", "lines", "--first", "1")
    assert lines.stdout.count("a whole number") == 2


def test_try_from_python() -> None:
    trials = flatledger.evaluate("a + 1", [{"a": 1}, {"a": "x"}, {}])
    assert [(t.record, t.value, kind_of_value(t.value)) for t in trials] == [
        (1, 2, "a whole number"),
        (2, None, "empty"),
        (3, None, "empty"),
    ]
    assert trials[1].fault == "is not a number: x"
    with pytest.raises(flatledger.ExpressionError) as caught:
        flatledger.evaluate("1 + sumx(a)", [{"a": 1}])
    assert caught.value.position == 4


def test_a_list_has_the_order_that_is_asked_for() -> None:
    records = [{"e": [{"n": "b10", "q": 2}, {"n": "b9", "q": None}, {"n": "a1", "q": 1}]}, {}]
    orders = {
        "e.n": "a1; b10; b9",
        "e.n collate natural desc": "b10; b9; a1",
        "e.q": "a1; b10; b9",
        "e.q desc": "b10; a1; b9",
        "e.q nulls first": "b9; a1; b10",
    }
    columns = [{o: f"listagg(e.n) within group (order by {o})"} for o in orders]
    rows, _ = table({"columns": columns}, records)
    assert rows == [tuple(orders.values()), (None,) * 5]
    ways = ("e.n", "e.n desc")
    columns = [{way: f"listagg(distinct e.n, ' ') within group (order by {way})"} for way in ways]
    grouped: dict[str, Any] = {"row-per-group": ["k"], "columns": columns}
    assert table(grouped, records * 2)[0] == [("a1 b10 b9", "b9 b10 a1")]
    for other, says in (
        ("sum(e.q) within group (order by e.q)", "gives the order of a listagg"),
        ("listagg(e.n) within group (order by f.x)", "has many values here"),
    ):
        with pytest.raises(flatledger.LayoutError, match=says):
            table({"columns": [{"A": other}]}, [{**records[0], "f": [{"x": 1}, {"x": 2}]}])
    grouped["columns"] = [{"A": "listagg(e.n) within group (order by e.q)"}]
    with pytest.raises(flatledger.LayoutError, match="a list is ordered by its own values"):
        table(grouped, records)


singles = st.sampled_from(["a", "b ", "", " ", None, 3, Decimal("2.50"), True])
wholes = st.recursive(
    singles,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from("xyz"), inner),
    max_leaves=8,
)


def flat(value: Any) -> list[str]:
    """The texts of all values within a value that are not blank, by plain recursion."""
    if isinstance(value, dict | list):
        inner = value.values() if isinstance(value, dict) else value
        return [text for part in inner for text in flat(part)]
    text = "" if value is None else "true" if value is True else str(value)
    return [text] if text.strip() else []


@given(st.lists(st.fixed_dictionaries({"q": st.integers(1, 3), "a": wholes, "b": wholes})))
def test_all_parts_are_those_of_the_record_in_its_order(lines: list[Any]) -> None:
    columns = [{"A": "all_parts(lines, '|')"}, {"B": "listagg(all_parts(lines, '|'), ';')"}]
    layout = {"columns": columns, "only": [{"keep": "lines", "when": "lines.q > 1"}]}
    kept = [line for line in lines if line["q"] > 1]
    rows, balance = table(layout, [{"lines": lines}])
    each = ["|".join(flat(line)) for line in kept]
    assert rows == [("|".join(each) or None, ";".join(each) or None)]
    assert balance.faults == []
