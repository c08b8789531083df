"""Elements as records: the same facts as in JSON, texts of every shape, nothing unsafe."""

from __future__ import annotations

import io
import random
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from tests.conftest import Tool, table
from tests.test_odd_records import Odd

XSI = "http://www.w3.org/2001/XMLSchema-instance"


def told(columns: list[str], text: str, **layout: Any) -> list[tuple[Any, ...]]:
    """The rows of a document for some expressions."""
    headed = [{f"C{at}": one} for at, one in enumerate(columns)]
    return table({"columns": headed, **layout}, io.BytesIO(text.encode()))[0]  # type: ignore[arg-type]


# ---- the same facts in JSON and in XML ---------------------------------------------------------


def fact(value: Any) -> Any:
    """What both can say: texts, objects that hold something, lists of several."""
    if isinstance(value, dict):
        return {k: one for k, below in value.items() if (one := fact(below)) is not None} or None
    if isinstance(value, list):
        parts = [one for below in value if (one := fact(below)) is not None]
        flat = [one for part in parts for one in (part if isinstance(part, list) else [part])]
        return flat if len(flat) > 1 else (flat[0] if flat else None)
    return None if value in (None, "") else str(value)


def element(name: str, value: Any, chance: random.Random | None) -> str:
    """An element; where there is a chance, one with an attribute that nobody asks for."""
    if isinstance(value, list):
        return "".join(element(name, one, chance) for one in value)
    mark = ' id="7"' if chance is not None and chance.random() < 0.3 else ""
    if isinstance(value, dict):
        return f"<{name}{mark}>{''.join(element(k, v, chance) for k, v in value.items())}</{name}>"
    return f"<{name}{mark}>{escape(value)}</{name}>"


def outcome(layout: dict[str, Any], source: Any) -> Any:
    try:
        rows, balance = table(layout, source)
    except flatledger.FlatLedgerError as error:
        return type(error)
    return [tuple(row) for row in rows], balance.balanced, balance.fault_count


SHOWS_ALL = ("..", "*", "mentions", "ancestor", "cast", '"x"', '"pays"', '"names"', '.lines"}')


@settings(max_examples=150)
@given(st.randoms(use_true_random=False), st.booleans())
def test_the_same_facts_give_the_same_table(chance: random.Random, marked: bool) -> None:
    odd = Odd(chance)
    made = [fact(odd.record()) for _ in range(chance.randint(1, 6))]
    records = [one for one in made if isinstance(one, dict)] * chance.choice([1, 1, 60])
    layout = odd.layout()
    if marked and any(one in str(layout).replace("'", '"') for one in SHOWS_ALL):
        return
    in_json = outcome(layout, records)
    if isinstance(in_json, tuple) and in_json[2]:
        return  # such as a text where others have fields, which an element may have beside
    text = "".join(element("record", one, chance if marked else None) for one in records)
    in_xml = outcome(
        {**layout, "source": {"records": "record"}}, io.BytesIO(f"<all>{text}</all>".encode())
    )
    assert in_json == in_xml


# ---- what an element is worth ------------------------------------------------------------------

SHAPES = f"""<all xmlns:xsi="{XSI}">
<entry no="1"><title lang="en">The <b>Old</b> Light</title><note/><mass unit="kg">4</mass>
<part><step>1</step><turn>2</turn><step>3</step></part></entry>
<entry no="2"><title>Plain</title><note xsi:nil="true"/><mass>5</mass></entry>
<entry no="3"><title><b>Bold</b></title><note xsi:nil="true" by="M"/><mass unit="g"/></entry>
</all>"""


@pytest.mark.parametrize(
    ("path", "expected"),
    [
        ("$['@no']", ["1", "2", "3"]),
        ("title", ["The Old Light", "Plain", {"b": "Bold"}]),
        ("title['#text']", ["The Old Light", "Plain", "Bold"]),
        ("title.b", ["Old", None, "Bold"]),
        ("title['@lang']", ["en", None, None]),
        ("mass", ["4", "5", None]),
        ("mass['#text']", ["4", "5", None]),
        ("mass['@unit']", ["kg", None, "g"]),
        ("note", [None, None, None]),
        ("note['@by']", [None, None, "M"]),
        ("part['#text']", ["123", None, None]),
        ("part.step", [["1", "3"], None, None]),
        ("sum(part.step)", [4, None, None]),
        ("title || mass", ["The Old Light4", "Plain5", None]),
        ("part[?@['#text']=='2']['#text']", ["2", None, None]),
    ],
)
@pytest.mark.parametrize("times", [1, 150])
@pytest.mark.parametrize("others", [[], ["title", "mass", "part"], ["title['@lang']", "part.turn"]])
def test_one_path_is_right_in_every_record(
    path: str, expected: list[Any], times: int, others: list[str]
) -> None:
    text = SHAPES
    if times > 1:
        inner = SHAPES[SHAPES.index("\n") : SHAPES.rindex("\n")]
        text = SHAPES.replace(inner, inner * times)
    found = flatledger.evaluate(path, io.BytesIO(text.encode()), first=3)
    assert "?" in path or [one.value for one in found] == expected
    if dict in map(type, expected):  # in a cell it is shown by its parts
        expected = [one["b"] if isinstance(one, dict) else one for one in expected]
    rows = told([f"listagg({path}, ';')" if "step" in path else path, *others], text)
    cells = ["1;3" if isinstance(one, list) else one for one in expected]
    if path == "sum(part.step)":
        cells = ["4", None, None]
    assert [row[0] for row in rows] == cells * times


def test_a_filter_compares_texts_with_or_without_attributes() -> None:
    text = (
        '<all><one><opt><key id="1">volt</key><is u="V">230</is></opt><opt><key>hue</key>'
        "<is>red</is></opt></one><one><opt><key>volt</key><is>110</is></opt></one></all>"
    )
    columns = ["opt[?@.key=='volt'].is", "opt[?@.key=='volt'].is['@u']", "count(opt)"]
    assert told(columns, text) == [("230", "V", 2), ("110", None, 1)]
    spread = {"K": {"columns-from": "opt", "named-by": "opt.key", "value": "opt.is"}}
    rows = flatledger.table({"columns": [spread]}, io.BytesIO(text.encode()))
    assert [one.heading for one in rows.columns] == ["K volt", "K hue"]
    assert list(rows) == [("230", "red"), ("110", None)]


def test_the_text_in_a_language_is_chosen_by_its_attribute() -> None:
    entry = '<i><t xml:lang="cy">golau</t><t xml:lang="en-GB">li<b>gh</b>t</t><t>x</t></i>'
    others = '<i><t xml:lang="fr">phare</t></i><i><t>plain</t></i><i/>'
    for times in (1, 120):  # few are never read in exact types
        text = f"<r>{(entry + others) * times}</r>"
        found = told(["in_language(t, 'en')", "in_language(t, 'cy')", "count(t)"], text)
        one = [("light", "golau", 3), ("phare", "phare", 1), ("plain", "plain", 1), (None, None, 0)]
        assert found == one * times
    odd = [{"t": {"@lang": tag, "#text": "x"}} for tag in (["en"], {}, 1, "cy")]
    assert list(flatledger.table({"columns": [{"E": "in_language(t, 'en')"}]}, odd)) == [("x",)] * 4
    survey = flatledger.survey(io.BytesIO(f"<r>{entry}</r>".encode()))
    assert "texts with their language: in_language(t, 'en')" in survey.field("t").remarks


def test_names_are_by_their_prefixes() -> None:
    text = '<r xmlns="u:d" xmlns:s="u:s"><s:i s:k="9" k="8"><a>1</a><s:a>2</s:a></s:i></r>'
    assert told(["a", "$['s:a']", "$['@s:k']", "$['@k']"], text) == [("1", "2", "9", "8")]
    stated = {"namespaces": {"q": "u:s", "d": "u:d"}, "records": "q:i"}
    assert told(["$['d:a']", "$['q:a']"], text, source=stated) == [("1", "2")]
    with pytest.raises(flatledger.SourceError, match="stands in two namespaces"):
        told(["a"], '<r><i><a xmlns="u:v">1</a><a>2</a></i></r>')


def test_which_elements_are_records() -> None:
    text = "<r><head/><i><a>1</a><i><a>2</a></i></i><j><a>3</a></j></r>"
    with pytest.raises(flatledger.SourceError, match=r"different names \(head, i, j\).*records: "):
        told(["a"], text)
    assert told(["a"], text, source={"records": "i"}) == [("1",)]
    assert told(["a"], text, source={"records": ["i", "j"]}) == [("1",), ("3",)]
    items = text.replace("j>", "item>")
    with pytest.raises(flatledger.SourceError, match="no element `items`; did you mean `item`"):
        told(["a"], items, source={"records": "items"})
    layout = {"columns": [{"A": "a"}], "source": {"records": "order"}}
    rows = flatledger.table(layout, io.BytesIO(items.encode()))
    assert list(rows) == []
    assert "has no element `order`; there are " in rows.balance.notices[0]
    with pytest.raises(flatledger.SourceError, match=r"no path: `i`, not `r\.i`"):
        told(["a"], text, source={"records": "r.i"})
    assert told(["a"], "<r/>") == told(["a"], "<r/>", source={"records": "i"}) == []


# ---- what is unsound or unsafe -----------------------------------------------------------------

BOMB = "".join(
    f'<!ENTITY {b} "{f"&{a};" * 10}">' for a, b in zip("abcdefgh", "bcdefghi", strict=True)
)


@pytest.mark.parametrize(
    ("text", "why"),
    [
        (
            '<!DOCTYPE r [<!ENTITY x SYSTEM "file:///etc/hostname">]><r><i><a>&x;</a></i></r>',
            r"not defined \(x\)",
        ),
        (
            '<!DOCTYPE r SYSTEM "http://x.invalid/x.dtd"><r><i><a>p&x;q</a></i></r>',
            r"not defined \(x\)",
        ),
        (
            f'<!DOCTYPE r [<!ENTITY a "{"x" * 999}">{BOMB}]><r><i><a>&i;</a></i></r>',
            "amplification",
        ),
        ("<r><i><s:a>1</s:a></i></r>", r"a prefix is declared by no xmlns \(s\)"),
        ("<r><i><a>1</a></i><i><a>2</i></r>", r"line 1, column 30.*another one \(a, i\)"),
        ("<r><i><a>1</a></i>\n<i>", "line 2, column 4, after 1 record: it ends too early"),
        ("<r><i/></r><r/>", "something follows the end"),
        ("<r>" + "<i>" * 3_000 + "</i>" * 3_000 + "</r>", "Excessive depth|nested too deeply"),
        ('<?xml version="1.0" encoding="klingon"?><r/>', "Unsupported encoding"),
        ("<html><body><p>x<br></body></html>", r"another one \(br, body\)"),
    ],
)
def test_what_is_unsound_or_unsafe_is_refused(text: str, why: str) -> None:
    with pytest.raises(flatledger.SourceError, match=why):
        told(["a"], text)


def test_what_is_sound_is_read_in_any_encoding() -> None:
    text = "<r><i><a><![CDATA[<é>]]> <!-- c -->ü<?pi z?></a></i></r>"
    for encoding in ("iso-8859-1", "windows-1252", "utf-16", "utf-16-be", "utf-8-sig"):
        declared = f'<?xml version="1.0" encoding="{encoding.removesuffix("-sig")}"?>{text}'
        rows = flatledger.table({"columns": [{"A": "a"}]}, io.BytesIO(declared.encode(encoding)))
        assert list(rows) == [("<é> ü",)], encoding
    entity = '<!DOCTYPE r [<!ENTITY x "in"><!ENTITY y "&x;&x;">]><r><i><a>&y;</a></i></r>'
    assert told(["a"], entity) == [("inin",)]
    for depth, many in ((990, 2), (1_100, 1)):
        nested = "<i><k>1</k>" + "<a>" * depth + "x" + "</a>" * depth + "</i><i><k>2</k></i>"
        for text in (nested, nested * 155):  # few are never read in exact types
            assert told(["k"], f"<r>{text}</r>")[:2] == [("1",), ("2",)]
        layout = {"columns": [{"A": "a.a.a"}, {"K": "k"}]}
        rows = flatledger.table(layout, io.BytesIO(f"<r>{nested}</r>".encode()))
        assert (len(list(rows)), rows.balance.fault_count) == (many, 1)
    assert told(["char_length(a)"], f"<r><i><a>{'x' * 12_000_000}</a></i></r>") == [(12_000_000,)]


def test_a_record_is_bounded_and_others_are_let_go() -> None:
    text = "<r>" + "<i><a>" + "x" * 3_000_000 + "</a></i></r>"
    with pytest.raises(flatledger.SourceError, match="more than 1 MB; `largest-record`"):
        told(["a"], text, source={"largest-record": 1, "records": "i"})


def test_from_an_unknown_document_to_a_right_table(tool: Tool, tmp_path: Path) -> None:
    lines = "".join(
        f'<s:entry no="{n}"><code>0{n % 9}7</code><qty>{n}</qty><fee unit="SKC">{n}.50</fee>'
        f"<on>2026-03-{n % 28 + 1:02}</on></s:entry>"
        for n in range(1, 400)
    )
    document = f'<stores xmlns:s="urn:stores">{lines}</stores>'
    (tmp_path / "stores.xml").write_text(document, encoding="utf-8")
    survey = tool("survey", "stores.xml")
    for said in ("fee['@unit']", "whole numbers", "decimal numbers", "leading zeros", "dates, all"):
        assert said in survey.stdout
    assert "XML, each <s:entry> a record; prefixes s for urn:stores" in survey.stderr
    assert tool("draft", "stores.xml", "-o", "l.yaml").returncode == 0
    drafted = (tmp_path / "l.yaml").read_text(encoding="utf-8")
    for said in ("records: s:entry", "urn:stores", "  code: {datatype: string}"):
        assert said in drafted
    other = document.replace("s:entry", "t:entry").replace("xmlns:s", "xmlns:t")
    (tmp_path / "other.xml").write_text(other, encoding="utf-8")
    for name in ("stores", "other"):
        done = tool("export", "l.yaml", f"{name}.xml", "-o", f"{name}.csv")
        assert done.returncode == 0, done.stderr
    made = (tmp_path / "stores.csv").read_text(encoding="utf-8")
    assert made == (tmp_path / "other.csv").read_text(encoding="utf-8")
    assert made.splitlines()[1].split(",")[:3] == ["1", "017", "1"]
    total = sum(n * 100 + 50 for n in range(1, 400))
    assert f"{total / 100:.2f}" in made.splitlines()[-1]


@pytest.mark.parametrize("cut", range(1, 10))
def test_cut_off_anywhere_it_is_an_error(cut: int) -> None:
    data = SHAPES.encode()
    with pytest.raises(flatledger.SourceError, match="no sound XML in line"):
        table({"columns": [{"T": "title"}]}, io.BytesIO(data[: len(data) * cut // 10]))  # type: ignore[arg-type]


def test_each_byte_changed_gives_an_error_or_a_table() -> None:
    data, layout = SHAPES.encode(), {"columns": [{"T": "title"}, {"N": "$['@no']"}, {"M": "mass"}]}
    for place in range(len(data)):
        for other in (b"<", b"\0", b"&", b"\xff", b"x"):
            outcome(layout, io.BytesIO(data[:place] + other + data[place + 1 :]))


def test_a_document_type_that_stands_elsewhere_is_told_and_not_read(tmp_path: Path) -> None:
    (tmp_path / "r.dtd").write_text('<!ATTLIST a b CDATA "default">')
    place = tmp_path / "s.xml"
    place.write_text('<!DOCTYPE r SYSTEM "r.dtd"><r><a><c>1</c></a><a><c>2</c></a></r>')
    table = flatledger.table(
        {"columns": [{"C": "c"}, {"B": "['@b']"}], "may-lack": ["['@b']"]}, place
    )
    assert list(table) == [("1", None), ("2", None)]
    told = [
        one for one in table.balance.notices if "document type, r.dtd, which is not read" in one
    ]
    assert len(told) == 1
