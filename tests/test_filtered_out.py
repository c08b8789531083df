"""What a condition filters out is as though it were not in the record, whoever asks for it."""

from __future__ import annotations

import copy
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import table

small = st.none() | st.integers(0, 3)
lots = st.lists(st.fixed_dictionaries({"w": small}), max_size=3)
line = st.fixed_dictionaries({"p": st.sampled_from(["a", "b", None]), "q": small, "lots": lots})
records = st.lists(
    st.fixed_dictionaries(
        {
            "site": st.sampled_from(["a", "b"]),
            "x": st.fixed_dictionaries({"lines": st.lists(line, max_size=4)}),
            "pays": st.lists(st.fixed_dictionaries({"m": small}), max_size=3),
            "names": st.dictionaries(st.sampled_from(["cy", "en", "fr"]), small, max_size=3),
        }
    ),
    max_size=4,
)
ROWS = ("x.lines", "x.lines.lots", "names.*", "record")
CONDITIONS: dict[str, tuple[str, Any]] = {  # the level that each judges, and its plain test
    "x.lines.lots.w <> 2": ("lots", lambda lot: lot["w"] is not None and lot["w"] != 2),
    "x.lines.p <> 'a'": ("lines", lambda one: one["p"] is not None and one["p"] != "a"),
    "x.lines.q > 0": ("lines", lambda one: one["q"] is not None and one["q"] > 0),
    "any(x.lines.lots.w > 0)": (
        "lines",
        lambda one: any(lot["w"] is not None and lot["w"] > 0 for lot in one["lots"]),
    ),
    "pays.m >= 1": ("pays", lambda pay: pay["m"] is not None and pay["m"] >= 1),
    "key(names.*) <> 'en'": ("names", lambda member: member[0] != "en"),
    "names.* > 0": ("names", lambda member: member[1] is not None and member[1] > 0),
    "x.lines[0].q > 0": (
        "record",
        lambda record: bool(record["x"]["lines"]) and (record["x"]["lines"][0]["q"] or 0) > 0,
    ),
}
LEVELS = {
    "lots": ("x.lines.lots",),
    "lines": ("x.lines", "x.lines.lots"),
    "names": ("names.*",),
    "record": ROWS,
}
PLACES = {"lots": "x.lines.lots", "pays": "pays", "names": "names.*"}
PATHS = """
x.lines[0].p | x.lines[-1].q | x.lines[1:].p | x.lines[?@.q > 1].p | $..p | $..w | $..['en'] | x
sum(x.lines[?@.q > 1].q) | count(x.lines[?@.q > 0]) | count(x.lines) | sum(x.lines.q) | $.x..q
listagg(x.lines.p, '/') | min(x.lines.q) | max(x.lines.lots.w) | first(x.lines.p) | last(x.lines.q)
any(x.lines.q = 1) | every(x.lines.q >= 1) | count(distinct x.lines.p) | avg(x.lines.q)
sum(distinct x.lines.lots.w) | sum(x.lines[?@.p == 'b'].lots[*].w) | mentions($, 'a')
sum(x.lines.lots.w) | count(x.lines.lots) | x.lines[0].lots[0].w | count(names.*) | $..lots
pays[0].m | sum(pays.m) | count(pays) | names.en | sum(names.*) | count($..w) | names.*
max(x.lines[?count(@.lots[*]) > 1].q) | case when x.lines[0].q > 1 then 'y' else 'n' end
""".replace("\n", "|")
EXPRESSIONS = [text.strip() for text in PATHS.split("|") if text.strip()]


def condition(text: str, row: str) -> Any:
    """A condition as a layout has it, for rows of a level: alone, or with `keep`."""
    level, _ = CONDITIONS[text]
    if row in LEVELS.get(level, ()):
        return text
    return {"keep": PLACES[level], "when": text} if level in PLACES and "(" not in text else None


def cut_down(record: Any, conditions: list[str], row: str) -> bool:
    """Take out of a record what is filtered out; false where nothing is left of it."""

    def passes(level: str, entry: Any) -> bool:
        own = [test for judged, test in map(CONDITIONS.get, conditions) if judged == level]
        return all(test(entry) for test in own)

    lines, names = record["x"]["lines"], record["names"]
    had = {"x.lines": bool(lines), "x.lines.lots": bool(lines), "names.*": bool(names)}
    left = []
    for one in lines:
        had_lots = bool(one["lots"])
        one["lots"][:] = [lot for lot in one["lots"] if passes("lots", lot)]
        emptied = row == "x.lines.lots" and had_lots and not one["lots"]
        if passes("lines", one) and not emptied:
            left.append(one)
    lines[:] = left
    record["pays"][:] = [pay for pay in record["pays"] if passes("pays", pay)]
    record["names"] = {key: names[key] for key in names if passes("names", (key, names[key]))}
    rows = {"x.lines": lines, "x.lines.lots": lines, "names.*": record["names"], "record": [1]}
    return passes("record", record) and not (had.get(row) and not rows[row])


@settings(max_examples=150)
@given(records, st.data())
def test_every_expression_sees_what_is_left(source: list[Any], data: st.DataObject) -> None:
    row = data.draw(st.sampled_from(ROWS))
    texts = [text for text in CONDITIONS if condition(text, row) is not None]
    chosen = data.draw(st.lists(st.sampled_from(texts), unique=True, max_size=3))
    headings = data.draw(
        st.lists(st.sampled_from(EXPRESSIONS), unique=True, min_size=1, max_size=6)
    )
    layout: dict[str, Any] = {
        "levels": ["x.lines", "x.lines.lots", "pays"],
        "row-per": row,
        "without-entries": "keep",
        "columns": [{text: text} for text in headings],
    }
    left = [one for one in copy.deepcopy(source) if cut_down(one, chosen, row)]
    rows, balance = table({**layout, "only": [condition(text, row) for text in chosen]}, source)
    assert balance.balanced
    assert rows == table(layout, left)[0]
